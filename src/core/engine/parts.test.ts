import { expect, test } from 'vitest'
import { addDrawing, addShape } from '../comp/drawing-edits.ts'
import { addLane, addStep, editStep, emptyComp, setFeed } from '../comp/edits.ts'
import type { MediaTable, Pass } from '../comp/media.ts'
import type { Comp, Setting } from '../comp/schema.ts'
import { putDial } from '../comp/settings.ts'
import { effects, findEffect } from '../effects/registry.ts'
import type { FeedKind } from '../effects/effect.ts'
import type { PassBlock } from '../formats/pass-block.ts'
import { reducePass } from '../formats/reduce-pass.ts'
import { createLoneKernels } from '../kernels/wasm-kernels.ts'
import { passFilter } from '../passes/passes.ts'
import { Evaluator } from './evaluator.ts'
import { plan } from './plan/plan.ts'
import type { PlanNode } from './plan/plan-node.ts'
import { workArea, type Part } from './work-area.ts'

// What is seen of a frame, made alone, is what is seen of the whole frame.

const [width, height] = [870, 650]
const lamps = [
  [150, 120, 14, 20],
  [450, 90, 30, 6],
  [500, 350, 50, 2],
  [820, 600, 5, 60],
  [260, 560, 2, 90],
] as const
const made = (channels: number, value: (x: number, y: number) => readonly number[]): PassBlock => {
  const data = new Float32Array(width * height * channels)
  for (let i = 0; i < width * height; i++) data.set(value(i % width, Math.floor(i / width)), i * channels)
  return { width, height, x: 0, y: 0, channels, data }
}
const inside = (x: number, y: number) => Math.min(1, Math.max(0, 200 - Math.hypot(x - 430, y - 320)))
const blocks: Record<string, PassBlock> = {
  beauty: made(4, (x, y) => {
    const a = Math.min(1, 0.25 + inside(x, y))
    let v = a * (0.3 + 0.1 * Math.sin(x / 9) * Math.cos(y / 7) + 0.1 * ((x >> 4) % 2))
    for (const [cx, cy, radius, light] of lamps)
      v += light * Math.min(1, Math.max(0, radius - Math.hypot(x - cx, y - cy) + 0.5))
    return [v, 0.8 * v, 0.6 * v, a]
  }),
  depth: made(1, (x, y) => [inside(x, y) > 0.5 ? 8 : 20 + x / 100]),
  normal: made(3, (x, y) => [Math.sin(x / 90), Math.cos(x / 90) * 0.6, 0.8 * Math.cos(x / 90) + y / 1e5]),
  position: made(3, (x, y) => [x / 100, y / 100, -8]),
  motion: made(2, (x, y) => [6 * Math.sin(y / 60), 3]),
  matte: made(1, (x, y) => [inside(x, y)]),
}
const kinds: Record<string, Pass['kind']> = { beauty: 'colour' }
const media: MediaTable = {
  m1: {
    name: 'lamps',
    frames: { 1: 'a'.repeat(64) },
    passes: Object.entries(blocks).map(([name, { channels }]) => ({
      name,
      kind: kinds[name] ?? (name as Pass['kind']),
      channels: ['R', 'G', 'B', 'A'].slice(0, channels),
      type: 'float',
    })),
  },
}
const passFor: Record<Exclude<FeedKind, 'table'>, string> = {
  light: 'beauty',
  matte: 'matte',
  depth: 'depth',
  normal: 'normal',
  position: 'position',
  motion: 'motion',
}

function compOf(effect: string, dials: Readonly<Record<string, unknown>>, margin = 0): Comp {
  const empty = emptyComp(width, height)
  const sized = { ...empty, canvas: { ...empty.canvas, margin } }
  let comp = addLane(sized, 'Back', { type: 'pass', media: 'm1', pass: 'beauty' })
  const [stepped, id] = addStep(comp, 'lane1', 0, effect)
  comp = Object.entries(dials).reduce((c, [key, value]) => putDial(c, id, key, value as Setting), stepped)
  for (const [name, { kind, role }] of Object.entries(findEffect(effect)!.feeds))
    if (kind !== 'table' && role === undefined && kind !== 'light')
      comp = setFeed(comp, id, name, { from: { type: 'pass', media: 'm1', pass: passFor[kind] } })
  return comp
}

