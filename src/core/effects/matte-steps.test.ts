import { rec709 } from '../colour/working.ts'
import { converter } from 'culori'
import { describe, expect, test } from 'vitest'
import { plainKernels } from '../kernels/plain-kernels.ts'
import { hashUnit } from '../kernels/noise.ts'
import { cubeRoot, linearToOklab } from '../picture/oklab.ts'
import { plainPicture } from '../picture/picture.ts'
import type { DialValue } from '../dials/dials.ts'
import { kernels, picture, store, tried } from './try-effect.ts'

const alphas = (data: Float32Array) => Array.from({ length: data.length / 4 }, (_, i) => data[i * 4 + 3]!)
const sum = (values: readonly number[]) => values.reduce((a, b) => a + b, 0)

describe('OKLab', () => {
  test('is culori’s, also above display white; cube roots are exact', () => {
    const oklab = converter('oklab')
    for (let i = 0; i < 200; i++) {
      const [r, g, b] = [0, 1, 2].map((c) => hashUnit(3, 1, i, c) * (i % 4 === 0 ? 20 : 1)) as [
        number,
        number,
        number,
      ]
      const { l, a, b: bb } = oklab({ mode: 'lrgb', r, g, b })
      linearToOklab(rec709, r, g, b).forEach((v, k) => {
        expect(v).toBeCloseTo([l, a, bb][k]!, 6)
      })
    }
    for (const v of [1e-12, 0.001, 0.18, 1, 8, 27, 12345])
      expect(cubeRoot(v) / Math.cbrt(v)).toBeCloseTo(1, 12)
    expect(cubeRoot(-1)).toBe(0)
  })
})

describe('colour key', () => {
  test('in WebAssembly is its plain twin, odd sizes, alpha 0 and negative light included', () => {
    const src = picture(37, 11, (x, y) => {
      const alpha = [0, 0.5, 1][(x + y) % 3]!
      return [0, 1, 2].map((c) => (hashUnit(1, c, x, y) * 2 - 0.2) * alpha).concat(alpha)
    })
    const [fast, plain] = [store.allocate(37, 11, 1), plainPicture(37, 11, 1)]
    const picks = [
      { lab: linearToOklab(rec709, 0.6, 0.2, 0.3), isWanted: true },
      { lab: linearToOklab(rec709, 0.1, 0.9, 1.3), isWanted: true },
      { lab: linearToOklab(rec709, 0.5, 0.5, 0.5), isWanted: false },
    ]
    for (const key of [
      { reach: 0.1, soft: 0.3, lightness: 0.4 },
      { reach: 0.2, soft: 0, lightness: 1 },
    ]) {
      kernels.keyColour(fast, src, picks, key)
      plainKernels.keyColour(plain, src, picks, key)
      const unlike = fast.data.filter((v, i) => Math.abs(v - plain.data[i]!) > 1e-4).length
      // A hard edge may fall either way for a value on it.
      expect(unlike).toBeLessThan(key.soft > 0 ? 1 : 3)
      expect(Math.max(...fast.data)).toBeGreaterThan(0.4)
    }
  })
  test('what is left of an edge before a screen is the edge alone (Smith & Blinn 1996: C = F + (1 − a) · B), whatever its alpha', () => {
    const screen = [0.1, 0.7, 0.2] as const
    const cover = (x: number) => x / 16
    const front = (x: number, c: number) => [2.5, 0.02 * x, 0.3][c]!
    const alpha = (y: number) => [1, 0.5, 0][y]!
    const of = (c: number, x: number) => front(x, c) * cover(x) + screen[c]! * (1 - cover(x))
    const src = picture(17, 3, (x, y) => [0, 1, 2].map((c) => of(c, x) * alpha(y)).concat(alpha(y)))
    const key = store.allocate(17, 3, 1)
    for (let i = 0; i < 51; i++) key.data[i] = 1 - cover(i % 17)
    const out = store.allocate(17, 3, 4)
    kernels.takeColour(out, src, key, screen, 1)
    for (let i = 0; i < 51; i++) {
      const [x, y] = [i % 17, Math.floor(i / 17)]
      const wanted = [0, 1, 2].map((c) => front(x, c) * cover(x) * alpha(y)).concat(cover(x) * alpha(y))
      for (const [c, v] of wanted.entries()) expect(out.data[i * 4 + c], `${x} ${y} ${c}`).toBeCloseTo(v, 5)
    }
  })
  test('taking a colour out is its plain twin, below 0, above 1 and at alpha 0', () => {
    const src = picture(37, 11, (x, y) =>
      [0, 1, 2].map((c) => hashUnit(1, c, x, y) * 3 - 0.3).concat([-0.1, 0, 0.4, 1][(x + 2 * y) % 4]!),
    )
    const [key, fast] = [store.allocate(37, 11, 1), store.allocate(37, 11, 4)]
    for (let i = 0; i < key.data.length; i++) key.data[i] = [0, 0.2, 0.7, 1, 1.1][i % 5]!
    for (const [colour, spill] of [
      [[0.1, 0.7, 0.2], 0.6],
      [[0, 0.7, -0.1], 1],
      [[0, 0, 0], 0],
    ] as const) {
      const plain = plainPicture(37, 11, 4)
      kernels.takeColour(fast, src, key, colour, spill)
      plainKernels.takeColour(plain, src, key, colour, spill)
      for (const [i, v] of plain.data.entries()) expect(fast.data[i]).toBeCloseTo(v, 4)
    }
  })
  test('takes what was picked, adds further colours, leaves out what is not meant, light and dark alike on wish', () => {
    const colours = [
      [0.8, 0.1, 0.1],
      [0.1, 0.6, 0.1],
      [0.2, 0.025, 0.025],
      [0.77, 0.12, 0.1],
      [0.5, 0.5, 0.5],
    ] as const
    const src = picture(5, 1, (x) => [...colours[x]!, 1])
    const keyed = (picked: number[][], more: Record<string, DialValue> = {}) =>
      alphas(tried('colour-key', src, { picked, reach: 0.03, softness: 0, lightness: 1, ...more }))
    expect(keyed([])).toEqual([0, 0, 0, 0, 0])
    expect(keyed([[...colours[0], 1]])).toEqual([1, 0, 0, 1, 0])
    expect(
      keyed([
        [...colours[0], 1],
        [...colours[1], 1],
      ]),
    ).toEqual([1, 1, 0, 1, 0])
    expect(
      keyed(
        [
          [...colours[0], 1],
          [...colours[3], -1],
        ],
        { reach: 0.008 },
      ),
    ).toEqual([1, 0, 0, 0, 0])
    expect(keyed([[...colours[0], 1]], { lightness: 0, reach: 0.12 })).toEqual([1, 0, 1, 1, 0])
    expect(keyed([[...colours[0], 1]], { invert: true })).toEqual([0, 1, 1, 0, 1])
  })
})

