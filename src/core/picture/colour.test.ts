import { converter } from 'culori'
import { expect, test } from 'vitest'
import { rec709 } from '../colour/working.ts'
import {
  displayTable,
  hexToLinear,
  hueSaturationMatrix,
  linearToHex,
  linearToSrgb,
  srgbToLinear,
  stopsFromGrey,
} from './colour.ts'

test('sRGB transfer has the worked values of IEC 61966-2-1', () => {
  expect(srgbToLinear(0.5)).toBeCloseTo(0.214041, 6)
  expect(linearToSrgb(0.18)).toBeCloseTo(0.461356, 6)
  expect(Math.round(linearToSrgb(0.18) * 255)).toBe(118)
})

test('all 8-bit codes decode as culori decodes them, and encode back to themselves', () => {
  const toLinear = converter('lrgb')
  for (let code = 0; code < 256; code++) {
    const linear = srgbToLinear(code / 255)
    expect(linear).toBeCloseTo(toLinear({ mode: 'rgb', r: code / 255, g: 0, b: 0 }).r, 12)
    expect(Math.round(linearToSrgb(linear) * 255)).toBe(code)
  }
})

test('luminance weights are those of ITU-R BT.709 and sum to 1', () => {
  expect(rec709.luminance(1, 0, 0)).toBe(0.2126)
  expect(rec709.luminance(0, 1, 0)).toBe(0.7152)
  expect(rec709.luminance(1, 1, 1)).toBeCloseTo(1, 12)
})

test('one stop doubles, and 18 % grey is stop 0 (common practice)', () => {
  expect(stopsFromGrey(0.18)).toBe(0)
  expect(stopsFromGrey(0.36)).toBeCloseTo(1, 12)
  expect(stopsFromGrey(0)).toBe(-Infinity)
})

test('the display table is at most one code off anywhere in 0–1', () => {
  const table = displayTable()
  const bits = new Uint32Array(1)
  const value = new Float32Array(bits.buffer)
  let off = 0
  for (let i = 0; i < 100_000; i++) {
    value[0] = 2 ** -13 + (i / 100_001) * (1 - 2 ** -13)
    const difference = Math.abs(
      table[(bits[0]! - 0x39000000) >>> 14]! - Math.round(linearToSrgb(value[0]) * 255),
    )
    expect(difference).toBeLessThanOrEqual(1)
    off += difference
  }
  expect(off / 100_000).toBeLessThan(0.03)
})

test('saturation and hue turns keep greys, saturation 0 gives luminance, a full turn gives the colour back', () => {
  const apply = (m: number[], c: number[]) =>
    [0, 1, 2].map((r) => m[r * 3]! * c[0]! + m[r * 3 + 1]! * c[1]! + m[r * 3 + 2]! * c[2]!)
  for (const v of apply(hueSaturationMatrix(rec709, 77, 1.7, 1), [0.4, 0.4, 0.4]))
    expect(v).toBeCloseTo(0.4, 10)
  for (const v of apply(hueSaturationMatrix(rec709, 0, 0, 1), [0.2, 0.5, 3]))
    expect(v).toBeCloseTo(rec709.luminance(0.2, 0.5, 3), 10)
  apply(hueSaturationMatrix(rec709, 360, 1, 1), [0.2, 0.5, 3]).forEach((v, i) => {
    expect(v).toBeCloseTo([0.2, 0.5, 3][i]!, 10)
  })
  // A third of a turn about the grey axis moves red to green exactly.
  apply(hueSaturationMatrix(rec709, 120, 1, 1), [1, 0, 0]).forEach((v, i) => {
    expect(v).toBeCloseTo([0, 1, 0][i]!, 10)
  })
})

test('hex colours go to linear light and back; what is not a colour is refused', () => {
  expect(linearToHex(rec709, hexToLinear(rec709, '#7f10c8')!)).toBe('#7f10c8')
  expect(hexToLinear(rec709, '7f10c')).toBeUndefined()
})
