import { expect, test } from 'vitest'
import { addLane, addStep, editStep, emptyComp, setFeed } from '../comp/edits.ts'
import type { MediaTable } from '../comp/media.ts'
import type { Comp } from '../comp/schema.ts'
import { putDial } from '../comp/settings.ts'
import { Evaluator } from '../engine/evaluator.ts'
import type { Target } from '../engine/plan/plan-targets.ts'
import { plan } from '../engine/plan/plan.ts'
import { createLoneKernels } from '../kernels/wasm-kernels.ts'
import { makeOneStep, makeOneStepOfLanes } from './make.ts'
import { takeApart } from './take-apart.ts'

// Pixels by closed forms, worked out here from the numbers of the frame: nothing of the planner has a say in what is wanted.

const [width, height] = [7, 5]
/** Far values, below 0, alpha 0 with light over it, alpha beyond 1, a tiny one. */
const frame = new Float32Array(width * height * 4).map((_, i) => {
  const [p, c] = [i >> 2, i % 4]
  const odd = [3e4, -0.5, 0, 1e-7, 2, 0.18][p % 6]!
  return c === 3 ? [1, 0, 0.5, 1.25, 1e-3][p % 5]! : odd * (c + 1)
})
/** Depth rises along rows; where it is above 1 the matte is all there. */
const depth = new Float32Array(width * height).map((_, p) => (p % width) / 4)
const passes = [
  { name: 'beauty', kind: 'colour', channels: ['R', 'G', 'B', 'A'], type: 'float' },
  { name: 'depth', kind: 'depth', channels: ['depth.Z'], type: 'float' },
] as const
const media = { m1: { name: 'odd', frames: { 1: 'a'.repeat(64) }, passes } } as unknown as MediaTable
const beauty = { type: 'pass', media: 'm1', pass: 'beauty' } as const

async function pixels(comp: Comp, target: Target = { type: 'picture' }, at = 1): Promise<Float32Array> {
  const { kernels, store } = createLoneKernels(64)
  const evaluator = new Evaluator(
    { kernels, store },
    ({ pass }) => {
      const isDepth = pass.kind === 'depth'
      return Promise.resolve({
        width,
        height,
        x: 0,
        y: 0,
        channels: isDepth ? 1 : 4,
        data: isDepth ? depth.slice() : frame.slice(),
      } as never)
    },
    2 ** 24,
  )
  const { node } = plan(comp, media, at, 1, target)
  await evaluator.load(comp, node)
  return Float32Array.from(evaluator.evaluate(node).data)
}

/** Compares with a value for each pixel and channel. */
function expectAll(found: Float32Array, wanted: (p: number, c: number, v: number) => number): void {
  expect(found.length).toBe(frame.length)
  found.forEach((v, i) => {
    const want = wanted(i >> 2, i % 4, frame[i]!)
    expect(Math.abs(v - want), `pixel ${i >> 2}, channel ${i % 4}: ${v} for ${want}`).toBeLessThanOrEqual(
      2e-6 * Math.max(1, Math.abs(want), Math.abs(frame[i]!)),
    )
  })
}

/** Two steps of exposure as one step with a dial over both, the second moved from 3 stops down to −1 while the dial goes from 0 to 2. */
function gains(): [Comp, string] {
  let comp = addLane({ ...emptyComp(width, height), frames: { first: 1, last: 9, rate: 24 } }, 'Back', beauty)
  comp = addStep(addStep(comp, 'lane1', 0, 'exposure')[0], 'lane1', 1, 'exposure')[0]
  comp = putDial(comp, 'step1', 'stops', 0.5)
  const first = { ref: { of: 'dial', step: 'step1', key: 'stops' } as const, at: [0, 2] as const }
  const second = { ref: { of: 'dial', step: 'step2', key: 'stops' } as const, at: [3, -1] as const }
  return makeOneStep(comp, media, ['step1', 'step2'], {
    name: 'Gains',
    about: 'x',
    family: 'colour',
    dials: [{ name: 'Stops', settings: [first, second] }],
  })
}
/** What both give together for a value of the dial: 2^(v + 3 − 2v). */
const gain = (v: number) => 2 ** (3 - v)

