/** u = a·x + b·y + c, v = d·x + e·y + f. */
export type Affine = readonly [a: number, b: number, c: number, d: number, e: number, f: number]

export const unmoved: Affine = [1, 0, 0, 0, 1, 0]

/** First `first`, then `then`. */
export function chained(first: Affine, then: Affine): Affine {
  const [a, b, c, d, e, f] = then
  const [g, h, i, j, k, l] = first
  return [a * g + b * j, a * h + b * k, a * i + b * l + c, d * g + e * j, d * h + e * k, d * i + e * l + f]
}

/** The way back; undefined where everything falls onto a line. */
export function inverse([a, b, c, d, e, f]: Affine): Affine | undefined {
  const det = a * e - b * d
  if (Math.abs(det) < 1e-12 || !Number.isFinite(det)) return undefined
  return [e / det, -b / det, (b * f - e * c) / det, -d / det, a / det, (d * c - a * f) / det]
}

/** Scales and turns (degrees, clockwise on screen) about a pivot, then moves. */
export function placement(
  pivot: readonly [number, number],
  [scaleX, scaleY]: readonly [number, number],
  turn: number,
  [dx, dy]: readonly [number, number],
): Affine {
  const angle = (turn * Math.PI) / 180
  // Quarter turns are exact, so that they lose nothing.
  const exact = (v: number) => (Math.abs(v - Math.round(v)) < 1e-12 ? Math.round(v) : v)
  const [cos, sin] = [exact(Math.cos(angle)), exact(Math.sin(angle))]
  const [a, b, d, e] = [cos * scaleX, -sin * scaleY, sin * scaleX, cos * scaleY]
  const [x, y] = pivot
  return [a, b, x + dx - a * x - b * y, d, e, y + dy - d * x - e * y]
}
