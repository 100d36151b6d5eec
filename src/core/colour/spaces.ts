// Which light red, green and blue stand for, and the way between one meaning and another.

/** Primaries that are chosen by name. */
export const primariesNames = ['rec709', 'rec2020', 'p3-d65', 'acescg', 'aces2065-1', 'xyz'] as const
export type PrimariesName = (typeof primariesNames)[number]

/** Spaces that files may be written in. */
export const outputSpaces = ['rec709', 'p3-d65', 'rec2020', 'acescg', 'aces2065-1'] as const
export type OutputSpace = (typeof outputSpaces)[number]

type Xy = readonly [x: number, y: number]
/** CIE 1931 chromaticities of the primaries, and of the white that equal parts of them make. */
export interface Chromaticities {
  readonly red: Xy
  readonly green: Xy
  readonly blue: Xy
  readonly white: Xy
}
/** Row-major 3 × 3, on columns. */
export type Matrix = readonly number[]

const d65: Xy = [0.3127, 0.329]
const aces: Xy = [0.32168, 0.33767]

/** Sources: ITU-R BT.709 and BT.2020, SMPTE EG 432-1 (P3 with the white of D65), S-2014-004 (ACEScg), SMPTE ST 2065-1. */
export const chromaticities: Readonly<Record<Exclude<PrimariesName, 'xyz'>, Chromaticities>> = {
  rec709: { red: [0.64, 0.33], green: [0.3, 0.6], blue: [0.15, 0.06], white: d65 },
  rec2020: { red: [0.708, 0.292], green: [0.17, 0.797], blue: [0.131, 0.046], white: d65 },
  'p3-d65': { red: [0.68, 0.32], green: [0.265, 0.69], blue: [0.15, 0.06], white: d65 },
  acescg: { red: [0.713, 0.293], green: [0.165, 0.83], blue: [0.128, 0.044], white: aces },
  'aces2065-1': { red: [0.7347, 0.2653], green: [0, 1], blue: [0.0001, -0.077], white: aces },
}

/** White of the profile connection space of ICC profiles, as XYZ. Source: ICC.1:2022, 7.2.16. */
export const iccWhite: readonly [number, number, number] = [0.9642, 1, 0.8249]

export function multiply(a: Matrix, b: Matrix): number[] {
  return Array.from({ length: 9 }, (_, i) => {
    const [row, column] = [Math.floor(i / 3) * 3, i % 3]
    return a[row]! * b[column]! + a[row + 1]! * b[3 + column]! + a[row + 2]! * b[6 + column]!
  })
}

export function apply(m: Matrix, [x, y, z]: readonly [number, number, number]): [number, number, number] {
  return [
    m[0]! * x + m[1]! * y + m[2]! * z,
    m[3]! * x + m[4]! * y + m[5]! * z,
    m[6]! * x + m[7]! * y + m[8]! * z,
  ]
}

const determinant = ([a, b, c, d, e, f, g, h, i]: Matrix) =>
  a! * (e! * i! - f! * h!) - b! * (d! * i! - f! * g!) + c! * (d! * h! - e! * g!)

export function inverse(m: Matrix): number[] {
  const [a, b, c, d, e, f, g, h, i] = m as [
    number,
    number,
    number,
    number,
    number,
    number,
    number,
    number,
    number,
  ]
  const det = determinant(m)
  return [
    e * i - f * h,
    c * h - b * i,
    b * f - c * e,
    f * g - d * i,
    a * i - c * g,
    c * d - a * f,
    d * h - e * g,
    b * g - a * h,
    a * e - b * d,
  ].map((v) => v / det)
}

const xyzOf = ([x, y]: Xy): [number, number, number] => [x / y, 1, (1 - x - y) / y]

