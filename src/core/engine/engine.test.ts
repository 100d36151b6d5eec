import { rec709 } from '../colour/working.ts'
import { describe, expect, test } from 'vitest'
import { addLane, addStep, editLane, editStep, emptyComp, setFeed } from '../comp/edits.ts'
import { putDial } from '../comp/settings.ts'
import type { MediaTable } from '../comp/media.ts'
import { dependentsOf, findLoop } from '../comp/references.ts'
import { dropLane, joinBus } from '../comp/buses.ts'
import { joinModes } from '../kernels/join-modes.ts'
import type { Comp } from '../comp/schema.ts'
import type { PassBlock } from '../formats/pass-block.ts'
import { reducePass } from '../formats/reduce-pass.ts'
import { passFilter } from '../passes/passes.ts'
import { decodePassBlock, encodePassBlock } from '../formats/pass-block.ts'
import { createLoneKernels } from '../kernels/wasm-kernels.ts'
import { Cancelled } from '../cancelled.ts'
import { Evaluator, type LoadPass } from './evaluator.ts'
import { luminanceHistogram, shareAbove } from './histogram.ts'
import { displayViewed } from './viewed.ts'
import { plan } from './plan/plan.ts'
import type { StoredPassRef } from './small-passes.ts'
import type { Target } from './plan/plan-targets.ts'
import type { Reduction } from './work-area.ts'
import { plainPicture } from '../picture/picture.ts'

const [width, height] = [36, 20]
const pixel = (x: number, y: number) => [x / 10, y / 10, ((x * y) % 7) / 3, (x + y) % 3 ? 1 : 0.5]
const block = (channels: number, value: (x: number, y: number) => number[]): PassBlock => {
  const data = new Float32Array(width * height * channels)
  for (let i = 0; i < width * height; i++)
    data.set(value(i % width, Math.floor(i / width)).slice(0, channels), i * channels)
  return { width, height, x: 0, y: 0, channels, data }
}
const blocks: Record<string, PassBlock> = {
  beauty: block(4, pixel),
  emission: block(3, (x, y) => (x > 15 && x < 19 && y > 8 && y < 12 ? [6, 3, 1] : [0, 0, 0])),
  depth: block(1, (x) => [x < 18 ? 5 : Infinity]),
  mask: block(1, (x) => [x < 18 ? 1 : 0]),
}
const media: MediaTable = {
  m1: {
    name: 'cave',
    frames: { 1: 'a'.repeat(64) },
    passes: [
      { name: 'beauty', kind: 'colour', channels: ['R', 'G', 'B', 'A'], type: 'float' },
      { name: 'emission', kind: 'light', channels: ['R', 'G', 'B'], type: 'float' },
      { name: 'depth', kind: 'depth', channels: ['Z'], type: 'float' },
      { name: 'mask', kind: 'matte', channels: ['Y'], type: 'float' },
    ],
  },
}
/** As a server gives it: the pass at the size that is asked for. */
const sized = (
  block: PassBlock,
  { pass, reduction }: StoredPassRef,
  frame: { width: number; height: number },
) => Promise.resolve(reduction === 1 ? block : reducePass(block, passFilter(pass), reduction, frame))
const load: LoadPass = (ref) => sized(blocks[ref.pass.name]!, ref, { width, height })
const source = (pass: string) => ({ type: 'pass', media: 'm1', pass }) as const
const newEvaluator = (budget = 2 ** 28) => {
  const { kernels, store } = createLoneKernels(512)
  return { store, evaluator: new Evaluator({ kernels, store }, load, budget) }
}

async function compute(
  comp: Comp,
  {
    target = { type: 'picture' },
    reduction = 1,
    evaluator = newEvaluator().evaluator,
  }: { target?: Target; reduction?: Reduction; evaluator?: Evaluator } = {},
) {
  const { node, area, problems } = plan(comp, media, 1, reduction, target)
  await evaluator.load(comp, node)
  return { data: Array.from(evaluator.evaluate(node).data), area, problems }
}
const cave = () => addLane(emptyComp(width, height), 'Cave', source('beauty'))

test('one lane over nothing is its source', async () => {
  const { data, problems } = await compute(cave())
  expect(data).toEqual(Array.from(blocks['beauty']!.data))
  expect(problems).toEqual([])
})

