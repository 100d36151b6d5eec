import type { Vertex } from '../../core/comp/drawing.ts'

/** A tenth of a pixel is fine enough for what is drawn by hand. */
export const round = (v: number) => Math.round(v * 10) / 10

/** The two handles of a point lie on one line through it. */
export function isAligned({ in: into, out }: Vertex): boolean {
  if (!into || !out) return false
  const cross = into[0] * out[1] - into[1] * out[0]
  const dot = into[0] * out[0] + into[1] * out[1]
  return dot < 0 && Math.abs(cross) < 0.05 * Math.hypot(...into) * Math.hypot(...out)
}

const roundPoint = ([x, y]: readonly [number, number]): [number, number] => [round(x), round(y)]
export function roundVertex(v: Vertex): Vertex {
  return {
    ...v,
    at: roundPoint(v.at),
    ...(v.in ? { in: roundPoint(v.in) } : {}),
    ...(v.out ? { out: roundPoint(v.out) } : {}),
  }
}
