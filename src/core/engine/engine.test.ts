import { describe, expect, test } from 'vitest'
import { addLane, addStep, editLane, editStep, emptyComp, setDial, setFeed } from '../comp/edits.ts'
import type { MediaTable } from '../comp/media.ts'
import type { Comp } from '../comp/schema.ts'
import type { PassBlock } from '../formats/pass-block.ts'
import { passFilter, reducePass } from '../formats/reduce-pass.ts'
import { decodePassBlock, encodePassBlock } from '../formats/pass-block.ts'
import { createLoneKernels } from '../kernels/wasm-kernels.ts'
import { Cancelled, Evaluator, type LoadPass } from './evaluator.ts'
import { luminanceHistogram, shareAbove } from './histogram.ts'
import { plan, type PassRef, type Target } from './plan.ts'
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
const sized = (block: PassBlock, { pass, reduction }: PassRef, frame: { width: number; height: number }) =>
  Promise.resolve(reduction === 1 ? block : reducePass(block, passFilter(pass), reduction, frame))
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
  const bright = setDial(comp, id, 'stops', 2)
  const plainData = (await compute(cave())).data
  for (const same of [
    editStep(bright, id, (s) => { s.on = false }),
    editStep(bright, id, (s) => { s.amount = 0 }),
    setDial(bright, id, 'stops', 0),
    editLane(addLane(cave(), 'Front', source('emission')), 'lane2', (l) => { l.muted = true }),
  ]) expect((await compute(same)).data).toEqual(plainData) // prettier-ignore
})

test('a step acts by out = in + amount · matte · (effect(in) − in)', async () => {
  const [comp, id] = addStep(cave(), 'lane1', 0, 'exposure')
  let stepped = editStep(setDial(comp, id, 'stops', 1), id, (s) => {
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
  const lit = setFeed(setDial(setDial(comp, id, 'threshold', 0), id, 'reach', 12), id, 'light', {
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
    addLane(setDial(comp, id, 'stops', 1), 'Copy', { type: 'tap', lane: 'lane1', after: 'source' }),
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
  expect(problems.map((p) => [p.laneId, p.stepId])).toEqual([['lane1', id], ['lane2', undefined]]) // prettier-ignore
  expect(data).toEqual(Array.from(blocks['beauty']!.data))
})

test('after a change only what follows it is computed again, and the cache never changes a result', async () => {
  const { evaluator } = newEvaluator()
  let [comp, exposure] = addStep(cave(), 'lane1', 0, 'exposure')
  const [both, gains] = addStep(setDial(comp, exposure, 'stops', 1), 'lane1', 1, 'channel-gains')
  comp = setDial(both, gains, 'red', 0.5)
  await compute(comp, { evaluator })
  const before = evaluator.computed
  const changed = setDial(comp, gains, 'red', 0.25)
  const cached = await compute(changed, { evaluator })
  // The step and the join; not the exposure before it.
  expect(evaluator.computed - before).toBe(2)
  expect(cached.data).toEqual((await compute(changed)).data)
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
  const lit = setDial(setDial(comp, id, 'threshold', 0), id, 'reach', 60)
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
  expect([area.marginPx, area.width]).toEqual([12, width + 24])
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
    const histogram = luminanceHistogram(picture)
    expect(shareAbove(histogram, 0)).toBeCloseTo(0.5, 6)
    expect(shareAbove(histogram, 1)).toBeCloseTo(0.2, 6)
    expect(shareAbove(histogram, 100)).toBe(0)
  })
})

test('a pass travels as bytes unchanged; what is cut short is refused', () => {
  const original = blocks['emission']!
  const bytes = encodePassBlock(original)
  expect(decodePassBlock(bytes.buffer as ArrayBuffer)).toEqual(original)
  expect(() => decodePassBlock(bytes.slice(0, -4).buffer)).toThrow(/missing/)
  expect(() => decodePassBlock(new ArrayBuffer(8))).toThrow(/cut short/)
})