test('off, amount 0 and an empty matte each leave the picture as it was; mute is as good as absent', async () => {
  const [comp, id] = addStep(cave(), 'lane1', 0, 'exposure')
  const bright = putDial(comp, id, 'stops', 2)
  const plainData = (await compute(cave())).data
  for (const same of [
    editStep(bright, id, (s) => {
      s.on = false
    }),
    editStep(bright, id, (s) => {
      s.amount = 0
    }),
    putDial(bright, id, 'stops', 0),
    editLane(addLane(cave(), 'Front', source('emission')), 'lane2', (l) => {
      l.muted = true
    }),
  ])
    expect((await compute(same)).data).toEqual(plainData)
})

test('a step acts by out = in + amount · matte · (effect(in) − in)', async () => {
  const [comp, id] = addStep(cave(), 'lane1', 0, 'exposure')
  let stepped = editStep(putDial(comp, id, 'stops', 1), id, (s) => {
    s.amount = 0.25
  })
  stepped = setFeed(stepped, id, 'matte', { from: source('mask'), invert: true })
  const before = Array.from(blocks['beauty']!.data)
  const { data } = await compute(stepped)
  data.forEach((v, i) => {
    const acts = i % 4 !== 3 && (i >> 2) % width >= 18
    expect(v).toBeCloseTo(before[i]! * (acts ? 1.25 : 1), 5)
  })
})

test('light alone is the light; the picture is light and picture, with alpha min(1, α + Y of the light) (common practice)', async () => {
  const [comp, id] = addStep(cave(), 'lane1', 0, 'bloom')
  const lit = setFeed(putDial(putDial(comp, id, 'threshold', 0), id, 'reach', 12), id, 'light', {
    from: source('emission'),
  })
  const light = (await compute(lit, { target: { type: 'light', step: id } })).data
  const sum = (await compute(lit)).data
  expect(Math.max(...light)).toBeGreaterThan(0.1)
  blocks['beauty']!.data.forEach((v, i) => {
    const y = 0.2126 * light[i & ~3]! + 0.7152 * light[(i & ~3) + 1]! + 0.0722 * light[(i & ~3) + 2]!
    expect(sum[i]).toBeCloseTo(i % 4 === 3 ? Math.min(1, v + y) : v + light[i]!, 5)
  })
})

test('a tap follows the lane it copies, at the point it copies', async () => {
  const [comp, id] = addStep(cave(), 'lane1', 0, 'exposure')
  const tapped = editLane(
    addLane(putDial(comp, id, 'stops', 1), 'Copy', { type: 'tap', lane: 'lane1', after: 'source' }),
    'lane1',
    (l) => {
      l.muted = true
    },
  )
  expect((await compute(tapped)).data).toEqual(Array.from(blocks['beauty']!.data))
  const atEnd = editLane(tapped, 'lane2', (l) => {
    l.source = { type: 'tap', lane: 'lane1' }
  })
  expect((await compute(atEnd)).data[0 + 4]).toBeCloseTo(2 * blocks['beauty']!.data[4]!, 6)
})

test('a loop is refused by naming its lanes, and the rest still renders', async () => {
  let comp = addLane(cave(), 'A', { type: 'tap', lane: 'lane3' })
  comp = addLane(comp, 'B', { type: 'tap', lane: 'lane2' })
  const { data, problems } = await compute(comp)
  expect(problems[0]?.message).toMatch(/A → B → A|B → A → B/)
  expect(data).toEqual(Array.from(blocks['beauty']!.data))
})

test('what is unknown or missing is reported at its place and left out', async () => {
  const [comp, id] = addStep(
    addLane(cave(), 'Gone', { type: 'pass', media: 'm9', pass: 'beauty' }),
    'lane1',
    0,
    'exposure',
  )
  const { data, problems } = await compute(
    editStep(comp, id, (s) => {
      s.effect = 'from-the-future'
    }),
  )
  expect(problems.map((p) => [p.laneId, p.stepId])).toEqual([
    ['lane1', id],
    ['lane2', undefined],
  ])
  expect(data).toEqual(Array.from(blocks['beauty']!.data))
})

test('after a change only what follows it is computed again, and the cache never changes a result', async () => {
  const { evaluator } = newEvaluator()
  let [comp, exposure] = addStep(cave(), 'lane1', 0, 'exposure')
  const [both, gains] = addStep(putDial(comp, exposure, 'stops', 1), 'lane1', 1, 'channel-gains')
  comp = putDial(both, gains, 'red', 0.5)
  await compute(comp, { evaluator })
  const before = evaluator.computed
  const changed = putDial(comp, gains, 'red', 0.25)
  const cached = await compute(changed, { evaluator })
  // The step and the join; not the exposure before it.
  expect(evaluator.computed - before).toBe(2)
  expect(cached.data).toEqual((await compute(changed)).data)
})

