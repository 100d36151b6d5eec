import { describe, expect, test } from 'vitest'
import { rectangle } from '../shapes/outline.ts'
import { drawnFrames, outlineAt, shapeNote, shapesAt } from './drawing-at.ts'
import {
  addCel,
  addDrawing,
  addShape,
  convertPoint,
  editDrawing,
  editShape,
  editShapes,
  findDrawing,
  mapPoints,
  removeCel,
  removePoints,
  setPath,
  setTime,
  splitShape,
  toggleKey,
} from './drawing-edits.ts'
import { addLane, addStep, editLane, emptyComp, setFeed } from './edits.ts'
import { dropDrawing } from './references.ts'
import { editProblem } from './guard.ts'
import { ProblemError } from './problem.ts'
import { parseComp, type Comp } from './schema.ts'

const box = (x: number) => rectangle(x, 0, x + 10, 10)
function begin(): { comp: Comp; id: string; shape: string } {
  const [comp, id] = addDrawing(emptyComp(64, 36), 'Window')
  const [drawn, shape] = addShape(comp, id, 1, 'Box', box(0))
  return { comp: drawn, id, shape }
}
const seen = (comp: Comp, id: string, frame: number) =>
  shapesAt(findDrawing(comp, id)!, frame, (v) => v, comp.canvas)
const left = (comp: Comp, id: string, frame: number) => seen(comp, id, frame)[0]?.path[0]?.at[0]

describe('shapes that move between keys', () => {
  test('stand still without keys; take a key where they are changed once they have one; ease between', () => {
    const { comp, id, shape } = begin()
    const moved = setPath(comp, id, 5, shape, box(3))
    expect([1, 5, 9].map((f) => left(moved, id, f))).toEqual([3, 3, 3])
    const keyed = setPath(toggleKey(comp, id, 1, shape), id, 11, shape, box(20))
    expect([0, 1, 6, 11, 30].map((f) => left(keyed, id, f))).toEqual([0, 0, 10, 20, 20])
    expect(drawnFrames(findDrawing(keyed, id)!)).toEqual([1, 11])
    const held = editShape(keyed, id, 1, shape, (s) => {
      if (!Array.isArray(s.path)) s.path.keys[0]!.ease = 'hold'
    })
    expect(left(held, id, 10)).toBe(0)
    expect(left(toggleKey(toggleKey(keyed, id, 1, shape), id, 11, shape), id, 1)).toBe(20)
    expect(parseComp(JSON.parse(JSON.stringify(keyed)))).toEqual(keyed)
  })
  test('keep their points in step when one is put in or taken out, on every key', () => {
    const { comp, id, shape } = begin()
    const keyed = setPath(toggleKey(comp, id, 1, shape), id, 11, shape, box(20))
    const more = splitShape(keyed, id, 1, shape, 0, 0.5)
    expect([1, 6, 11].map((f) => seen(more, id, f)[0]!.path[1]!.at)).toEqual([
      [5, 0],
      [15, 0],
      [25, 0],
    ])
    const less = removePoints(more, id, 6, shape, [0, 1])
    expect([1, 6, 11].map((f) => seen(less, id, f)[0]!.path.length)).toEqual([3, 3, 3])
    // Nothing is left of a shape with one point.
    expect(seen(removePoints(less, id, 6, shape, [0, 1]), id, 1)).toEqual([])
    // Keys with unlike points, as a file may hold: the earlier one is held.
    expect(
      outlineAt(
        {
          keys: [
            { frame: 1, path: box(0) },
            { frame: 5, path: box(9).slice(1) },
          ],
        },
        4,
      ),
    ).toEqual(box(0))
  })
})

describe('a drawing per frame', () => {
  test('is held or empty between, begins anew where something is drawn, and copies on wish', () => {
    const { comp, id } = begin()
    const frames = setTime(comp, id, 'frames', 3)
    expect(drawnFrames(findDrawing(frames, id)!)).toEqual([3])
    const [drawn] = addShape(frames, id, 7, 'Box', box(30))
    expect([1, 3, 6, 7, 20].map((f) => left(drawn, id, f))).toEqual([undefined, 0, 0, 30, 30])
    const empty = editDrawing(drawn, id, (d) => (d.time === 'frames' ? { ...d, between: 'empty' } : d))
    expect([3, 6, 7, 20].map((f) => left(empty, id, f))).toEqual([0, undefined, 30, undefined])
    const ended = addCel(drawn, id, 12, 'empty')
    expect([11, 12, 40].map((f) => left(ended, id, f))).toEqual([30, undefined, undefined])
    const copied = addCel(drawn, id, 5, 'copy')
    const changed = editShapes(copied, id, 6, (all) => all.map((s) => ({ ...s, path: box(50) })))
    expect([4, 5, 6, 7].map((f) => left(changed, id, f))).toEqual([0, 50, 50, 30])
    expect(left(removeCel(drawn, id, 7), id, 9)).toBe(0)
    expect(left(setTime(drawn, id, 'keyed', 8), id, 1)).toBe(30)
    expect(parseComp(JSON.parse(JSON.stringify(ended)))).toEqual(ended)
  })
  test('becomes of keys: one drawing for each', () => {
    const { comp, id, shape } = begin()
    const keyed = setPath(toggleKey(comp, id, 1, shape), id, 11, shape, box(20))
    const frames = setTime(keyed, id, 'frames', 4)
    expect([1, 6, 11].map((f) => left(frames, id, f))).toEqual([0, 0, 20])
  })
})

