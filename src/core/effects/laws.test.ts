import { describe, expect, test } from 'vitest'
import { createLoneKernels } from '../kernels/wasm-kernels.ts'
import type { Picture } from '../picture/picture.ts'
import { defaultDials, findEffect } from './registry.ts'

// Each formula of the reference page, written down anew with plain numbers, against what the effect makes of awkward pixels.

const [width, height] = [23, 7]
const { kernels, store } = createLoneKernels(64)

/** Alpha 0 with light, tiny, whole and beyond; colour below 0, above 1 and far beyond. */
const alphas = [0, 2 ** -24, 0.001, 0.25, 0.5, 0.999, 1, 1]
const lights = [-0.5, 0, 1e-4, 0.18, 0.7, 1, 3.5, 400]
const random = (i: number, salt: number) => {
  const v = Math.sin(i * 12.9898 + salt * 78.233) * 43758.5453
  return v - Math.floor(v)
}
function awkward(): Picture {
  const picture = store.allocate(width, height, 4)
  for (let i = 0; i < width * height; i++) {
    const alpha = alphas[Math.floor(random(i, 1) * alphas.length)]!
    for (let c = 0; c < 3; c++)
      picture.data[i * 4 + c] =
        lights[Math.floor(random(i, c + 2) * lights.length)]! * (alpha > 0.1 ? alpha : 1)
    picture.data[i * 4 + 3] = alpha
  }
  return picture
}
const src = awkward()
const fedMatte = store.allocate(width, height, 1)
fedMatte.data.forEach((_, i) => (fedMatte.data[i] = [0, 0.3, 1, 0.8][i % 4]!))
const fedDepth = store.allocate(width, height, 1)
fedDepth.data.forEach((_, i) => (fedDepth.data[i] = [0, 4.5, 5, 12, 19.9, 21, 3e38][i % 7]!))

type Rgba = readonly [number, number, number, number]
const luma = (r: number, g: number, b: number) => 0.2126 * r + 0.7152 * g + 0.0722 * b
const clamp01 = (v: number) => Math.min(1, Math.max(0, v))
const leastAlpha = 2 ** -24

/** What the effect makes, and what the formula says, of every pixel: within a 10,000th of their size. */
function holds(
  id: string,
  dials: Record<string, unknown>,
  formula: (p: Rgba, i: number) => readonly number[],
  feeds: Record<string, Picture> = {},
): void {
  const effect = findEffect(id)!
  const out = store.allocate(width, height, 4)
  effect.apply({
    out,
    picture: src,
    feeds,
    dials: { ...defaultDials(effect, src), ...dials } as never,
    frame: 1,
    rate: 24,
    prepared: undefined,
    reduction: 1,
    kernels,
    store,
  })
  for (let i = 0; i < width * height; i++) {
    const p = [...src.data.subarray(i * 4, i * 4 + 4)] as unknown as Rgba
    const wanted = formula(p, i)
    wanted.forEach((v, c) => {
      const made = out.data[i * 4 + c]!
      const size = Math.max(Math.abs(v), ...p.map(Math.abs), 1e-2)
      expect(
        Math.abs(made - v) / size,
        `${id} ${JSON.stringify(dials)}: pixel ${i} [${p.join(', ')}], channel ${c}: ${made}, formula ${v}`,
      ).toBeLessThan(2e-4)
    })
  }
  store.release(out)
}

