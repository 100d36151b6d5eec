/** A frame of a render. */
export interface FrameKey {
  readonly renderId: string
  readonly frame: number
}