test('light is taken only from within a matte, from a fed pass as from the own picture', async () => {
  const [comp, id] = addStep(cave(), 'lane1', 0, 'bloom')
  const lit = putDial(putDial(comp, id, 'threshold', 0), id, 'reach', 4)
  const target = { type: 'light', step: id } as const
  const right = (data: readonly number[]) =>
    data.reduce((sum, v, i) => (i % 4 === 0 && (i / 4) % width > 26 ? sum + v : sum), 0)
  const total = async (c: Comp) => right((await compute(c, { target })).data)
  // The mask covers the left half; what stands in the right half gives nothing.
  expect(await total(lit)).toBeGreaterThan(100)
  const cut = setFeed(lit, id, 'within', { from: source('mask') as never })
  expect(await total(cut)).toBeLessThan(1)
  const input = await compute(cut, { target: { type: 'light-input', step: id } })
  expect(right(input.data)).toBe(0)
  const fed = setFeed(cut, id, 'light', { from: source('emission') as never })
  expect((await compute(fed, { target })).data.some((v) => v > 0.1)).toBe(true)
})

test('a matte is grown and shrunk where it is used, by pixels of the full frame at any size', async () => {
  const [comp, id] = addStep(cave(), 'lane1', 0, 'exposure')
  const target = { type: 'matte', lane: 'lane1', step: id } as const
  const edgeAt = async (more: object, reduction: Reduction = 1) => {
    const matte = { from: source('mask'), ...more }
    const { data, area } = await compute(setFeed(comp, id, 'matte', matte), { target, reduction })
    const row = data.slice(4 * area.width, 5 * area.width)
    return row.reduce((sum, v) => sum + v, 0) * reduction
  }
  // The mask covers the left 18 of 36 columns.
  expect(await edgeAt({})).toBe(18)
  expect(await edgeAt({ spread: 5 })).toBeCloseTo(23, 4)
  expect(await edgeAt({ spread: -7, soft: 6 })).toBeCloseTo(11, 4)
  expect(await edgeAt({ spread: 6 }, 2)).toBeCloseTo(24, 4)
  expect(await edgeAt({ spread: 4, invert: true })).toBeCloseTo(22, 4)
})

test('small pictures stay while large ones go, up to their share of the memory', async () => {
  const flat = (red: number) =>
    addLane(emptyComp(64, 64), 'Flat', { type: 'colour', colour: [red, 0, 0], alpha: 1 })
  // Room for six at full size, of 65 kB; at a quarter they have 4 kB.
  const { evaluator } = newEvaluator(420_000)
  const make = (red: number, reduction: Reduction) =>
    evaluator.evaluate(plan(flat(red), {}, 1, reduction, { type: 'picture' }).node)
  await evaluator.load(flat(1), plan(flat(1), {}, 1, 1, { type: 'picture' }).node)
  make(1, 4)
  for (let red = 2; red < 12; red++) make(red, 1)
  const made = evaluator.computed
  make(1, 4)
  expect(evaluator.computed).toBe(made)
  make(11, 1)
  expect(evaluator.computed).toBe(made)
  make(2, 1)
  expect(evaluator.computed).toBeGreaterThan(made)
  // Many small ones take no more than a quarter: large ones have room.
  for (let red = 20; red < 60; red++) make(red, 4)
  make(70, 1)
  const after = evaluator.computed
  make(59, 4)
  make(70, 1)
  expect(evaluator.computed).toBe(after)
  make(20, 4)
  expect(evaluator.computed).toBeGreaterThan(after)
})

test('a budget smaller than a picture, or work broken off, changes no result and leaks no memory', async () => {
  const { evaluator, store } = newEvaluator(1)
  const [comp] = addStep(cave(), 'lane1', 0, 'bloom')
  const { node } = plan(comp, media, 1, 1, { type: 'picture' })
  await evaluator.load(comp, node)
  let asked = 0
  expect(() => evaluator.evaluate(node, () => ++asked > 2)).toThrow(Cancelled)
  const { data } = await compute(comp, { evaluator })
  expect(data).toEqual((await compute(comp)).data)
  // What was needed last stays until something else is kept; nothing piles up.
  const used = store.usedBytes
  for (let i = 0; i < 5; i++) await compute(comp, { evaluator })
  expect(store.usedBytes).toBe(used)
})

