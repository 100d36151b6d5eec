import { brass, firstJelly, glass, lamp, stage, type Staging, type Vec } from './scene.ts'
import { createTracer, sample, type Bundle, type Tracer } from './tracer.ts'

const cross = (a: Vec, b: Vec): Vec => [
  a[1] * b[2] - a[2] * b[1],
  a[2] * b[0] - a[0] * b[2],
  a[0] * b[1] - a[1] * b[0],
]
const unit = (a: Vec): Vec => {
  const length = Math.hypot(...a)
  return [a[0] / length, a[1] / length, a[2] / length]
}
const minus = (a: Vec, b: Vec): Vec => [a[0] - b[0], a[1] - b[1], a[2] - b[2]]
const dot = (a: Vec, b: Vec) => a[0] * b[0] + a[1] * b[1] + a[2] * b[2]

/** Half the height of the picture at distance 1: a lens of about 46° from top to bottom. */
const halfHeight = 0.425

export function camera({ eye, target }: Staging, width: number, height: number) {
  const ahead = unit(minus(target, eye))
  const right = unit(cross(ahead, [0, 1, 0]))
  const up = cross(right, ahead)
  const scale = (2 * halfHeight) / height
  return {
    eye,
    /** Size of a pixel at distance 1. */
    scale,
    /** Direction of the ray through a point of the picture, pixels from the top left. */
    ray(x: number, y: number): Vec {
      const a = (x - width / 2) * scale
      const b = (height / 2 - y) * scale
      const dx = ahead[0] + right[0] * a + up[0] * b
      const dy = ahead[1] + right[1] * a + up[1] * b
      const dz = ahead[2] + right[2] * a + up[2] * b
      const length = Math.sqrt(dx * dx + dy * dy + dz * dz)
      return [dx / length, dy / length, dz / length]
    },
    /** Pixel a point falls on, and its depth along the axis. */
    project(p: Vec): { x: number; y: number; depth: number } {
      const to = minus(p, eye)
      const depth = dot(to, ahead)
      return {
        x: width / 2 + dot(to, right) / depth / scale,
        y: height / 2 - dot(to, up) / depth / scale,
        depth,
      }
    },
  }
}

/** Rows of every pass, interleaved; IDs as rank pairs (object index + 1, coverage), strongest first. */
export interface FrameRows {
  readonly beauty: Float32Array
  readonly depth: Float32Array
  readonly normal: Float32Array
  readonly position: Float32Array
  readonly emission: Float32Array
  readonly reflection: Float32Array
  readonly motion: Float32Array
  readonly ids: Float32Array
}

const idRanks = 4

export function emptyRows(pixels: number): FrameRows {
  const of = (channels: number) => new Float32Array(new SharedArrayBuffer(pixels * channels * 4))
  return {
    beauty: of(4),
    depth: of(1),
    normal: of(3),
    position: of(3),
    emission: of(3),
    reflection: of(3),
    motion: of(2),
    ids: of(2 * idRanks),
  }
}

/** How far the thing at a point moves until the next frame. */
function movement(id: number, now: Staging, next: Staging): Vec {
  if (id === brass || id === glass || id === lamp) return minus(next.bell, now.bell)
  const jelly = id - firstJelly
  return jelly >= 0 && jelly < now.jellies.length
    ? minus(next.jellies[jelly]!.at, now.jellies[jelly]!.at)
    : [0, 0, 0]
}

type Samples = Float64Array

/** Whether neighbouring pixels differ so much that one ray does not stand for the pixel. `i` and `k` are where their samples start. */
function differ(a: Samples, i: number, b: Samples, k: number): boolean {
  if (a[i + sample.id] !== b[k + sample.id]) return true
  if (a[i + sample.id]! < 0) return false
  const one = 0.02 + 0.2 * a[i]! + 0.7 * a[i + 1]! + 0.1 * a[i + 2]!
  const other = 0.02 + 0.2 * b[k]! + 0.7 * b[k + 1]! + 0.1 * b[k + 2]!
  const far = a[i + sample.distance]!
  // 0.8 stops, or a twentieth of the distance.
  return (
    Math.max(one, other) > 1.741 * Math.min(one, other) ||
    Math.abs(far - b[k + sample.distance]!) > 0.05 * far
  )
}

const corners = [[-0.375, -0.125], [0.125, -0.375], [0.375, 0.125], [-0.125, 0.375]] as const // prettier-ignore
/** Side of the square of pixels whose rays go together until one of them might meet something. */
const tile = 8

/**
 * Renders rows y0..y1-1 of a frame into `rows` (of the whole frame). One ray through every pixel's centre gives the
 * data passes; where neighbours differ, four more give colour and coverage. `beforeRow` may hold the work up. The tracer may be
 * kept from one frame to the next.
 */
