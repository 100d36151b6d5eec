import { describe, expect, test } from 'vitest'
import { joinModes } from '../kernels/join-modes.ts'
import { plainKernels } from '../kernels/plain-kernels.ts'
import { createLoneKernels } from '../kernels/wasm-kernels.ts'
import { plainPicture, plainStore, type Picture, type PictureStore } from '../picture/picture.ts'
import { rec709 } from '../colour/working.ts'
import bloom from './bloom.ts'
import { dialProblem, type DialValue } from '../dials/dials.ts'
import type { Effect } from './effect.ts'
import { defaultDials, effects, findEffect } from './registry.ts'
import { orderAdvice, recommendedSlot } from './suggest.ts'

const { kernels, store } = createLoneKernels(512)

function sample(width: number, height: number, fill: (x: number, y: number) => number[]): Picture {
  const picture = store.allocate(width, height, 4)
  for (let i = 0; i < width * height; i++) picture.data.set(fill(i % width, Math.floor(i / width)), i * 4)
  return picture
}

/** A depth for an effect that takes one: near on the left, far on the right, here and there nothing. */
function depthFor(effect: Effect, { width, height }: Picture, from: PictureStore): Record<string, Picture> {
  if (effect.feeds['depth'] === undefined) return {}
  const depth = from.allocate(width, height, 1)
  for (let i = 0; i < depth.data.length; i++)
    depth.data[i] = i % 13 === 5 ? 3.4e38 : 60 * ((i % width) / width) ** 1.37
  return { depth }
}

/** Runs an effect by its own code, with its defaults and what is given. */
function apply(
  effect: Effect,
  picture: Picture,
  dials: Record<string, DialValue> = {},
  feeds: Record<string, Picture> = depthFor(effect, picture, store),
): Picture {
  const out = store.allocate(picture.width, picture.height, 4)
  const { width, height } = picture
  const size = { width, height, frameWidth: width, frame: 1, rate: 24, reduction: 1 }
  const preparing = effect.prepare?.({ ...defaultDials(effect), ...dials } as never, size)
  const prepared = preparing?.make({ kernels, store })
  effect.apply({
    out,
    picture,
    feeds,
    dials: { ...defaultDials(effect), ...dials } as never,
    prepared,
    frame: 1,
    rate: 24,
    reduction: 1,
    kernels,
    store,
  })
  if (prepared) store.release(prepared)
  return out
}

const lively = (width: number, height: number) =>
  sample(width, height, (x, y) => [
    ((x * 7 + y * 3) % 11) / 3,
    ((x * y) % 5) / 2 - 0.2,
    x === 2 ? 0 : 0.3,
    [0, 0.5, 1][(x + y) % 3]!,
  ])

describe.each(effects.map((e) => [e.id, e] as const))('%s', (id, effect) => {
  test('says what it is: unique id, defaults that fit, a hint for every dial and feed', () => {
    expect(effects.filter((e) => e.id === id)).toHaveLength(1)
    expect(effect.purpose).toMatch(/\.$/)
    expect(effect.belongs.reason).toMatch(/\.$/)
    for (const [key, dial] of Object.entries(effect.dials)) {
      expect(dialProblem(dial, dial.default), key).toBeUndefined()
      expect(dial.hint.length, key).toBeGreaterThan(10)
      if (dial.type === 'number')
        expect(dial.range[0] >= dial.hard[0] && dial.range[1] <= dial.hard[1], key).toBe(true)
    }
    for (const { name, dials } of effect.starts)
      for (const [key, value] of Object.entries(dials))
        expect(dialProblem(effect.dials[key]!, value), `${name}: ${key}`).toBeUndefined()
    const profile = effect.profile?.(defaultDials(effect) as never)
    if (profile) {
      expect(profile.at(0)).toBeCloseTo(1, 6)
      for (let i = 1; i <= 20; i++)
        expect(profile.at((profile.reach * i) / 20)).toBeLessThan(profile.at((profile.reach * (i - 1)) / 20))
    }
    for (const feed of Object.values(effect.feeds)) expect(feed.hint.length).toBeGreaterThan(10)
  })
  test.each([
    [1, 1],
    [7, 5],
    [31, 2],
    [64, 37],
  ])('gives finite values and leaves its source alone at %i × %i', (width, height) => {
    const picture = lively(width, height)
    const before = picture.data.slice()
    const out = apply(effect, picture)
    expect(out.data.every(Number.isFinite)).toBe(true)
    expect(picture.data).toEqual(before)
    for (const p of [picture, out]) store.release(p)
  })
  test('gives the same picture by the plain kernels', () => {
    const picture = lively(23, 17)
    const plain = { ...plainPicture(23, 17), data: picture.data.slice() }
    const plainOut = plainPicture(23, 17)
    effect.apply({
      out: plainOut,
      picture: plain,
      feeds: depthFor(effect, plain, plainStore),
      dials: defaultDials(effect) as never,
      prepared: undefined,
      frame: 1,
      rate: 24,
      reduction: 1,
      kernels: plainKernels,
      store: plainStore,
    })
    const out = apply(effect, picture)
    out.data.forEach((v, i) => {
      expect(Math.abs(v - plainOut.data[i]!)).toBeLessThan(2e-4)
    })
    for (const p of [picture, out]) store.release(p)
  })
  test('gives back all scratch it takes', () => {
    const picture = lively(40, 30)
    const feeds = depthFor(effect, picture, store)
    const used = store.usedBytes
    store.release(apply(effect, picture, {}, feeds))
    expect(store.usedBytes).toBe(used)
    store.release(picture)
  })
})

