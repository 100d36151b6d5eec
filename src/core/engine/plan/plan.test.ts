import { createHash } from 'node:crypto'
import { afterEach, describe, expect, test, vi } from 'vitest'
import { addLane, addStep, emptyComp } from '../../comp/edits.ts'
import type { MediaTable } from '../../comp/media.ts'
import type { Comp } from '../../comp/schema.ts'
import { putDial } from '../../comp/settings.ts'
import type { Effect } from '../../effects/effect.ts'
import * as registry from '../../effects/registry.ts'
import { createLoneKernels } from '../../kernels/wasm-kernels.ts'
import { Evaluator } from '../evaluator.ts'
import { plan } from './plan.ts'
import { keyOf, type PlanNode } from './plan-node.ts'

const media: MediaTable = {}
/** A lane whose light rises by a stop a frame. */
function rising(): [Comp, string] {
  const comp = addLane(emptyComp(6, 4), 'Back', { type: 'colour', colour: [0.25, 0.5, 1], alpha: 1 })
  const [lit, exposure] = addStep(comp, 'lane1', 0, 'exposure')
  return [
    putDial(lit, exposure, 'stops', {
      keys: [
        { frame: 0, value: 0 },
        { frame: 10, value: 10 },
      ],
    }),
    exposure,
  ]
}
async function pictureOf(comp: Comp, frame: number): Promise<Float32Array> {
  const { kernels, store } = createLoneKernels(64)
  const evaluator = new Evaluator(
    { kernels, store },
    () => Promise.reject(new Error('nothing to load')),
    2 ** 24,
  )
  const { node } = plan(comp, media, frame, 1, { type: 'picture' })
  await evaluator.load(comp, node)
  return Float32Array.from(evaluator.evaluate(node).data)
}
const nodesOf = (node: PlanNode): PlanNode[] => [node, ...node.inputs.flatMap(nodesOf)]

describe('keys', () => {
  test('are the first 128 bits of SHA-256, as Node computes it', () => {
    for (const text of ['', 'join over 1(a,b)', 'Grüße 深度 🐠'])
      expect(keyOf(text)).toBe(createHash('sha256').update(text).digest('hex').slice(0, 32))
  })
  test('are the same from modules that are loaded anew, in whatever order things were planned before', async () => {
    const [comp] = rising()
    plan(addStep(comp, 'lane1', 0, 'blur')[0], media, 3, 1, { type: 'picture' })
    const here = nodesOf(plan(comp, media, 5, 1, { type: 'picture' }).node).map((n) => n.key)
    vi.resetModules()
    const again = await import('./plan.ts')
    const there = nodesOf(again.plan(comp, media, 5, 1, { type: 'picture' }).node).map((n) => n.key)
    expect(there).toEqual(here)
    for (const key of here) expect(key).toMatch(/^[0-9a-f]{32}$/)
  })
  test('differ where a value does, and only for what follows it', () => {
    const [comp, id] = rising()
    const keys = (c: Comp, frame = 5) =>
      nodesOf(plan(c, media, frame, 1, { type: 'picture' }).node).map((n) => n.key)
    const other = keys(putDial(comp, id, 'stops', 5.0000001))
    expect(keys(putDial(comp, id, 'stops', 5))).toEqual(keys(comp))
    expect(other[0]).not.toBe(keys(comp)[0])
    // Its source, the deepest, is the same picture.
    expect(other.filter((key) => keys(comp).includes(key)).length).toBeGreaterThan(0)
    expect(keys(comp, 6)[0]).not.toBe(keys(comp, 5)[0])
  })
})

describe('an effect that needs other frames', () => {
  afterEach(() => {
    vi.restoreAllMocks()
  })
  /** The mean of the pictures that come to it at frames −2, 0 and +0.5 from this one. */
  function withMean(): { applied: number[][] } {
    const record = { applied: [] as number[][] }
    const effect = {
      ...registry.findEffect('blur')!,
      id: 'mean-of-frames',
      dials: {},
      framesNeeded: (_: unknown, { frame }: { frame: number }) => [frame - 2, frame, frame + 0.5],
      apply: ({ out, picture, otherFrames, frame }: Parameters<Effect['apply']>[0]) => {
        record.applied.push([frame, ...otherFrames!.keys()])
        const all = [picture, ...otherFrames!.values()]
        out.data.forEach((_, i) => {
          out.data[i] = all.reduce((sum, one) => sum + one.data[i]!, 0) / all.length
        })
      },
    } as unknown as Effect
    const find = registry.findEffect
    vi.spyOn(registry, 'findEffect').mockImplementation((id) => (id === 'mean-of-frames' ? effect : find(id)))
    return record
  }
  const meanStep = { id: 'mean', effect: 'mean-of-frames', on: true, amount: 1, dials: {}, feeds: {} }

  test('has what comes to it there, whole frames and parts, also by way of other lanes', async () => {
    const record = withMean()
    const [comp] = rising()
    const lane = { ...comp.lanes[0]!, steps: [...comp.lanes[0]!.steps, meanStep] }
    const light = (frame: number) => 0.25 * 2 ** frame
    const wanted = (light(1) + light(3) + light(3.5)) / 3
    const direct = await pictureOf({ ...comp, lanes: [lane] }, 3)
    expect(direct[0]! / wanted).toBeCloseTo(1, 5)
    const tapped = addLane({ ...comp, lanes: [{ ...comp.lanes[0]!, muted: true }] }, 'Tap', {
      type: 'tap',
      lane: 'lane1',
    })
    const through = { ...tapped, lanes: [tapped.lanes[0]!, { ...tapped.lanes[1]!, steps: [meanStep] }] }
    expect((await pictureOf(through, 3))[0]! / wanted).toBeCloseTo(1, 5)
    const onMaster = await pictureOf({ ...comp, master: [meanStep] }, 3)
    expect(onMaster[0]! / wanted).toBeCloseTo(1, 5)
    expect(record.applied).toEqual(Array(3).fill([3, 1, 3.5]))
  })
  test('twice in a row is the mean of means; each picture is planned once', async () => {
    const record = withMean()
    const [comp] = rising()
    const steps = [...comp.lanes[0]!.steps, meanStep, { ...meanStep, id: 'again' }]
    const made = await pictureOf({ ...comp, lanes: [{ ...comp.lanes[0]!, steps }] }, 4)
    const light = (frame: number) => 0.25 * 2 ** frame
    const mean = (f: (t: number) => number) => (t: number) => (f(t - 2) + f(t) + f(t + 0.5)) / 3
    expect(made[0]! / mean(mean(light))(4)).toBeCloseTo(1, 5)
    expect(record.applied.map(([frame]) => frame).sort()).toEqual([2, 4, 4, 4.5])
  })
})

test('what is made ahead gives way to what somebody works with, which stays however much is made', async () => {
  const [comp] = rising()
  const { kernels, store } = createLoneKernels(64)
  const bytes = 6 * 4 * 16
  const evaluator = new Evaluator(
    { kernels, store },
    () => Promise.reject(new Error('nothing to load')),
    8 * bytes,
  )
  const at = (frame: number) => plan(comp, media, frame, 1, { type: 'picture' }).node
  evaluator.evaluate(at(1))
  for (let frame = 2; frame < 40; frame++)
    await evaluator.aside(() => Promise.resolve(evaluator.evaluate(at(frame))))
  const before = evaluator.computed
  evaluator.evaluate(at(1))
  expect(evaluator.computed).toBe(before)
  evaluator.evaluate(at(2))
  expect(evaluator.computed).toBeGreaterThan(before)
})
