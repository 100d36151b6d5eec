import type { PartOf } from '../kernels/draw-light.ts'
import type { WorkingSpace } from '../colour/working.ts'
import type { Pass } from '../comp/media.ts'
import type { Workshop } from '../kernels/pyramid.ts'
import type { ResampleFilter } from '../kernels/kernels.ts'
import type { Affine } from '../picture/affine.ts'
import type { LinearColour } from '../picture/colour.ts'
import type { Picture } from '../picture/picture.ts'
import { choice, flag, type ChoiceDial, type Dial, type FlagDial, type Values } from '../dials/dials.ts'

export type Family = 'light' | 'shade' | 'depth' | 'matte' | 'colour' | 'motion' | 'finish'
export type FeedKind = 'light' | 'matte' | 'depth' | 'normal' | 'position' | 'motion' | 'table'

export interface Feed {
  readonly kind: FeedKind
  readonly required: boolean
  /** What the engine does with it: it is the light that is taken, or the part of that light that counts, which the engine takes. */
  readonly role?: 'light' | 'part'
  /** What counts while nothing is connected; 'its own picture' where left out. */
  readonly without?: string
  readonly hint: string
}

/** A named setting to begin with. */
export interface StartingPoint<D extends Readonly<Record<string, Dial>>> {
  readonly name: string
  readonly dials: Partial<Values<D>>
}

/** The whole, with its margin, of which only a part is made. */
export type WholeOf = PartOf

/** What something is prepared for: the size of pictures, the width of the frame in them, and which frame it is. */
export interface PreparedFor {
  readonly width: number
  readonly height: number
  readonly frameWidth: number
  readonly frame: number
  /** Frames a second. */
  readonly rate: number
  readonly reduction: number
  readonly whole?: WholeOf | undefined
}

/** A moment of which an effect takes a share, by channel. */
export interface OtherTime {
  /** Whole, or between two. */
  readonly frame: number
  readonly weights: readonly [red: number, green: number, blue: number, alpha: number]
}

/** Where in time an effect stands. */
export interface InTime {
  readonly frame: number
  /** Frames a second. */
  readonly rate: number
  /** The first of the shot. */
  readonly firstFrame: number
  /** How many pixels of the picture placings and drawings before this step move it, from one time to another, in frames from this one. */
  travel(from: number, to: number): number
}

/** What an effect is given. Pictures are of one size; what `store` hands out must be given back. */
export interface EffectJob<D extends Readonly<Record<string, Dial>>, F extends string> extends Workshop {
  /** To be filled whole; never one of the sources. */
  readonly out: Picture
  readonly picture: Picture
  readonly feeds: Readonly<Partial<Record<F, Picture>>>
  /** The pass behind a feed that comes straight from one. */
  readonly passes?: Readonly<Partial<Record<F, Pass>>>
  readonly dials: Values<D>
  readonly frame: number
  /** The picture at the other frames that it needs. */
  readonly otherFrames?: ReadonlyMap<number, Picture>
  /** Frames a second. */
  readonly rate: number
  /** What `prepare` made. */
  readonly prepared: Picture | undefined
  /** How much smaller than the full frame the pictures are: 1, 2, 4. Dials in px are scaled already. */
  readonly reduction: number
  /** Which pixel of the (reduced) frame is the first of the pictures; [0, 0] where left out. Below 0 there is a margin around the frame. */
  readonly corner?: readonly [x: number, y: number]
  /** Where only a part of the frame is made and it `surveys`: the whole, smaller. */
  readonly overview?:
    { readonly picture: Picture; readonly feeds: Readonly<Partial<Record<F, Picture>>> } | undefined
  /** Where only a part of the frame is made: the feeds of which it `readsAnywhere`, whole, and which of their pixels is the first of the part. */
  readonly anywhere?:
    | {
        readonly feeds: Readonly<Partial<Record<F, Picture>>>
        readonly from: readonly [x: number, y: number]
      }
    | undefined
  /** Width and height of the (reduced) frame; those of the pictures where left out. */
  readonly frameSize?: readonly [width: number, height: number]
  readonly whole?: WholeOf | undefined
}

export interface Effect<
  D extends Readonly<Record<string, Dial>> = Readonly<Record<string, Dial>>,
  F extends string = string,