describe('bloom', () => {
  const general = bloom as unknown as Effect
  const spot = (value: number) =>
    sample(161, 121, (x, y) =>
      Math.hypot(x - 80, y - 60) < 3 ? [value, value * 0.5, value * 0.25, 1] : [0, 0, 0, 1],
    )
  const energy = (p: Picture) =>
    p.data.reduce(
      (sum, _, i) => (i % 4 ? sum : sum + rec709.luminance(p.data[i]!, p.data[i + 1]!, p.data[i + 2]!)),
      0,
    )

  test('the energy of its light is proportional to its strength and, at threshold 0, that of the source', () => {
    const source = spot(4)
    const one = energy(apply(general, source, { threshold: 0, reach: 40 }))
    expect(one / energy(source)).toBeCloseTo(1, 2)
    expect(energy(apply(general, source, { threshold: 0, reach: 40, strength: 7 })) / one).toBeCloseTo(7, 4)
  })
  test('nothing below the threshold gives light; what exceeds it gives what exceeds it', () => {
    expect(energy(apply(general, spot(1), { threshold: 2, knee: 0 }))).toBe(0)
    const source = spot(4)
    const y = rec709.luminance(4, 2, 1)
    const passed = energy(apply(general, source, { threshold: 1, knee: 0, reach: 40 }))
    expect(passed / energy(source)).toBeCloseTo((y - 1) / y, 2)
  })
  test('a fed light takes the place of the picture, and light has no alpha of its own', () => {
    const black = spot(0)
    const out = apply(general, black, { threshold: 0, reach: 30 }, { light: spot(3) })
    expect(energy(out)).toBeGreaterThan(1)
    expect(out.data.every((v, i) => i % 4 !== 3 || v === 0)).toBe(true)
  })
  test('95 % of a narrow bloom’s light falls within its reach', () => {
    const source = sample(161, 121, (x, y) => (x === 80 && y === 60 ? [1, 1, 1, 1] : [0, 0, 0, 1]))
    const out = apply(general, source, { threshold: 0, reach: 40, tightness: 0 })
    let inside = 0
    out.data.forEach((v, i) => {
      if (i % 4 === 0 && Math.hypot(((i >> 2) % 161) - 80, Math.floor(i / 644) - 60) <= 40) inside += v
    })
    expect(inside).toBeGreaterThan(0.94)
  })
  test('a ceiling holds what single over-bright pixels give', () => {
    const firefly = sample(41, 41, (x, y) => (x === 20 && y === 20 ? [5000, 5000, 5000, 1] : [0, 0, 0, 1]))
    expect(energy(apply(general, firefly, { threshold: 0, ceiling: 10, reach: 10 }))).toBeCloseTo(10, 1)
  })
})

test('one stop of exposure doubles light and keeps cover (photography)', () => {
  const picture = sample(2, 1, () => [0.18, 0.1, 2, 0.5])
  expect(
    Array.from(
      apply(
        effects.find((e) => e.id === 'exposure')!,
        picture,
        { stops: 1 },
      ).data.slice(0, 4),
    ),
  ).toEqual([0.36, 0.2, 4, 0.5].map(Math.fround))
})

