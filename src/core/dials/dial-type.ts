/** What every dial has, of whatever type. */
export interface DialBase {
  readonly label?: string
  /** One or two sentences on what more and less look like. */
  readonly hint: string
  /** It counts only while another dial has a value, or one of several; of a flag 'true' or 'false'. */
  readonly when?: { readonly dial: string; readonly is: string | readonly string[] }
}

/** The size that a value is for. */
export interface Canvas {
  readonly width: number
  readonly height: number
}

/** A working picture, smaller than the full frame, with a border around it. */
export interface Reduced {
  /** How much smaller: 1, 2, 4. */
  readonly reduction: number
  /** Where the frame begins in it, in its own pixels: beyond 0 there is a border, below 0 it is a part of the frame. */
  readonly left: number
  readonly top: number
}

/**
 * All that is particular to a type of dial. Where a rule is left out, what is said there counts. Between two keys numbers and lists of
 * numbers go over part by part, of whatever type the dial is; all else is held.
 */
export interface DialType<D extends DialBase & { readonly type: string; readonly default: V }, V> {
  readonly type: D['type']
  /** What is wrong with a value in words, after 'wants'; undefined when it may be used. */
  wants(dial: D, value: unknown): string | undefined
  /** What it takes, for the reference. Left out: the name of the type. */
  words?(dial: D): string
  /** The default on a canvas. Left out: as it is declared. */
  defaultOn?(dial: D, canvas: Canvas): V
  /** A value for a smaller picture. Left out: the same. */
  scaled?(dial: D, value: V, size: Reduced): V
  /** The nearest value that may be used, of one that may not; undefined where none is near. Left out: none ever is. */
  nearest?(dial: D, value: unknown): V | undefined
  /** A value moved as far as from one to another. Left out: it can not be moved. */
  shifted?(dial: D, value: V, from: V, to: V): V
}

export function defineDialType<V, D extends DialBase & { readonly type: string; readonly default: V }>(
  type: DialType<D, V>,
): DialType<D, V> {
  return type
}

/** A declaration as it is written: without its type, and without what has a value of its own. */
export type Spec<D extends DialBase & { readonly type: string }, Optional extends keyof D = never> = Omit<
  D,
  'type' | Optional
> &
  Partial<Pick<D, Optional>>

export const isFiniteNumber = (v: unknown): v is number => typeof v === 'number' && Number.isFinite(v)

/** A tuple of so many finite numbers. */
export const isTuple = (value: unknown, length: number): value is readonly number[] =>
  Array.isArray(value) && value.length === length && value.every(isFiniteNumber)

/** As many as a comp holds in one dial. */
const mostParts = 64

/** What is wrong with a list of tuples, after 'wants'. */
export function wantsTuples(value: unknown, least: number, length: number, what: string): string | undefined {
  const fits =
    Array.isArray(value) &&
    value.length >= least &&
    value.length <= mostParts &&
    value.every((one) => isTuple(one, length))
  return fits ? undefined : `${least} to ${mostParts} ${what} of ${length} numbers`
}
