import type { Rgb } from '../picture/picture.ts'
import type { CurvePoint, GradientStop } from '../picture/tone-curve.ts'

interface DialBase {
  readonly label?: string
  /** One or two sentences on what more and less look like. */
  readonly hint: string
  /** It counts only while another dial has a value, or one of several; of a flag 'true' or 'false'. */
  readonly when?: { readonly dial: string; readonly is: string | readonly string[] }
}

export interface NumberDial extends DialBase {
  readonly type: 'number'
  readonly default: number
  /** What the slider covers; typing may go on to `hard`. */
  readonly range: readonly [number, number]
  readonly hard: readonly [number, number]
  /** 'px' are pixels of the full frame: the engine scales such a dial when it works on a proxy. */
  readonly unit: string
  readonly step: number
  /** Slider that gives each doubling the same way. Needs a range above 0, or starts at 0 with a short linear part. */
  readonly taper: 'linear' | 'log'
  /** It is a direction: a handle on the picture for it and a length, while another dial has a value. */
  readonly direction?: { readonly length: string }
  /** It can be picked on the picture: the value of a feed there, or the luminance of what comes to the step. */
  readonly pick?: { readonly of: string }
  /** A luminance histogram of what the step works on, with this dial as a mark to drag. */
  readonly chart?: { readonly knee: string; readonly measure?: string }
}
export interface ColourDial extends DialBase {
  readonly type: 'colour'
  /** Scene-linear; may exceed 1. */
  readonly default: Rgb
}
export interface PointDial extends DialBase {
  readonly type: 'point'
  /** Pixels of the full frame from its top left; the default as shares (0–1) of its width and height. */
  readonly default: readonly [number, number]
}
export interface ChoiceDial<V extends string = string> extends DialBase {
  readonly type: 'choice'
  readonly default: V
  readonly options: Readonly<Record<V, string>>
}
export interface FlagDial extends DialBase {
  readonly type: 'flag'
  readonly default: boolean
}

/** A list of colours, linear, each with 1 (wanted) or −1 (not wanted) behind it. */
export interface PicksDial extends DialBase {
  readonly type: 'picks'
  readonly default: readonly ColourPicked[]
}
export type ColourPicked = readonly [r: number, g: number, b: number, sign: number]

/** A curve through points, monotone between them. */
export interface CurveDial extends DialBase {
  readonly type: 'curve'
  readonly default: readonly CurvePoint[]
  /** Both axes 0–1, or light along an axis like that of stops (lightToAxis), on which 16 is 1.5. */
  readonly axis: 'unit' | 'light'
}

/** Colours along a line: where (0–1), and the linear colour. */
export interface GradientDial extends DialBase {
  readonly type: 'gradient'
  readonly default: readonly GradientStop[]
}

/** As many as a comp holds in one dial. */
const mostParts = 64

export type Dial =
  NumberDial | ColourDial | PointDial | ChoiceDial | FlagDial | PicksDial | CurveDial | GradientDial
export type DialValue = number | string | boolean | readonly number[] | readonly (readonly number[])[]

export type ValueOf<D extends Dial> = D extends NumberDial
  ? number
  : D extends ColourDial
    ? Rgb
    : D extends PointDial
      ? readonly [number, number]
      : D extends ChoiceDial<infer V>
        ? V
        : D extends PicksDial
          ? readonly ColourPicked[]
          : D extends CurveDial
            ? readonly CurvePoint[]
            : D extends GradientDial
              ? readonly GradientStop[]
              : boolean
export type Values<D extends Readonly<Record<string, Dial>>> = { readonly [K in keyof D]: ValueOf<D[K]> }

type Spec<D extends Dial, Optional extends keyof D = never> = Omit<D, 'type' | Optional> &
  Partial<Pick<D, Optional>>

export function number(spec: Spec<NumberDial, 'hard' | 'unit' | 'step' | 'taper'>): NumberDial {
  const [low, high] = spec.range
  return { type: 'number', hard: spec.range, unit: '', step: (high - low) / 100, taper: 'linear', ...spec }
}

export function colour(spec: Spec<ColourDial>): ColourDial {
  return { type: 'colour', ...spec }
}

export function point(spec: Spec<PointDial>): PointDial {
  return { type: 'point', ...spec }
}

export function choice<const O extends Readonly<Record<string, string>>>(
  spec: DialBase & { readonly options: O; readonly default: NoInfer<keyof O & string> },
): ChoiceDial<keyof O & string> {
  return { type: 'choice', ...spec }
}

export function flag(spec: Spec<FlagDial>): FlagDial {
  return { type: 'flag', ...spec }
}

export function picks(spec: Spec<PicksDial>): PicksDial {
  return { type: 'picks', ...spec }
}

export function curve(spec: Spec<CurveDial>): CurveDial {
  return { type: 'curve', ...spec }
}

export function gradient(spec: Spec<GradientDial>): GradientDial {
  return { type: 'gradient', ...spec }
}

/** Whether a dial counts while the others have their values. */
export function counts({ when }: Dial, valueOf: (dial: string) => unknown): boolean {
  return when === undefined || [when.is].flat().includes(String(valueOf(when.dial)))
}

/** 'lightAlpha' → 'Light alpha', unless the dial has a label of its own. */
export function dialLabel(key: string, dial: Dial): string {
  const words = key.replace(/([a-z])([A-Z])/g, '$1 $2').toLowerCase()
  return dial.label ?? words.charAt(0).toUpperCase() + words.slice(1)
}

const isFinitePart = (v: unknown): v is number => typeof v === 'number' && Number.isFinite(v)

/** What is wrong with a value for a dial, in words; undefined when it may be used. */
export function dialProblem(dial: Dial, value: unknown): string | undefined {
  const met = value === undefined ? 'nothing' : JSON.stringify(value)
  switch (dial.type) {
    case 'number': {
      const [low, high] = dial.hard
      if (!isFinitePart(value)) return `wants a number from ${low} to ${high}, but holds ${met}`
      return value < low || value > high ? `wants ${low} to ${high}, but holds ${met}` : undefined
    }
    case 'colour':
    case 'point': {
      const length = dial.type === 'colour' ? 3 : 2
      const fits = Array.isArray(value) && value.length === length && value.every(isFinitePart)
      return fits ? undefined : `wants ${length} numbers, but holds ${met}`
    }
    case 'choice': {
      const options = Object.keys(dial.options)
      return typeof value === 'string' && options.includes(value)
        ? undefined
        : `wants one of ${options.join(', ')}, but holds ${met}`
    }
    case 'picks':
    case 'curve':
    case 'gradient': {
      const length = dial.type === 'curve' ? 2 : 4
      const [least, what] = { picks: [0, 'colours'], curve: [1, 'points'], gradient: [1, 'stops'] }[
        dial.type
      ] as [number, string]
      const isPart = (one: unknown) => Array.isArray(one) && one.length === length && one.every(isFinitePart)
      const fits =
        Array.isArray(value) && value.length >= least && value.length <= mostParts && value.every(isPart)
      return fits
        ? undefined
        : `wants ${least} to ${mostParts} ${what} of ${length} numbers, but holds ${met}`
    }
    case 'flag':
      return typeof value === 'boolean' ? undefined : `wants true or false, but holds ${met}`
  }
}
