import { placement } from '../picture/affine.ts'
import { easeBetween } from '../tracks/bezier.ts'
import type { Setting } from '../tracks/track.ts'
import type { Canvas } from '../dials/dial-type.ts'
import type { Drawing, DrawnPoint, KeyedPath, Path, Placing, Shape, Vertex } from './drawing.ts'

// A drawing at one frame.

/** A shape as it is at a frame. */
export interface ShapeNow extends Pick<Shape, 'id' | 'by' | 'rule'> {
  readonly path: Path
  readonly opacity: number
  readonly inner: number
  readonly outer: number
}

/** What a setting is at the frame that a drawing is looked at. */
export type ValueNow = (setting: Setting) => unknown

export function isKeyed(path: Shape['path']): path is KeyedPath {
  return !Array.isArray(path)
}

const mixed = (a: number, b: number, t: number) => a + (b - a) * t
const mixedPoint = (a: DrawnPoint, b: DrawnPoint, t: number): DrawnPoint => [
  mixed(a[0], b[0], t),
  mixed(a[1], b[1], t),
]

function mixedVertex(a: Vertex, b: Vertex, t: number): Vertex {
  const handle = (key: 'in' | 'out') =>
    a[key] || b[key] ? { [key]: mixedPoint(a[key] ?? [0, 0], b[key] ?? [0, 0], t) } : {}
  const soft =
    a.soft === undefined && b.soft === undefined ? {} : { soft: mixed(a.soft ?? 0, b.soft ?? 0, t) }
  return { at: mixedPoint(a.at, b.at, t), ...handle('in'), ...handle('out'), ...soft }
}

/**
 * The outline at a frame: the constant one, or point by point between keys; held before the first and after the last. Between keys
 * with unlike numbers of points the earlier one is held.
 */
export function outlineAt(path: Shape['path'], frame: number): Path {
  if (!isKeyed(path)) return path
  const { keys } = path
  const next = keys.findIndex((k) => k.frame > frame)
  if (next === 0) return keys[0]!.path
  const before = keys.at(next < 0 ? -1 : next - 1)!
  const after = next < 0 ? undefined : keys[next]
  const ease = before.ease ?? 'linear'
  if (!after || ease === 'hold' || before.path.length !== after.path.length) return before.path
  const t = easeBetween((frame - before.frame) / (after.frame - before.frame), ease)
  return before.path.map((v, i) => mixedVertex(v, after.path[i]!, t))
}

/** The cel whose drawing is seen at a frame, of a drawing per frame; undefined where nothing is. */
export function celAt(drawing: Drawing & { time: 'frames' }, frame: number) {
  const cel = drawing.cels.findLast((c) => c.frame <= frame)
  return drawing.between === 'hold' || cel?.frame === frame ? cel : undefined
}

/** The shapes of a drawing that belong to a frame, shown or not, in the order that they are joined. */
export function shapesOn(drawing: Drawing, frame: number): readonly Shape[] {
  return drawing.time === 'keyed' ? drawing.shapes : (celAt(drawing, frame)?.shapes ?? [])
}

/** An outline moved, turned and scaled as its drawing is placed. */
function placedPath(path: Path, placing: Placing, valueOf: ValueNow, canvas: Canvas): Path {
  const { about, move = [0, 0], turn = 0, scale = 100 } = placing
  const pivot = about === undefined ? [canvas.width / 2, canvas.height / 2] : valueOf(about)
  const size = (valueOf(scale) as number) / 100
  const matrix = placement(
    pivot as DrawnPoint,
    [size, size],
    valueOf(turn) as number,
    valueOf(move) as DrawnPoint,
  )
  const [a, b, c, d, e, f] = matrix
  const at = ([x, y]: DrawnPoint): DrawnPoint => [a * x + b * y + c, d * x + e * y + f]
  const way = ([x, y]: DrawnPoint): DrawnPoint => [a * x + b * y, d * x + e * y]
  return path.map((v) => ({
    ...v,
    at: at(v.at),
    ...(v.in && { in: way(v.in) }),
    ...(v.out && { out: way(v.out) }),
  }))
}

/** What a drawing shows at a frame, where it is placed then. */
export function shapesAt(drawing: Drawing, frame: number, valueOf: ValueNow, canvas: Canvas): ShapeNow[] {
  const { placing } = drawing
  return shapesOn(drawing, frame)
    .filter((s) => s.shown)
    .map(({ id, by, rule, inner, outer, path, opacity }) => {
      const own = outlineAt(path, frame)
      return {
        id,
        by,
        rule,
        inner: valueOf(inner) as number,
        outer: valueOf(outer) as number,
        path: placing ? placedPath(own, placing, valueOf, canvas) : own,
        opacity: valueOf(opacity) as number,
      }
    })
}

/** All shapes that a drawing ever has, each once. */
export function shapesEver(drawing: Drawing): readonly Shape[] {
  if (drawing.time === 'keyed') return drawing.shapes
  const all = new Map(drawing.cels.flatMap(({ shapes }) => shapes.map((shape) => [shape.id, shape] as const)))
  return [...all.values()]
}

/** Frames on which something was drawn: keys of shapes, or drawings. */
export function drawnFrames(drawing: Drawing): number[] {
  const frames =
    drawing.time === 'frames'
      ? drawing.cels.map((c) => c.frame)
      : drawing.shapes.flatMap((s) => (isKeyed(s.path) ? s.path.keys.map((k) => k.frame) : []))
  return [...new Set(frames)].sort((a, b) => a - b)
}

/** What a finisher should know of a shape at a frame; undefined where there is nothing to say. */
export function shapeNote(path: Path, canvas: { width: number; height: number }): string | undefined {
  if (path.length === 0) return 'no points'
  if (path.length === 1) return 'one point encloses nothing'
  if (path.length === 2 && path.every((v) => !v.in && !v.out)) return 'two points enclose nothing'
  const isOutside = (axis: 0 | 1, size: number) => {
    const places = path.flatMap((v) =>
      [v.at, v.in, v.out].map((p, i) => (p ? p[axis] + (i > 0 ? v.at[axis] : 0) : v.at[axis])),
    )
    return places.every((p) => p <= 0) || places.every((p) => p >= size)
  }
  if (isOutside(0, canvas.width) || isOutside(1, canvas.height)) return 'outside the picture'
  if (path.length > 2000) return `${path.length} points: slow to change`
  return undefined
}