test('a proxy is the full picture made smaller: px dials scale with it', async () => {
  const [w, h] = [160, 90]
  const data = new Float32Array(w * h * 3)
  for (let i = 0; i < w * h; i++)
    if (Math.hypot((i % w) - 70, Math.floor(i / w) - 41) < 7) data.set([6, 3, 1], i * 3)
  const { kernels, store } = createLoneKernels(512)
  const spot: LoadPass = (ref) =>
    sized({ width: w, height: h, x: 0, y: 0, channels: 3, data }, ref, { width: w, height: h })
  const evaluator = new Evaluator({ kernels, store }, spot, 2 ** 28)
  const [comp, id] = addStep(addLane(emptyComp(w, h), 'Light', source('emission')), 'lane1', 0, 'bloom')
  const lit = putDial(putDial(comp, id, 'threshold', 0), id, 'reach', 60)
  const target = { type: 'light', step: id } as const
  const full = await compute(lit, { target, evaluator })
  for (const reduction of [2, 4] as const) {
    const proxy = await compute(lit, { target, reduction, evaluator })
    expect(proxy.area.width).toBe(w / reduction)
    let [error, total] = [0, 0]
    for (let i = 0; i < w * h; i++) {
      const at =
        Math.floor(Math.floor(i / w) / reduction) * proxy.area.width + Math.floor((i % w) / reduction)
      error += Math.abs(proxy.data[at * 4]! - full.data[i * 4]!)
      total += full.data[i * 4]!
    }
    expect(error / total).toBeLessThan(reduction === 2 ? 0.12 : 0.24)
  }
})

test('infinite depth stands for nothing hit; other values that are not numbers become 0 and are counted', async () => {
  const { evaluator } = newEvaluator()
  const { data } = await compute(cave(), { target: { type: 'pass', media: 'm1', pass: 'depth' }, evaluator })
  expect([data[0], data[30]! > 1e30]).toEqual([5, true])
  const bad = block(4, pixel)
  bad.data.set([NaN, Infinity], 8)
  const { kernels, store } = createLoneKernels(512)
  const counting = new Evaluator({ kernels, store }, () => Promise.resolve(bad), 2 ** 28)
  await compute(cave(), { evaluator: counting })
  expect([...counting.replaced.values()]).toEqual([2])
})

test('a margin lets light from just outside the canvas in, and data windows are placed where they lie', async () => {
  const comp = { ...cave(), canvas: { width, height, margin: 0.25 } }
  const { node, area } = plan(comp, media, 1, 1, { type: 'picture' })
  expect([area.left, area.width]).toEqual([12, width + 24])
  const { kernels, store } = createLoneKernels(512)
  const shifted = new Evaluator(
    { kernels, store },
    () => Promise.resolve({ ...blocks['beauty']!, x: -3, y: 2 }),
    2 ** 28,
  )
  await shifted.load(comp, node)
  const picture = shifted.evaluate(node)
  const at = ((12 + 2 + 1) * picture.width + 12 - 3 + 5) * 4
  expect(Array.from(picture.data.slice(at, at + 4))).toEqual(pixel(5, 1).map(Math.fround))
})

describe('luminance histogram', () => {
  test('gives the share of pixels above a threshold', () => {
    const picture = plainPicture(100, 1)
    for (let i = 0; i < 100; i++) picture.data.fill(i < 50 ? 0 : i < 80 ? 0.5 : 4, i * 4, i * 4 + 3)
    const histogram = luminanceHistogram(picture, rec709)
    expect(shareAbove(histogram, 0)).toBeCloseTo(0.5, 6)
    expect(shareAbove(histogram, 1)).toBeCloseTo(0.2, 6)
    expect(shareAbove(histogram, 100)).toBe(0)
  })
})

test('a pass travels as bytes unchanged; what is cut short is refused', () => {
  const original = blocks['emission']!
  const bytes = encodePassBlock(original)
  expect(decodePassBlock(bytes.buffer)).toEqual(original)
  expect(() => decodePassBlock(bytes.slice(0, -4).buffer)).toThrow(/missing/)
  expect(() => decodePassBlock(new ArrayBuffer(8))).toThrow(/cut short/)
})

