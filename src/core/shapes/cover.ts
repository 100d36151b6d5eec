import type { Polyline } from './outline.ts'

export type FillRule = 'nonzero' | 'evenodd'

/** Above this many strips a row is cut evenly instead of where its edges meet. */
const mostStrips = 96

/**
 * The exact share of each pixel that closed outlines cover together, by a fill rule, crossings of outlines included.
 *
 * cover      width · height floats; only pixels of rows that the outlines reach are written, so it comes zeroed
 *
 * A row of pixels is cut into strips at every end and crossing of its edges; within a strip edges do not cross, so that between
 * them lie trapezoids whose areas are summed from their left and right edges. A row with more than 96 strips (thousands of
 * crossings) is cut into 96 even ones: horizontally exact still. Points beyond the picture count.
 */
export function coverOf(
  cover: Float32Array,
  width: number,
  height: number,
  outlines: readonly Polyline[],
  rule: FillRule,
): void {
  const edges = edgesOf(outlines, height)
  const order = Array.from({ length: edges.length / 5 }, (_, i) => i).sort(
    (a, b) => edges[a * 5 + 1]! - edges[b * 5 + 1]!,
  )
  const sums = new Float64Array(width + 2)
  let active: number[] = []
  let next = 0
  for (let y = Math.max(0, Math.floor(edges[(order[0] ?? 0) * 5 + 1] ?? height)); y < height; y++) {
    active = active.filter((e) => edges[e * 5 + 3]! > y)
    while (next < order.length && edges[order[next]! * 5 + 1]! < y + 1) active.push(order[next++]!)
    if (active.length === 0) {
      if (next >= order.length) return
      continue
    }
    const cuts = cutsOf(edges, active, y)
    for (let s = 0; s + 1 < cuts.length; s++)
      addStrip(sums, width, edges, active, cuts[s]!, cuts[s + 1]!, rule)
    let sum = 0
    for (let x = 0; x < width; x++) {
      sum += sums[x]!
      cover[y * width + x] = sum < 1e-9 ? 0 : sum > 1 - 1e-9 ? 1 : sum
    }
    sums.fill(0)
  }
}

/** x and y of the upper end, of the lower end, and 1 for an edge that runs down, −1 for one that runs up. */
function edgesOf(outlines: readonly Polyline[], height: number): Float64Array {
  const edges: number[] = []
  for (const { points } of outlines)
    for (let i = 0; i < points.length; i += 2) {
      const j = (i + 2) % points.length
      const [x0, y0, x1, y1] = [points[i]!, points[i + 1]!, points[j]!, points[j + 1]!]
      if (y0 === y1 || Math.max(y0, y1) <= 0 || Math.min(y0, y1) >= height) continue
      if (y0 < y1) edges.push(x0, y0, x1, y1, 1)
      else edges.push(x1, y1, x0, y0, -1)
    }
  return Float64Array.from(edges)
}

function xAt(edges: Float64Array, e: number, y: number): number {
  const [x0, y0, x1, y1] = [edges[e * 5]!, edges[e * 5 + 1]!, edges[e * 5 + 2]!, edges[e * 5 + 3]!]
  return y <= y0 ? x0 : y >= y1 ? x1 : x0 + ((x1 - x0) * (y - y0)) / (y1 - y0)
}

const unique = (values: number[]) =>
  values.sort((a, b) => a - b).filter((v, i) => i === 0 || v > values[i - 1]!)

/** Where a row of pixels is cut: at its ends, at ends of edges in it, and where edges cross in it. */
function cutsOf(edges: Float64Array, active: readonly number[], y: number): number[] {
  const ends = [y, y + 1]
  for (const e of active) {
    const [top, bottom] = [edges[e * 5 + 1]!, edges[e * 5 + 3]!]
    if (top > y) ends.push(top)
    if (bottom < y + 1) ends.push(bottom)
  }
  const cuts = unique(ends)
  const crossings: number[] = []
  for (let s = 0; s + 1 < cuts.length && cuts.length + crossings.length <= mostStrips; s++) {
    const [from, to] = [cuts[s]!, cuts[s + 1]!]
    const inStrip = active
      .filter((e) => edges[e * 5 + 1]! <= from && edges[e * 5 + 3]! >= to)
      .map((e) => ({ top: xAt(edges, e, from), bottom: xAt(edges, e, to) }))
      .sort((a, b) => a.top - b.top || a.bottom - b.bottom)
    if (inStrip.every((e, i) => i === 0 || inStrip[i - 1]!.bottom <= e.bottom)) continue
    for (let i = 0; i < inStrip.length && crossings.length <= mostStrips; i++)
      for (let j = i + 1; j < inStrip.length; j++) {
        const [a, b] = [inStrip[i]!, inStrip[j]!]
        if (a.bottom <= b.bottom) continue
        const [above, below] = [b.top - a.top, a.bottom - b.bottom]
        crossings.push(from + ((to - from) * above) / (above + below))
      }
  }
  const all = unique([...cuts, ...crossings])
  if (all.length <= mostStrips + 1) return all
  return Array.from({ length: mostStrips + 1 }, (_, i) => y + i / mostStrips)
}

/** Adds what is covered between two heights in which edges do not cross. */
function addStrip(
  sums: Float64Array,
  width: number,
  edges: Float64Array,
  active: readonly number[],
  from: number,
  to: number,
  rule: FillRule,
): void {
  const middle = (from + to) / 2
  const here = active.filter((e) => edges[e * 5 + 1]! <= middle && edges[e * 5 + 3]! > middle)
  const places = here.map((e) => ({ e, x: xAt(edges, e, middle) })).sort((a, b) => a.x - b.x)
  let winding = 0
  for (const { e } of places) {
    const before = winding
    winding += rule === 'evenodd' ? (winding === 0 ? 1 : -1) : edges[e * 5 + 4]!
    if ((before === 0) === (winding === 0)) continue
    addEdge(sums, width, xAt(edges, e, from), xAt(edges, e, to), winding === 0 ? from - to : to - from)
  }
}

/**
 * Adds the differences along a row by which everything right of an edge is covered by `height` more: the edge runs from x = a to
 * x = b. Beyond the left end all is covered, beyond the right nothing.
 */
function addEdge(sums: Float64Array, width: number, a: number, b: number, height: number): void {
  const [left, right] = a < b ? [a, b] : [b, a]
  if (left >= width) return
  if (right <= 0) {
    sums[0]! += height
    return
  }
  if (left < 0 || right > width) {
    // The part beyond an end, the part within, and the part beyond the other.
    const span = right - left
    const [inner, outer] = [Math.max(0, left), Math.min(width, right)]
    if (left < 0) sums[0]! += (height * -left) / span
    addEdge(sums, width, inner, outer, (height * (outer - inner)) / span)
    return
  }
  const first = Math.floor(left)
  const last = Math.floor(right)
  if (last === first) {
    const open = (left + right) / 2 - first
    sums[first]! += height * (1 - open)
    sums[first + 1]! += height * open
    return
  }
  // Covered in pixel i: the mean over the edge's height of how far the pixel lies right of it.
  const perPixel = height / (right - left)
  let covered = 0
  for (let i = first; i <= last; i++) {
    const [from, to] = [Math.max(left, i), Math.min(right, i + 1)]
    // While the edge is in this pixel its right part is covered; once it has passed, all of it.
    const passing = perPixel * (to - from) * (i + 1 - (from + to) / 2)
    const passed = perPixel * (from - left)
    sums[i]! += passing + passed - covered
    covered = passing + passed
  }
  sums[last + 1]! += height - covered
}
