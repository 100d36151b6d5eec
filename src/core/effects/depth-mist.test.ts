import { describe, expect, test } from 'vitest'
import { dialProblem } from '../dials/dials.ts'
import { meanDensity } from '../kernels/declarations/position.ts'
import depthMist from './depth-mist.ts'
import { picture, single, tried } from './try-effect.ts'

const grey = [0.18, 0.18, 0.18, 1]
const own = { colour: 'own', nearColour: [1, 1, 1], farColour: [1, 1, 1], ceiling: 1 } as const
/** What grey at these distances becomes, one pixel each, far from each other. */
const misty = (distances: readonly number[], dials: object, colour: readonly number[] = grey) => {
  const wide = 8
  const src = picture(distances.length * wide, 1, () => colour)
  const depth = single(distances.length * wide, 1, (x) => distances[Math.floor(x / wide)]!)
  const made = tried('depth-mist', src, { ...own, ...dials }, { depth })
  return distances.map((_, i) => [...made.subarray((i * wide + 3) * 4, (i * wide + 3) * 4 + 4)])
}
const weights = (distances: readonly number[], dials: object) =>
  misty(distances, dials, [0, 0, 0, 1]).map(([r]) => r!)
const close = (values: readonly number[], digits = 4) =>
  values.map((v) => expect.closeTo(v, digits) as number)