describe('buses, placing and mattes together', () => {
  const red = { type: 'colour', colour: [1, 0, 0], alpha: 1 } as const
  const colour = (r: number, g: number, b: number) => ({
    type: 'colour' as const,
    colour: [r, g, b] as [number, number, number],
    alpha: 1,
  })
  const at = (data: readonly number[], x: number, y: number) =>
    data.slice((y * width + x) * 4, (y * width + x) * 4 + 4)

  test('opacity on a bus fades overlapping parts together, on each part one by one (common practice)', async () => {
    const both = addLane(addLane(emptyComp(width, height), 'Bell', colour(1, 0, 0)), 'Jelly', colour(0, 0, 1))
    const [bused, bus] = joinBus(both, 'lane2', 'lane1')
    const together = addStep(bused, bus, 0, 'opacity')[0]
    expect(at((await compute(together)).data, 3, 3)).toEqual([0, 0, 0.5, 0.5])
    const single = addStep(addStep(bused, 'lane1', 0, 'opacity')[0], 'lane2', 0, 'opacity')[0]
    expect(at((await compute(single)).data, 3, 3)).toEqual([0.25, 0, 0.5, 0.75])
    // A muted bus takes all that is in it away; a solo lane in it is heard through it.
    const quiet = await compute(editLane(bused, bus, (l) => void (l.muted = true)))
    expect(at(quiet.data, 3, 3)).toEqual([0, 0, 0, 0])
    const solo = await compute(editLane(bused, 'lane1', (l) => void (l.solo = true)))
    expect(at(solo.data, 3, 3)).toEqual([1, 0, 0, 1])
  })

  test('places in a row are one resampling: there and back again is the picture', async () => {
    let comp = cave()
    const before = await compute(comp)
    for (const turn of [37, -37]) {
      const [next, id] = addStep(comp, 'lane1', comp.lanes[0]!.steps.length, 'place')
      comp = putDial(next, id, 'turn', turn)
    }
    const after = await compute(comp)
    expect(Math.max(...after.data.map((v, i) => Math.abs(v - before.data[i]!)))).toBeLessThan(1e-3)
    // With a step between them they are two, and corners are lost.
    const split = addStep(comp, 'lane1', 1, 'invert')[0]
    expect(at((await compute(split)).data, 0, 0)[3]).toBeLessThan(0.1)
  })

  test('a move in pixels is the same place at every size', async () => {
    let comp = addLane(emptyComp(width, height), 'Mask', source('mask'))
    const [next, id] = addStep(comp, 'lane1', 0, 'place')
    comp = putDial(putDial(next, id, 'moveX', 8), id, 'filter', 'nearest')
    const full = await compute(comp)
    const half = await compute(comp, { reduction: 2 })
    expect([7, 8, 25, 26].map((x) => at(full.data, x, 4)[0])).toEqual([0, 1, 1, 0])
    expect([3, 4, 12, 13].map((x) => half.data[(2 * half.area.width + x) * 4])).toEqual([0, 1, 1, 0])
  })

  test('mattes on one step are joined in turn', async () => {
    const [comp, id] = addStep(
      addLane(emptyComp(width, height), 'Red', { ...red, colour: [...red.colour] }),
      'lane1',
      0,
      'exposure',
    )
    const lit = putDial(comp, id, 'stops', 1)
    const mask = { from: source('mask') }
    const values = async (matte: object) => {
      const { data } = await compute(setFeed(lit, id, 'matte', matte as never))
      return [at(data, 2, 2)[0], at(data, 30, 2)[0]]
    }
    expect(await values(mask)).toEqual([2, 1])
    expect(await values({ ...mask, also: [{ by: 'union', ...mask, invert: true }] })).toEqual([2, 2])
    expect(await values({ ...mask, also: [{ by: 'subtract', ...mask }] })).toEqual([1, 1])
    expect(await values({ ...mask, also: [{ by: 'intersect', ...mask, invert: true }] })).toEqual([1, 1])
  })

  test('a gradient runs from colour to colour, along a line or around a point', async () => {
    const ends = {
      from: { at: [0, 0] as [number, number], colour: [0, 0, 0] as [number, number, number], alpha: 1 },
      to: { at: [width, 0] as [number, number], colour: [1, 1, 1] as [number, number, number], alpha: 1 },
    }
    const line = await compute(
      addLane(emptyComp(width, height), 'Sky', { type: 'gradient', shape: 'line', ...ends }),
    )
    expect(at(line.data, 9, 7)[0]).toBeCloseTo(9.5 / width, 5)
    const round = await compute(
      addLane(emptyComp(width, height), 'Sky', { type: 'gradient', shape: 'round', ...ends }),
    )
    expect(at(round.data, 9, 7)[0]).toBeCloseTo(Math.hypot(9.5, 7.5) / width, 5)
  })

  test('one object of the masks is a matte; a black gap of a sequence is nothing, infinitely far', async () => {
    const ids = Float32Array.from({ length: width * height * 4 }, (_, i) => [7, 0.75, 9, 0.25][i % 4]!)
    const word = (v: number) => new Uint32Array(Float32Array.of(v).buffer)[0]!.toString(16).padStart(8, '0')
    const masks: MediaTable = {
      m2: {
        name: 'masks',
        frames: { 1: 'b'.repeat(64), 3: 'c'.repeat(64) },
        gaps: 'black',
        passes: [
          {
            name: 'ids',
            kind: 'ids',
            channels: ['R', 'G', 'B', 'A'],
            type: 'float',
            detail: { masks: 'ranked' },
          },
          { name: 'depth', kind: 'depth', channels: ['Z'], type: 'float' },
        ],
      },
    }
    const evaluator = new Evaluator(
      createLoneKernels(512),
      ({ pass }) =>
        Promise.resolve(
          pass.name === 'ids' ? { width, height, x: 0, y: 0, channels: 4, data: ids } : blocks['depth']!,
        ),
      2 ** 28,
    )
    const show = async (frame: number, reduction: Reduction, target: Target) => {
      const { node, problems } = plan(emptyComp(width, height), masks, frame, reduction, target)
      await evaluator.load(emptyComp(width, height), node)
      expect(problems).toEqual([])
      return evaluator.evaluate(node).data[0]
    }
    const object = (v: number) => ({ type: 'pass', media: 'm2', pass: 'ids', objects: [word(v)] }) as const
    for (const reduction of [1, 2] as const) {
      expect(await show(1, reduction, object(7))).toBe(0.75)
      expect(await show(1, reduction, object(9))).toBe(0.25)
      expect(await show(2, reduction, object(9))).toBe(0)
      expect(await show(2, reduction, { type: 'pass', media: 'm2', pass: 'depth' })).toBeGreaterThan(1e30)
    }
  })
})