/** A window of a block, cut anew by its definition. */
function windowOfBlock(
  block: PassBlock,
  rows: readonly [number, number],
  columns: readonly [number, number],
): PassBlock {
  const [top, bottom] = rows.map((y) => Math.min(height, Math.max(0, y))) as [number, number]
  const [left, right] = columns.map((x) => Math.min(width, Math.max(0, x))) as [number, number]
  const { channels } = block
  const data = new Float32Array((right - left) * (bottom - top) * channels)
  for (let y = top; y < bottom; y++)
    for (let x = left; x < right; x++)
      for (let c = 0; c < channels; c++)
        data[((y - top) * (right - left) + x - left) * channels + c] =
          block.data[(y * width + x) * channels + c]!
  return { width: right - left, height: bottom - top, x: left, y: top, channels, data }
}

async function pictureOf(comp: Comp, seen?: Part) {
  const { kernels, store } = createLoneKernels(1024)
  const evaluator = new Evaluator(
    { kernels, store },
    ({ pass, reduction, rows, columns }) => {
      const block = blocks[pass.name]!
      // Of a part no more comes than was asked for, as from the store.
      const cut = rows && columns ? windowOfBlock(block, rows, columns) : block
      return Promise.resolve(
        reduction === 1 ? cut : reducePass(block, passFilter(pass), reduction, { width, height }),
      )
    },
    2 ** 29,
  )
  const { node, area } = plan(comp, media, 1, 1, { type: 'picture' }, undefined, seen)
  await evaluator.load(comp, node)
  return { picture: evaluator.evaluate(node), area }
}

/** The greatest difference within what is seen, and the brightest light there is. */
async function compared(comp: Comp, seen: Part, made?: Awaited<ReturnType<typeof pictureOf>>) {
  const [whole, part] = [made ?? (await pictureOf(comp)), await pictureOf(comp, seen)]
  const full = workArea(comp, 1)
  let [worst, peak, there, sum] = [0, 1e-9, 0, 0]
  for (const v of whole.picture.data) peak = Math.max(peak, v)
  for (let y = seen.y; y < seen.y + seen.height; y++)
    for (let x = seen.x; x < seen.x + seen.width; x++)
      for (let c = 0; c < 4; c++) {
        const at = ({ picture, area }: typeof whole) =>
          picture.data[((y + area.top) * picture.width + x + area.left) * 4 + c]!
        worst = Math.max(worst, Math.abs(at(whole) - at(part)))
        there = Math.max(there, at(whole))
        if (c < 3) sum += at(part)
      }
  return {
    worst: worst / peak,
    there: there / peak,
    mean: sum / (seen.width * seen.height * 3),
    share: (part.area.width * part.area.height) / (full.width * full.height),
  }
}

/** Windows somewhere in the frame, by a seed; its corners among them. */
function windowOf(seed: number): Part {
  const at = (n: number) => (Math.imul(seed * 7 + n, 0x9e3779b1) >>> 0) / 2 ** 32
  const [w, h] = [60 + Math.floor(at(1) * 160), 50 + Math.floor(at(2) * 120)]
  const place = (n: number, side: number) => Math.round(Math.min(1, Math.max(0, 1.4 * at(n) - 0.2)) * side)
  return { x: place(3, width - w), y: place(4, height - h), width: w, height: h }
}

// Tables take theirs from a file, and another picture is no work of its own.
const tested = effects.map((e) => e.id).filter((id) => !['look-table', 'other-picture'].includes(id))
test.each(tested.map((id, i) => [id, i] as const))('%s', async (id, i) => {
  const given = [{}, findEffect(id)!.starts.at(-1)?.dials ?? {}] as const
  for (const [n, dials] of given.entries()) {
    const { worst } = await compared(compOf(id, dials, n * 0.03), windowOf(2 * i + n))
    // Layers of defocus are those of the radii that are there; rays and spikes are laid on lines that go through the corners of the picture.
    const { kind, surveys } = findEffect(id)!
    const isExact = kind === 'filter' && !surveys && id !== 'defocus'
    const most = isExact ? 1e-5 : /rays|star/.test(id) ? 2e-2 : 1 / 1024
    expect(worst).toBeLessThan(most)
  }
})

// Light comes from everywhere. What of it is made on a smaller picture may be softer: thin ways from far away alone show that.
test.each([
  ['bloom', { threshold: 0.5, reach: 500, strength: 4 }, 1 / 1024],
  ['bloom', { threshold: 0, reach: 200, strength: 2 }, 1 / 1024],
  ['bloom', { threshold: 0.5, profile: 'eye', strength: 4 }, 1e-4],
  ['light-rays', { threshold: 0.5, length: 900, strength: 3 }, 5e-2],
  ['lens-reflections', { threshold: 0.5, strength: 3 }, 3e-3],
  ['star-glare', { threshold: 0.5, length: 700, strength: 3 }, 4e-2],
] as const)('%s of %j from all around', async (id, dials, most) => {
  const found = [
    await compared(compOf(id, dials), windowOf(3)),
    await compared(compOf(id, dials), windowOf(11)),
  ]
  for (const { worst } of found) expect(worst).toBeLessThan(most)
  expect(Math.max(...found.map(({ there }) => there))).toBeGreaterThan(0.01)
})

