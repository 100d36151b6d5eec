import type { ShapeNow } from '../comp/drawing-at.ts'
import { edgeRange } from '../kernels/kernels.ts'
import type { Workshop } from '../kernels/pyramid.ts'
import type { Picture } from '../picture/picture.ts'
import { coverOf } from './cover.ts'
import { boundsOf, flatten, type Polyline } from './outline.ts'

/** Of a pixel: how far straight pieces may lie from their curve. */
const tolerance = 0.005
/** The same where the soft width is looked up: it hardly changes over so little. */
const softTolerance = 0.5
/** Pixels between the places where a soft width that varies is looked up. */
const softGrid = 8

/** How the full frame lies in a picture: pixels of the picture for each of the frame, and where it begins. */
export interface FrameIn {
  readonly scale: number
  readonly left: number
  readonly top: number
}

/**
 * Draws shapes into a picture of one channel, each joined to those before it. `at` says how the full
 * frame lies in the picture.
 */
export function drawShapes(out: Picture, shapes: readonly ShapeNow[], at: FrameIn, workshop: Workshop): void {
  const { kernels, store } = workshop
  const draw = (cover: Picture, shape: ShapeNow) => {
    drawShape(cover, shape, at, workshop)
    if (shape.opacity !== 1) kernels.linearMatte(cover, cover, shape.opacity, 0, 0)
  }
  const [first, ...others] = shapes
  if (first?.by === 'union') draw(out, first)
  else out.data.fill(0)
  const cover = others.length > 0 ? store.allocate(out.width, out.height, 1) : undefined
  for (const shape of others) {
    draw(cover!, shape)
    kernels.combineMattes(out, out, cover!, shape.by)
  }
  if (cover) store.release(cover)
}

function drawShape(
  out: Picture,
  { path, rule, inner, outer }: ShapeNow,
  { scale, left: x0, top: y0 }: FrameIn,
  workshop: Workshop,
): void {
  const placeX = (x: number) => x * scale + x0
  const placeY = (y: number) => y * scale + y0
  const widest = path.reduce((most, v) => Math.max(most, v.soft ?? 0), outer)
  const bounds = boundsOf(path)?.map((v, i) => (i % 2 === 0 ? placeX(v) : placeY(v)))
  out.data.fill(0)
  if (!bounds || path.length < 2) return
  const varies = path.some((v) => v.soft !== undefined && v.soft !== outer)
  if (inner === 0 && widest === 0) {
    const outline = flatten(path, ([x, y]) => [placeX(x), placeY(y)], tolerance)
    coverOf(out.data, out.width, out.height, [outline], rule)
    return
  }
  // The edge may lie beyond the picture and its softness still reach in.
  const reach = Math.ceil(Math.max(inner, widest) * scale) + 2
  const [left = 0, top = 0, right = 0, bottom = 0] = bounds
  const beyond = (past: number) => Math.min(reach, Math.max(0, Math.ceil(past) + 1))
  const pad = [beyond(-left), beyond(-top), beyond(right - out.width), beyond(bottom - out.height)] as const
  const { kernels, store } = workshop
  const [width, height] = [out.width + pad[0] + pad[2], out.height + pad[1] + pad[3]]
  const placed = ([x, y]: readonly [number, number]) => [placeX(x) + pad[0], placeY(y) + pad[1]] as const
  const outline = flatten(path, placed, tolerance)
  const hard = store.allocate(width, height, 1)
  hard.data.fill(0)
  coverOf(hard.data, width, height, [outline], rule)
  const distance = store.allocate(width, height, 1)
  if (varies) {
    const past = reach + 2 * softGrid
    kernels.distance(distance, hard, [-past, past])
    const rough = flatten(path, placed, softTolerance, (v) => (v.soft ?? outer) * scale)
    varyingEdge(hard, distance, rough, inner * scale, reach)
  } else {
    const [spread, soft] = [((outer - inner) / 2) * scale, Math.max(1, (inner + outer) * scale)]
    kernels.distance(distance, hard, edgeRange(spread, soft))
    kernels.edge(hard, distance, spread, soft)
  }
  for (let y = 0; y < out.height; y++) {
    const from = (y + pad[1]) * width + pad[0]
    out.data.set(hard.data.subarray(from, from + out.width), y * out.width)
  }
  store.release(hard)
  store.release(distance)
}

/** Cover from distances, where the soft width outside is that of the nearest place of the outline. Farther than `reach` it does not count. */
function varyingEdge(out: Picture, distance: Picture, outline: Polyline, inner: number, reach: number): void {
  const { width, height } = out
  const [columns, rows] = [Math.ceil(width / softGrid) + 1, Math.ceil(height / softGrid) + 1]
  const grid = new Float32Array(columns * rows)
  for (let gy = 0; gy < rows; gy++)
    for (let gx = 0; gx < columns; gx++) {
      const [x, y] = [Math.min(width - 1, gx * softGrid), Math.min(height - 1, gy * softGrid)]
      if (Math.abs(distance.data[y * width + x]!) <= reach + 2 * softGrid)
        grid[gy * columns + gx] = softAt(outline, gx * softGrid, gy * softGrid)
    }
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const [gx, gy] = [(x + 0.5) / softGrid, (y + 0.5) / softGrid]
      const [cx, cy] = [Math.floor(gx), Math.floor(gy)]
      const [fx, fy] = [gx - cx, gy - cy]
      const at = cy * columns + cx
      const above = grid[at]! * (1 - fx) + grid[at + 1]! * fx
      const below = grid[at + columns]! * (1 - fx) + grid[at + columns + 1]! * fx
      const outer = above * (1 - fy) + below * fy
      const cover = 0.5 + ((outer - inner) / 2 - distance.data[y * width + x]!) / Math.max(1, inner + outer)
      out.data[y * width + x] = cover < 0 ? 0 : cover > 1 ? 1 : cover
    }
}

/** The soft width at the place of an outline nearest to a point. */
function softAt({ points, soft }: Polyline, x: number, y: number): number {
  let [least, found] = [Infinity, 0]
  const count = points.length / 2
  for (let i = 0; i < count; i++) {
    const j = (i + 1) % count
    const [ax, ay] = [points[i * 2]!, points[i * 2 + 1]!]
    const [dx, dy] = [points[j * 2]! - ax, points[j * 2 + 1]! - ay]
    const square = dx * dx + dy * dy
    const along = square > 0 ? ((x - ax) * dx + (y - ay) * dy) / square : 0
    const t = along < 0 ? 0 : along > 1 ? 1 : along
    const [ex, ey] = [x - ax - t * dx, y - ay - t * dy]
    const distance = ex * ex + ey * ey
    if (distance < least) {
      least = distance
      found = soft![i]! + (soft![j]! - soft![i]!) * t
    }
  }
  return found
}