/** What is wrong with chromaticities that a file gives, in words; undefined where nothing is. */
export function chromaticitiesProblem({ red, green, blue, white }: Chromaticities): string | undefined {
  if ([red, green, blue, white].flat().some((v) => !Number.isFinite(v) || Math.abs(v) > 2))
    return 'they are no chromaticities'
  if (!(white[1] > 1e-3)) return 'their white has no light'
  const area = (green[0] - red[0]) * (blue[1] - red[1]) - (green[1] - red[1]) * (blue[0] - red[0])
  if (Math.abs(area) < 1e-4) return 'their primaries span nothing'
  return undefined
}

/** Red, green, blue to CIE XYZ in which their white has Y = 1. Source: SMPTE RP 177. */
export function toXyz({ red, green, blue, white }: Chromaticities): number[] {
  // By x, y and 1 − x − y, so that a primary without luminance has its place, too.
  const column = ([x, y]: Xy) => [x, y, 1 - x - y]
  const [r, g, b] = [column(red), column(green), column(blue)]
  const primaries = [0, 1, 2].flatMap((row) => [r[row]!, g[row]!, b[row]!])
  const parts = apply(inverse(primaries), xyzOf(white))
  return primaries.map((v, i) => v * parts[i % 3]!)
}

/** How the three cones answer, as Bradford has them. Source: ICC.1:2022, annex E. */
const cones: Matrix = [0.8951, 0.2664, -0.1614, -0.7502, 1.7135, 0.0367, 0.0389, -0.0685, 1.0296]

/** XYZ under one white to XYZ that looks the same under another (linear Bradford). */
export function adaptation(
  from: readonly [number, number, number],
  to: readonly [number, number, number],
): number[] {
  const [a, b] = [apply(cones, from), apply(cones, to)]
  const gains = [b[0] / a[0], 0, 0, 0, b[1] / a[1], 0, 0, 0, b[2] / a[2]]
  return multiply(inverse(cones), multiply(gains, cones))
}

const workingWhite = xyzOf(d65)
const fromWorkingXyz = inverse(toXyz(chromaticities.rec709))

/** XYZ under a white to linear Rec.709. */
export const xyzToWorking = (white: readonly [number, number, number]): number[] =>
  multiply(fromWorkingXyz, adaptation(white, workingWhite))

/** Linear light of named primaries, or of those that a file gives, to linear Rec.709. CIE XYZ is taken as under D65: it is not adapted. */
export function toWorking(primaries: PrimariesName | Chromaticities): number[] {
  if (primaries === 'xyz') return fromWorkingXyz
  if (primaries === 'rec709') return [1, 0, 0, 0, 1, 0, 0, 0, 1]
  const of = typeof primaries === 'string' ? chromaticities[primaries] : primaries
  return multiply(xyzToWorking(xyzOf(of.white)), toXyz(of))
}

/** The named primaries that chromaticities are, to three digits. */
export function namedPrimaries(found: Chromaticities): PrimariesName | undefined {
  const near = (a: Xy, b: Xy) => Math.abs(a[0] - b[0]) < 1e-3 && Math.abs(a[1] - b[1]) < 1e-3
  const names = Object.keys(chromaticities) as (keyof typeof chromaticities)[]
  return names.find((name) => {
    const known = chromaticities[name]
    return (['red', 'green', 'blue', 'white'] as const).every((key) => near(known[key], found[key]))
  })
}

/** A matrix changes nothing that is seen. */
export const isIdentity = (m: Matrix): boolean =>
  m.every((v, i) => Math.abs(v - (i % 4 === 0 ? 1 : 0)) < 1e-6)

/** Puts premultiplied (or straight) RGBA through a matrix in place; alpha stays. */
export function throughMatrix(data: Float32Array, m: Matrix): void {
  const [a, b, c, d, e, f, g, h, i] = m as [
    number,
    number,
    number,
    number,
    number,
    number,
    number,
    number,
    number,
  ]
  for (let p = 0; p < data.length; p += 4) {
    const [x, y, z] = [data[p]!, data[p + 1]!, data[p + 2]!]
    data[p] = a * x + b * y + c * z
    data[p + 1] = d * x + e * y + f * z
    data[p + 2] = g * x + h * y + i * z
  }
}
