import { describe, expect, test } from 'vitest'
import type { Path } from '../comp/drawing.ts'
import type { ShapeNow } from '../comp/drawing-at.ts'
import { hashUnit } from '../kernels/noise.ts'
import { createLoneKernels } from '../kernels/wasm-kernels.ts'
import { coverOf, type FillRule } from './cover.ts'
import { drawShapes } from './draw-shapes.ts'
import { bezierAt, boundsOf, controls, ellipse, flatten, nearestOn, rectangle, split } from './outline.ts'

const workshop = createLoneKernels(64)
const asIs = ([x, y]: readonly [number, number]) => [x, y] as const
const shape = (path: Path, more: Partial<ShapeNow> = {}): ShapeNow => ({
  id: 's',
  by: 'union',
  rule: 'nonzero',
  inner: 0,
  outer: 0,
  opacity: 1,
  path,
  ...more,
})
function drawn(shapes: readonly ShapeNow[], width: number, height: number, scale = 1): Float32Array {
  const out = workshop.store.allocate(width, height, 1)
  drawShapes(out, shapes, { scale, left: 0, top: 0 }, workshop)
  const data = out.data.slice()
  workshop.store.release(out)
  return data
}

/** Shares of 64 × 64 samples a pixel that are inside, by the crossings left of each: nothing of the rasteriser is in it. */
function sampled(path: Path, width: number, height: number, rule: FillRule): Float32Array {
  const { points } = flatten(path, asIs, 1e-3)
  const side = 64
  const out = new Float32Array(width * height)
  for (let row = 0; row < height * side; row++) {
    const y = (row + 0.5) / side
    const crossings: { x: number; way: number }[] = []
    for (let i = 0; i < points.length; i += 2) {
      const j = (i + 2) % points.length
      const [x0, y0, x1, y1] = [points[i]!, points[i + 1]!, points[j]!, points[j + 1]!]
      if (y0 <= y !== y1 <= y)
        crossings.push({ x: x0 + ((x1 - x0) * (y - y0)) / (y1 - y0), way: y1 > y0 ? 1 : -1 })
    }
    crossings.sort((a, b) => a.x - b.x)
    let [next, winding] = [0, 0]
    for (let column = 0; column < width * side; column++) {
      while (next < crossings.length && crossings[next]!.x <= (column + 0.5) / side)
        winding += crossings[next++]!.way
      if (rule === 'nonzero' ? winding !== 0 : next % 2 === 1)
        out[Math.floor(row / side) * width + Math.floor(column / side)]! += 1 / side / side
    }
  }
  return out
}
const meanError = (a: Float32Array, b: Float32Array) =>
  a.reduce((sum, v, i) => sum + Math.abs(v - b[i]!), 0) / a.length

const star: Path = [0, 1, 2, 3, 4].map((k) => {
  const angle = -Math.PI / 2 + (k * 4 * Math.PI) / 5
  return { at: [15.3 + 13 * Math.cos(angle), 12.4 + 11 * Math.sin(angle)] }
})
const loop: Path = [
  { at: [4, 6], out: [22, 18] },
  { at: [27, 5], in: [-25, 17], out: [3, -9] },
  { at: [14, 3], in: [9, -4], out: [-4, 2] },
]
const scribble: Path = Array.from({ length: 40 }, (_, i) => ({
  at: [hashUnit(5, 1, i, 0) * 34 - 2, hashUnit(5, 1, i, 1) * 27 - 2],
}))

describe('cover', () => {
  test.each([
    ['an ellipse', ellipse(3.2, 2.7, 27.9, 20.1)],
    ['curves that cross themselves', loop],
    ['a star drawn through itself', star],
    ['forty random lines, partly beyond the picture', scribble],
    ['a sliver thinner than a pixel', [{ at: [2.1, 3] }, { at: [28, 19.2] }, { at: [28.2, 19.3] }] as Path],
  ])('of %s is that of 64 × 64 samples a pixel within 1/255, both rules', (_, path) => {
    for (const rule of ['nonzero', 'evenodd'] as const) {
      const out = new Float32Array(31 * 23)
      coverOf(out, 31, 23, [flatten(path, asIs, 0.005)], rule)
      const reference = sampled(path, 31, 23, rule)
      expect(meanError(out, reference)).toBeLessThan(1 / 255 / 4)
      // Sampling itself is off by up to 2/64 where an edge lies along a row.
      for (const [i, v] of out.entries()) expect(Math.abs(v - reference[i]!)).toBeLessThan(0.04)
    }
  })
  test('sums to the area of the outline, wherever it lies between pixels', () => {
    for (const shift of [0, 0.25, 0.5, 1 / 3]) {
      const polygon = rectangle(3 + shift, 2 + shift, 11.5 + shift, 9.25 + shift)
      const sum = drawn([shape(polygon)], 20, 15).reduce((a, b) => a + b, 0)
      expect(sum).toBeCloseTo(8.5 * 7.25, 4)
    }
    const round = drawn([shape(ellipse(5, 5, 45, 35))], 51, 41).reduce((a, b) => a + b, 0)
    expect(round / (Math.PI * 20 * 15)).toBeCloseTo(1, 3)
  })
  test('is the same by whichever way round, and nothing for what encloses nothing', () => {
    expect(
      drawn(
        [shape(loop.toReversed().map((v) => ({ at: v.at, in: v.out ?? [0, 0], out: v.in ?? [0, 0] })))],
        31,
        23,
      ),
    ).toEqual(drawn([shape(loop)], 31, 23))
    for (const path of [
      [],
      [{ at: [3, 3] }],
      [{ at: [3, 3] }, { at: [20, 9] }],
      rectangle(5, 5, 5, 20),
      rectangle(-90, 4, -40, 20),
      rectangle(60, 4, 90, 20),
      rectangle(4, -50, 9, -3),
    ] as Path[])
      expect(Math.max(...drawn([shape(path)], 31, 23))).toBe(0)
    expect(Math.min(...drawn([shape(rectangle(-40, -40, 99, 99))], 31, 23))).toBe(1)
  })
  test('of thousands of points that all cross stays within 0–1 and near the samples', () => {
    const wild: Path = Array.from({ length: 4000 }, (_, i) => ({
      at: [hashUnit(9, 1, i, 0) * 31, hashUnit(9, 1, i, 1) * 23],
    }))
    const out = drawn([shape(wild, { rule: 'evenodd' })], 31, 23)
    expect(out.every((v) => v >= 0 && v <= 1)).toBe(true)
    // So many lines cover half of everything.
    expect(out.reduce((a, b) => a + b, 0) / out.length).toBeCloseTo(0.5, 1)
  })
})

