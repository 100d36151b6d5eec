import { describe, expect, test } from 'vitest'
import { createLoneKernels } from '../kernels/wasm-kernels.ts'
import { rec709 } from '../colour/working.ts'
import type { Picture } from '../picture/picture.ts'
import type { DialValue } from '../dials/dials.ts'
import { effects, defaultDials, findEffect } from './registry.ts'
import { spikeCount } from './star-glare.ts'

// What all effects that give light have to keep to.

const { kernels, store } = createLoneKernels(1024)

const picture = (
  width: number,
  height: number,
  fill: (x: number, y: number) => readonly number[],
  channels: 1 | 4 = 4,
) => {
  const made = store.allocate(width, height, channels)
  for (let i = 0; i < width * height; i++)
    made.data.set(fill(i % width, Math.floor(i / width)).slice(0, channels), i * channels)
  return made
}

/** The light an effect gives; dials in pixels of a frame that is `reduction` times larger. */
function lightOf(
  id: string,
  src: Picture,
  dials: Record<string, DialValue>,
  feeds: Record<string, Picture> = {},
  reduction = 1,
): Picture {
  const effect = findEffect(id)!
  const { width, height } = src
  const all = { ...defaultDials(effect, { width: width * reduction, height: height * reduction }), ...dials }
  const scaled = Object.fromEntries(
    Object.entries(effect.dials).map(([key, dial]) => {
      const value = all[key]!
      if (dial.type === 'number' && dial.unit === 'px') return [key, (value as number) / reduction]
      return [key, dial.type === 'point' ? (value as number[]).map((v) => v / reduction) : value]
    }),
  ) as never
  const prepared = effect.prepare?.(scaled, {
    width,
    height,
    frameWidth: width,
    frame: 1,
    rate: 24,
    reduction: 1,
  })
  const out = store.allocate(width, height, 4)
  const made = prepared?.make({ kernels, store })
  effect.apply({
    out,
    picture: src,
    feeds,
    dials: scaled,
    frame: 1,
    rate: 24,
    prepared: made,
    reduction,
    kernels,
    store,
  })
  if (made) store.release(made)
  return out
}

const energy = ({ data }: Picture) => {
  let sum = 0
  for (let i = 0; i < data.length; i += 4) sum += rec709.luminance(data[i]!, data[i + 1]!, data[i + 2]!)
  return sum
}
const peak = ({ data }: Picture) => data.reduce((most, v, i) => (i % 4 < 3 ? Math.max(most, v) : most), 0)
const point = (width: number, height: number, value: number, at = [width >> 1, height >> 1]) =>
  picture(width, height, (x, y) => (x === at[0] && y === at[1] ? [value, value, value, 1] : [0, 0, 0, 1]))

const lightEffects = effects.filter((e) => e.kind === 'light').map((e) => e.id)
test('the effects of light are these', () => {
  expect(lightEffects.toSorted()).toEqual([
    'afterglow',
    'bloom',
    'cast-light',
    'lens-reflections',
    'light-rays',
    'matte-glow',
    'matte-light',
    'star-glare',
  ])
})

