import { describe, expect, test } from 'vitest'
import { fresnel, reflectanceAtNormal } from '../picture/fresnel.ts'
import { picture, tried, single } from './try-effect.ts'

function key(id: string, ...job: Tail<Parameters<typeof tried>>): number[] {
  const data = tried(id, ...job)
  return Array.from({ length: data.length / 4 }, (_, i) => data[i * 4]!)
}
type Tail<T extends unknown[]> = T extends [unknown, ...infer Rest] ? Rest : never

test('Fresnel: straight on, at 60°, edge-on (exact equations; Schlick 1994 for F0)', () => {
  expect(reflectanceAtNormal(1.5)).toBeCloseTo(0.04, 10)
  expect(reflectanceAtNormal(1.333)).toBeCloseTo(0.0204, 4)
  expect(fresnel(1, 1.5)).toBeCloseTo(0.04, 10)
  expect(fresnel(0.5, 1.5)).toBeCloseTo(0.0892, 4)
  expect(fresnel(0, 1.5)).toBeCloseTo(1, 10)
  expect(fresnel(0.3, 1)).toBeCloseTo(0, 10)
})

describe('facing matte', () => {
  const size = 61
  const at = (x: number, y: number) => [(x - 30) / 28, (y - 30) / 28] as const
  const sphere = picture(size, size, (x, y) => {
    const [u, v] = at(x, y)
    const rest = 1 - u * u - v * v
    return rest > 0 ? [u, v, Math.sqrt(rest), 1] : [0, 0, 0, 0]
  })
  test('of a unit sphere is 1 − √(1 − r²), 0 facing the camera, nothing beside it (common practice)', () => {
    const values = key('facing-matte', sphere, { space: 'camera' }, { normal: sphere })
    for (let i = 0; i < values.length; i++) {
      const [u, v] = at(i % size, Math.floor(i / size))
      const r2 = u * u + v * v
      expect(values[i]!).toBeCloseTo(r2 < 1 ? 1 - Math.sqrt(1 - r2) : 0, 5)
    }
    expect(
      key('facing-matte', sphere, { space: 'camera', by: 'fresnel' }, { normal: sphere })[30 * size + 30],
    ).toBeCloseTo(0.04, 5)
  })
  test('with positions each pixel is seen along its own line, from where the camera stands', () => {
    const one = picture(2, 1, () => [0, 0, 1, 1])
    const places = picture(2, 1, (x) => [x === 0 ? 0 : 10, 0, 0, 1])
    const values = key('facing-matte', one, { cameraZ: 10 }, { normal: one, position: places })
    expect(values[0]).toBeCloseTo(0, 6)
    expect(values[1]).toBeCloseTo(1 - Math.SQRT1_2, 5)
  })
})

test('a luminance key is whole between its marks and fades over its softness; half cover keeps its brightness', () => {
  const grey = (v: number, a = 1) => [v * a, v * a, v * a, a]
  const steps = picture(6, 1, (x) => [grey(0.2), grey(0.4), grey(0.5), grey(1), grey(2.5), grey(1, 0.5)][x]!)
  const dials = { low: 0.5, softLow: 0.2, high: 2, softHigh: 1 }
  expect(key('luminance-key', steps, dials)).toEqual(
    [0, 0.5, 1, 1, 0.5, 0.5].map((v) => expect.closeTo(v, 5) as number),
  )
  expect(key('luminance-key', steps, { ...dials, invert: true })[3]).toBeCloseTo(0, 6)
  // Black, white and gamma: (0.5 − 0.25) / 0.5 to the power of 1/2.
  expect(key('luminance-key', steps, { ...dials, black: 0.25, white: 0.75, gamma: 2 })[1]).toBeCloseTo(
    Math.SQRT1_2,
    4,
  )
})

test('a depth matte lies between near and far and fades over its softness; infinitely far is outside', () => {
  const depth = single(6, 1, (x) => [2, 4.5, 5, 8, 10.25, 3e38][x]!)
  const values = key(
    'depth-matte',
    picture(6, 1, () => [0, 0, 0, 1]),
    { near: 5, far: 10, softness: 1 },
    { depth },
  )
  expect(values).toEqual([0, 0.5, 1, 1, 0.75, 0].map((v) => expect.closeTo(v, 5) as number))
})