test('a chain of steps in mattes, drawings, gradients and lanes that are placed', async () => {
  let comp = compOf('bloom', { threshold: 0.8, reach: 90 })
  const steps: [string, Record<string, unknown>][] = [
    ['blur', { radius: 5 }],
    ['exposure', { stops: 0.5 }],
    ['vignette', {}],
    ['grain', {}],
    ['sharpen', { radius: 3 }],
  ]
  for (const [effect, dials] of steps) {
    const [next, id] = addStep(comp, 'lane1', comp.lanes[0]!.steps.length, effect)
    comp = Object.entries(dials).reduce((c, [key, value]) => putDial(c, id, key, value as Setting), next)
    comp = editStep(comp, id, (step) => {
      step.matte = { from: { type: 'pass', media: 'm1', pass: 'matte' }, spread: 6, soft: 9 }
    })
  }
  const end = (at: [number, number], red: number) => ({
    at,
    colour: [red, 0.2, 0.4] as [number, number, number],
    alpha: 0.5,
  })
  comp = addLane(comp, 'Sky', {
    type: 'gradient',
    shape: 'round',
    from: end([300, 200], 2),
    to: end([500, 600], 0),
  })
  const [moved, place] = addStep(comp, comp.lanes.at(-1)!.id, 0, 'place')
  comp = putDial(putDial(moved, place, 'moveX', 37), place, 'turn', 20)
  const path = [
    [100, 90],
    [700, 160],
    [420, 560],
  ].map(([x, y]) => ({ at: [x!, y!] as [number, number] }))
  const [begun, drawing] = addDrawing(comp, 'Flag')
  comp = addLane(addShape(begun, drawing, 1, 'Flag', path)[0], 'Flag', {
    type: 'drawing',
    drawing,
    colour: [0.5, 1, 2],
  })
  for (const seed of [1, 5, 8]) {
    const { worst, share } = await compared(comp, windowOf(seed))
    expect(worst).toBeLessThan(1 / 1024)
    expect(share).toBeLessThan(0.7)
  }
})

// Ways that cross, of odd lengths: places between pixels are as exact far from the corner of a picture as near to it.
test('what moves is smeared in a part as it is in the whole frame, and only what is around it is made', async () => {
  const was = [blocks['motion']!, blocks['depth']!] as const
  blocks['motion'] = made(2, (x, y) =>
    ((x >> 5) + (y >> 5)) % 3 === 0 ? [13.37, -7.7] : [-3.1 * Math.cos(x / 40), 11.3],
  )
  blocks['depth'] = made(1, (x, y) => [((x >> 5) + (y >> 5)) % 3 === 0 ? 5 : 9])
  const comp = compOf('motion-blur', { shutter: 300, opens: -100, centre: 0.3, longest: 30 })
  const whole = await pictureOf(comp)
  for (const seed of [2, 6]) {
    const { worst, share } = await compared(comp, windowOf(seed), whole)
    expect(worst).toBeLessThan(1e-6)
    expect(share).toBeLessThan(0.7)
  }
  ;[blocks['motion'], blocks['depth']] = was
})

// Up to where a step is made on the part; at a corner the part is well below the frame.
test.each([
  ['blur', { radius: 70 }],
  ['defocus', { by: 'same', radius: 120 }],
  ['matte-glow', { radius: 200, spread: 40 }],
  ['choke-spread', { spread: -90, softness: 80 }],
  ['noise-warp', { strength: 90, size: 200 }],
  ['sharpen', { radius: 40 }],
] as const)('%s of %j looks far', async (id, dials) => {
  const { worst, share } = await compared(compOf(id, dials), { x: 20, y: 500, width: 150, height: 140 })
  expect(worst).toBeLessThan(1e-5)
  expect(share).toBeLessThan(0.7)
})

