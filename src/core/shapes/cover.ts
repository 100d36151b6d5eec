import type { Polyline } from './outline.ts'

export type FillRule = 'nonzero' | 'evenodd'

/** A row with more edges, or cut into more strips, than this is cut evenly instead of where its edges meet. */
const [mostEdges, mostStrips, evenStrips] = [256, 96, 16]

/**
 * The exact share of each pixel that closed outlines cover together, by a fill rule, crossings of outlines included.
 *
 * cover      width · height floats; only pixels of rows that the outlines reach are written, so it comes zeroed
 *
 * A row of pixels is cut into strips at every end and crossing of its edges; within a strip edges do not cross, so that between
 * them lie trapezoids whose areas are summed from their left and right edges. A row with hundreds of edges or crossings is cut
 * into 16 even strips, in which edges stand upright: within 1/32 of a pixel's cover there. Points beyond the picture count.
 */
export function coverOf(
  cover: Float32Array,
  width: number,
  height: number,
  outlines: readonly Polyline[],
  rule: FillRule,
): void {
  new Coverage(cover, width, height, edgesOf(outlines, height), rule).run()
}

/** x and y of the upper end, of the lower end, and 1 for an edge that runs down, −1 for one that runs up; by rising upper end. */
function edgesOf(outlines: readonly Polyline[], height: number): Float64Array {
  const edges: number[] = []
  for (const { points } of outlines)
    for (let i = 0; i < points.length; i += 2) {
      const j = i + 2 < points.length ? i + 2 : 0
      const [x0, y0, x1, y1] = [points[i]!, points[i + 1]!, points[j]!, points[j + 1]!]
      if (y0 === y1 || (y0 <= 0 && y1 <= 0) || (y0 >= height && y1 >= height)) continue
      if (y0 < y1) edges.push(x0, y0, x1, y1, 1)
      else edges.push(x1, y1, x0, y0, -1)
    }
  const order = Uint32Array.from({ length: edges.length / 5 }, (_, i) => i)
  order.sort((a, b) => edges[a * 5 + 1]! - edges[b * 5 + 1]!)
  const sorted = new Float64Array(edges.length)
  order.forEach((from, to) => {
    for (let k = 0; k < 5; k++) sorted[to * 5 + k] = edges[from * 5 + k]!
  })
  return sorted
}

/** The sweep over rows, with room that is used again for each. */
class Coverage {
  private readonly count: number
  /** Edges that reach into the row. */
  private readonly active: Uint32Array
  private actives = 0
  /** Edges of a strip from left to right, with x at its upper and lower end. */
  private readonly strip: Uint32Array
  private readonly top: Float64Array
  private readonly bottom: Float64Array
  private readonly keys: Float64Array
  private readonly cuts = new Float64Array(2 * mostEdges + 2)
  /** Differences of the cover along the row, and which of them are not 0. */
  private readonly sums: Float64Array
  private low = 0
  private high = -1
  private strips = 0

  constructor(
    private readonly cover: Float32Array,
    private readonly width: number,
    private readonly height: number,
    private readonly edges: Float64Array,
    private readonly rule: FillRule,
  ) {
    this.count = edges.length / 5
    this.active = new Uint32Array(this.count)
    this.strip = new Uint32Array(this.count)
    this.top = new Float64Array(this.count)
    this.bottom = new Float64Array(this.count)
    this.keys = new Float64Array(this.count)
    this.sums = new Float64Array(width + 2)
  }

  run(): void {
    const { edges, active } = this
    let next = 0
    for (let y = Math.max(0, Math.floor(edges[1] ?? this.height)); y < this.height; y++) {
      let kept = 0
      for (let i = 0; i < this.actives; i++) if (edges[active[i]! * 5 + 3]! > y) active[kept++] = active[i]!
      while (next < this.count && edges[next * 5 + 1]! < y + 1) {
        if (edges[next * 5 + 3]! > y) active[kept++] = next
        next++
      }
      this.actives = kept
      if (kept === 0) {
        if (next >= this.count) return
        continue
      }
      this.row(y)
      this.write(y)
    }
  }

  private row(y: number): void {
    this.low = this.width + 1
    this.high = -1
    this.strips = 0
    if (this.actives > mostEdges || !this.exactRow(y)) {
      this.clear()
      for (let s = 0; s < evenStrips; s++) this.evenStrip(y + s / evenStrips, y + (s + 1) / evenStrips)
    }
  }

  /** Cuts a row where edges end and cross; false where that is too often. */
  private exactRow(y: number): boolean {
    const { edges, cuts } = this
    cuts[0] = y
    cuts[1] = y + 1
    let count = 2
    for (let i = 0; i < this.actives; i++) {
      const e = this.active[i]! * 5
      for (const end of [edges[e + 1]!, edges[e + 3]!]) {
        if (end <= y || end >= y + 1) continue
        let at = count++
        while (at > 0 && cuts[at - 1]! > end) {
          cuts[at] = cuts[at - 1]!
          at--
        }
        cuts[at] = end
      }
    }
    for (let s = 0; s + 1 < count; s++)
      if (cuts[s + 1]! > cuts[s]! && !this.exactStrip(cuts[s]!, cuts[s + 1]!)) return false
    return true
  }

  private xAt(edge: number, y: number): number {
    const { edges } = this
    const e = edge * 5
    const [x0, y0, x1, y1] = [edges[e]!, edges[e + 1]!, edges[e + 2]!, edges[e + 3]!]
    return y <= y0 ? x0 : y >= y1 ? x1 : x0 + ((x1 - x0) * (y - y0)) / (y1 - y0)
  }

