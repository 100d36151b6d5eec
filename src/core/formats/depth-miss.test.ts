import { expect, test } from 'vitest'
import { guessPass } from '../passes/guess-pass.ts'
import { findDepthMiss, findMissByAlpha, meansMiss } from './depth-miss.ts'
import { passStats } from './pass-stats.ts'

/** Distances of a scene, and a share of pixels in which nothing was hit. */
const scene = (from: number, to: number, miss: number | undefined, share = 0.1) =>
  Array.from({ length: 4000 }, (_, i) =>
    miss !== undefined && (i * 0.618) % 1 < share ? miss : from + (to - from) * ((i * 0.377) % 1) ** 2,
  )

test.each([1e10, 1e20, 1e30, 65504, 1e6, 3.4e38, 50_000])(
  '%d far from all else means that nothing was hit',
  (miss) => {
    const found = findDepthMiss(scene(5, 60, miss))
    expect(found!.value / miss).toBeCloseTo(1, 2)
    expect(found!.why).toMatch(/% of the pixels have/)
    expect([meansMiss(miss, found!.value), meansMiss(60, found!.value)]).toEqual([true, false])
  },
)
test('exactly 0 means it where all else is clear of it', () => {
  expect(findDepthMiss(scene(5, 60, 0))?.value).toBe(0)
  expect([meansMiss(0, 0), meansMiss(5, 0), meansMiss(1e9, 0)]).toEqual([true, false, false])
  // A depth that begins at the camera is not cut off there.
  expect(findDepthMiss(scene(0, 60, 0))).toBeUndefined()
  expect(findDepthMiss(scene(0, 1, 0))).toBeUndefined()
})
test('a scene without such a value has none: evenly spread, of one distance, with a far mountain, with a single odd pixel', () => {
  expect(findDepthMiss(scene(5, 60, undefined))).toBeUndefined()
  expect(findDepthMiss(scene(7, 7, undefined))).toBeUndefined()
  expect(findDepthMiss(scene(5, 60, 300))).toBeUndefined()
  expect(findDepthMiss([...scene(5, 60, undefined), 1e10])).toBeUndefined()
  expect(findDepthMiss([])).toBeUndefined()
  // A large scene in millimetres comes close to the largest half: only a value apart from it counts.
  expect(findDepthMiss(scene(2000, 60_000, 65504))).toBeUndefined()
})
test('where alpha is 0 a single value that nothing covered reaches means it; several values, or one among the others, do not', () => {
  const depths = Array.from({ length: 900 }, (_, i) => (i < 300 ? 100 : 20 + i / 12))
  const alphas = depths.map((_, i) => (i < 300 ? 0 : i < 330 ? 0.4 : 1))
  expect(findDepthMiss(depths)).toBeUndefined()
  expect(findMissByAlpha(depths, alphas)).toMatchObject({ value: 100 })
  const among = depths.map((d, i) => (i < 300 ? 60 : d))
  expect(findMissByAlpha(among, alphas)).toBeUndefined()
  expect(
    findMissByAlpha(
      depths.map((d, i) => (i === 7 ? 99 : d)),
      alphas,
    ),
  ).toBeUndefined()
  const zeros = depths.map((d, i) => (i < 300 ? 0 : d / 1000))
  expect(findMissByAlpha(zeros, alphas)).toMatchObject({ value: 0 })
  expect(
    findMissByAlpha(
      depths,
      alphas.map(() => 1),
    ),
  ).toBeUndefined()
})
test('a depth pass is given it with the reason, other passes are not', () => {
  const stats = passStats({
    width: 80,
    height: 50,
    x: 0,
    y: 0,
    channels: 1,
    data: Float32Array.from(scene(5, 60, 1e10)),
  })
  const guess = guessPass('depth', ['Z'], 'float', stats)
  expect(guess.detail).toMatchObject({ depth: 'distance', miss: 1e10 })
  expect(guess.reason).toContain('nothing was hit where it is 10000000000')
  expect(guessPass('height', ['Z'], 'float', { ...stats, miss: undefined }).detail.miss).toBeUndefined()
})
