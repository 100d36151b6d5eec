import type { MediaTable } from '../../comp/media.ts'
import type { Comp } from '../../comp/schema.ts'
import type { Follow, Measure } from '../../tracks/track.ts'
import type { DisplayOptions, ScopeKind, ScopeRegion } from '../../kernels/kernels.ts'
import type { LuminanceHistogram, ValueHistogram } from '../histogram.ts'
import type { Warnings } from '../overlay.ts'
import type { Target } from '../plan/plan-targets.ts'
import type { PlanProblem } from '../plan/planning.ts'
import type { Scope } from '../scopes.ts'
import type { Part, Reduction } from '../work-area.ts'

/** The shot as a session needs it. */
export interface Work {
  readonly comp: Comp
  readonly media: MediaTable
}

/**
 * Where something acts, shown with the picture: laid over it, as grey in its place, or as what it cuts out; or the objects of an ID
 * pass as colours over it.
 */
export interface Overlay {
  readonly target: Target
  readonly as: 'overlay' | 'grey' | 'cut-out' | 'ids'
}

/** An 8-bit RGBA picture. */
export interface Codes {
  readonly width: number
  readonly height: number
  readonly pixels: Uint8ClampedArray<ArrayBuffer>
}
export interface Shown extends Codes {
  /** Where on the canvas it lies, if it is a part of it. */
  readonly part?: Part
  readonly reduction: Reduction
  /** It is as large as it is looked at, and all that was read for it is in it. */
  readonly isSettled: boolean
  readonly problems: readonly PlanProblem[]
  readonly warnings: Warnings | undefined
  readonly tookMs: number
}
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
export interface Probed {
  /** How many pixels of the full frame it is the mean of, on each side. */
  readonly reduction: number
  readonly rgba: readonly [number, number, number, number]
  /** Eight hexadecimal digits: the object under the pointer, where IDs are shown. */
  readonly object?: string
  /** Values of data passes at the pixel, as stored. */
  readonly data: readonly { readonly name: string; readonly value: number }[]
}

/** The thumbnail of the matte of a step, or of a lane. */
export const matteKey = (lane: string, step?: string): string => `matte:${step ?? lane}`

interface OfFrame {
  readonly frame: number
}
interface OfTarget extends OfFrame {
  readonly target: Target
}

/** What a session is asked for, by kind, each with what it answers. */
export interface Requests {
  /** The picture that is looked at. */
  show: {
    wish: OfTarget & {
      readonly reduction: Reduction
      /** One at the size that is looked at follows; what has to be read first is not waited for. */
      readonly isProxy?: boolean | undefined
      /** Of a proxy: the size that is looked at; what is there at that does not jump when it follows. */
      readonly finest?: Reduction | undefined
      /** At full size: what is seen of the canvas, which alone is made where that is less work. */
      readonly seen?: Part | undefined
      /** Nothing follows what is made of that: light from far away in it is as fine as it may be. */
      readonly isLast?: boolean | undefined
      readonly view: DisplayOptions
      readonly overlay?: Overlay | undefined
      /** Marks what a display hides. */
      readonly hasWarnings?: boolean | undefined
    }
    answer: Shown
  }
  /** Small pictures of every place on the desk, those that changed; stops that each lane adds to the mean luminance below it, and each step that gives light to its lane's, by id. */
  thumbs: {
    wish: OfFrame & { readonly width: number }
    answer: { readonly thumbs: readonly Thumb[]; readonly meters: Readonly<Record<string, number>> }
  }
  /** How often light lies where; by the brightest channel instead of luminance. */
  histogram: { wish: OfTarget & { readonly byMost: boolean }; answer: LuminanceHistogram }
  /** How often the values of something lie where. */
  values: { wish: OfTarget; answer: ValueHistogram }
  /** A scope of a picture, or of a part of it in pixels of the full frame. */
  scope: {
    wish: OfTarget & {
      readonly scope: ScopeKind
      readonly region?: ScopeRegion | undefined
      readonly reduction?: Reduction | undefined
    }
    answer: { readonly scope: Scope; readonly tookMs: number }
  }
  /** A second picture to be compared with the shown one. */
  side: {
    wish: OfTarget & {
      readonly view: DisplayOptions
      readonly reduction?: Reduction | undefined
      /** As of `show`. */
      readonly seen?: Part | undefined
      readonly isLast?: boolean | undefined
    }
    answer: Codes & { readonly part?: Part }
  }
  /** A picture at full size as the bytes of an EXR file. */
  exr: { wish: OfTarget; answer: Uint8Array<ArrayBuffer> }
  /** Values at a pixel of the full frame; of this instead of the shown picture. Undefined outside of it. */
  probe: {
    wish: OfFrame & {
      readonly x: number
      readonly y: number
      readonly of?: Target | undefined
      /** At full size, whatever is shown: the whole is made for it. */
      readonly isExact?: boolean | undefined
    }
    answer: Probed | undefined
  }
  /** A picture made ahead for playing, with what it depends on; where that is what is known already, without its pixels. */
  ahead: {
    wish: OfTarget & {
      readonly reduction: Reduction
      readonly view: DisplayOptions
      readonly known?: string | undefined
      /** Only whether it still depends on what is known is asked: it is not made. */
      readonly isAsked?: boolean | undefined
      /** The frame that is made next: what it is made from is fetched meanwhile. */
      readonly next?: number | undefined
    }
    answer: { readonly key: string; readonly codes?: Codes | undefined; readonly tookMs: number }
  }
  /** Where something is, or how bright, on some frames; empty where it is not there, undefined where it can not be told. */
  readings: {
    wish: { readonly of: Follow['of'] | Measure; readonly frames: readonly number[] }
    answer: readonly (readonly number[] | undefined)[]
  }
  /** Small readable pictures of all passes. */
  passes: { wish: OfFrame & { readonly width: number }; answer: readonly PassThumb[] }
  /** Small pictures of other comps of the same shot, as starting points to choose from; undefined for those that can not be made. */
  previews: {
    wish: OfTarget & { readonly comps: readonly Comp[]; readonly width: number }
    answer: readonly (Thumb | undefined)[]
  }
}
export type Kind = keyof Requests
export type Wish<K extends Kind> = Requests[K]['wish']
export type Answer<K extends Kind> = Requests[K]['answer']

/** How urgent: what comes first is answered first. What comes after pictures gives way to them. */
export const classes = ['drag', 'picture', 'measures', 'charts', 'thumbnails', 'ahead'] as const
export type Class = (typeof classes)[number]
