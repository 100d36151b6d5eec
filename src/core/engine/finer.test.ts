import { expect, test } from 'vitest'
import { addDrawing, addShape } from '../comp/drawing-edits.ts'
import { addLane, addStep, emptyComp } from '../comp/edits.ts'
import type { MediaTable } from '../comp/media.ts'
import type { Comp } from '../comp/schema.ts'
import { putDial } from '../comp/settings.ts'
import { reducePass } from '../formats/reduce-pass.ts'
import { createLoneKernels } from '../kernels/wasm-kernels.ts'
import { passFilter } from '../passes/passes.ts'
import { random } from '../kernels/try-kernels.ts'
import { ellipse } from '../shapes/outline.ts'
import type { LoadPass } from './evaluator.ts'
import { plan } from './plan/plan.ts'
import { Session } from './session/session.ts'

const media: MediaTable = {
  m1: {
    name: 'lamps',
    frames: { 1: 'a'.repeat(64) },
    passes: [{ name: 'beauty', kind: 'colour', channels: ['R', 'G', 'B', 'A'], type: 'float' }],
  },
}
const picture = { type: 'picture' } as const
const view = { gain: 1, channel: 'colour', checker: 0 } as const

/** A session on one pass of this size, opaque, whose grey light is told pixel by pixel. */
function startOn(width: number, height: number, light: (x: number, y: number) => number) {
  const data = Float32Array.from({ length: width * height * 4 }, (_, i) =>
    i % 4 === 3 ? 1 : light((i >> 2) % width, Math.floor((i >> 2) / width)),
  )
  const block = { width, height, x: 0, y: 0, channels: 4, data }
  const load: LoadPass = (ref) =>
    Promise.resolve(
      ref.reduction === 1 ? block : reducePass(block, passFilter(ref.pass), ref.reduction as 2, block),
    )
  const session = new Session(createLoneKernels(256), load, 2 ** 27)
  const lane = addLane(emptyComp(width, height), 'Back', { type: 'pass', media: 'm1', pass: 'beauty' })
  /** What is shown of a comp at a size: settled at full size, moving at all others. */
  const show = async (comp: Comp, reduction: 1 | 2 | 4) => {
    const wish = { frame: 1, target: picture, view, reduction, isProxy: reduction > 1, finest: 1 } as const
    await session.answer('show', { comp, media }, wish)
    const { picture: shown } = session.shown!
    return { width: shown.width, height: shown.height, data: Float32Array.from(shown.data) }
  }
  return { session, lane, show }
}

test.each([
  [403, 301, 0],
  [404, 300, 0.05],
])(
  'of %i × %i pixels with a margin of %d what does not move is the mean of its pixels at full size',
  async (width, height, margin) => {
    const next = random(7)
    const noise = Float32Array.from({ length: width * height }, () => 2 * next())
    const { lane, show } = startOn(width, height, (x, y) => noise[y * width + x]!)
    const canvas = { ...lane, canvas: { ...lane.canvas, margin } }
    const [held, clamp] = addStep(canvas, 'lane1', 0, 'clamp')
    const comp = putDial(held, clamp, 'high', 0.7)
    const whole = await show(comp, 1)
    for (const factor of [2, 4] as const) {
      const small = await show(comp, factor)
      for (let y = 0; y < small.height; y++)
        for (let x = 0; x < small.width; x++) {
          let [sum, count] = [0, 0]
          for (let sy = y * factor; sy < Math.min(whole.height, (y + 1) * factor); sy++)
            for (let sx = x * factor; sx < Math.min(whole.width, (x + 1) * factor); sx++, count++)
              sum += whole.data[(sy * whole.width + sx) * 4]!
          expect(Math.abs(small.data[(y * small.width + x) * 4]! - sum / count)).toBeLessThan(2e-6)
        }
      // Held only after it was made smaller, nearly all of it would be 0.7: the mean of this noise is far above.
      const mean =
        small.data.reduce((all, v, i) => (i % 4 === 0 ? all + v : all), 0) / (small.data.length / 4)
      if (margin === 0) expect(mean).toBeLessThan(0.6)
    }
  },
)

test('while its threshold moves a bloom gives the light of lamps of a pixel: that which is above it, pixel by pixel', async () => {
  const [width, height] = [480, 272]
  const isLamp = (x: number, y: number) => x % 60 === 30 && y % 68 === 34
  const { lane, show } = startOn(width, height, (x, y) => (isLamp(x, y) ? 9 : 0.05))
  const [bloomed, bloom] = addStep(lane, 'lane1', 0, 'bloom')
  const begun = putDial(putDial(bloomed, bloom, 'reach', 12), bloom, 'knee', 0)
  await show(begun, 1)
  const count = 8 * 4
  for (const [threshold, strength] of [
    [0.5, 1],
    [1, 1],
    [6.5, 0.4],
  ] as const) {
    const comp = putDial(putDial(begun, bloom, 'threshold', threshold), bloom, 'strength', strength)
    const { data } = await show(comp, 4)
    const mean = data.reduce((all, v, i) => (i % 4 === 1 ? all + v : all), 0) / (data.length / 4)
    const before = 0.05 + (count * 8.95) / (width * height)
    const given = (strength * count * (9 - threshold)) / (width * height)
    expect((mean - before) / given).toBeGreaterThan(0.98)
    expect((mean - before) / given).toBeLessThan(1.02)
  }
})

test('what follows and was read stays read while something moves', async () => {
  const { session, show, lane } = startOn(160, 90, () => 0.2)
  const [begun, drawing] = addDrawing(lane, 'Disc')
  const [drawn] = addShape(begun, drawing, 1, 'Disc', ellipse(30, 20, 50, 40))
  const over = addLane(drawn, 'Disc', { type: 'drawing', drawing })
  const disc = over.lanes.at(-1)!.id
  const [softer] = addStep(over, disc, 0, 'blur')
  const [comp, rays] = addStep(softer, 'lane1', 0, 'light-rays')
  const of = { type: 'matte', matte: { from: { type: 'tap', lane: disc } } } as const
  const track = {
    keys: [{ frame: 1, value: [0, 0] as [number, number] }],
    riders: [{ type: 'follow' as const, on: true, of, offset: [0, 0] as [number, number] }],
  }
  const followed = putDial(comp, rays, 'origin', track)
  await show(followed, 1)
  const finer = { reductions: [1, 2] as const, isThere: (key: string) => session.evaluator.has(key) }
  const moved = putDial(followed, rays, 'length', 50)
  expect(plan(moved, media, 1, 4, picture, session.readings, undefined, finer).needs).toEqual([])
})
