import type { MediaTable } from '../../core/comp/media.ts'
import type { Comp } from '../../core/comp/schema.ts'
import type { LuminanceHistogram, ValueHistogram } from '../../core/engine/histogram.ts'
import type { Warnings } from '../../core/engine/overlay.ts'
import type { Scope } from '../../core/engine/scopes.ts'
import type { ScopeKind, ScopeRegion } from '../../core/kernels/kernels.ts'
import type { Target } from '../../core/engine/plan/plan-targets.ts'
import type { PlanProblem } from '../../core/engine/plan/planning.ts'
import type { Reduction } from '../../core/engine/work-area.ts'
import type { DisplayOptions } from '../../core/kernels/kernels.ts'

/** The shot as an engine needs it. */
export interface Work {
  readonly comp: Comp
  readonly media: MediaTable
  readonly frame: number
}

/**
 * Where something acts, shown with the picture: laid over it, as grey in its place, or as what it cuts out; or the objects of an ID
 * pass as colours over it.
 */
export interface Overlay {
  readonly target: Target
  readonly as: 'overlay' | 'grey' | 'cut-out' | 'ids'
}

export interface ShowRequest extends Work {
  readonly type: 'show'
  readonly serial: number
  readonly reduction: Reduction
  readonly target: Target
  readonly view: DisplayOptions
  readonly overlay?: Overlay | undefined
  /** Marks what a display hides. */
  readonly hasWarnings?: boolean
  /** Given up as soon as something newer is asked for. */
  readonly isGivenUp: boolean
}
export interface ThumbsRequest extends Work {
  readonly type: 'thumbs'
  /** The picture these belong to; a newer one makes them useless. */
  readonly serial: number
  readonly width: number
}
export interface HistogramRequest extends Work {
  readonly type: 'histogram'
  readonly id: number
  readonly target: Target
  /** By the brightest channel instead of luminance. */
  readonly byMost: boolean
}
/** A second picture to be compared with the shown one. */
export interface SideRequest extends Work {
  readonly type: 'side'
  readonly id: number
  readonly target: Target
  readonly view: DisplayOptions
}
/** A picture at full size as the bytes of an EXR file. */
export interface ExrRequest extends Work {
  readonly type: 'exr'
  readonly id: number
  readonly target: Target
}
/** How often the values of something lie where. */
export interface ValuesRequest extends Work {
  readonly type: 'values'
  readonly id: number
  readonly of: Target
}
/** A scope of a picture, or of a part of it in pixels of the full frame. */
export interface ScopeRequest extends Work {
  readonly type: 'scope'
  readonly id: number
  readonly target: Target
  readonly kind: ScopeKind
  readonly region?: ScopeRegion | undefined
}
export interface ProbeRequest extends Work {
  readonly type: 'probe'
  readonly id: number
  /** Pixel of the full frame. */
  readonly x: number
  readonly y: number
  /** Asked of this instead of the shown picture. */
  readonly of?: Target
}
/** Small pictures of several comps, as starting points to choose from. */
export interface PreviewsRequest {
  readonly type: 'previews'
  readonly id: number
  readonly comps: readonly Comp[]
  readonly media: MediaTable
  readonly frame: number
  readonly target: Target
  readonly width: number
}
/** Small readable pictures of all passes. */
export interface PassesRequest extends Work {
  readonly type: 'passes'
  readonly id: number
  readonly width: number
}
export interface StartRequest {
  readonly type: 'start'
  readonly memory: WebAssembly.Memory
  readonly control: SharedArrayBuffer
  readonly workers: number
  /** One word: the serial of the newest picture asked for. */
  readonly newest: SharedArrayBuffer
  readonly budgetBytes: number
}
export type EngineRequest =
  | StartRequest
  | ShowRequest
  | ThumbsRequest
  | HistogramRequest
  | ValuesRequest
  | ScopeRequest
  | SideRequest
  | ExrRequest
  | ProbeRequest
  | PassesRequest
  | PreviewsRequest

/** The thumbnail of the matte of a step, or of a lane. */
export const matteKey = (lane: string, step?: string): string => `matte:${step ?? lane}`

export interface Thumb {
  /** Step id, or `lane:` and a lane id for its source, or `joined` for the picture before the master. */
  readonly key: string
  readonly width: number
  readonly height: number
  readonly pixels: Uint8Array<ArrayBuffer>
}
export interface PassThumb {
  readonly media: string
  readonly pass: string
  readonly width: number
  readonly height: number
  readonly pixels: Uint8Array<ArrayBuffer>
  /** 1st and 99th percentile of its first channel. */
  readonly low: number
  readonly high: number
}
export interface Shown {
  readonly type: 'shown'
  readonly serial: number
  readonly reduction: Reduction
  readonly width: number
  readonly height: number
  readonly pixels: Uint8ClampedArray<ArrayBuffer>
  readonly problems: readonly PlanProblem[]
  readonly warnings: Warnings | undefined
  readonly tookMs: number
}
export interface Side {
  readonly width: number
  readonly height: number
  readonly pixels: Uint8ClampedArray<ArrayBuffer>
}
export interface Probed {
  readonly rgba: readonly [number, number, number, number]
  /** Eight hexadecimal digits: the object under the pointer, where IDs are shown. */
  readonly object?: string
  /** Values of data passes at the pixel, as stored. */
  readonly data: readonly { readonly name: string; readonly value: number }[]
}
export type EngineReply =
  | Shown
  | { readonly type: 'given-up'; readonly serial: number }
  | {
      readonly type: 'failed'
      readonly serial: number
      readonly message: string
      /** Memory ran out: a smaller picture may still be made. */
      readonly isMemory: boolean
      readonly reduction: Reduction
    }
  /** Stops that each lane adds to the mean luminance below it, and each step that gives light to its lane's, by id. */
  | {
      readonly type: 'thumbs'
      readonly serial: number
      /** Those that changed. */
      readonly thumbs: readonly Thumb[]
      readonly meters: Readonly<Record<string, number>>
    }
  | { readonly type: 'histogram'; readonly id: number; readonly histogram: LuminanceHistogram | undefined }
  | { readonly type: 'values'; readonly id: number; readonly histogram: ValueHistogram | undefined }
  | {
      readonly type: 'scope'
      readonly id: number
      readonly scope: Scope | undefined
      readonly tookMs: number
    }
  | { readonly type: 'side'; readonly id: number; readonly side: Side | undefined }
  | { readonly type: 'exr'; readonly id: number; readonly bytes: Uint8Array<ArrayBuffer> | undefined }
  | { readonly type: 'passes'; readonly id: number; readonly thumbs: readonly PassThumb[] }
  | { readonly type: 'previews'; readonly id: number; readonly thumbs: readonly (Thumb | undefined)[] }
  | { readonly type: 'probe'; readonly id: number; readonly probed: Probed | undefined }
  /** What was asked for could not be made. */
  | { readonly type: 'unanswered'; readonly id: number }
