import type { Curve, OneCurve } from '../colour/curves.ts'
import { srgbToLinear } from '../picture/colour.ts'

// Colour profiles whose meaning is a curve for each channel and a matrix. Source: ICC.1:2022.

/** What a profile says. */
export interface IccProfile {
  readonly name: string
  /** 'RGB ', 'GRAY', 'CMYK' … */
  readonly space: string
  /** Red, green, blue to XYZ under the white of the connection space; undefined where it has only tables. */
  readonly matrix?: readonly number[]
  readonly curve?: Curve
  /** Why it can not be followed, in words. */
  readonly problem?: string
}

/** Larger profiles are not read: a curve and a matrix take a few kilobytes. */
const mostBytes = 4e6

const fixed = (view: DataView, at: number) => view.getInt32(at) / 65536

/** Light at a code by a parametric curve of ICC.1, 10.18. */
function parametric(kind: number, p: readonly number[]): ((x: number) => number) | undefined {
  const [g = 1, a = 1, b = 0, c = 0, d = 0, e = 0, f = 0] = p
  switch (kind) {
    case 0:
      return (x) => x ** g
    case 1:
      return (x) => (x >= -b / a ? (a * x + b) ** g : 0)
    case 2:
      return (x) => (x >= -b / a ? (a * x + b) ** g + c : c)
    case 3:
      return (x) => (x >= d ? (a * x + b) ** g : c * x)
    case 4:
      return (x) => (x >= d ? (a * x + b) ** g + e : c * x + f)
    default:
      return undefined
  }
}

const steps = 4096

/** A curve as the one by name that it is, or as itself. */
function asCurve(light: (x: number) => number): OneCurve {
  const known: readonly (readonly [OneCurve, (x: number) => number])[] = [
    ['linear', (x) => x],
    ['srgb', srgbToLinear],
    ['power-2.2', (x) => x ** 2.2],
    ['power-2.4', (x) => x ** 2.4],
  ]
  const isNear = (other: (x: number) => number) =>
    Array.from({ length: 65 }, (_, i) => i / 64).every((x) => Math.abs(light(x) - other(x)) < 2e-4)
  return (
    known.find(([, other]) => isNear(other))?.[0] ?? {
      table: Float32Array.from({ length: steps + 1 }, (_, i) => light(i / steps)),
    }
  )
}

function readCurve(view: DataView, at: number, end: number): ((x: number) => number) | undefined {
  const type = view.getUint32(at)
  if (type === 0x70617261) {
    const kind = view.getUint16(at + 8)
    const count = [1, 3, 4, 5, 7][kind]
    if (count === undefined || at + 12 + count * 4 > end) return undefined
    return parametric(
      kind,
      Array.from({ length: count }, (_, i) => fixed(view, at + 12 + i * 4)),
    )
  }
  if (type !== 0x63757276) return undefined
  const count = view.getUint32(at + 8)
  if (count === 0) return (x) => x
  if (at + 12 + count * 2 > end) return undefined
  const value = (i: number) => view.getUint16(at + 12 + i * 2)
  if (count === 1) {
    const power = value(0) / 256
    return (x) => x ** power
  }
  return (x) => {
    const place = Math.min(1, Math.max(0, x)) * (count - 1)
    const below = Math.min(count - 2, Math.floor(place))
    return (value(below) + (place - below) * (value(below + 1) - value(below))) / 65535
  }
}

/** The text of a 'desc' or 'mluc' tag. */
function readText(bytes: Uint8Array, view: DataView, at: number, end: number): string {
  const type = view.getUint32(at)
  if (type === 0x64657363) {
    const length = Math.min(view.getUint32(at + 8), end - at - 12)
    return new TextDecoder('latin1')
      .decode(bytes.subarray(at + 12, at + 12 + length))
      .split('\0')[0]!
      .trim()
  }
  if (type !== 0x6d6c7563 || at + 28 > end) return ''
  const [length, offset] = [view.getUint32(at + 20), view.getUint32(at + 24)]
  return new TextDecoder('utf-16be')
    .decode(bytes.subarray(at + offset, Math.min(end, at + offset + length)))
    .trim()
}

/** Reads a profile; what keeps it from being followed is said in it. */
export function readIcc(bytes: Uint8Array): IccProfile {
  const broken = (problem: string): IccProfile => ({ name: '', space: '', problem })
  if (bytes.length > mostBytes)
    return broken(`is ${(bytes.length / 1e6).toFixed(0)} MB large, which no curve and matrix take`)
  if (bytes.length < 132) return broken('is cut short')
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)
  if (view.getUint32(36) !== 0x61637370) return broken('does not begin as a profile does')
  const four = (at: number) => String.fromCharCode(...bytes.subarray(at, at + 4))
  const tags = new Map<string, { at: number; end: number }>()
  const count = view.getUint32(128)
  for (let i = 0; i < count && 132 + i * 12 + 12 <= bytes.length; i++) {
    const entry = 132 + i * 12
    const [at, size] = [view.getUint32(entry + 4), view.getUint32(entry + 8)]
    if (at + size <= bytes.length && size >= 12) tags.set(four(entry), { at, end: at + size })
  }
  const described = tags.get('desc')
  const name = described ? readText(bytes, view, described.at, described.end) : ''
  const space = four(16)
  const own = { name, space }
  const curveOf = (tag: string) => {
    const found = tags.get(tag)
    return found && readCurve(view, found.at, found.end)
  }
  if (space === 'GRAY') {
    if (four(20) === 'Lab ') return { ...own, problem: 'counts in lightness, not in light' }
    const light = curveOf('kTRC')
    return light ? { ...own, curve: asCurve(light) } : { ...own, problem: 'has no curve' }
  }
  if (space !== 'RGB ') return { ...own, problem: `is of ${space.trim()}, not of red, green and blue` }
  const columns = ['rXYZ', 'gXYZ', 'bXYZ'].map((tag) => {
    const found = tags.get(tag)
    return found && found.end - found.at >= 20
      ? [fixed(view, found.at + 8), fixed(view, found.at + 12), fixed(view, found.at + 16)]
      : undefined
  })
  const [r, g, b] = columns
  const curves = ['rTRC', 'gTRC', 'bTRC'].map(curveOf)
  if (!r || !g || !b || curves.some((c) => !c)) {
    const isTable = tags.has('A2B0') || tags.has('A2B1')
    return { ...own, problem: isTable ? 'is made of tables' : 'has no matrix and curves' }
  }
  const [red, green, blue] = curves.map((c) => c!)
  const isAlike = [0.1, 0.3, 0.5, 0.8].every(
    (x) => Math.abs(red!(x) - green!(x)) < 1e-3 && Math.abs(red!(x) - blue!(x)) < 1e-3,
  )
  const matrix = [0, 1, 2].flatMap((row) => [r[row]!, g[row]!, b[row]!])
  const det =
    matrix[0]! * (matrix[4]! * matrix[8]! - matrix[5]! * matrix[7]!) -
    matrix[1]! * (matrix[3]! * matrix[8]! - matrix[5]! * matrix[6]!) +
    matrix[2]! * (matrix[3]! * matrix[7]! - matrix[4]! * matrix[6]!)
  if (Math.abs(det) < 1e-6) return { ...own, problem: 'has primaries that span nothing' }
  return {
    ...own,
    matrix,
    curve: isAlike ? asCurve(red!) : { each: [asCurve(red!), asCurve(green!), asCurve(blue!)] },
  }
}