describe('depth mist', () => {
  test('between the marks it rises from 0 to 1; closer stays clear, farther is its colour (common practice)', () => {
    const [at, even] = [[0, 5, 6, 10, 15, 40], { profile: 'linear', near: 5, far: 15 }]
    expect(weights(at, even)).toEqual(close([0, 0, 0.1, 0.5, 1, 1]))
    expect(weights(at, { ...even, profile: 'smooth' })).toEqual(close([0, 0, 0.028, 0.5, 1, 1]))
    const ramp = [
      [0, 0],
      [0.5, 0.8],
      [1, 1],
    ]
    expect(weights([10], { ...even, profile: 'curve', ramp })).toEqual(close([0.8], 3))
    expect(misty([2], even)[0]).toEqual(close(grey, 6))
  })
  test('a depth scaled by 0.1 reads a scene of 0–10 (common practice)', () => {
    const whole = weights([0, 2.5, 10], { profile: 'linear', near: 0, far: 10 })
    expect(weights([0, 0.25, 1], { profile: 'linear', near: 0, far: 1 })).toEqual(close(whole))
  })
  test('at the visibility distance 2 % of the contrast are left, at half of it the root of that (Koschmieder 1924)', () => {
    const dials = { profile: 'visibility', visibility: 30, near: 2 }
    const left = (d: number) => {
      const [dark, bright] = [misty([d], dials, [0.1, 0.1, 0.1, 1]), misty([d], dials, [0.3, 0.3, 0.3, 1])]
      return (bright[0]![0]! - dark[0]![0]!) / 0.2
    }
    expect(left(32)).toBeCloseTo(0.02, 4)
    expect(left(17)).toBeCloseTo(Math.sqrt(0.02), 4)
    expect(left(1)).toBeCloseTo(1, 6)
    // Contrast of 5 % is reached at 2.996 / 3.912 of it (WMO guide: meteorological optical range).
    expect(left(2 + (30 * 2.996) / 3.912)).toBeCloseTo(0.05, 3)
  })
  test('premultiplied edges stay premultiplied: mist is weighed by alpha, and empty stays empty', () => {
    const half = grey.map((v) => v / 2)
    const [full, part] = [misty([30], {}), misty([30], {}, half)]
    expect(part[0]).toEqual(
      close(
        full[0]!.map((v) => v / 2),
        6,
      ),
    )
    expect(misty([30], {}, [0, 0, 0, 0])[0]).toEqual([0, 0, 0, 0])
    // Where nothing was hit it covers what is empty, as far as it is said to lie there.
    for (const background of [0, 0.5])
      expect(misty([3e38], { background }, [0, 0, 0, 0])[0]).toEqual(
        close(new Array<number>(4).fill(background)),
      )
  })
  test('bad depth has defined results: 0 and below are clear, nothing hit is the background, near = far is a step', () => {
    const dials = { profile: 'linear', near: 5, far: 15, background: 0.25 }
    expect(weights([0, -3, -1e30, 3.4028234663852886e38], dials)).toEqual(close([0, 0, 0, 0.25]))
    expect(weights([4.9, 5, 5.1, 50], { ...dials, far: 5 })).toEqual(close([0, 0, 1, 1]))
    // Far before near turns it round: mist towards the camera, as a reversed depth wants it.
    expect(weights([0, 1], { profile: 'linear', near: 1, far: 0 })).toEqual(close([1, 0]))
    expect(dialProblem(depthMist.dials.visibility, 0)).toMatch(/wants 0.000001 to/)
  })
  test('keep clear, ceiling, and a mist pass', () => {
    expect(
      weights([8, 9, 30], { profile: 'visibility', visibility: 10, keepClear: 8, ceiling: 0.7 }),
    ).toEqual(close([0, 0.7 * (1 - 0.02 ** 0.9), 0.7 * (1 - 0.02 ** 3)], 3))
    expect(weights([0, 0.25, 1, 3e38], { from: 'mist', profile: 'linear', near: 7, far: 9 })).toEqual(
      close([0, 0.25, 1, 1]),
    )
  })
  test('its colour is that of the far part of the picture where it is not chosen', () => {
    const src = picture(64, 8, (x) => (x < 32 ? [1, 0, 0, 1] : [0.1, 0.3, 0.5, 1]))
    const depth = single(64, 8, (x) => (x < 32 ? 1 : 60))
    const made = tried('depth-mist', src, { colour: 'far', near: 0, far: 50, ceiling: 1 }, { depth })
    expect([...made.subarray(60 * 4, 61 * 4)]).toEqual(close([0.1, 0.3, 0.5, 1], 3))
  })
  test('mist that lies low is the exponential layer integrated along the line of sight', () => {
    const [a, b, ground, thins] = [3, 9, 1, 2.5]
    let sum = 0
    for (let i = 0; i < 1e4; i++) sum += Math.exp(-(a + ((i + 0.5) / 1e4) * (b - a) - ground) / thins) / 1e4
    expect(meanDensity(a, b, ground, thins)).toBeCloseTo(sum, 6)
    expect(meanDensity(b, a, ground, thins)).toBeCloseTo(sum, 6)
    expect(meanDensity(0, 0.5, ground, thins)).toBe(1)
    expect(meanDensity(4, 4, ground, thins)).toBeCloseTo(Math.exp(-3 / 2.5), 6)
  })
  test('uneven mist keeps its mean, and moves on with the frames', () => {
    const src = picture(160, 120, () => [0, 0, 0, 1])
    const depth = single(160, 120, () => 20)
    const dials = { ...own, profile: 'linear', near: 0, far: 50, noiseSize: 30, uneven: true }
    const made = (noise: number) => tried('depth-mist', src, { ...dials, noise }, { depth })
    const [even, uneven] = [made(0), made(0.5)]
    const mean = (data: Float32Array) =>
      data.filter((_, i) => i % 4 === 0).reduce((s, v) => s + v, 0) / (160 * 120)
    expect(mean(uneven)).toBeCloseTo(mean(even), 1)
    expect(Math.max(...uneven.filter((_, i) => i % 4 === 0))).toBeGreaterThan(0.5)
    expect(
      depthMist.varies({ uneven: true, noise: 0.5, noiseSpeed: 0.1, driftX: 0, driftY: 0 } as never),
    ).toBe(true)
    expect(
      depthMist.varies({ uneven: false, noise: 0.5, noiseSpeed: 0.1, driftX: 5, driftY: 0 } as never),
    ).toBe(false)
  })
  test('what is soft in mist takes no colour from what stands clear before it, and is soft within itself', () => {
    // Something red and clear before stripes that lie in mist.
    const stripes = (x: number) => (Math.floor(x / 4) % 2 === 0 ? 0.2 : 0.6)
    const src = picture(80, 12, (x) => (x < 40 ? [1, 0, 0, 1] : [0, stripes(x), stripes(x), 1]))
    const depth = single(80, 12, (x) => (x < 40 ? 1 : 60))
    const dials = {
      ...own,
      profile: 'linear',
      near: 5,
      far: 15,
      nearColour: [0, 0, 0],
      farColour: [0, 0, 0],
      ceiling: 0.5,
    }
    const [sharp, soft] = [0, 12].map((soften) =>
      tried('depth-mist', src, { ...dials, soften }, { depth }),
    ) as [Float32Array, Float32Array]
    const at = (data: Float32Array, x: number) => [...data.subarray((6 * 80 + x) * 4, (6 * 80 + x) * 4 + 4)]
    // Pixels at the edge itself have a share of both sides; all of the red would give 0.25 here.
    for (let x = 42; x < 80; x++) expect(at(soft, x)[0]).toBeLessThan(0.01)
    for (let x = 0; x < 39; x++) expect(at(soft, x)).toEqual(close([1, 0, 0, 1], 6))
    const contrast = (data: Float32Array) => Math.abs(at(data, 61)[1]! - at(data, 65)[1]!)
    expect(contrast(soft)).toBeLessThan(0.6 * contrast(sharp))
  })
})
