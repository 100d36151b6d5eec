import { produce, type WritableDraft } from 'immer'
import type { Affine } from '../picture/affine.ts'
import { split } from '../shapes/outline.ts'
import { assert } from '../assert.ts'
import type { Drawing, Path, Shape, Vertex } from './drawing.ts'
import { celAt, drawnFrames, isKeyed, outlineAt, shapesOn } from './drawing-at.ts'
import { freshId } from './edits.ts'
import type { Comp } from './schema.ts'

// Edits of drawn shapes: pure, as those of the comp are.

export const findDrawing = (comp: Comp, id: string): Drawing | undefined =>
  comp.drawings.find((d) => d.id === id)

/** A new drawing without shapes. Gives back the comp and its id. */
export function addDrawing(comp: Comp, name: string): [Comp, string] {
  const id = freshId(comp, 'drawing')
  const drawing: Drawing = { id, name, time: 'keyed', shapes: [] }
  return [{ ...comp, drawings: [...comp.drawings, drawing] }, id]
}

export function editDrawing(comp: Comp, id: string, change: (drawing: Drawing) => Drawing): Comp {
  const drawings = comp.drawings.map((d) => (d.id === id ? change(d) : d))
  return drawings.every((d, i) => d === comp.drawings[i]) ? comp : { ...comp, drawings }
}

/** Changes the shapes that are seen at a frame: of a drawing per frame, those of the drawing that is held there. */
export function editShapes(
  comp: Comp,
  id: string,
  frame: number,
  change: (shapes: readonly Shape[]) => readonly Shape[],
): Comp {
  return editDrawing(comp, id, (drawing) => {
    const [before, after] = [shapesOn(drawing, frame), change(shapesOn(drawing, frame))]
    if (before === after || (before.length === after.length && before.every((s, i) => s === after[i])))
      return drawing
    if (drawing.time === 'keyed') return { ...drawing, shapes: [...after] }
    const seen = celAt(drawing, frame)
    assert(seen, 'shapes are changed where nothing is drawn')
    return { ...drawing, cels: drawing.cels.map((c) => (c === seen ? { ...c, shapes: [...after] } : c)) }
  })
}

export function editShape(
  comp: Comp,
  id: string,
  frame: number,
  shapeId: string,
  change: (shape: WritableDraft<Shape>) => void,
): Comp {
  return editShapes(comp, id, frame, (shapes) =>
    shapes.map((s) => (s.id === shapeId ? produce(s, change) : s)),
  )
}

/** A drawing of its own on a frame: empty, or a copy of the one that is held there. */
export function addCel(comp: Comp, id: string, frame: number, from: 'empty' | 'copy'): Comp {
  return editDrawing(comp, id, (drawing) => {
    if (drawing.time !== 'frames') return drawing
    const last = drawing.cels.findLast((c) => c.frame <= frame)
    const cel = { frame, shapes: from === 'copy' ? [...(last?.shapes ?? [])] : [] }
    const cels = [...drawing.cels.filter((c) => c.frame !== frame), cel].sort((a, b) => a.frame - b.frame)
    return { ...drawing, cels }
  })
}

export function removeCel(comp: Comp, id: string, frame: number): Comp {
  return editDrawing(comp, id, (drawing) =>
    drawing.time === 'frames' ? { ...drawing, cels: drawing.cels.filter((c) => c.frame !== frame) } : drawing,
  )
}

/** Adds a shape in front. On a frame without a drawing of its own, a drawing per frame begins one. Gives back the shape's id. */
export function addShape(comp: Comp, id: string, frame: number, name: string, path: Path): [Comp, string] {
  const drawing = findDrawing(comp, id)
  assert(drawing, `no drawing ${id}`)
  const isNew = drawing.time === 'frames' && celAt(drawing, frame)?.frame !== frame
  const ready = isNew ? addCel(comp, id, frame, 'empty') : comp
  const all = drawing.time === 'keyed' ? drawing.shapes : drawing.cels.flatMap((c) => c.shapes)
  const used = new Set(all.map((s) => s.id))
  let n = 1
  while (used.has(`shape${n}`)) n++
  const shape: Shape = {
    id: `shape${n}`,
    name: `${name} ${n}`,
    by: 'union',
    path,
    rule: 'nonzero',
    opacity: 1,
    inner: 0,
    outer: 0,
    shown: true,
    locked: false,
  }
  return [editShapes(ready, id, frame, (shapes) => [...shapes, shape]), shape.id]
}