describe('the formula of', () => {
  test('exposure, opacity and channel gains', () => {
    holds('exposure', { stops: -1.5 }, ([r, g, b, a]) => [r, g, b].map((v) => v * 2 ** -1.5).concat(a))
    holds('opacity', { opacity: 0.3 }, (p) => p.map((v) => v * 0.3))
    const [hue, saturation, value] = [70, 0.4, 1.3]
    // A turn about the grey axis, by the rotation formula of vectors: v cos + (k × v) sin + k (k · v)(1 − cos).
    const turned = (v: readonly number[]) => {
      const [cos, sin] = [Math.cos((hue * Math.PI) / 180), Math.sin((hue * Math.PI) / 180)]
      const k = 1 / Math.sqrt(3)
      const cross = [v[2]! - v[1]!, v[0]! - v[2]!, v[1]! - v[0]!].map((x) => x * k)
      const along = (v[0]! + v[1]! + v[2]!) * k * k
      return v.map((x, c) => x * cos + cross[c]! * sin + along * (1 - cos))
    }
    holds(
      'channel-gains',
      { red: 1.2, green: 0.5, blue: 2, alpha: 0.6, hue, saturation, value },
      ([r, g, b, a]) => {
        const h = turned([r, g, b])
        const y = luma(h[0]!, h[1]!, h[2]!)
        return [1.2, 0.5, 2].map((gain, c) => gain * value * (y + saturation * (h[c]! - y))).concat(a * 0.6)
      },
    )
  })
  test('tint, with and without its light kept', () => {
    for (const keep of [true, false])
      holds('tint', { colour: [0.9, 0.5, 0.1], wash: 0.35, keep }, ([r, g, b, a]) => {
        const [y, gain] = [luma(r, g, b), keep ? 1 / luma(0.9, 0.5, 0.1) : 1]
        return [0.9, 0.5, 0.1].map((v, c) => gain * v * (0.35 * y + 0.65 * [r, g, b][c]!)).concat(a)
      })
  })
  test('invert', () => {
    holds('invert', { what: 'colour' }, ([r, g, b, a]) => [a - r, a - g, a - b, a])
    holds('invert', { what: 'alpha' }, ([, , , a]) => [1 - a, 1 - a, 1 - a, 1 - a])
    holds('invert', { what: 'both' }, ([r, g, b, a]) =>
      [r, g, b].map((v) => (1 - (a > leastAlpha ? v / a : 0)) * (1 - a)).concat(1 - a),
    )
  })
  test('clamp', () => {
    for (const [low, high] of [
      [0.1, 2],
      [2, 0.1],
      [-0.2, 0.5],
    ] as const)
      for (const alpha of [true, false]) {
        const [from, to] = [Math.min(low, high), Math.max(low, high)]
        holds('clamp', { low, high, alpha }, ([r, g, b, a]) => {
          const cover = alpha ? clamp01(a) : a
          const lit = (v: number) => Math.min(to, Math.max(Math.min(from, 0), v))
          return [r, g, b]
            .map((v) => (a > leastAlpha ? Math.min(to, Math.max(from, v / a)) * cover : lit(v)))
            .concat(cover)
        })
      }
  })
  test('luminance key, depth matte and matte from', () => {
    const rise = (x: number, soft: number) => (x >= 0 ? 1 : soft > 0 ? Math.max(0, 1 + x / soft) : 0)
    const white = (v: number) => [v, v, v, v]
    holds('luminance-key', { low: 0.3, high: 2, softLow: 0.25, softHigh: 1.5 }, ([r, g, b, a]) => {
      const y = luma(r, g, b) / (a > leastAlpha ? a : 1)
      return white(rise(y - 0.3, 0.25) * rise(2 - y, 1.5) * (a > leastAlpha ? Math.min(1, a) : 1))
    })
    const depths = { near: 5, far: 20, softness: 2, black: 0.2, white: 0.9, gamma: 2, invert: true }
    holds(
      'depth-matte',
      depths,
      (_, i) => {
        const d = fedDepth.data[i]!
        return white(1 - clamp01((rise(d - 5, 2) * rise(20 - d, 2) - 0.2) / 0.7) ** 0.5)
      },
      { depth: fedDepth },
    )
    holds('matte-from', { of: 'luminance' }, ([r, g, b]) => white(clamp01(luma(r, g, b))))
    holds('matte-from', { invert: true }, (_, i) => white(1 - fedMatte.data[i]!), { shape: fedMatte })
  })
  test('levels and combine: the cover, and colour that follows it', () => {
    let [sum, all] = [[0, 0, 0], 0]
    for (let i = 0; i < src.data.length; i += 4) {
      sum = sum.map((v, c) => v + src.data[i + c]!)
      all += src.data[i + 3]!
    }
    const covered = ([r, g, b, a]: Rgba, next: number) =>
      [r, g, b].map((v, c) => (a > 1 / 512 ? (v / a) * next : (sum[c]! / all) * next)).concat(next)
    holds('levels', { black: 0.2, white: 0.8, gamma: 1.5, invert: false }, (p) =>
      covered(p, clamp01((clamp01(p[3]) - 0.2) / 0.6) ** (1 / 1.5)),
    )
    const joined = {
      union: Math.max,
      intersect: (a: number, b: number) => a * b,
      subtract: (a: number, b: number) => a * (1 - b),
    }
    for (const [by, of] of Object.entries(joined))
      holds('combine', { by }, (p, i) => covered(p, of(clamp01(p[3]), fedMatte.data[i]!)), { with: fedMatte })
  })
  test('gradient map: a straight way through stops of light, alpha kept', () => {
    // A gradient of two colours is a straight line between them, so its ends and its middle are known without any code.
    const grey = (y: number) => {
      const picture = store.allocate(1, 1, 4)
      picture.data.set([y / 2, y / 2, y / 2, 0.5])
      const effect = findEffect('gradient-map')!
      const out = store.allocate(1, 1, 4)
      const dials = {
        ...defaultDials(effect, src),
        gradient: [
          [0, 0, 0, 0],
          [1, 1, 0.5, 0],
        ],
        dark: -4,
        bright: 4,
      }
      effect.apply({
        out,
        picture,
        feeds: {},
        dials: dials as never,
        frame: 1,
        rate: 24,
        prepared: undefined,
        reduction: 1,
        kernels,
        store,
      })
      return [...out.data]
    }
    const close = (v: number) => expect.closeTo(v, 3) as number
    expect(grey(0.18 * 2 ** 6)).toEqual([0.5, 0.25, 0, 0.5].map(close))
    expect(grey(0.18 * 2 ** -6)).toEqual([0, 0, 0, 0.5].map(close))
    expect(grey(0.18)[1]! / grey(0.18)[0]!).toBeCloseTo(0.5, 3)
    expect(grey(0.18)[3]).toBe(0.5)
  })
})
