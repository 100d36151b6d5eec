import { chromaticities, inverse, multiply, toWorking, toXyz, type Matrix } from './spaces.ts'

// The space that a shot is worked in: what its red, green and blue are, and what follows from that.

export const workingNames = ['rec709', 'acescg'] as const
export type WorkingName = (typeof workingNames)[number]

export const workingWords: Readonly<Record<WorkingName, string>> = {
  rec709: 'linear Rec.709',
  acescg: 'ACEScg',
}

type Three = readonly [number, number, number]

export interface WorkingSpace {
  readonly name: WorkingName
  /** Parts of red, green and blue in luminance. */
  readonly weights: Three
  readonly luminance: (r: number, g: number, b: number) => number
  readonly toRec709: Matrix
  readonly fromRec709: Matrix
  /** Its light to the three cone-like values whose cube roots OKLab is made of. */
  readonly toCones: Matrix
  /** The other way. */
  readonly fromCones: Matrix
}

/** Linear Rec.709 to the values that OKLab takes the cube roots of. Source: B. Ottosson 2020, “A perceptual color space for image processing”. */
const conesOfRec709: Matrix = [
  0.4122214708, 0.5363325363, 0.0514459929, 0.2119034982, 0.6806995451, 0.1073969566, 0.0883024619,
  0.2817188376, 0.6299787005,
]
/** The way back, as published there. */
const conesToRec709: Matrix = [
  4.0767416621, -3.3077115913, 0.2309699292, -1.2684380046, 2.6097574011, -0.3413193965, -0.0041960863,
  -0.7034186147, 1.707614701,
]

function made(name: WorkingName, weights: Three): WorkingSpace {
  const [wr, wg, wb] = weights
  const isRec709 = name === 'rec709'
  const toRec709 = toWorking(name)
  const fromRec709 = isRec709 ? toRec709 : inverse(toRec709)
  return {
    name,
    weights,
    luminance: (r, g, b) => wr * r + wg * g + wb * b,
    toRec709,
    fromRec709,
    toCones: isRec709 ? conesOfRec709 : multiply(conesOfRec709, toRec709),
    fromCones: isRec709 ? conesToRec709 : multiply(fromRec709, conesToRec709),
  }
}

/** Linear Rec.709 with the weights of ITU-R BT.709. */
export const rec709: WorkingSpace = made('rec709', [0.2126, 0.7152, 0.0722])

const [, , , yr, yg, yb] = toXyz(chromaticities.acescg) as [number, number, number, number, number, number]
const spaces: Readonly<Record<WorkingName, WorkingSpace>> = {
  rec709,
  // Luminance is the Y of its primaries under its own white. Source: S-2014-004.
  acescg: made('acescg', [yr, yg, yb]),
}

/** The space of a shot; linear Rec.709 where none is said. */
export const workingSpace = (name: WorkingName | undefined): WorkingSpace => spaces[name ?? 'rec709']

/** Light of one working space as light of another; the same numbers where it is that. */
export function betweenSpaces(
  from: WorkingName | undefined,
  to: WorkingName | undefined,
): Matrix | undefined {
  const [a, b] = [workingSpace(from), workingSpace(to)]
  return a === b ? undefined : multiply(b.fromRec709, a.toRec709)
}

/** A row-major 3 × 3 as the matrix of a picture: 3 × 4, alpha without a part. */
export const pictureMatrix = (m: Matrix): number[] =>
  [0, 1, 2].flatMap((row) => [...m.slice(row * 3, row * 3 + 3), 0])
