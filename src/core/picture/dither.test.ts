import { expect, test } from 'vitest'
import { fast, store } from '../kernels/try-kernels.ts'
import { encodePicture } from '../formats/write-picture.ts'
import { decode } from 'fast-png'
import { portableZlib } from '../formats/exr-codecs.ts'
import { plainPicture } from './picture.ts'

/** The sRGB curve of IEC 61966-2-1. */
const encoded = (v: number) => (v <= 0.0031308 ? 12.92 * v : 1.055 * v ** (1 / 2.4) - 0.055)
const linear = (e: number) => (e <= 0.04045 ? e / 12.92 : ((e + 0.055) / 1.055) ** 2.4)

const size = 256
const shown = (value: number, dither: number | undefined) => {
  const src = store.allocate(size, size, 4)
  for (let i = 0; i < src.data.length; i++) src.data[i] = i % 4 === 3 ? 1 : value
  const out = new Uint8Array(size * size * 4)
  fast.display(out, src, { gain: 1, channel: 'colour', checker: 0, dither })
  store.release(src)
  return out
}
const written = (value: number, dither: number | undefined) => {
  const src = plainPicture(size, size)
  for (let i = 0; i < src.data.length; i++) src.data[i] = i % 4 === 3 ? 1 : value
  return Uint8Array.from(decode(encodePicture(src, 'png8', '', fast, portableZlib, dither)).data)
}

test.each([
  ['on the screen', shown],
  ['in a file', written],
] as const)('codes %s are right on the mean, within a 64th of a code, for twelve-bit values', (_, codes) => {
  for (const twelve of [0, 3, 9, 40, 333, 1777, 2048, 3001, 4080, 4095]) {
    const out = codes(linear(twelve / 4095), 7)
    for (const c of [0, 1, 2]) {
      let sum = 0
      for (let i = c; i < out.length; i += 4) sum += out[i]!
      expect(Math.abs(sum / (size * size) - (twelve / 4095) * 255)).toBeLessThan(1 / 64)
    }
  }
})
test('black, white and full alpha stay whole; without it codes are the nearest', () => {
  expect(new Set(shown(0, 3))).toEqual(new Set([0, 255]))
  expect(new Set(written(1, 3))).toEqual(new Set([255]))
  const plain = shown(0.2, undefined)
  expect(plain.every((v, i) => i % 4 === 3 || Math.abs(v - 255 * encoded(0.2)) <= 1)).toBe(true)
  expect(new Set(written(0.2, undefined)).size).toBe(2)
})
test('a ramp shows no band: where codes would be the same for many columns their mean still rises', () => {
  const [w, h] = [512, 128]
  const src = store.allocate(w, h, 4)
  for (let i = 0; i < w * h; i++)
    src.data.set([1, 1, 1].map(() => linear((40 + ((i % w) / w) * 4) / 255)).concat(1), i * 4)
  const out = new Uint8Array(w * h * 4)
  fast.display(out, src, { gain: 1, channel: 'colour', checker: 0, dither: 1 })
  const column = (x0: number) => {
    let sum = 0
    for (let x = x0; x < x0 + 16; x++) for (let y = 0; y < h; y++) sum += out[(y * w + x) * 4]!
    return sum / (16 * h)
  }
  for (let x = 0; x + 16 <= w; x += 16)
    expect(Math.abs(column(x) - (40 + ((x + 8) / w) * 4))).toBeLessThan(0.07)
  // Two frames are rounded apart.
  const next = new Uint8Array(w * h * 4)
  fast.display(next, src, { gain: 1, channel: 'colour', checker: 0, dither: 2 })
  expect(next.filter((v, i) => v !== out[i]).length).toBeGreaterThan(w * h * 0.5)
})