// Lamps take their light from nothing in the picture; they have tests of their own.
describe.each(lightEffects.filter((id) => id !== 'cast-light'))('%s', (id) => {
  const lights = (w: number, h: number) =>
    picture(w, h, (x, y) => {
      const inside =
        Math.hypot(x - w * 0.4, y - h * 0.35) < h / 9 || Math.hypot(x - w * 0.7, y - h * 0.6) < h / 14
      return inside ? [5, 3, 1, 1] : [0.05, 0.05, 0.1, 0]
    })
  test('its light is proportional to its strength, without an upper end', () => {
    const src = lights(96, 64)
    const [one, many] = [1, 250].map((strength) => energy(lightOf(id, src, { strength }))) as [number, number]
    expect(one).toBeGreaterThan(0)
    expect(many / one).toBeCloseTo(250, 1)
  })
  test('has no cover of its own, and is never negative beyond rounding', () => {
    const out = lightOf(id, lights(96, 64), {})
    const [most, floor] = [peak(out), out.data.reduce((a, b) => Math.min(a, b), 0)]
    expect(out.data.every((v, i) => i % 4 !== 3 || v === 0)).toBe(true)
    // Cubic enlarging of soft copies may undershoot a little.
    expect(floor).toBeGreaterThan(-0.01 * most)
  })
  test('a proxy looks like the full picture, within 2 % of the peak', () => {
    const full = lights(384, 256)
    const half = store.allocate(192, 128, 4)
    kernels.boxReduce(half, full, 2)
    // Without a threshold: what passes one differs at edges of lights when they are averaged.
    const dials = { threshold: 0, softness: 3, size: 30, radius: 40 }
    const [whole, proxy] = [lightOf(id, full, dials), lightOf(id, half, dials, {}, 2)]
    const reduced = store.allocate(192, 128, 4)
    kernels.boxReduce(reduced, whole, 2)
    let sum = 0
    reduced.data.forEach((v, i) => {
      sum += (v - proxy.data[i]!) ** 2
    })
    expect(Math.sqrt(sum / (reduced.data.length * 0.75)) / peak(reduced)).toBeLessThan(0.02)
  })
  test('nothing comes of nothing: black, a threshold above everything, an empty matte', () => {
    const black = picture(48, 32, () => [0, 0, 0, 0])
    const empty = picture(48, 32, () => [0], 1)
    expect(peak(lightOf(id, black, {}))).toBe(0)
    if (id.startsWith('matte-')) expect(peak(lightOf(id, lights(48, 32), {}, { shape: empty }))).toBe(0)
    else expect(peak(lightOf(id, lights(48, 32), { threshold: 1e6 }))).toBe(0)
  })
  test('extremes give finite pictures: lengths of 0 and beyond the frame, origins far away, one pixel', () => {
    for (const size of [0, 1e-3, 20000])
      for (const [w, h] of [
        [1, 1],
        [9, 4],
      ] as const)
        for (const far of [-1e9, 0, 1e9]) {
          const src = lights(w, h)
          const dials = { length: size, reach: Math.max(0.1, size), radius: size, size: Math.min(4000, size) }
          const out = lightOf(id, src, { ...dials, origin: [far, 0.5], middle: [far, 3] })
          expect(out.data.every(Number.isFinite)).toBe(true)
          for (const p of [src, out]) store.release(p)
        }
  })
})

