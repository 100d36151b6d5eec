import { expect, test } from 'vitest'
import { addLane, addStep, emptyComp } from '../comp/edits.ts'
import type { MediaTable } from '../comp/media.ts'
import type { Comp, Setting } from '../comp/schema.ts'
import { putDial } from '../comp/settings.ts'
import { reducePass } from '../formats/reduce-pass.ts'
import { createLoneKernels } from '../kernels/wasm-kernels.ts'
import { passFilter } from '../passes/passes.ts'
import { Evaluator } from './evaluator.ts'
import type { PassRef } from './plan/plan-node.ts'
import { plan } from './plan/plan.ts'
import { Session } from './session/session.ts'

const [width, height] = [960, 544]
const data = new Float32Array(width * height * 4)
for (let i = 0; i < width * height; i++) {
  const [x, y] = [i % width, Math.floor(i / width)]
  let v = 0.1 + 0.1 * Math.sin(x / 90) * Math.cos(y / 70)
  for (const [cx, cy, radius, light] of [
    [250, 200, 14, 20],
    [650, 150, 30, 6],
    [750, 400, 60, 2],
  ] as const)
    v += light * Math.min(1, Math.max(0, radius - Math.hypot(x - cx, y - cy) + 0.5))
  data.set([v, 0.8 * v, 0.6 * v, 1], i * 4)
}
const block = { width, height, x: 0, y: 0, channels: 4, data }
const media: MediaTable = {
  m1: {
    name: 'lamps',
    frames: { 1: 'a'.repeat(64) },
    passes: [{ name: 'beauty', kind: 'colour', channels: ['R', 'G', 'B', 'A'], type: 'float' }],
  },
}

// A picture that moves is small, and is followed by one at the size that is looked at: the light may not jump.
test.each([
  ['bloom', { threshold: 1, reach: 60 }],
  ['bloom', { threshold: 1, profile: 'eye' }],
  ['star-glare', { threshold: 1, length: 120 }],
  ['light-rays', { threshold: 1, length: 300 }],
  ['lens-reflections', {}],
  ['blur', { radius: 20 }],
  ['lens-fringe', {}],
  ['vignette', {}],
] as const)('%s of %j is as bright at a half and a quarter, and looks alike', async (effect, dials) => {
  let comp = addLane(emptyComp(width, height), 'Back', { type: 'pass', media: 'm1', pass: 'beauty' })
  const [stepped, id] = addStep(comp, 'lane1', 0, effect)
  comp = Object.entries<Setting>(dials).reduce((c, [key, value]) => putDial(c, id, key, value), stepped)
  /** The mean green of cells of 32 × 32 pixels of the full frame. */
  const cells = async (reduction: 1 | 2 | 4) => {
    const { kernels, store } = createLoneKernels(512)
    const evaluator = new Evaluator(
      { kernels, store },
      (ref) =>
        Promise.resolve(
          ref.reduction === 1
            ? block
            : reducePass(block, passFilter(ref.pass), ref.reduction, { width, height }),
        ),
      2 ** 28,
    )
    const { node } = plan(comp, media, 1, reduction, { type: 'picture' })
    await evaluator.load(comp, node)
    const picture = evaluator.evaluate(node)
    const side = 32 / reduction
    const sums = new Float64Array((width / 32) * (height / 32))
    for (let y = 0; y < picture.height; y++)
      for (let x = 0; x < picture.width; x++)
        sums[Math.floor(y / side) * (width / 32) + Math.floor(x / side)]! +=
          picture.data[(y * picture.width + x) * 4 + 1]! / side ** 2
    return sums
  }
  const whole = await cells(1)
  const total = (sums: Float64Array) => sums.reduce((a, b) => a + b, 0)
  const peak = Math.max(...whole)
  // A picture of 240 pixels is the smallest that is shown.
  for (const reduction of [2, 4] as const) {
    const small = await cells(reduction)
    expect(Math.abs(total(small) / total(whole) - 1)).toBeLessThan(0.04)
    expect(Math.max(...small.map((v, i) => Math.abs(v - whole[i]!))) / peak).toBeLessThan(0.04)
  }
})

// Lamps of three pixels, as they are in large frames: at a quarter of the size they fill half a pixel.
test('what small lights give does not jump when the picture settles, whichever step of theirs moves', async () => {
  const small = new Float32Array(data.length)
  for (let i = 0; i < width * height; i++) small.set([0.1, 0.08, 0.06, 1], i * 4)
  for (let lamp = 0; lamp < 40; lamp++)
    for (let k = 0; k < 9; k++) {
      const [x, y] = [40 + ((lamp * 211) % 880) + (k % 3), 30 + ((lamp * 97) % 480) + Math.floor(k / 3)]
      small.set([14, 11, 8, 1], (y * width + x) * 4)
    }
  const load = (ref: PassRef) =>
    Promise.resolve(
      ref.reduction === 1
        ? { ...block, data: small }
        : reducePass({ ...block, data: small }, passFilter(ref.pass), ref.reduction as 2, { width, height }),
    )
  const frame = {
    frame: 1,
    target: { type: 'picture' },
    view: { gain: 1, channel: 'colour', checker: 0 },
  } as const
  const lane = addLane(emptyComp(width, height), 'Back', { type: 'pass', media: 'm1', pass: 'beauty' })
  const [stars, star] = addStep(lane, 'lane1', 0, 'star-glare')
  const [rayed, rays] = addStep(stars, 'lane1', 1, 'light-rays')
  const [comp, blur] = addStep(rayed, 'lane1', 2, 'blur')
  const session = new Session(createLoneKernels(512), load, 2 ** 28)
  /** The mean green above the wall behind the lamps, of what is shown. */
  const light = async (by: Session, of: Comp, reduction: 1 | 4) => {
    await by.answer('show', { comp: of, media }, { ...frame, reduction, isProxy: reduction > 1, finest: 1 })
    const { picture } = by.shown!
    const sum = picture.data.reduce((all, v, i) => (i % 4 === 1 ? all + v : all), 0)
    return sum / (picture.width * picture.height) - 0.08
  }
  await light(session, comp, 1)
  for (const [step, key, value] of [
    [star, 'length', 90],
    [star, 'threshold', 1.4],
    [rays, 'length', 150],
    [rays, 'threshold', 0.7],
    [blur, 'radius', 9],
  ] as const) {
    const moved = putDial(comp, step, key, value)
    const [moving, settled] = [await light(session, moved, 4), await light(session, moved, 1)]
    expect(Math.abs(moving / settled - 1)).toBeLessThan(0.02)
    // By themselves they give less.
    const alone = new Session(createLoneKernels(512), load, 2 ** 28)
    expect((await light(alone, moved, 4)) / settled).toBeLessThan(0.85)
  }
})
