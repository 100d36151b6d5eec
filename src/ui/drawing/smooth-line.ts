import fitCurve from 'fit-curve'
import type { Path, Vertex } from '../../core/comp/drawing.ts'

type Point = readonly [number, number]

/**
 * A closed outline of few Béziers along a line that was drawn by hand, within `tolerance` pixels of it. Source: P. J. Schneider 1990, by the library fit-curve. Fewer than three different points give none.
 */
export function smoothLine(line: readonly Point[], tolerance: number): Path {
  const points = line.filter((p, i) => i === 0 || p[0] !== line[i - 1]![0] || p[1] !== line[i - 1]![1])
  if (points.length < 3) return []
  const [first, last] = [points[0]!, points.at(-1)!]
  const isClosed = first[0] === last[0] && first[1] === last[1]
  const around = isClosed ? points : [...points, first]
  const curves = fitCurve(
    around.map(([x, y]) => [x, y] as [number, number]),
    tolerance * tolerance,
  )
  const from = (p: Point, o: Point): [number, number] => [round(p[0] - o[0]), round(p[1] - o[1])]
  return curves.map(([at, out], i): Vertex => {
    const [, , into, end] = curves.at(i - 1)!
    return { at: [round(at[0]), round(at[1])], in: from(into, end), out: from(out, at) }
  })
}

const round = (v: number) => Math.round(v * 10) / 10