describe('bloom', () => {
  test.each(['soft', 'eye'])('by the %s profile keeps the energy of its light within 0.5 %%', (profile) => {
    const src = point(401, 301, 50)
    const dials = { profile, threshold: 0, ceiling: 1e9, reach: 60, field: 100 }
    expect(Math.abs(energy(lightOf('bloom', src, dials)) / energy(src) - 1)).toBeLessThan(0.005)
  })
  test('is symmetric within float error', () => {
    // Even sides and a light over the middle four pixels, so that pyramid and picture have one middle.
    const src = picture(256, 256, (x, y) => {
      const isLit = x >= 127 && x <= 128 && y >= 127 && y <= 128
      return isLit ? [9, 9, 9, 1] : [0, 0, 0, 1]
    })
    const { data } = lightOf('bloom', src, { threshold: 0, reach: 50 })
    const most = Math.max(...Array.from({ length: 256 }, (_, i) => data[(127 * 256 + i) * 4]!))
    for (let y = 0; y < 128; y++)
      for (let x = 0; x < 128; x++) {
        const at = (sx: number, sy: number) => data[(sy * 256 + sx) * 4]!
        for (const other of [at(255 - x, y), at(x, 255 - y), at(y, x)])
          expect(Math.abs(other - at(x, y))).toBeLessThan(1e-5 * most)
      }
  })
  test('a single bright pixel that moves flickers by less than 2 %', () => {
    // Brightness of the glow beside it, frame to frame, as the light crosses the pyramid's pixels one by one.
    const seen = Array.from({ length: 24 }, (_, i) => {
      const src = point(160, 96, 100, [60 + i, 40])
      const { data } = lightOf('bloom', src, { threshold: 1, reach: 40 })
      const values = [
        [0, 0],
        [6, 0],
        [-14, 3],
      ].map(([dx, dy]) => data[((40 + dy!) * 160 + 60 + i + dx!) * 4]!)
      store.release(src)
      return values
    })
    const worst = [0, 1, 2].map((spot) =>
      Math.max(...seen.slice(1).map((now, i) => Math.abs(now[spot]! / seen[i]![spot]! - 1))),
    )
    expect(Math.max(...worst)).toBeLessThan(0.02)
  })
  test('falls without steps: no banding in 16 bits', () => {
    const { data } = lightOf('bloom', point(512, 64, 3000), { threshold: 0, ceiling: 1e9, reach: 300 })
    const codes = Array.from({ length: 200 }, (_, i) => data[(32 * 512 + 266 + i) * 4]! * 65535)
    // Each pixel is darker than the one before, and the fall itself changes smoothly.
    for (let i = 2; i < codes.length; i++) {
      expect(codes[i]!).toBeLessThan(codes[i - 1]!)
      const bend = codes[i]! - 2 * codes[i - 1]! + codes[i - 2]!
      expect(Math.abs(bend)).toBeLessThan(Math.max(1, 0.06 * codes[i]!))
    }
  })
  test('of the brightest channel catches a deep blue that luminance does not', () => {
    const src = picture(64, 48, (x, y) => (Math.hypot(x - 32, y - 24) < 5 ? [0, 0, 3, 1] : [0, 0, 0, 1]))
    expect(energy(lightOf('bloom', src, { threshold: 1, knee: 0 }))).toBe(0)
    expect(energy(lightOf('bloom', src, { threshold: 1, knee: 0, measure: 'channel' }))).toBeGreaterThan(1)
  })
  test('spreads alike before and after a blur while nothing is held back (common practice: hardly any difference)', () => {
    const blur = (src: Picture) => {
      const out = store.allocate(src.width, src.height, 4)
      const effect = findEffect('blur')!
      const dials = { ...defaultDials(effect), radius: 6 } as never
      effect.apply({
        out,
        picture: src,
        feeds: {},
        dials,
        frame: 1,
        rate: 24,
        prepared: undefined,
        reduction: 1,
        kernels,
        store,
      })
      return out
    }
    const src = point(160, 120, 10)
    const dials = { threshold: 0, ceiling: 1e9, reach: 40 }
    const [a, b] = [blur(lightOf('bloom', src, dials)), lightOf('bloom', blur(src), dials)]
    const worst = a.data.reduce((most, v, i) => Math.max(most, Math.abs(v - b.data[i]!)), 0)
    expect(worst).toBeLessThan(0.01 * peak(a))
  })
})

describe('star glare', () => {
  test('an aperture of n blades gives n spikes for even n, 2n for odd n (diffraction optics)', () => {
    expect([5, 6, 7, 8].map((n) => spikeCount('blades', n))).toEqual([10, 6, 14, 8])
    expect(spikeCount('count', 5)).toBe(5)
    // Counted on the picture: maxima on a circle around a point of light.
    for (const [from, n, wanted] of [
      ['blades', 5, 10],
      ['blades', 6, 6],
      ['count', 3, 3],
    ] as const) {
      const out = lightOf('star-glare', point(201, 201, 100), {
        from,
        number: n,
        turn: 7,
        length: 90,
        uneven: 0,
        softness: 2,
      })
      const ring = Array.from({ length: 720 }, (_, i) => {
        const angle = (i * Math.PI) / 360
        const [x, y] = [Math.round(100 + 40 * Math.cos(angle)), Math.round(100 + 40 * Math.sin(angle))]
        return out.data[(y * 201 + x) * 4]!
      })
      const level = Math.max(...ring) / 2
      expect(
        ring.filter((v, i) => v > level && ring.at(i - 1)! <= level),
        `${from} ${n}`,
      ).toHaveLength(wanted)
    }
  })
})