describe('shaping', () => {
  const [size, radius] = [121, 25]
  const disc = picture(size, size, (x, y) => {
    const cover = Math.min(1, Math.max(0, radius + 0.5 - Math.hypot(x + 0.5 - 60.5, y + 0.5 - 60.5)))
    return [0.9 * cover, 0.3 * cover, 0.1 * cover, cover]
  })
  test.each([12, 4.5, -3, -10])(
    'a disc spread by %d px has the area of a disc of that radius within 1 %%',
    (spread) => {
      const out = tried('choke-spread', disc, { spread })
      expect(sum(alphas(out)) / (Math.PI * (radius + spread) ** 2)).toBeGreaterThan(0.99)
      expect(sum(alphas(out)) / (Math.PI * (radius + spread) ** 2)).toBeLessThan(1.01)
      // Its colour goes with it.
      const at = (60 * size + 60 + Math.round(radius + spread) - 3) * 4
      expect(out[at]! / out[at + 3]!).toBeCloseTo(0.9, 3)
    },
  )
  test('softening inwards never covers more, outwards never less; both sides keep the area', () => {
    const before = alphas(disc.data)
    const [inside, outside, both] = ['inside', 'outside', 'both'].map((side) =>
      alphas(tried('soften', disc, { softness: 10, side })),
    ) as [number[], number[], number[]]
    expect(inside.every((v, i) => v <= before[i]! + 1e-6)).toBe(true)
    expect(outside.every((v, i) => v >= before[i]! - 1e-6)).toBe(true)
    expect(sum(both) / sum(before)).toBeCloseTo(1, 3)
    expect(sum(outside)).toBeGreaterThan(1.15 * sum(before))
  })
  test('levels cut and stretch, combining joins, keeps or takes away', () => {
    const [a, b] = [
      [0, 0.25, 0.5, 0.75, 1],
      [1, 0.5, 0.5, 0, 0.25],
    ]
    const src = picture(5, 1, (x) => new Array<number>(4).fill(a[x]!))
    const other = store.allocate(5, 1, 1)
    other.data.set(b)
    expect(alphas(tried('levels', src, { black: 0.25, white: 0.75 }))).toEqual([0, 0, 0.5, 1, 1])
    const joined = (by: string) => alphas(tried('combine', src, { by }, { with: other }))
    expect(joined('union')).toEqual([1, 0.5, 0.5, 0.75, 1])
    expect(joined('intersect')).toEqual([0, 0.125, 0.25, 0, 0.25])
    expect(joined('subtract')).toEqual([0, 0.125, 0.25, 0.75, 0.75])
  })
})
