import { linearToSrgb } from '../picture/colour.ts'
import type { Picture } from '../picture/picture.ts'

// Pieces that passes are drawn with for the eye.

/** Values at two parts (0–1) of the sorted samples of a channel; at most about 20,000 are looked at. */
export function percentiles(
  { data, channels }: Picture,
  channel: number,
  of: (v: number) => number | undefined,
): [number, number] {
  const count = data.length / channels
  const stride = Math.max(1, Math.floor(count / 20_000))
  const found: number[] = []
  for (let i = 0; i < count; i += stride) {
    const value = of(data[i * channels + channel]!)
    if (value !== undefined) found.push(value)
  }
  found.sort((a, b) => a - b)
  const at = (part: number) => found[Math.round(part * (found.length - 1))] ?? 0
  return [at(0.01), at(0.99)]
}

export const byte = (v: number) => Math.round(255 * Math.min(1, Math.max(0, v)))
export const grey = (v: number): [number, number, number] => [v, v, v]
/** Where a value lies between two, 0–1. */
export const place = (v: number, low: number, high: number) => (high > low ? (v - low) / (high - low) : 0.5)

/** Hue 0–1 and brightness to 8-bit codes. */
export function hueCodes(hue: number, value: number): [number, number, number] {
  const part = (shift: number) =>
    byte(value * Math.min(1, Math.max(0, Math.abs(((hue + shift) % 1) * 6 - 3) - 1)))
  return [part(0), part(2 / 3), part(1 / 3)]
}

/** A colour that stands for an ID, the same for the same bits. */
export function idColour(bits: number, cover: number): [number, number, number] {
  const mixed = Math.imul(bits ^ (bits >>> 15), 0x2c1b3c6d)
  const spread = (mixed ^ (mixed >>> 13)) >>> 0
  return hueCodes((spread % 997) / 997, cover * (0.55 + 0.45 * (((spread >>> 10) % 8) / 7)))
}

/** Values as they look on a screen; one channel is grey. */
export const asColour =
  ({ data, channels }: Picture) =>
  (i: number): [number, number, number] => {
    const code = (c: number) => byte(linearToSrgb(data[i + Math.min(c, channels - 1)]!))
    return [code(0), code(1), code(2)]
  }

/** The first value as grey, black at 0 and white at 1. */
export const asGrey =
  ({ data }: Picture) =>
  (i: number) =>
    grey(byte(data[i]!))