test('lamps that stand outside of a part light it, and what is placed comes from outside of it', async () => {
  const made = (power: number, margin: number) => {
    const lamps = { lamps: '2', at1: [40, 30], distance1: 3, power1: power, at2: [830, 610], power2: power }
    const [moved, place] = addStep(compOf('cast-light', lamps, margin), 'lane1', 0, 'place')
    const dials = { moveX: 301, moveY: -150, turn: 33, scale: 1.7 }
    const placed = Object.entries(dials).reduce((c, [key, value]) => putDial(c, place, key, value), moved)
    return editStep(placed, place, (step) => {
      step.matte = { from: { type: 'pass', media: 'm1', pass: 'matte' } }
      step.amount = 0.8
    })
  }
  const seen = { x: 390, y: 270, width: 170, height: 130 }
  for (const margin of [0, 0.04]) {
    const { mean: dark } = await compared(made(0, margin), seen)
    const { worst, share, there, mean } = await compared(made(9, margin), seen)
    expect(worst / there).toBeLessThan(1e-5)
    expect(mean).toBeGreaterThan(1.2 * dark)
    expect(share).toBeLessThan(0.2)
  }
})

test('what is no less work is made whole', () => {
  const comp = compOf('exposure', { stops: 1 })
  const area = (seen: Part, of = comp) => plan(of, media, 1, 1, { type: 'picture' }, undefined, seen).area
  expect(area({ x: 20, y: 20, width: 800, height: 600 })).toEqual(workArea(comp, 1))
  const far = compOf('motion-blur', { shutter: 720, opens: -360, longest: 300 })
  const corner = { x: 100, y: 100, width: 90, height: 60 }
  expect(area(corner, far)).toMatchObject({ width: 160, height: 128 })
  expect(area(corner)).toMatchObject({ width: 96, height: 96, left: -96, top: -96 })
})

test('of a frame too large to be made whole, light from far away is soon there, or as fine as a frame that is made whole', () => {
  const comp = compOf('bloom', { reach: 900 })
  const sizesOf = (side: readonly [number, number], isFine: boolean) => {
    const large: Comp = { ...comp, canvas: { ...comp.canvas, width: side[0], height: side[1] } }
    const seen = { x: 1000, y: 900, width: 600, height: 400, isFine }
    const sizes = new Set<number>()
    const visit = (n: PlanNode) => {
      if (n.load) sizes.add(n.load.reduction)
      n.inputs.forEach(visit)
    }
    visit(plan(large, media, 1, 1, { type: 'picture' }, undefined, seen).node)
    return [...sizes].sort((a, b) => a - b)
  }
  expect(sizesOf([8192, 4320], false)).toEqual([1, 16])
  // 8.8 and 4.2 million pixels; a half of the second would be 16.8.
  expect(sizesOf([8192, 4320], true)).toEqual([1, 2])
  expect(sizesOf([16384, 4096], true)).toEqual([1, 4])
})

// Laws that share nothing with the whole picture: the integral of a Gaussian over a half-plane, and cos⁴ about the middle of the frame.
test('an edge that is blurred, and a lens that darkens, are where they should be in a part', async () => {
  const edge = 431
  const [was, comp] = [blocks['beauty']!, compOf('blur', { radius: 6 })]
  blocks['beauty'] = made(4, (x) => (x < edge ? [1, 1, 1, 1] : [0, 0, 0, 1]))
  const seen = { x: 415, y: 500, width: 33, height: 21 }
  const { picture, area } = await pictureOf(comp, seen)
  blocks['beauty'] = made(4, () => [1, 1, 1, 1])
  const dark = await pictureOf(compOf('vignette', { by: 'lens', field: 80 }), seen)
  blocks['beauty'] = was
  const focal = width / 2 / Math.tan((40 * Math.PI) / 180)
  for (let y = seen.y; y < seen.y + seen.height; y += 5)
    for (let x = seen.x; x < seen.x + seen.width; x++) {
      const at = (p: typeof picture, a: typeof area) => p.data[((y + a.top) * p.width + x + a.left) * 4]!
      // By Simpson's rule over the pixels left of the edge.
      let sum = 0
      for (let k = 0; k <= 4000; k++) {
        const t = x + 0.5 - edge + (k * 60) / 4000
        sum += (k === 0 || k === 4000 ? 1 : k % 2 ? 4 : 2) * Math.exp((-t * t) / 72)
      }
      expect(at(picture, area)).toBeCloseTo((sum * 0.015) / 3 / (6 * Math.sqrt(2 * Math.PI)), 2)
      const tan = Math.hypot(x + 0.5 - width / 2, y + 0.5 - height / 2) / focal
      expect(at(dark.picture, dark.area)).toBeCloseTo((1 + tan * tan) ** -2, 4)
    }
  expect(area.width).toBeLessThan(width / 2)
})