describe('properties, over random desks and edits', () => {
  const random = (seed: number) => {
    let state = seed
    return (n: number) => ((state = (Math.imul(state, 1103515245) + 12345) & 0x7fffffff) >> 8) % n
  }
  const pick = <T>(next: (n: number) => number, list: readonly T[]): T => list[next(list.length)]!
  const sources = [
    source('beauty'),
    source('emission'),
    { type: 'colour', colour: [0.2, 0.5, 0.1], alpha: 0.7 } as const,
  ]

  /** One edit that a finisher could make. */
  const edited = (comp: Comp, next: (n: number) => number): Comp => {
    const lane = pick(next, comp.lanes)
    switch (next(7)) {
      case 0:
        return addLane(comp, 'More', pick(next, sources) as never, next(comp.lanes.length + 1))
      case 1:
        return addStep(
          comp,
          lane.id,
          next(lane.steps.length + 1),
          pick(next, ['exposure', 'channel-gains', 'opacity', 'blur', 'invert', 'place']),
        )[0]
      case 2:
        return editLane(comp, lane.id, (l) => {
          l.join.mode = pick(next, joinModes)
          l.join.opacity = next(5) / 4
        })
      case 3:
        return lane.steps.length > 0
          ? editStep(comp, pick(next, lane.steps).id, (s) => {
              s.on = !s.on
              s.amount = next(3) / 2
            })
          : comp
      case 4:
        return editLane(comp, lane.id, (l) => {
          l.muted = !l.muted
        })
      case 5:
        return joinBus(comp, lane.id, pick(next, comp.lanes).id)[0]
      default: {
        const tapped = editLane(comp, lane.id, (l) => {
          if (l.source.type !== 'lanes') l.source = { type: 'tap', lane: pick(next, comp.lanes).id }
        })
        return findLoop(tapped) ? comp : tapped
      }
    }
  }
  const same = (a: readonly number[], b: readonly number[]) =>
    Buffer.from(Float32Array.from(a).buffer).equals(Buffer.from(Float32Array.from(b).buffer))

  test('what is kept from before never changes the picture: cache on is cache off, bit for bit', async () => {
    for (const seed of [1, 2, 3]) {
      const next = random(seed)
      const { evaluator } = newEvaluator()
      let comp = cave()
      for (let i = 0; i < 25; i++) {
        comp = edited(comp, next)
        const reduction = pick(next, [1, 2] as const)
        const kept = await compute(comp, { evaluator, reduction })
        const fresh = await compute(comp, { reduction })
        expect(same(kept.data, fresh.data), `seed ${seed}, edit ${i}`).toBe(true)
      }
    }
  })

  test('a muted lane is as if it were not there', async () => {
    const next = random(9)
    let comp = cave()
    for (let i = 0; i < 30; i++) comp = edited(comp, next)
    for (const lane of comp.lanes) {
      if (dependentsOf(comp, lane.id).length > 0 || lane.source.type === 'lanes') continue
      const muted = editLane(comp, lane.id, (l) => {
        l.muted = true
      })
      const gone = dropLane(comp, lane.id)
      expect(same((await compute(muted)).data, (await compute(gone)).data), lane.name).toBe(true)
    }
  })

  test('linear steps in a row are one pass, and give what they give one by one', async () => {
    let comp = cave()
    for (const [effect, dial, value] of [
      ['exposure', 'stops', 0.7],
      ['channel-gains', 'hue', 40],
      ['invert', 'what', 'colour'],
      ['opacity', 'opacity', 0.6],
    ] as const) {
      const [added, id] = addStep(comp, 'lane1', comp.lanes[0]!.steps.length, effect)
      comp = editStep(putDial(added, id, dial, value), id, (s) => {
        s.amount = 0.8
      })
    }
    const { evaluator } = newEvaluator()
    const fused = await compute(comp, { evaluator })
    // The pass, one matrix, the join with nothing.
    expect(evaluator.computed).toBeLessThanOrEqual(3)
    // A matte that is 1 everywhere keeps them apart.
    const everywhere = { from: source('mask'), also: [{ by: 'union', from: source('mask'), invert: true }] }
    const apart = comp.lanes[0]!.steps.reduce((c, s) => setFeed(c, s.id, 'matte', everywhere as never), comp)
    const single = await compute(apart)
    expect(Math.max(...fused.data.map((v, i) => Math.abs(v - single.data[i]!)))).toBeLessThan(2e-5)
  })
})