  /** Adds what is covered between two heights, and cuts once more where edges cross between them. */
  private exactStrip(from: number, to: number): boolean {
    if (++this.strips > mostStrips) return false
    const { edges, strip, top, bottom } = this
    const middle = (from + to) / 2
    let count = 0
    for (let i = 0; i < this.actives; i++) {
      const e = this.active[i]!
      if (edges[e * 5 + 1]! > middle || edges[e * 5 + 3]! <= middle) continue
      const [a, b] = [this.xAt(e, from), this.xAt(e, to)]
      let at = count++
      while (at > 0 && top[at - 1]! + bottom[at - 1]! > a + b) {
        strip[at] = strip[at - 1]!
        top[at] = top[at - 1]!
        bottom[at] = bottom[at - 1]!
        at--
      }
      strip[at] = e
      top[at] = a
      bottom[at] = b
    }
    for (let i = 1; i < count; i++) {
      const [above, below] = [top[i]! - top[i - 1]!, bottom[i]! - bottom[i - 1]!]
      if (above >= 0 && below >= 0) continue
      const crossing = from + ((to - from) * above) / (above - below)
      if (crossing > from + 1e-9 && crossing < to - 1e-9)
        return this.exactStrip(from, crossing) && this.exactStrip(crossing, to)
    }
    let winding = 0
    for (let i = 0; i < count; i++) {
      const before = winding
      winding = this.turned(winding, edges[strip[i]! * 5 + 4]!)
      if ((before === 0) !== (winding === 0))
        this.addEdge(top[i]!, bottom[i]!, winding === 0 ? from - to : to - from)
    }
    return true
  }

  /** Adds what is covered between two heights by edges that stand where they are in the middle. */
  private evenStrip(from: number, to: number): void {
    const { edges, keys } = this
    const middle = (from + to) / 2
    let count = 0
    for (let i = 0; i < this.actives; i++) {
      const e = this.active[i]!
      if (edges[e * 5 + 1]! > middle || edges[e * 5 + 3]! <= middle) continue
      // The place in 1/65536 of a pixel and which way the edge runs, in one number that sorts fast.
      const place = Math.round(Math.min(1e6, Math.max(-1e6, this.xAt(e, middle))) * 65536)
      keys[count++] = place * 2 + (edges[e * 5 + 4]! > 0 ? 1 : 0)
    }
    const sorted = keys.subarray(0, count).sort()
    let winding = 0
    for (const key of sorted) {
      const place = Math.floor(key / 2)
      const before = winding
      winding = this.turned(winding, key > place * 2 ? 1 : -1)
      if ((before === 0) !== (winding === 0))
        this.addEdge(place / 65536, place / 65536, winding === 0 ? from - to : to - from)
    }
  }

  /** The winding number right of an edge; by even and odd: 0 or 1. */
  private turned(winding: number, way: number): number {
    return this.rule === 'evenodd' ? 1 - winding : winding + way
  }

  private add(at: number, value: number): void {
    this.sums[at]! += value
    if (at < this.low) this.low = at
    if (at > this.high) this.high = at
  }

  /**
   * Adds the differences along the row by which everything right of an edge is covered by `height` more: the edge runs from x = a to
   * x = b. Beyond the left end all is covered, beyond the right nothing.
   */
  private addEdge(a: number, b: number, height: number): void {
    const { width } = this
    const [left, right] = a < b ? [a, b] : [b, a]
    if (left >= width) return
    if (right <= 0) {
      this.add(0, height)
      return
    }
    if (left < 0 || right > width) {
      // The part beyond an end, and the part within.
      const span = right - left
      const [inner, outer] = [Math.max(0, left), Math.min(width, right)]
      if (left < 0) this.add(0, (height * -left) / span)
      this.addEdge(inner, outer, (height * (outer - inner)) / span)
      return
    }
    const first = Math.floor(left)
    const last = Math.floor(right)
    if (last === first) {
      const open = (left + right) / 2 - first
      this.add(first, height * (1 - open))
      this.add(first + 1, height * open)
      return
    }
    // Covered in pixel i: the mean over the edge's height of how far the pixel lies right of it.
    const perPixel = height / (right - left)
    let covered = 0
    for (let i = first; i <= last; i++) {
      const [start, end] = [Math.max(left, i), Math.min(right, i + 1)]
      // While the edge is in this pixel its right part is covered; once it has passed, all of it.
      const now = perPixel * ((end - start) * (i + 1 - (start + end) / 2) + start - left)
      this.add(i, now - covered)
      covered = now
    }
    this.add(last + 1, height - covered)
  }

  private clear(): void {
    if (this.high >= this.low) this.sums.fill(0, this.low, this.high + 1)
    this.low = this.width + 1
    this.high = -1
  }

  private write(y: number): void {
    const { cover, sums, width, low } = this
    const start = y * width
    const end = Math.min(width, this.high + 1)
    let sum = 0
    for (let x = low; x < end; x++) {
      sum += sums[x]!
      cover[start + x] = sum < 1e-9 ? 0 : sum > 1 - 1e-9 ? 1 : sum
    }
    if (sum > 1e-9 && end < width) cover.fill(Math.min(1, sum), start + Math.max(low, end), start + width)
    this.clear()
  }
}
