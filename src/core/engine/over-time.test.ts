import { describe, expect, test } from 'vitest'
import { addDrawing, addShape } from '../comp/drawing-edits.ts'
import { addLane, addStep, emptyComp } from '../comp/edits.ts'
import type { MediaTable } from '../comp/media.ts'
import type { Comp } from '../comp/schema.ts'
import { putDial, setSetting } from '../comp/settings.ts'
import { createLoneKernels } from '../kernels/wasm-kernels.ts'
import { ellipse } from '../shapes/outline.ts'
import { Evaluator } from './evaluator.ts'
import { plan } from './plan/plan.ts'

const [width, height] = [96, 64]
const way = [24, 9] as const
const begin = [30, 28] as const
const radius = 8.4

const noMedia: MediaTable = {}
const load = () => Promise.reject(new Error('no files here'))

/** A red disc whose drawing goes by (24, 9) px a frame over frames 1 to 3. */
function flyingDisc(): Comp {
  const [begun, drawing] = addDrawing(emptyComp(width, height), 'Disc')
  const outline = ellipse(begin[0] - radius, begin[1] - radius, begin[0] + radius, begin[1] + radius)
  const [drawn] = addShape(begun, drawing, 1, 'Disc', outline)
  let comp = addLane(drawn, 'Disc', { type: 'drawing', drawing })
  comp = { ...comp, canvas: { ...comp.canvas, margin: 0 }, frames: { first: 1, last: 9, rate: 24 } }
  const place = { of: 'placing', drawing, key: 'move' } as const
  comp = setSetting(comp, place, [0, 0], { frame: 1, autoKey: true })
  return setSetting(comp, place, [2 * way[0], 2 * way[1]], { frame: 3, autoKey: true })
}

/** The picture of a comp, by its own evaluator. */
async function made(
  comp: Comp,
  frame: number,
  budget = 1e8,
): Promise<{ data: Float32Array; problems: string[] }> {
  const { kernels, store } = createLoneKernels(256)
  const evaluator = new Evaluator({ kernels, store }, load, budget)
  const { node, problems } = plan(comp, noMedia, frame, 1, { type: 'picture' })
  await evaluator.load(comp, node)
  return { data: evaluator.evaluate(node).data.slice(), problems: problems.map((p) => p.message) }
}

/** How much of a pixel the disc covers at a time, by 8 × 8 points. */
function cover(x: number, y: number, frame: number): number {
  const t = Math.min(2, Math.max(0, frame - 1))
  let inside = 0
  for (let j = 0; j < 8; j++)
    for (let i = 0; i < 8; i++)
      if (
        Math.hypot(x + (i + 0.5) / 8 - begin[0] - way[0] * t, y + (j + 0.5) / 8 - begin[1] - way[1] * t) <
        radius
      )
        inside++
  return inside / 64
}

const blurred = (comp: Comp, dials: Record<string, unknown>): Comp => {
  let next = comp
  const lane = comp.lanes[0]!.id
  const [added, id] = addStep(comp, lane, comp.lanes[0]!.steps.length, 'motion-blur')
  next = added
  for (const [key, value] of Object.entries(dials)) next = putDial(next, id, key, value as never)
  return next
}

describe('motion blur over times', () => {
  test.each([
    ['own', { by: 'own' }],
    ['frames', { by: 'frames', moments: 48 }],
  ])('by %s: a drawing that flies smears as exact moments do', async (_, dials) => {
    const { data, problems } = await made(blurred(flyingDisc(), { ...dials, shutter: 180, opens: -90 }), 2)
    expect(problems).toEqual([])
    let sum = 0
    for (let y = 0; y < height; y++)
      for (let x = 0; x < width; x++) {
        let exact = 0
        for (let m = 0; m < 64; m++) exact += cover(x, y, 1.75 + (m + 0.5) / 128) / 64
        const at = (y * width + x) * 4
        sum += (data[at + 3]! - exact) ** 2
        // A white drawing: light and cover alike.
        expect(data[at]!).toBeCloseTo(data[at + 3]!, 5)
      }
    expect(Math.sqrt(sum / (width * height))).toBeLessThan(0.01)
  })
  test('what does not move is left to the bit, and a small budget of memory is enough', async () => {
    const still = { ...flyingDisc() }
    const plain = await made(still, 7)
    expect((await made(blurred(still, { by: 'own' }), 7)).data).toEqual(plain.data)
    const smeared = blurred(still, { by: 'frames', moments: 64 })
    expect((await made(smeared, 2, 1)).data).toEqual((await made(smeared, 2)).data)
  })
  test('light before it smears, light after it does not', async () => {
    const lit = (comp: Comp, at: number) => {
      const [next, id] = addStep(comp, comp.lanes[0]!.id, at, 'bloom')
      return putDial(putDial(next, id, 'threshold', 0.5), id, 'strength', 2)
    }
    const before = blurred(lit(flyingDisc(), 0), { by: 'own', shutter: 360, opens: -180 })
    const after = lit(blurred(flyingDisc(), { by: 'own', shutter: 360, opens: -180 }), 1)
    const [a, b] = [(await made(before, 2)).data, (await made(after, 2)).data]
    // Half of what is under the threshold once it is smeared gives no light any more.
    const light = (d: Float32Array) => d.reduce((s, v, i) => s + (i % 4 === 0 ? v : 0), 0)
    expect(light(a)).toBeGreaterThan(1.2 * light(b))
  })
  test('a motion pass that is not connected is asked for', async () => {
    expect((await made(blurred(flyingDisc(), { by: 'motion' }), 2)).problems.join()).toMatch(/motion feed/)
  })
})

describe('afterglow', () => {
  const glowing = (dials: Record<string, unknown>) => {
    const comp = flyingDisc()
    let [next, id] = addStep(comp, comp.lanes[0]!.id, 0, 'afterglow')
    const all = {
      threshold: 0,
      knee: 0,
      tint: [1, 1, 1],
      strength: 1,
      alone: true,
      coverAlpha: false,
      ...dials,
    }
    for (const [key, value] of Object.entries(all)) next = putDial(next, id, key, value)
    return next
  }
  test('keeps each earlier frame by its half-life, and nothing from before the shot', async () => {
    const { data } = await made(glowing({ frames: 6, halfLife: 2 }), 3)
    // Middles of the disc on frames 1 and 2, two and one frames ago.
    const at = (x: number, y: number) => data[(Math.floor(y) * width + Math.floor(x)) * 4]!
    expect(at(begin[0], begin[1])).toBeCloseTo(0.5 ** (2 / 2) * (1 - 2 / 7), 4)
    expect(at(begin[0] + way[0], begin[1] + way[1])).toBeCloseTo(0.5 ** (1 / 2) * (1 - 1 / 7), 4)
    const first = await made(glowing({ frames: 6 }), 1)
    expect(first.data.every((v, i) => i % 4 === 3 || v === 0)).toBe(true)
  })
  test('the oldest light has the tint', async () => {
    const { data } = await made(glowing({ frames: 2, halfLife: 1, tint: [1, 0.5, 0] }), 3)
    const at = (x: number, y: number) => [
      ...data.subarray((Math.floor(y) * width + Math.floor(x)) * 4).subarray(0, 3),
    ]
    const old = 0.25 * (1 - 2 / 3)
    at(begin[0], begin[1]).forEach((v, c) => {
      expect(v).toBeCloseTo(old * [1, 0.5, 0][c]!, 4)
    })
    const young = 0.5 * (1 - 1 / 3)
    at(begin[0] + way[0], begin[1] + way[1]).forEach((v) => {
      expect(v).toBeCloseTo(young, 4)
    })
  })
})