describe('colour tables', () => {
  // A cube of two entries a side in which red and blue change places.
  const table: PassBlock = {
    width: 4,
    height: 2,
    x: 0,
    y: 0,
    channels: 4,
    data: Float32Array.from(
      [0, 1].flatMap((b) => [0, 1].flatMap((g) => [0, 1].flatMap((r) => [b, g, r, 1]))),
    ),
  }
  const detail = { table: { size: 2, cube: true, from: [0, 0, 0], to: [1, 1, 1] } } as {
    table: { size: number; cube: boolean; from: [number, number, number]; to: [number, number, number] }
  }
  const withTable: MediaTable = {
    ...media,
    look: {
      name: 'look',
      frames: { 1: 'd'.repeat(64) },
      passes: [{ name: 'table', kind: 'table', channels: ['R', 'G', 'B', 'A'], type: 'float', detail }],
    },
  }
  const link = { type: 'pass', media: 'look', pass: 'table' } as const
  const loadBoth: LoadPass = (ref) => (ref.pass.name === 'table' ? Promise.resolve(table) : load(ref))
  const small = block(4, (x, y) => [x / 40, y / 40, 0.5, 1])

  test('a look table is fed with the entries of its file, whatever the frame is, and at any size', async () => {
    blocks['beauty'] = small
    const [stepped, id] = addStep(cave(), 'lane1', 0, 'look-table')
    const comp = setFeed(
      putDial(putDial(stepped, id, 'takes', 'linear'), id, 'gives', 'linear'),
      id,
      'table',
      { from: link },
    )
    for (const reduction of [1, 2] as const) {
      const { kernels, store } = createLoneKernels(64)
      const evaluator = new Evaluator({ kernels, store }, loadBoth, 2 ** 26)
      const { node, problems } = plan(comp, withTable, 1, reduction, { type: 'picture' })
      await evaluator.load(comp, node)
      const { data } = evaluator.evaluate(node)
      expect(problems).toEqual([])
      for (let i = 0; i < data.length; i += 4) expect(data[i]).toBeCloseTo(0.5, 5)
      expect(data[(width / reduction - 1) * 4 + 2]).toBeGreaterThan(0.8)
    }
    blocks['beauty'] = block(4, pixel)
  })
  test('without a table, or with a pass that is none, the step is left out and says so', async () => {
    const [comp, id] = addStep(cave(), 'lane1', 0, 'look-table')
    for (const fed of [comp, setFeed(comp, id, 'table', { from: source('beauty') })]) {
      const { data, problems } = await compute(fed)
      expect(data).toEqual(Array.from(blocks['beauty']!.data))
      expect(problems[0]!.message).toMatch(/table/)
    }
  })
  test('a picture is looked at plainly, under the shoulder, or through a table; its alpha is not', () => {
    const { kernels, store } = createLoneKernels(64)
    const picture = store.allocate(2, 1, 4)
    picture.data.set([1, 0.5, 0.25, 1, 4, 4, 4, 1])
    const entries = store.allocate(4, 2, 4)
    entries.data.set(table.data)
    const look = (viewing: Comp['viewing'], channel: 'colour' | 'alpha' = 'colour') => {
      const codes = new Uint8Array(8)
      const pass = withTable['look']!.passes[0]!
      displayViewed(
        codes,
        picture,
        { gain: 1, channel, checker: 0 },
        { viewing },
        { picture: entries, pass },
        { kernels, store },
      )
      return [...codes]
    }
    // Linear 0.5 and 0.25 are the codes 188 and 137 of sRGB (IEC 61966-2-1).
    const close = (codes: readonly number[]) => codes.map((v) => expect.closeTo(v, -0.4) as number)
    expect(look({ type: 'table', table: link, takes: 'srgb' }).slice(0, 4)).toEqual(
      close([137, 188, 255, 255]),
    )
    expect(look({ type: 'shoulder', white: 4 }).slice(4, 7)).toEqual(close([255, 255, 255]))
    expect(look({ type: 'shoulder', white: 4 })[0]).toBeLessThan(250)
    expect(look({ type: 'shoulder', white: 4 }, 'alpha').slice(0, 3)).toEqual([255, 255, 255])
  })
})

