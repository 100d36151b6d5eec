import type { Path, Vertex } from '../comp/drawing.ts'

// Closed outlines of cubic Béziers: as straight pieces, split, measured.

/** An outline as straight pieces: x, y of each corner, the last joined to the first; and the soft width at each, where it varies. */
export interface Polyline {
  readonly points: Float64Array
  readonly soft: Float64Array | undefined
}

type Point = readonly [number, number]
const none: Point = [0, 0]
const plus = (a: Point, b: Point): [number, number] => [a[0] + b[0], a[1] + b[1]]

/** The four control points of the piece from point i to the next. */
export function controls(path: Path, i: number): [Point, Point, Point, Point] {
  const [a, b] = [path[i]!, path[(i + 1) % path.length]!]
  return [a.at, plus(a.at, a.out ?? none), plus(b.at, b.in ?? none), b.at]
}

/** The point at 0–1 of a cubic Bézier. */
export function bezierAt([a, b, c, d]: readonly [Point, Point, Point, Point], t: number): [number, number] {
  const u = 1 - t
  const at = (i: 0 | 1) => u * u * (u * a[i] + 3 * t * b[i]) + t * t * (3 * u * c[i] + t * d[i])
  return [at(0), at(1)]
}

/**
 * A path as straight pieces that stay within `tolerance` of it, its coordinates put through `place`. Source of the number of pieces: G. Wang 1984 (from memory); the tests measure it.
 */
export function flatten(
  path: Path,
  place: (point: Point) => Point,
  tolerance: number,
  softOf?: (vertex: Vertex) => number,
): Polyline {
  const points: number[] = []
  const soft: number[] = []
  for (let i = 0; i < path.length; i++) {
    const [a, b, c, d] = controls(path, i).map(place) as [Point, Point, Point, Point]
    const bend = (p: Point, q: Point, r: Point) => {
      const [x, y] = [p[0] - 2 * q[0] + r[0], p[1] - 2 * q[1] + r[1]]
      return Math.sqrt(x * x + y * y)
    }
    const isStraight = path[i]!.out === undefined && path[(i + 1) % path.length]!.in === undefined
    const most = Math.max(bend(a, b, c), bend(b, c, d))
    const pieces = isStraight
      ? 1
      : Math.min(500, Math.max(1, Math.ceil(Math.sqrt((0.75 * most) / tolerance))))
    const [from, to] = softOf ? [softOf(path[i]!), softOf(path[(i + 1) % path.length]!)] : [0, 0]
    for (let k = 0; k < pieces; k++) {
      const t = k / pieces
      const [x, y] = bezierAt([a, b, c, d], t)
      points.push(x, y)
      if (softOf) soft.push(from + (to - from) * t)
    }
  }
  return { points: Float64Array.from(points), soft: softOf ? Float64Array.from(soft) : undefined }
}

/** A further point on the piece after point i, at 0–1 of it; the outline stays as it is. Source: de Casteljau's construction. */
export function split(path: Path, i: number, t: number): Path {
  const [p0, p1, p2, p3] = controls(path, i)
  const next = (i + 1) % path.length
  const [first, last] = [path[i]!, path[next]!]
  const between = (a: Point, b: Point): Point => [a[0] + (b[0] - a[0]) * t, a[1] + (b[1] - a[1]) * t]
  const isStraight = first.out === undefined && last.in === undefined
  const [a, b, c] = [between(p0, p1), between(p1, p2), between(p2, p3)]
  const [d, e] = [between(a, b), between(b, c)]
  const middle = isStraight ? between(p0, p3) : between(d, e)
  const from = (p: Point, o: Point): [number, number] => [p[0] - o[0], p[1] - o[1]]
  const soft =
    first.soft === undefined || last.soft === undefined
      ? {}
      : { soft: first.soft + (last.soft - first.soft) * t }
  const added: Vertex = {
    at: [middle[0], middle[1]],
    ...(isStraight ? {} : { in: from(d, middle), out: from(e, middle) }),
    ...soft,
  }
  if (isStraight) return path.toSpliced(i + 1, 0, added)
  const all = path.map((v, k) => ({
    ...v,
    ...(k === i ? { out: from(a, p0) } : {}),
    ...(k === next ? { in: from(c, p3) } : {}),
  }))
  return all.toSpliced(i + 1, 0, added)
}

/** The place on a path nearest to a point: the piece, how far along it, and the distance. Undefined for a path without points. */
export function nearestOn(
  path: Path,
  [x, y]: Point,
): { piece: number; t: number; distance: number } | undefined {
  let best: { piece: number; t: number; distance: number } | undefined
  const steps = 24
  const distanceTo = (bezier: ReturnType<typeof controls>, t: number) => {
    const [px, py] = bezierAt(bezier, t)
    return Math.hypot(px - x, py - y)
  }
  for (let piece = 0; piece < path.length; piece++) {
    const bezier = controls(path, piece)
    let [near, least] = [0, Infinity]
    for (let k = 0; k <= steps; k++) {
      const distance = distanceTo(bezier, k / steps)
      if (distance < least) [near, least] = [k / steps, distance]
    }
    let width = 1 / steps
    while (width > 1e-5) {
      for (const t of [near - width, near + width])
        if (t >= 0 && t <= 1 && distanceTo(bezier, t) < least) [near, least] = [t, distanceTo(bezier, t)]
      width /= 2
    }
    if (!best || least < best.distance) best = { piece, t: near, distance: least }
  }
  return best
}

/** Left, top, right and lower end of what a path's points and handles cover; undefined for a path without points. */
export function boundsOf(path: Path): [number, number, number, number] | undefined {
  if (path.length === 0) return undefined
  const all = path.flatMap((v) => [v.at, plus(v.at, v.in ?? none), plus(v.at, v.out ?? none)])
  const [xs, ys] = [all.map((p) => p[0]), all.map((p) => p[1])]
  const least = (values: readonly number[]) => values.reduce((a, b) => Math.min(a, b), Infinity)
  const most = (values: readonly number[]) => values.reduce((a, b) => Math.max(a, b), -Infinity)
  return [least(xs), least(ys), most(xs), most(ys)]
}

const circle = 0.5522847498307936

/** An ellipse inside a box: four Béziers, within 0.03 % of its radius (common practice). */
export function ellipse(left: number, top: number, right: number, bottom: number): Path {
  const [x, y, rx, ry] = [(left + right) / 2, (top + bottom) / 2, (right - left) / 2, (bottom - top) / 2]
  const [kx, ky] = [rx * circle, ry * circle]
  return [
    { at: [x, top], in: [-kx, 0], out: [kx, 0] },
    { at: [right, y], in: [0, -ky], out: [0, ky] },
    { at: [x, bottom], in: [kx, 0], out: [-kx, 0] },
    { at: [left, y], in: [0, ky], out: [0, -ky] },
  ]
}

export function rectangle(left: number, top: number, right: number, bottom: number): Path {
  return [{ at: [left, top] }, { at: [right, top] }, { at: [right, bottom] }, { at: [left, bottom] }]
}