export function renderRows(
  rows: FrameRows,
  frame: number,
  width: number,
  height: number,
  y0: number,
  y1: number,
  beforeRow: () => void = () => undefined,
  tracer: Tracer = createTracer(),
): void {
  const now = stage(frame)
  const next = stage(frame + 1)
  tracer.enter(now)
  const lens = camera(now, width, height)
  const lensNext = camera(next, width, height)
  let bundles: Bundle[] = []
  let bundlesOf = -1
  const enterRow = (y: number) => {
    const row = Math.floor(y / tile)
    if (row === bundlesOf) return
    bundlesOf = row
    bundles = Array.from({ length: Math.ceil(width / tile) }, (_, i) => {
      const way = lens.ray((i + 0.5) * tile, (row + 0.5) * tile)
      return tracer.bundle(lens.eye, way, tile * Math.SQRT1_2 * 1.01 * lens.scale)
    })
  }
  /** Traces a row into samples of an earlier one. */
  const line = (made: Samples, y: number): Samples => {
    if (y < 0 || y >= height) return made
    enterRow(y)
    for (let x = 0; x < width; x++)
      tracer.trace(
        lens.eye,
        lens.ray(x + 0.5, y + 0.5),
        bundles[Math.floor(x / tile)]!,
        made,
        x * sample.size,
      )
    return made
  }
  const emptyLine = () => new Float64Array(width * sample.size)
  /** The samples of one pixel: through its centre, and four more. */
  const samples = new Float64Array(5 * sample.size)
  let above = line(emptyLine(), y0 - 1)
  let current = line(emptyLine(), y0)
  let spare: Samples = emptyLine()
  for (let y = y0; y < y1; y++) {
    beforeRow()
    const below = line(spare, y + 1)
    for (let x = 0; x < width; x++) {
      const at = x * sample.size
      const isEdge =
        (x > 0 && differ(current, at, current, at - sample.size)) ||
        (x + 1 < width && differ(current, at, current, at + sample.size)) ||
        (y > 0 && differ(current, at, above, at)) ||
        (y + 1 < height && differ(current, at, below, at))
      for (let part = 0; part < sample.size; part++) samples[part] = current[at + part]!
      if (isEdge) {
        enterRow(y)
        corners.forEach(([dx, dy], i) => {
          const way = lens.ray(x + 0.5 + dx, y + 0.5 + dy)
          tracer.trace(lens.eye, way, bundles[Math.floor(x / tile)]!, samples, (i + 1) * sample.size)
        })
      }
      const pixel = y * width + x
      writePixel(rows, pixel, samples, isEdge ? 5 : 1)
      const id = samples[sample.id]!
      if (id >= 0) {
        const p: Vec = [
          samples[sample.position]!,
          samples[sample.position + 1]!,
          samples[sample.position + 2]!,
        ]
        const here = lens.project(p)
        const moved = movement(id, now, next)
        const there = lensNext.project([p[0] + moved[0], p[1] + moved[1], p[2] + moved[2]])
        rows.motion[pixel * 2] = there.x - here.x
        rows.motion[pixel * 2 + 1] = there.y - here.y
        rows.depth[pixel] = here.depth
      } else rows.depth[pixel] = Infinity
    }
    spare = above
    above = current
    current = below
  }
}

const means = new Float64Array(sample.id)

/** Writes the means of a pixel's samples, and the data of the first, which is through its centre. */
function writePixel(rows: FrameRows, i: number, samples: Samples, count: number): void {
  for (let part = 0; part < sample.id; part++) {
    let sum = samples[part]!
    for (let at = part + sample.size; at < count * sample.size; at += sample.size) sum += samples[at]!
    means[part] = sum / count
  }
  for (let c = 0; c < 3; c++) {
    rows.beauty[i * 4 + c] = means[sample.colour + c]!
    rows.emission[i * 3 + c] = means[sample.emission + c]!
    rows.reflection[i * 3 + c] = means[sample.reflection + c]!
    rows.normal[i * 3 + c] = samples[sample.normal + c]!
    rows.position[i * 3 + c] = samples[sample.position + c]!
  }
  rows.beauty[i * 4 + 3] = means[sample.alpha]!
  if (count === 1) {
    const id = samples[sample.id]!
    if (id < 0) return
    rows.ids[i * idRanks * 2] = id + 1
    rows.ids[i * idRanks * 2 + 1] = 1
    return
  }
  const covers = new Map<number, number>()
  for (let s = 0; s < count; s++) {
    const id = samples[s * sample.size + sample.id]!
    if (id >= 0) covers.set(id, (covers.get(id) ?? 0) + 1 / count)
  }
  ;[...covers]
    .sort((a, b) => b[1] - a[1])
    .slice(0, idRanks)
    .forEach(([id, cover], rank) => {
      rows.ids.set([id + 1, cover], (i * idRanks + rank) * 2)
    })
}
