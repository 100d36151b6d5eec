/**
 * A picture: `height` rows of `width` pixels of `channels` interleaved floats, row 0 on top.
 * Colour has four channels (premultiplied, scene-linear, Rec.709 primaries), a matte or a depth has one.
 * `at` is the byte offset inside the kernels' memory, or −1 for a picture in ordinary memory.
 */
export interface Picture {
  readonly width: number
  readonly height: number
  readonly channels: 1 | 4
  readonly data: Float32Array
  readonly at: number
}

export type Rgb = readonly [number, number, number]

/** A zeroed picture in ordinary memory, for the plain kernels and for tests. */
export function plainPicture(width: number, height: number, channels: 1 | 4 = 4): Picture {
  return { width, height, channels, data: new Float32Array(width * height * channels), at: -1 }
}

/** Takes and gives back pictures; what a step takes as scratch is given back after it. */
export interface PictureStore {
  /** The contents of a new picture are undefined. Throws OutOfMemoryError when nothing is left. */
  allocate(width: number, height: number, channels: 1 | 4): Picture
  release(picture: Picture): void
}

/** The memory for pictures is used up; the caller may work at a smaller size. */
export class OutOfMemoryError extends Error {
  override name = 'OutOfMemoryError'
  constructor(readonly wantedBytes: number) {
    super(`Not enough memory for another picture of ${(wantedBytes / 1e6).toFixed(0)} MB`)
  }
}

export const plainStore: PictureStore = {
  allocate: plainPicture,
  release: () => undefined,
}