describe('shapes', () => {
  test('are joined in turn: added, taken away as a hole, kept inside', () => {
    const big = shape(rectangle(2, 2, 20, 20))
    const at = (data: Float32Array, x: number, y: number) => data[y * 31 + x]!
    const hole = drawn([big, shape(rectangle(8, 8, 14, 14), { by: 'subtract' })], 31, 23)
    expect([at(hole, 5, 5), at(hole, 10, 10), at(hole, 25, 10)]).toEqual([1, 0, 0])
    const half = drawn([big, shape(rectangle(8, 8, 14, 14), { by: 'subtract', opacity: 0.25 })], 31, 23)
    expect(at(half, 10, 10)).toBeCloseTo(0.75)
    const inside = drawn([big, shape(rectangle(15, 5, 29, 9), { by: 'intersect' })], 31, 23)
    expect([at(inside, 5, 7), at(inside, 17, 7), at(inside, 25, 7)]).toEqual([0, 1, 0])
  })
  test('have edges as soft as said, inside and outside, also where the outline lies beyond the picture', () => {
    const soft = drawn([shape(rectangle(20, -50, 99, 99), { inner: 4, outer: 12 })], 40, 9)
    const ramp = (x: number) => Math.min(1, Math.max(0, 0.5 + (4 - (20 - (x + 0.5))) / 16))
    for (let x = 0; x < 40; x++) expect(soft[4 * 40 + x]).toBeCloseTo(ramp(x), 5)
    const beyond = drawn([shape(rectangle(-60, -60, -6, 80), { outer: 20 })], 40, 9)
    expect(beyond[4 * 40 + 3]).toBeCloseTo(0.5 + (10 - 9.5) / 20, 5)
    const innerOnly = drawn([shape(rectangle(-3, -99, 200, 99), { inner: 10 })], 40, 9)
    expect(innerOnly[4 * 40]).toBeCloseTo(0.5 + (-5 + 3.5) / 10, 5)
  })
  test('may be softer at some points than at others', () => {
    const path = rectangle(10, 10, 50, 50).map((v, i) => ({ ...v, soft: i < 2 ? 0 : 16 }))
    const out = drawn([shape(path)], 60, 80)
    // Above, where both points are sharp, the edge is a pixel; below it runs 16 pixels out.
    expect(out[8 * 60 + 30]).toBe(0)
    expect(out[57 * 60 + 30]).toBeCloseTo(0.5 + (8 - 7.5) / 16, 1)
    expect(out[68 * 60 + 30]).toBe(0)
  })
  test('of a proxy are the mean of the full picture’s pixels', () => {
    const shapes = [shape(ellipse(8, 6, 50, 40))]
    const [full, half] = [drawn(shapes, 60, 48), drawn(shapes, 30, 24, 0.5)]
    for (const [i, v] of half.entries()) {
      const [x, y] = [(i % 30) * 2, Math.floor(i / 30) * 2]
      const four = [
        full[y * 60 + x]!,
        full[y * 60 + x + 1]!,
        full[(y + 1) * 60 + x]!,
        full[(y + 1) * 60 + x + 1]!,
      ]
      expect(v).toBeCloseTo(four.reduce((a, b) => a + b) / 4, 2)
    }
  })
})

describe('outlines', () => {
  test('stay where they are when a point is put in', () => {
    for (const [piece, t] of [
      [0, 0.3],
      [1, 0.8],
      [2, 0.5],
    ] as const) {
      const more = split(loop, piece, t)
      expect(more).toHaveLength(4)
      expect(meanError(drawn([shape(more)], 31, 23), drawn([shape(loop)], 31, 23))).toBeLessThan(1e-4)
    }
    expect(split(rectangle(0, 0, 10, 10), 3, 0.5).at(-1)).toEqual({ at: [0, 5] })
  })
  test('are found from a point beside them', () => {
    const on = bezierAt(controls(loop, 1), 0.37)
    const found = nearestOn(loop, on)!
    expect(found).toMatchObject({ piece: 1 })
    expect(found.t).toBeCloseTo(0.37, 2)
    expect(nearestOn(rectangle(0, 0, 10, 10), [5, -3])).toMatchObject({ piece: 0, t: 0.5, distance: 3 })
    expect(boundsOf([])).toBeUndefined()
  })
})
