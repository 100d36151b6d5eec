import { expect, test } from 'vitest'
import { plainPicture, type Picture } from '../picture/picture.ts'
import { passKinds, rulesOf } from './passes.ts'
import { hashName, hashToFloat } from '../formats/cryptomatte.ts'
import { readablePass } from './readable-pass.ts'

const of = (width: number, channels: 1 | 4, value: (i: number) => number[]): Picture => {
  const picture = plainPicture(width, 1, channels)
  for (let i = 0; i < width; i++) picture.data.set(value(i).slice(0, channels), i * channels)
  return picture
}
const pixel = (codes: Uint8Array, i: number) => [...codes.slice(i * 4, i * 4 + 3)]

test('depth runs from near to far between its percentiles, and nothing hit is neither', () => {
  const depth = of(1000, 1, (i) => [i === 0 ? 3.4e38 : i === 1 ? 1e6 : 10 + i / 100])
  const { codes, low, high } = readablePass(depth, 'depth')
  expect([low, high]).toEqual([expect.closeTo(10.1, 0), expect.closeTo(19.9, 0)])
  expect(pixel(codes, 500)[0]).toBeGreaterThan(pixel(codes, 100)[0]!)
  expect(pixel(codes, 1)).toEqual([255, 255, 255])
  expect(pixel(codes, 0)).toEqual([18, 26, 52])
})

test('a normal that faces the viewer is the well-known light blue (common practice)', () => {
  expect(
    pixel(
      readablePass(
        of(3, 4, () => [0, 0, 1, 1]),
        'normal',
      ).codes,
      1,
    ),
  ).toEqual([128, 128, 255])
})

test('objects have distinct colours that grow dark with their cover; no object is black', () => {
  const ids = ['bell', 'sand', 'rock'].map((name) => hashToFloat(hashName(name)))
  const { codes } = readablePass(
    of(5, 4, (i) => (i < 3 ? [ids[i]!, 1, 0, 0] : i === 3 ? [ids[0]!, 0.25, 0, 0] : [0, 0, 0, 0])),
    'ids',
  )
  const colours = [0, 1, 2].map((i) => pixel(codes, i).join())
  expect(new Set(colours).size).toBe(3)
  expect(Math.max(...pixel(codes, 3))).toBeLessThan(Math.max(...pixel(codes, 0)) / 2)
  expect(pixel(codes, 4)).toEqual([0, 0, 0])
})

test('motion the other way has the opposite hue; no motion is black', () => {
  const { codes } = readablePass(
    of(
      3,
      4,
      (i) =>
        [
          [4, 0],
          [-4, 0],
          [0, 0],
        ][i]!,
    ),
    'motion',
  )
  expect([pixel(codes, 0), pixel(codes, 1), pixel(codes, 2)]).toEqual([
    [255, 0, 0],
    [0, 255, 255],
    [0, 0, 0],
  ])
})

test('every kind can be drawn from one or four channels of any values, and says what it is good for', () => {
  for (const kind of passKinds)
    for (const channels of [1, 4] as const) {
      const { codes } = readablePass(
        of(4, channels, (i) => [i - 2, i * 1e6, -i, 0.5]),
        kind,
      )
      expect(codes.filter((_, i) => i % 4 === 3).every((v) => v === 255)).toBe(true)
      expect(rulesOf(kind).use).toMatch(/\.$/)
    }
})
