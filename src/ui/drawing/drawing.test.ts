import { beforeEach, describe, expect, test } from 'vitest'
import { addDrawing } from '../../core/comp/drawing-edits.ts'
import { emptyComp } from '../../core/comp/edits.ts'
import type { Path } from '../../core/comp/drawing.ts'
import { createShotStore, type ShotStore } from '../shot/shot-store.ts'
import { putInMiddle, putShape } from './put-shape.ts'
import { smoothLine } from './smooth-line.ts'
import { isAligned, roundVertex } from './vertices.ts'

type Point = readonly [number, number]

/** Points of a closed outline, by Bernstein's polynomials. */
function pointsOn(path: Path, each = 400): Point[] {
  return path.flatMap((v, i) => {
    const next = path[(i + 1) % path.length]!
    const corners = [
      v.at,
      [v.at[0] + (v.out?.[0] ?? 0), v.at[1] + (v.out?.[1] ?? 0)],
      [next.at[0] + (next.in?.[0] ?? 0), next.at[1] + (next.in?.[1] ?? 0)],
      next.at,
    ] as const
    return Array.from({ length: each }, (_, k): Point => {
      const t = k / each
      const weights = [(1 - t) ** 3, 3 * t * (1 - t) ** 2, 3 * t * t * (1 - t), t ** 3]
      const sum = (axis: 0 | 1) => corners.reduce((s, c, j) => s + weights[j]! * c[axis], 0)
      return [sum(0), sum(1)]
    })
  })
}
const farthest = (from: readonly Point[], to: readonly Point[]) =>
  Math.max(...from.map(([x, y]) => Math.min(...to.map(([u, v]) => Math.hypot(u - x, v - y)))))
/** A hand goes round with a tremor, a point every few pixels. */
const round = (radius: (angle: number) => number): Point[] =>
  Array.from({ length: 240 }, (_, i) => {
    const angle = (i / 240) * 2 * Math.PI
    return [300 + radius(angle) * Math.cos(angle), 200 + radius(angle) * Math.sin(angle)]
  })

describe('a line that is drawn by hand', () => {
  test.each([
    ['a disc', () => 120],
    ['a blot', (a: number) => 100 + 30 * Math.sin(3 * a) + 8 * Math.cos(7 * a)],
    ['a tremor', (a: number) => 110 + Math.sin(60 * a)],
  ])('%s becomes few curves that stay within the tolerance of it, both ways, and close', (_, radius) => {
    const line = round(radius)
    const path = smoothLine(line, 2)
    expect(path.length).toBeGreaterThan(1)
    expect(path.length).toBeLessThan(30)
    const made = pointsOn(path)
    // Rounded to a tenth of a pixel, at points that lie up to 3 px apart.
    expect(farthest(line, made)).toBeLessThan(2.3)
    expect(farthest(made, line)).toBeLessThan(2.3 + 1.6)
  })
  test('a finer tolerance takes more points; a closed line is as an open one; fewer than three points are none', () => {
    const line = round((a) => 100 + 25 * Math.sin(5 * a))
    expect(smoothLine(line, 0.5).length).toBeGreaterThan(smoothLine(line, 6).length)
    expect(smoothLine([...line, line[0]!], 2)).toEqual(smoothLine(line, 2))
    for (const few of [
      [],
      [[1, 1]],
      [
        [1, 1],
        [1, 1],
        [2, 2],
      ],
      [
        [3, 3],
        [3, 3],
        [3, 3],
      ],
    ] as Point[][])
      expect(smoothLine(few, 2)).toEqual([])
  })
})

test('handles are one line when they point away from each other, within a few degrees; places are tenths of a pixel', () => {
  const at: [number, number] = [5, 5]
  const turned = (degrees: number): [number, number] => {
    const a = (degrees * Math.PI) / 180
    return [20 * Math.cos(a), 20 * Math.sin(a)]
  }
  const is = (degrees: number) => isAligned({ at, in: [-7, 0], out: turned(degrees) })
  expect([0, 2, -2, 4, 90, 180].map(is)).toEqual([true, true, true, false, false, false])
  expect(isAligned({ at, in: [1, 0] })).toBe(false)
  expect(roundVertex({ at: [1.249, -0.05], out: [0.333, 9] })).toEqual({ at: [1.2, -0], out: [0.3, 9] })
})

describe('shapes that are put in', () => {
  let store: ShotStore
  let drawing = ''
  beforeEach(() => {
    const [comp, made] = addDrawing(emptyComp(400, 200), 'Flag')
    drawing = made
    store = createShotStore({ comp, media: {} })
  })
  test.each(['ellipse', 'box'] as const)(
    'the %s in the middle, half as high as the frame, is one undo and is selected',
    (tool) => {
      const before = store.getState().comp
      putInMiddle(store, drawing, tool)
      const { draw, comp, editName } = store.getState()
      const drawn = JSON.stringify(comp.drawings)
      expect(drawn).toContain(draw!.shape!)
      expect([draw!.tool, editName]).toEqual(['choose', `Draw ${tool}`])
      const found = comp.drawings.find((d) => d.id === drawing)!
      const path = JSON.parse(JSON.stringify(found)) as { time: string }
      const points = pointsOn(pathIn(path))
      const [xs, ys] = [points.map((p) => p[0]), points.map((p) => p[1])]
      for (const [value, wanted] of [
        [Math.min(...xs), 150],
        [Math.max(...xs), 250],
        [Math.min(...ys), 50],
        [Math.max(...ys), 150],
      ] as const)
        expect(value).toBeCloseTo(wanted, 0)
      if (tool === 'ellipse')
        for (const [x, y] of points) expect(Math.hypot(x - 200, y - 100)).toBeCloseTo(50, 0)
      store.temporal.getState().undo()
      expect(store.getState().comp).toBe(before)
    },
  )
  test('a path of one point is none', () => {
    const before = store.getState().comp
    putShape(store, drawing, 'Shape', [{ at: [1, 1] }])
    expect(store.getState().comp).toBe(before)
  })
})

/** The first path anywhere in a value: the only one there is. */
function pathIn(value: unknown): Path {
  const found = (v: unknown): Path | undefined => {
    if (
      Array.isArray(v) &&
      v.length > 1 &&
      v.every((p: unknown) => typeof p === 'object' && p !== null && 'at' in p)
    )
      return v as Path
    if (typeof v !== 'object' || v === null) return undefined
    for (const inner of Object.values(v)) {
      const path = found(inner)
      if (path) return path
    }
    return undefined
  }
  return found(value)!
}
