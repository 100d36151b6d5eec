import { expect, test } from 'vitest'
import { plainPicture, type Picture } from '../picture/picture.ts'
import { plainKernels } from '../kernels/plain-kernels.ts'
import { fast, store } from '../kernels/try-kernels.ts'
import { scopeKinds, type ScopeKind } from '../kernels/kernels.ts'
import {
  countScope as countBy,
  scopeColumns,
  scopeLevel,
  scopeLevels,
  vectorReach,
  vectorSide,
} from './scopes.ts'

const [width, height] = [64, 20]
const filled = (fill: (x: number, y: number) => readonly number[]) => {
  const picture = plainPicture(width, height)
  for (let i = 0; i < width * height; i++) picture.data.set(fill(i % width, Math.floor(i / width)), i * 4)
  return picture
}
const whole = [0, 0, width, height] as const
const countScope = (picture: Picture, kind: ScopeKind, region: readonly [number, number, number, number]) =>
  countBy(picture, kind, region, plainKernels)
const levelOf = (light: number) => Math.round(scopeLevel(light) * (scopeLevels - 1))

test('the axis has black at 0, white at four fifths, and 4.0 at its end; stops are about even', () => {
  expect([0, 1, 4, 100, -2].map(scopeLevel)).toEqual(
    [0, 0.8, 1, 1, 0].map((v) => expect.closeTo(v, 2) as number),
  )
  const stop = (v: number) => scopeLevel(2 * v) - scopeLevel(v)
  expect(stop(0.4)).toBeCloseTo(stop(0.1), 1)
})

test('a histogram counts every pixel in each channel and in luminance, at its level', () => {
  const { counts, pixels } = countScope(
    filled((x) => (x < 16 ? [1, 0.18, 0, 1] : [0, 0, 9, 1])),
    'histogram',
    whole,
  )
  expect(pixels).toBe(width * height)
  const at = (plane: number, light: number) => counts[plane * scopeLevels + levelOf(light)]
  expect(at(0, 1)).toBe(16 * height)
  expect(at(1, 0.18)).toBe(16 * height)
  expect(at(2, 9)).toBe(48 * height)
  expect(at(3, 0.2126 + 0.7152 * 0.18)).toBe(16 * height)
  for (const plane of [0, 1, 2, 3])
    expect(counts.subarray(plane * scopeLevels, (plane + 1) * scopeLevels).reduce((s, n) => s + n, 0)).toBe(
      width * height,
    )
})

test('a waveform shows where in the width light lies; a region counts alone; negative light is at the foot', () => {
  const ramp = filled((x) => [x / (width - 1), x / (width - 1), x / (width - 1), 1])
  const { counts } = countScope(ramp, 'waveform', whole)
  for (const x of [0, 20, 63]) {
    const column = x
    // Values are looked up by their upper bits: a level beside it may be met.
    const rows = [-1, 0, 1].map((d) => scopeLevels - 1 - levelOf(x / (width - 1)) + d)
    expect(rows.reduce((s, row) => s + (counts[row * width + column] ?? 0), 0)).toBe(height)
  }
  const part = countScope(ramp, 'waveform', [10, 4, 20, 9])
  expect(part.pixels).toBe(50)
  expect(part.counts.reduce((s, n) => s + n, 0)).toBe(50)
  const negative = countScope(
    filled(() => [-1, -1, -1, 1]),
    'parade',
    whole,
  )
  expect(
    negative.counts.subarray((scopeLevels - 1) * width, scopeLevels * width).reduce((s, n) => s + n, 0),
  ).toBe(width * height)
  expect(
    countScope(
      filled(() => [0, 0, 0, 0]),
      'waveform',
      whole,
    ).pixels,
  ).toBe(0)
  expect(countScope(plainPicture(1920, 2), 'waveform', [0, 0, 1920, 2]).width).toBe(scopeColumns)
})

test('a vectorscope has greys in its middle and primaries at their Cb and Cr (ITU-R BT.709)', () => {
  const at = (r: number, g: number, b: number) => {
    const { counts } = countScope(
      filled(() => [r, g, b, 1]),
      'vectorscope',
      whole,
    )
    const i = counts.findIndex((n) => n > 0)
    const [x, y] = [i % vectorSide, Math.floor(i / vectorSide)]
    const unit = (v: number) => ((v + 0.5) / vectorSide - 0.5) * 2 * vectorReach
    return [unit(x), -unit(y)]
  }
  expect(at(0.3, 0.3, 0.3)).toEqual([0, 0].map((v) => expect.closeTo(v, 2) as number))
  // Cb = (B − Y) / 1.8556, Cr = (R − Y) / 1.5748.
  expect(at(1, 0, 0)).toEqual([-0.1146, 0.5].map((v) => expect.closeTo(v, 2) as number))
  expect(at(0, 0, 1)).toEqual([0.5, -0.0458].map((v) => expect.closeTo(v, 2) as number))
})

test.each(scopeKinds)(
  'a %s counted by the kernel is that of its plain twin, in a part of the picture',
  (kind) => {
    const plain = filled((x, y) =>
      x % 5 === 0 && y % 3 === 0 ? [0, 0, 0, 0] : [x / 20 - 0.4, (x * y) % 7, y / 9, 0.5 + (x % 2) / 2],
    )
    const shared = store.allocate(width, height, 4)
    shared.data.set(plain.data)
    for (const region of [whole, [3, 2, 61, 19], [9, 9, 10, 10], [5, 5, 5, 5]] as const) {
      const [a, b] = [countBy(plain, kind, region, plainKernels), countBy(shared, kind, region, fast)]
      expect(b.pixels).toBe(a.pixels)
      // A value on the border of two levels or columns may fall either way.
      expect(a.counts.reduce((n, v, i) => n + Math.abs(v - b.counts[i]!), 0)).toBeLessThan(4 + a.pixels / 100)
    }
  },
)