describe('matte glow', () => {
  const disc = (w: number, h: number, r: number) =>
    picture(w, h, (x, y) => {
      const cover = Math.min(1, Math.max(0, r + 0.5 - Math.hypot(x - w / 2 + 0.5, y - h / 2 + 0.5)))
      return [cover, cover * 0.5, 0, cover]
    })
  test('lies outside, inside, or on both sides of its shape', () => {
    const src = disc(120, 120, 30)
    const at = ({ data }: Picture, x: number) => data[(60 * 120 + x) * 4]!
    const [outside, inside, both] = ['outside', 'inside', 'both'].map((side) =>
      lightOf('matte-glow', src, { side, radius: 24 }),
    ) as [Picture, Picture, Picture]
    expect(at(outside, 97)).toBeGreaterThan(0.02)
    expect(at(outside, 60)).toBeLessThan(1e-6)
    expect(at(inside, 97)).toBe(0)
    expect(at(inside, 87)).toBeGreaterThan(0.05)
    expect(at(inside, 87)).toBeGreaterThan(at(inside, 70))
    for (const x of [60, 87, 97]) expect(at(both, x)).toBeCloseTo(at(outside, x) + at(inside, x), 5)
  })
  test('joins the shape without a dark or bright fringe', () => {
    const src = disc(120, 120, 30)
    const glow = lightOf('matte-glow', src, { radius: 30, strength: 1 })
    // From the middle outwards the picture with its glow only falls.
    const lit = Array.from(
      { length: 50 },
      (_, i) => src.data[(60 * 120 + 62 + i) * 4]! + glow.data[(60 * 120 + 62 + i) * 4]!,
    )
    for (let i = 1; i < lit.length; i++) expect(lit[i]!).toBeLessThanOrEqual(lit[i - 1]! + 1e-4)
  })
  test('takes its colour from the picture or has its own; along an angle it runs one way', () => {
    const src = disc(120, 120, 12)
    const own = lightOf('matte-glow', src, { colour: 'own', tint: [0, 0, 1] })
    expect([0, 1].map((c) => Math.max(...own.data.filter((_, i) => i % 4 === c)))).toEqual([0, 0])
    const down = lightOf('matte-glow', src, { spread: 'angle', angle: 90, radius: 40 })
    expect(down.data[(90 * 120 + 60) * 4]!).toBeGreaterThan(0.01)
    expect(down.data[(30 * 120 + 60) * 4]!).toBe(0)
    expect(down.data[(90 * 120 + 60) * 4 + 1]! / down.data[(90 * 120 + 60) * 4]!).toBeCloseTo(0.5, 2)
  })
})

test('lens reflections lie across the middle from their light, on one line with it', () => {
  const src = point(240, 160, 500, [60, 50])
  const out = lightOf('lens-reflections', src, {
    threshold: 0,
    count: 1,
    spread: 1,
    size: 8,
    variety: 0,
    colourSpread: 0,
    tint: [1, 1, 1],
  })
  let [sum, x, y] = [0, 0, 0]
  for (let i = 0; i < out.data.length; i += 4) {
    const [v, p] = [out.data[i]!, i >> 2]
    ;[sum, x, y] = [sum + v, x + v * ((p % 240) + 0.5), y + v * (Math.floor(p / 240) + 0.5)]
  }
  const [dx, dy] = [x / sum - 120, y / sum - 80]
  // One copy stands at −0.3 of the light's place about the middle.
  expect(dx).toBeCloseTo(-0.3 * (60.5 - 120), 0)
  expect(dy).toBeCloseTo(-0.3 * (50.5 - 80), 0)
})