describe('distances that are not as they should be', () => {
  const misty = (table: MediaTable, frame: number) => {
    const [stepped, id] = addStep(cave(), 'lane1', 0, 'depth-mist')
    let comp = setFeed(stepped, id, 'depth', { from: { type: 'pass', media: 'm1', pass: 'depth' } })
    for (const [key, value] of Object.entries({
      profile: 'linear',
      near: 2,
      far: 8,
      ceiling: 1,
      background: 0,
      colour: 'own',
      nearColour: [9, 9, 9],
      farColour: [9, 9, 9],
    }))
      comp = putDial(comp, id, key, value)
    const { node, problems } = plan(comp, table, frame, 1, { type: 'picture' })
    return { node, problems, comp }
  }
  /** What of white mist lies on the left, at distance 5, and on the right, where nothing was hit; by the loss of the picture's red. */
  const weights = async (table: MediaTable, frame = 1) => {
    const { evaluator } = newEvaluator()
    const { node, problems, comp } = misty(table, frame)
    await evaluator.load(comp, node)
    const { data } = evaluator.evaluate(node)
    const before = blocks['beauty']!.data
    const at = (x: number) => {
      const i = (10 * width + x) * 4
      return (data[i]! - before[i]!) / (9 * before[i + 3]! - before[i]!)
    }
    return { left: at(4), right: at(30), problems }
  }
  const withDepth = (more: Partial<MediaTable[string]>, detail = {}): MediaTable => ({
    m1: {
      ...media['m1']!,
      passes: media['m1']!.passes.map((p) =>
        p.name === 'depth' ? { ...p, detail, ...(more.beside ? { beside: 'depth' } : {}) } : p,
      ),
      ...more,
    },
  })
  const frames = { 1: 'a'.repeat(64), 2: 'b'.repeat(64), 3: 'c'.repeat(64) }

  test('infinite depth is where nothing was hit; NaN counts as 0 and stays clear', async () => {
    const { left, right } = await weights(media)
    expect([left, right]).toEqual([0.5, 0].map((v) => expect.closeTo(v, 5) as number))
    const before = blocks['depth']!
    blocks['depth'] = block(1, (x) => [x < 18 ? NaN : -Infinity])
    expect(await weights(media)).toMatchObject({
      left: expect.closeTo(0, 5) as number,
      right: expect.closeTo(0, 5) as number,
      problems: [],
    })
    blocks['depth'] = before
  })
  test('normalised depth that runs the other way, and 1 / distance, become distances by how the pass is read', async () => {
    const before = blocks['depth']!
    blocks['depth'] = block(1, (x) => [x < 18 ? 1 / 5 : 0])
    expect(await weights(withDepth({}, { depth: 'inverse' }))).toMatchObject({
      left: expect.closeTo(0.5, 5) as number,
      right: expect.closeTo(0, 5) as number,
    })
    blocks['depth'] = block(1, (x) => [x < 18 ? -4 : -9])
    expect(await weights(withDepth({}, { depth: 'flipped' }))).toMatchObject({
      left: expect.closeTo(0.5, 5) as number,
      right: expect.closeTo(1, 5) as number,
    })
    blocks['depth'] = before
  })
  test('a frame without its depth takes that of the frame before, or none, as the media says', async () => {
    const beside = { depth: { 1: 'd'.repeat(64), 3: 'e'.repeat(64) } }
    expect((await weights(withDepth({ frames, beside }), 2)).left).toBeCloseTo(0.5, 5)
    const black = await weights(withDepth({ frames, beside, gaps: 'black' }), 2)
    expect([black.left, black.right, black.problems]).toEqual([0, 0, []])
  })
})