> {
  /** Stable: saved in comps; equals the file name. */
  readonly id: string
  readonly title: string
  readonly family: Family
  /** filter: picture → picture. light: picture → the light alone, which the engine joins. */
  readonly kind: 'filter' | 'light'
  readonly purpose: string
  /** What it computes, as a formula in words for the reference: borders, alpha, widths. */
  readonly law?: string
  /** Further words someone may search by. */
  readonly search: string
  /** Families this step is best placed after and before, and why, as a sentence. */
  readonly belongs: {
    readonly after: readonly Family[]
    readonly before: readonly Family[]
    readonly reason: string
    /** Elsewhere it is likely a mistake, and the desk says so. */
    readonly isFirm?: boolean
  }
  /** Counted up when the same dial values give another picture. */
  readonly version: number
  /** Gives another picture at another frame though its dials stand still. */
  varies(dials: Values<D>): boolean
  readonly feeds: Readonly<Record<F, Feed>>
  /** Feeds that these dials can not do without, beyond those that are always required. */
  needs?(dials: Values<D>): readonly F[]
  readonly dials: D
  /**
   * Frames other than this one at which it needs the picture that comes to it, whole or between two; the job has them by these numbers.
   * The planner plans them, so that each is made once, whatever asks for it.
   */
  framesNeeded?(dials: Values<D>, at: { readonly frame: number; readonly rate: number }): readonly number[]
  /**
   * For what is a sum over times of what comes to it: when, and how much of each. The planner adds them up one after the other, each as
   * `each` makes it, so that few are held at once; `apply` is not asked. With `holdsMedia` media stand on this frame, and only what is
   * keyed moves. Undefined where these dials leave it to `apply`.
   */
  overTime?(
    dials: Values<D>,
    at: InTime,
  ): { readonly times: readonly OtherTime[]; readonly holdsMedia?: boolean } | undefined
  /** What counts of one time, of the picture and the feeds there; the picture itself where left out. */
  each?(job: EffectJob<D, F>): void
  /** For effects that only place the picture elsewhere: several in a row become one resampling. */
  affine?(dials: Values<D>): { readonly matrix: Affine; readonly filter: ResampleFilter }
  /** For effects that are one matrix on colour and a factor on alpha: several in a row become one pass over memory. Undefined when these dials are not. */
  linear?(dials: Values<D>, space: WorkingSpace): LinearColour | undefined
  /** What it gives is this feed as it is; `apply` is not asked. */
  readonly instead?: F
  /**
   * How many pixels around one count for what it becomes, of the picture and of what is fed: so a part of the frame can be made alone. Left
   * out, or undefined for these dials: all of them may.
   */
  reach?(dials: Values<D>): number | undefined
  /** Feeds of which it needs single pixels that may lie anywhere in the frame. */
  readonly readsAnywhere?: readonly NoInfer<F>[]
  /** It needs something of the whole frame that a smaller picture of it tells as well: a mean, or where the camera stands. */
  surveys?(dials: Values<D>): boolean
  /** Dials that say together where the picture goes, which way and how large: handles on the picture for them. */
  readonly offset?: {
    readonly x: string
    readonly y: string
    readonly about: string
    readonly turn: string
    readonly scale: string
  }
  /**
   * Something that is slow to make and depends on few of the dials alone, and on what it is for: `key` says on what of it. It is kept
   * while other dials move.
   */
  prepare?(
    dials: Values<D>,
    at: PreparedFor,
  ): { readonly key: string; readonly make: (workshop: Workshop) => Picture } | undefined
  /** How the light of a point falls with the distance, for a chart: to `reach` pixels, 1 or less at 0. */
  profile?(dials: Values<D>): { readonly reach: number; readonly at: (px: number) => number } | undefined
  /** Dials that are places among the values of a feed, for a histogram of it with them as marks to drag. */
  readonly span?: {
    readonly feed: F
    /** Which of its dials are marks, with these values; the first two are its near and its far end. */
    marks(dials: Values<D>): readonly (keyof D & string)[]
    /** How far it acts at a value, 0–1, for a curve over the histogram. */
    weight?(dials: Values<D>): (value: number) => number
    /** A far end below the near one is most likely a mistake, said like this. */
    readonly swapped?: string
  }
  /** Dials that show what it does, for its picture in the reference. */
  readonly example?: Partial<Values<D>>
  /** It works on the picture's cover, so its picture shows objects that are cut out. */
  readonly isOnCover?: boolean
  /** Settings to begin with, each with a name of its own; what is left out is at its default. */
  readonly starts: readonly StartingPoint<D>[]
  // A method, so that effects of any dials fit the general type.
  apply(job: EffectJob<D, F>): void
}

/** Dials of every effect that adds light; the engine acts on them. */
export const lightDials = {
  join: choice({
    default: 'add',
    options: { add: 'Add', screen: 'Screen' },
    label: 'Join',
    hint: 'Add is how light behaves. Screen holds values under display white, for pictures that must not clip.',
  }),
  coverAlpha: flag({
    default: true,
    label: 'Light covers',
    hint: 'On: the light also counts as cover (alpha), so it is kept over an empty background. Off: alpha stays as it was.',
  }),
  alone: flag({
    default: false,
    label: 'Light only',
    hint: 'On: only the light goes on, so that a lane of its own can put it behind or in front of others.',
  }),
} satisfies Record<string, ChoiceDial | FlagDial>

type Declared<D extends Readonly<Record<string, Dial>>, F extends string> = Omit<
  Effect<D, F>,
  'version' | 'varies' | 'search' | 'feeds' | 'starts'
> & {
  readonly version?: number
  varies?(dials: Values<D>): boolean
  readonly search?: string
  readonly starts?: readonly StartingPoint<D>[]
  readonly feeds?: Readonly<Record<F, Feed>>
}

/** Declares an effect; value types in `apply` follow from the dials. */
export function defineEffect<const D extends Readonly<Record<string, Dial>>, F extends string = never>(
  declared: Declared<D, F>,
): Effect<D, F> {
  const dials = declared.kind === 'light' ? { ...declared.dials, ...lightDials } : declared.dials
  return {
    version: 1,
    varies: () => false,
    search: '',
    starts: [],
    feeds: {} as Readonly<Record<F, Feed>>,
    ...declared,
    dials,
  }
}