test('a drawing goes with all that names it; that of a locked lane can not be changed', () => {
  const { comp, id, shape } = begin()
  const from = { type: 'drawing', drawing: id } as const
  const used = setFeed(addStep(addLane(comp, 'Glow', from), 'lane1', 0, 'matte-glow')[0], 'step1', 'shape', {
    from,
  })
  const gone = dropDrawing(used, id)
  expect(gone.drawings).toEqual([])
  expect(gone.lanes[0]).toMatchObject({ source: { type: 'colour' }, steps: [{ feeds: {} }] })
  const locked = editLane(used, 'lane1', (l) => {
    l.locked = true
  })
  expect(editProblem(locked, setPath(locked, id, 1, shape, box(9)))).toMatch(/Glow is locked/)
  expect(editProblem(used, setPath(used, id, 1, shape, box(9)))).toBeUndefined()
})

describe('points', () => {
  test('are moved, turned and scaled alone or all, handles with them', () => {
    const path = convertPoint(box(0), 1, 'smooth')
    expect(path[1]).toEqual({ at: [10, 0], in: [-10 / 6, -10 / 6], out: [10 / 6, 10 / 6] })
    const quarter = mapPoints(path, [0, -2, 5, 2, 0, 0], [1])
    expect(quarter[0]).toBe(path[0])
    expect(quarter[1]).toEqual({ at: [5, 20], in: [20 / 6, -20 / 6], out: [-20 / 6, 20 / 6] })
    expect(convertPoint(path, 1, 'corner')).toEqual(box(0))
  })
  test('that enclose nothing or lie outside are told', () => {
    const canvas = { width: 64, height: 36 }
    expect(shapeNote([], canvas)).toMatch(/no points/)
    expect(shapeNote([{ at: [1, 1] }, { at: [9, 9] }], canvas)).toMatch(/two points/)
    expect(shapeNote([{ at: [1, 1], out: [9, 0] }, { at: [9, 9] }], canvas)).toBeUndefined()
    expect(shapeNote(rectangle(70, 0, 90, 9), canvas)).toMatch(/outside/)
    expect(shapeNote(rectangle(-5, 0, 9, 9), canvas)).toBeUndefined()
    expect(
      shapeNote(
        Array.from({ length: 3000 }, (_, i) => ({ at: [i % 60, i % 30] })),
        canvas,
      ),
    ).toMatch(/3000 points/)
  })
})

test('drawings of a file that do not fit are refused with their place', () => {
  const problems = (change: (comp: ReturnType<typeof JSON.parse>) => void) => {
    const data = JSON.parse(JSON.stringify(begin().comp)) as unknown
    change(data)
    try {
      parseComp(data)
      return ''
    } catch (error) {
      return (error as ProblemError).problems.map((p) => `${p.path} ${p.message}`).join('; ')
    }
  }
  type Loose = { drawings: { shapes: { path: unknown; inner: unknown }[]; id: string }[]; lanes: unknown[] }
  expect(
    problems((c: Loose) => {
      c.drawings[0]!.shapes[0]!.inner = -1
    }),
  ).toMatch(/drawings\.0\.shapes\.0\.inner wants 0 or more/)
  expect(
    problems((c: Loose) => {
      c.drawings.push(c.drawings[0]!)
    }),
  ).toMatch(/drawing1 is used twice/)
  expect(
    problems((c: Loose) => {
      c.drawings[0]!.shapes[0]!.path = {
        keys: [
          { frame: 4, path: [] },
          { frame: 2, path: [] },
        ],
      }
    }),
  ).toMatch(/rising frame/)
  expect(
    problems((c: Loose) => {
      c.drawings[0]!.shapes[0]!.path = Array.from({ length: 20_001 }, () => ({ at: [0, 0] }))
    }),
  ).toMatch(/20,000 points/)
  // A comp from before there were drawings is as it was.
  const { drawings, ...older } = emptyComp(8, 8)
  expect(parseComp(older)).toEqual({ ...older, drawings })
})
