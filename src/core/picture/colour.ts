import { apply } from '../colour/spaces.ts'
import type { WorkingSpace } from '../colour/working.ts'
import type { Rgb } from './picture.ts'

/**
 * Alpha at and below this (2⁻²⁴, the least that a half float holds) is no cover: such a pixel is light alone, and its colour is taken as it
 * is. Dividing by less would make infinity of ordinary light.
 */
export const leastCover = 2 ** -24

/** sRGB-encoded value to linear light. Values outside 0–1 are mirrored about 0. Source: IEC 61966-2-1. */
export function srgbToLinear(v: number): number {
  const a = Math.abs(v)
  return Math.sign(v) * (a <= 0.04045 ? a / 12.92 : ((a + 0.055) / 1.055) ** 2.4)
}

/** Linear light to sRGB-encoded value; the inverse of srgbToLinear. Source: IEC 61966-2-1. */
export function linearToSrgb(v: number): number {
  const a = Math.abs(v)
  return Math.sign(v) * (a <= 0.0031308 ? a * 12.92 : 1.055 * a ** (1 / 2.4) - 0.055)
}

/** Exposure distance from 18 % grey in stops; −Infinity for no light (common practice: 18 % is the reference). */
export function stopsFromGrey(y: number): number {
  return y > 0 ? Math.log2(y / 0.18) : -Infinity
}

/** Colour of a working space to `#rrggbb` for an sRGB display, clipped to 0–1. */
export function linearToHex({ toRec709 }: WorkingSpace, colour: Rgb): string {
  const code = (v: number) => Math.round(Math.min(1, Math.max(0, linearToSrgb(v))) * 255)
  return (
    '#' +
    apply(toRec709, colour)
      .map((v) => code(v).toString(16).padStart(2, '0'))
      .join('')
  )
}

/** `#rrggbb` (or without the mark) to colour of a working space; undefined where it is not a colour. */
export function hexToLinear({ fromRec709 }: WorkingSpace, hex: string): [number, number, number] | undefined {
  const digits = /^#?([0-9a-f]{6})$/i.exec(hex.trim())?.[1]
  if (!digits) return undefined
  const at = (i: number) => srgbToLinear(parseInt(digits.slice(i, i + 2), 16) / 255)
  return apply(fromRec709, [at(0), at(2), at(4)])
}

/** A curve of screens: `encode` from light 0–1 to signal 0–1, and the bits of the float below which it is taken as straight. */
export interface ScreenCurve {
  readonly encode: (light: number) => number
  readonly first: number
}
/** The sRGB curve, which is straight below 2^-13, and the power 2.4 of BT.1886 with a black of 0, whose code below 2^-22 is under a half. */
export const screenCurves = {
  srgb: { encode: linearToSrgb, first: 0x39000000 },
  'power-2.4': { encode: (v) => Math.max(0, v) ** (1 / 2.4), first: 0x34800000 },
} as const satisfies Record<string, ScreenCurve>
export type ScreenCurveName = keyof typeof screenCurves

/** How many entries of 512 an octave a table of a curve has. */
export const displayEntries = ({ first }: ScreenCurve): number => (0x3f800000 - first) >>> 14

/**
 * The table the display kernels look 8-bit codes up in: entry i stands for the floats whose bits begin at
 * `first` + i·2^14 (to 1, 512 entries an octave) and holds the code of the middle of that span.
 */
export function displayTable(curve: ScreenCurve = screenCurves.srgb): Uint8Array {
  const bits = new Uint32Array(1)
  const value = new Float32Array(bits.buffer)
  return Uint8Array.from({ length: displayEntries(curve) }, (_, i) => {
    bits[0] = curve.first + i * 0x4000 + 0x2000
    return Math.round(curve.encode(value[0]!) * 255)
  })
}

/**
 * The 3×3 matrix (row-major, acting on linear RGB columns) that turns hue by `hueDegrees` about the grey axis,
 * scales saturation about luminance and multiplies by `value`. Luminance of a colour is kept by the saturation part
 * (by the working space); the hue turn is the Rodrigues rotation about (1, 1, 1), so greys stay as they are.
 */
export function hueSaturationMatrix(
  { weights }: WorkingSpace,
  hueDegrees: number,
  saturation: number,
  value: number,
): number[] {
  const turn = (hueDegrees * Math.PI) / 180
  const cos = Math.cos(turn)
  const part = (1 - cos) / 3
  const side = Math.sin(turn) / Math.sqrt(3)
  const hue = [cos + part, part - side, part + side]
  const at = (row: number, column: number) => hue[(column - row + 3) % 3]!
  const result: number[] = []
  for (let row = 0; row < 3; row++)
    for (let column = 0; column < 3; column++) {
      const grey = weights[0] * at(0, column) + weights[1] * at(1, column) + weights[2] * at(2, column)
      result.push(value * (grey + saturation * (at(row, column) - grey)))
    }
  return result
}

/** Colour and cover through a matrix: row-major 3×4 from premultiplied RGBA to RGB, and a factor on alpha. */
export interface LinearColour {
  readonly matrix: readonly number[]
  readonly alpha: number
}

/** A row-major 3×3 matrix on RGB, with its rows times `gains`, and a factor on alpha. */
export function linearColour(
  matrix: readonly number[],
  alpha: number,
  gains: readonly number[] = [1, 1, 1],
): LinearColour {
  return {
    matrix: [0, 1, 2].flatMap((row) => [
      ...matrix.slice(row * 3, row * 3 + 3).map((v) => v * gains[row]!),
      0,
    ]),
    alpha,
  }
}

/** Multiplies red, green and blue, and alpha. */
export function scaling(colour: number, alpha: number): LinearColour {
  return { matrix: [colour, 0, 0, 0, 0, colour, 0, 0, 0, 0, colour, 0], alpha }
}

/** First `first`, then `then`, as one. */
export function linearChain(first: LinearColour, then: LinearColour): LinearColour {
  const [a, b] = [first.matrix, then.matrix]
  const matrix = Array.from({ length: 12 }, (_, i) => {
    const [row, column] = [Math.floor(i / 4) * 4, i % 4]
    const own = b[row]! * a[column]! + b[row + 1]! * a[4 + column]! + b[row + 2]! * a[8 + column]!
    return column === 3 ? own + b[row + 3]! * first.alpha : own
  })
  return { matrix, alpha: first.alpha * then.alpha }
}

/** As far as `amount` towards a matrix from leaving all as it is. */
export function linearAmount({ matrix, alpha }: LinearColour, amount: number): LinearColour {
  const towards = (v: number, from: number) => from + amount * (v - from)
  return { matrix: matrix.map((v, i) => towards(v, i % 5 === 0 ? 1 : 0)), alpha: towards(alpha, 1) }
}