test('colour is recommended before light, light after colour', () => {
  const step = (effect: string, id: string) => ({ id, effect, on: true, amount: 1, dials: {}, feeds: {} })
  const exposure = effects.find((e) => e.id === 'exposure')!
  expect(recommendedSlot(exposure, [step('bloom', 'a')])).toBe(0)
  expect(
    recommendedSlot(bloom as unknown as Effect, [step('exposure', 'a'), step('channel-gains', 'b')]),
  ).toBe(2)
})

/** Colours and covers that files and steps can hold: none, denormal, tiny, negative, far above 1. */
const edgeValues = [0, 1e-45, 3e-39, 1e-30, 6e-8, 1e-4, 0.18, 1, 65504, 1e9, -1e-40, -0.5, -20] as const
const edgePicture = (shift: number) =>
  sample(13, 13, (x, y) => {
    const at = (k: number) => edgeValues[(x * k + y + shift) % edgeValues.length]!
    return [at(1), at(3), at(5), edgeValues[(y * 2 + x + shift) % edgeValues.length]!]
  })

describe('finite in, finite out: whatever alpha and colour', () => {
  const steep = {
    luminance: [
      [0, 0],
      [0.1, 0.9],
    ],
    red: [
      [0, 0],
      [0.05, 2],
    ],
  }
  test.each(effects.map((e) => [e.id, e] as const))('%s', (_, effect) => {
    for (const shift of [0, 4, 9])
      for (const dials of [
        {},
        effect.example ?? {},
        ...effect.starts.map((s) => s.dials),
        ...(effect.id === 'curves' ? [steep] : []),
      ]) {
        const out = apply(effect, edgePicture(shift), dials as Record<string, DialValue>)
        expect(out.data.findIndex((v) => !Number.isFinite(v))).toBe(-1)
        store.release(out)
      }
  })
  test.each(joinModes)('joined by %s', (mode) => {
    for (const shift of [0, 1, 5, 8]) {
      const out = store.allocate(13, 13, 4)
      const plain = plainPicture(13, 13, 4)
      const [below, top] = [edgePicture(shift), edgePicture(shift * 3 + 2)]
      kernels.join(out, below, top, undefined, mode, 0.7)
      expect(out.data.findIndex((v) => !Number.isFinite(v))).toBe(-1)
      plainKernels.join(plain, plainCopy(below), plainCopy(top), undefined, mode, 0.7)
      expect(plain.data.findIndex((v) => !Number.isFinite(v))).toBe(-1)
      for (const taken of [out, below, top]) store.release(taken)
    }
  })
})
const plainCopy = (p: Picture): Picture => ({ ...plainPicture(p.width, p.height, 4), data: p.data.slice() })

test('no copy in a lens takes light away', () => {
  const point = sample(96, 64, (x, y) =>
    Math.hypot(x - 20, y - 18) < 2 ? [4000, 900, 200, 1] : [0, 0, 0, 1],
  )
  for (const size of [2, 8, 30])
    for (const seed of [1, 2, 3, 4, 5]) {
      const out = apply(findEffect('lens-reflections')!, point, { size, seed, variety: 1, colourSpread: 1 })
      expect(out.data.reduce((least, v) => Math.min(least, v), 0)).toBe(0)
      store.release(out)
    }
})

test('what stands the wrong way round is said with its reason, and nothing else is', () => {
  const said = (...ids: string[]) =>
    orderAdvice(ids.map((effect, i) => ({ id: `${effect}${i}`, effect }))).map((a) => [a.step, a.before])
  expect(said('motion-blur', 'bloom')).toEqual([['bloom1', 'motion-blur0']])
  expect(said('bloom', 'motion-blur')).toEqual([])
  expect(said('grain', 'curves', 'star-glare')).toEqual([
    ['curves1', 'grain0'],
    ['star-glare2', 'grain0'],
  ])
  expect(said('lens-fringe', 'depth-mist')).toEqual([['depth-mist1', 'lens-fringe0']])
  // Placing, sharpening and what wavers may stand on both sides of light.
  expect(said('place', 'bloom', 'noise-warp', 'sharpen', 'matte-glow')).toEqual([])
  expect(said('bloom', 'depth-mist', 'motion-blur', 'lens-fringe', 'vignette', 'grain')).toEqual([])
  expect(
    orderAdvice([
      { id: 'a', effect: 'motion-blur' },
      { id: 'b', effect: 'light-rays' },
    ])[0]!.reason,
  ).toMatch(/smears/)
})