/** Gives a shape another outline at a frame. One that has keys takes a key there. */
export function setPath(comp: Comp, id: string, frame: number, shapeId: string, path: Path): Comp {
  return editShape(comp, id, frame, shapeId, (shape) => {
    if (isKeyed(shape.path)) putKey(shape.path.keys, frame, path)
    else shape.path = path
  })
}

function putKey(keys: WritableDraft<{ frame: number; path: Path }>[], frame: number, path: Path): void {
  const at = keys.findIndex((k) => k.frame >= frame)
  if (at >= 0 && keys[at]!.frame === frame) keys[at]!.path = path
  else keys.splice(at < 0 ? keys.length : at, 0, { frame, path })
}

/** Changes every outline that a shape has in time alike: a point put in or taken out stays in step. */
export function changePaths(
  comp: Comp,
  id: string,
  frame: number,
  shapeId: string,
  change: (path: Path) => Path,
): Comp {
  return editShape(comp, id, frame, shapeId, (shape) => {
    if (isKeyed(shape.path)) for (const key of shape.path.keys) key.path = change(key.path)
    else shape.path = change(shape.path)
  })
}

export function splitShape(
  comp: Comp,
  id: string,
  frame: number,
  shapeId: string,
  piece: number,
  t: number,
): Comp {
  return changePaths(comp, id, frame, shapeId, (path) => (piece < path.length ? split(path, piece, t) : path))
}

/** Takes points out; a shape that is left with fewer than two goes. */
export function removePoints(
  comp: Comp,
  id: string,
  frame: number,
  shapeId: string,
  points: readonly number[],
): Comp {
  const without = (path: Path) => path.filter((_, i) => !points.includes(i))
  const next = changePaths(comp, id, frame, shapeId, without)
  return editShapes(next, id, frame, (shapes) =>
    shapes.some((s) => s.id === shapeId && outlineAt(s.path, frame).length < 2)
      ? shapes.filter((s) => s.id !== shapeId)
      : shapes,
  )
}

/** Sets a key of a shape's outline at a frame, as it is there; one that is there goes. Without keys the outline is constant. */
export function toggleKey(comp: Comp, id: string, frame: number, shapeId: string): Comp {
  return editShape(comp, id, frame, shapeId, (shape) => {
    const now = outlineAt(shape.path, frame)
    if (!isKeyed(shape.path)) {
      shape.path = { keys: [{ frame, path: now }] }
      return
    }
    const { keys } = shape.path
    const at = keys.findIndex((k) => k.frame === frame)
    if (at < 0) putKey(keys, frame, now)
    else if (keys.length === 1) shape.path = now
    else keys.splice(at, 1)
  })
}

/**
 * Another way in time. Keyed shapes become drawings on the frames of their keys (on this one, where there are none); drawings per frame
 * become the shapes that are seen at this frame, standing still.
 */
export function setTime(comp: Comp, id: string, time: Drawing['time'], frame: number): Comp {
  return editDrawing(comp, id, (drawing) => {
    const { name } = drawing
    if (time === drawing.time) return drawing
    if (drawing.time === 'frames') return { id, name, time: 'keyed', shapes: [...shapesOn(drawing, frame)] }
    const frames = drawnFrames(drawing)
    const cels = (frames.length > 0 ? frames : [frame]).map((f) => ({
      frame: f,
      shapes: drawing.shapes.map((s) => ({ ...s, path: outlineAt(s.path, f) })),
    }))
    return { id, name, time: 'frames', between: 'hold', cels }
  })
}

/** Points (all where `points` is undefined) through an affine map, handles with them. */
export function mapPoints(path: Path, [a, b, c, d, e, f]: Affine, points?: readonly number[]): Path {
  const turn = ([x, y]: readonly [number, number]): [number, number] => [a * x + b * y, d * x + e * y]
  return path.map((v, i) => {
    if (points && !points.includes(i)) return v
    const [x, y] = turn(v.at)
    return {
      ...v,
      at: [x + c, y + f],
      ...(v.in ? { in: turn(v.in) } : {}),
      ...(v.out ? { out: turn(v.out) } : {}),
    }
  })
}

/** A point without handles, or with a pair along the way from the point before to the one after. */
export function convertPoint(path: Path, index: number, to: 'corner' | 'smooth'): Path {
  return path.map((v, i): Vertex => {
    if (i !== index) return v
    const soft = v.soft === undefined ? {} : { soft: v.soft }
    if (to === 'corner') return { at: v.at, ...soft }
    const before = path[(i + path.length - 1) % path.length]!.at
    const after = path[(i + 1) % path.length]!.at
    const [dx, dy] = [(after[0] - before[0]) / 6, (after[1] - before[1]) / 6]
    return { at: v.at, in: [-dx, -dy], out: [dx, dy], ...soft }
  })
}