test('a dial over two settings gives what both of them give, at its ends, between, beyond, and over time', async () => {
  const [comp, id] = gains()
  for (const v of [0, 0.5, 1.25, 2, 2.5])
    expectAll(await pixels(putDial(comp, id, 'stops', v)), (_, c, was) => (c === 3 ? was : was * gain(v)))
  const moving = putDial(comp, id, 'stops', {
    keys: [
      { frame: 1, value: 0 },
      { frame: 9, value: 2 },
    ],
  })
  for (const at of [1, 3, 9])
    expectAll(await pixels(moving, undefined, at), (_, c, was) => (c === 3 ? was : was * gain((at - 1) / 4)))
})

test('an amount and a matte mix it with what comes to it; its light is what it adds; taken apart it is the same', async () => {
  const [made, id] = gains()
  const at = putDial(made, id, 'stops', 2)
  const comp = editStep(at, id, (s) => {
    s.amount = 0.3
    s.matte = { from: { type: 'pass', media: 'm1', pass: 'depth' }, invert: true }
  })
  // A matte is held in 0–1, then turned around.
  const share = (p: number) => 0.3 * (1 - Math.min(1, depth[p]!))
  const wanted = (p: number, c: number, was: number) => (c === 3 ? was : was + share(p) * (gain(2) - 1) * was)
  expectAll(await pixels(comp), wanted)
  expectAll(await pixels(takeApart(comp, id)), wanted)
  expectAll(await pixels(comp, { type: 'light', step: id }), (p, c, was) =>
    c === 3 ? 0 : share(p) * (gain(2) - 1) * was,
  )
})

test('lanes in a step are joined over nothing: colour over colour, and plus, at an opacity', async () => {
  let comp = addLane(emptyComp(width, height), 'Back', {
    type: 'colour',
    colour: [0.4, 0.2, 0.1],
    alpha: 0.5,
  })
  comp = addLane(comp, 'Over', { type: 'colour', colour: [2, 1, 0.5], alpha: 0.25 })
  comp = addLane(comp, 'Plus', { type: 'colour', colour: [8, 8, 8], alpha: 1 })
  comp = {
    ...comp,
    lanes: comp.lanes.map((l) => (l.name === 'Plus' ? { ...l, join: { mode: 'plus', opacity: 0.5 } } : l)),
  }
  const [made, laneId, stepId] = makeOneStepOfLanes(comp, media, ['lane1', 'lane2', 'lane3'], {
    name: 'Three',
    about: 'x',
    family: 'light',
    dials: [],
  })
  // Porter and Duff 1984: premultiplied top + (1 − alpha of top) · bottom; then half of the way to what plus gives, whose cover ends at 1.
  const over = (top: number, below: number) => top * 0.25 + (1 - 0.25) * below * 0.5
  const want = [over(2, 0.4) + 4, over(1, 0.2) + 4, over(0.5, 0.1) + 4]
  for (const one of [made, takeApart(made, stepId)])
    expectAll(await pixels(one, { type: 'lane', lane: laneId }), (_, c) =>
      c === 3 ? 1 - 0.5 * 0.75 * 0.5 : want[c]!,
    )
})

test('an input that is open leaves out what takes from it; connected it does what it is for', async () => {
  let comp = addLane(emptyComp(width, height), 'Back', beauty)
  comp = addStep(comp, 'lane1', 0, 'exposure')[0]
  comp = putDial(comp, 'step1', 'stops', 1)
  comp = setFeed(comp, 'step1', 'matte', { from: { type: 'pass', media: 'm1', pass: 'depth' } })
  const [made, id] = makeOneStep(comp, media, ['step1'], {
    name: 'One',
    about: 'x',
    family: 'colour',
    dials: [],
  })
  const key = Object.keys(made.lanes[0]!.steps[0]!.feeds)[0]!
  expectAll(await pixels(made), (p, c, was) => (c === 3 ? was : was * (1 + Math.min(1, depth[p]!))))
  // Without it the step acts everywhere.
  expectAll(await pixels(setFeed(made, id, key, undefined)), (_, c, was) => (c === 3 ? was : was * 2))
})
