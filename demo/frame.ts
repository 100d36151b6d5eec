import { nothing, trace, unit, type Sample } from './shade.ts'
import {
  createScene,
  stage,
  firstJelly,
  brass,
  glass,
  lamp,
  objects,
  type Staging,
  type Vec,
} from './scene.ts'

const cross = (a: Vec, b: Vec): Vec => [
  a[1] * b[2] - a[2] * b[1],
  a[2] * b[0] - a[0] * b[2],
  a[0] * b[1] - a[1] * b[0],
]
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
    /** Direction of the ray through a point of the picture, pixels from the top left. */
    ray(x: number, y: number): Vec {
      const [a, b] = [(x - width / 2) * scale, (height / 2 - y) * scale]
      return unit([0, 1, 2].map((i) => ahead[i]! + right[i]! * a + up[i]! * b) as unknown as Vec)
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
    beauty: of(4), depth: of(1), normal: of(3), position: of(3),
    emission: of(3), reflection: of(3), motion: of(2), ids: of(2 * idRanks),
  } // prettier-ignore
}

/** How far the thing at a point moves until the next frame. */
function movement(id: number, now: Staging, next: Staging): Vec {
  if (id === brass || id === glass || id === lamp) return minus(next.bell, now.bell)
  const jelly = id - firstJelly
  return jelly >= 0 && jelly < now.jellies.length
    ? minus(next.jellies[jelly]!.at, now.jellies[jelly]!.at)
    : [0, 0, 0]
}

/** Whether neighbouring pixels differ so much that one ray does not stand for the pixel. */
function differ(a: Sample, b: Sample): boolean {
  if (a.id !== b.id) return true
  if (a.id < 0) return false
  const light = (s: Sample) => Math.log2(0.02 + 0.2 * s.colour[0] + 0.7 * s.colour[1] + 0.1 * s.colour[2])
  return Math.abs(light(a) - light(b)) > 0.8 || Math.abs(a.distance - b.distance) > 0.05 * a.distance
}

const corners = [[-0.375, -0.125], [0.125, -0.375], [0.375, 0.125], [-0.125, 0.375]] as const // prettier-ignore

/**
 * Renders rows y0..y1-1 of a frame into `rows` (of the whole frame). One ray through every pixel's centre gives the
 * data passes; where neighbours differ, four more give colour and coverage. `beforeRow` may hold the work up. `cells` are kept from one
 * frame to the next.
 */
export function renderRows(
  rows: FrameRows,
  frame: number,
  width: number,
  height: number,
  y0: number,
  y1: number,
  beforeRow: () => void = () => undefined,
  cells?: Float32Array,
): void {
  const now = stage(frame)
  const next = stage(frame + 1)
  const scene = createScene(now, cells)
  const lens = camera(now, width, height)
  const lensNext = camera(next, width, height)
  const line = (y: number) =>
    Array.from({ length: width }, (_, x) => trace(scene, lens.eye, lens.ray(x + 0.5, y + 0.5)))
  let above: Sample[] = y0 > 0 ? line(y0 - 1) : []
  let current = line(y0)
  for (let y = y0; y < y1; y++) {
    beforeRow()
    const below = y + 1 < height ? line(y + 1) : []
    for (let x = 0; x < width; x++) {
      const centre = current[x]!
      const around = [current[x - 1], current[x + 1], above[x], below[x]]
      const samples = around.some((s) => s && differ(centre, s))
        ? [centre, ...corners.map(([dx, dy]) => trace(scene, lens.eye, lens.ray(x + 0.5 + dx, y + 0.5 + dy)))]
        : [centre]
      writePixel(rows, y * width + x, centre, samples)
      if (centre.id >= 0) {
        const p = centre.position
        const here = lens.project(p)
        const moved = movement(centre.id, now, next)
        const there = lensNext.project([p[0] + moved[0], p[1] + moved[1], p[2] + moved[2]])
        rows.motion.set([there.x - here.x, there.y - here.y], (y * width + x) * 2)
        rows.depth[y * width + x] = here.depth
      } else rows.depth[y * width + x] = Infinity
    }
    above = current
    current = below
  }
}

function writePixel(rows: FrameRows, i: number, centre: Sample, samples: readonly Sample[]): void {
  const mean = (of: (s: Sample) => number) => samples.reduce((sum, s) => sum + of(s), 0) / samples.length
  for (let c = 0; c < 3; c++) {
    rows.beauty[i * 4 + c] = mean((s) => s.colour[c]!)
    rows.emission[i * 3 + c] = mean((s) => s.emission[c]!)
    rows.reflection[i * 3 + c] = mean((s) => s.reflection[c]!)
    rows.normal[i * 3 + c] = centre.normal[c]!
    rows.position[i * 3 + c] = centre.position[c]!
  }
  rows.beauty[i * 4 + 3] = mean((s) => s.alpha)
  const covers = new Map<number, number>()
  for (const s of samples) if (s.id >= 0) covers.set(s.id, (covers.get(s.id) ?? 0) + 1 / samples.length)
  ;[...covers]
    .sort((a, b) => b[1] - a[1])
    .slice(0, idRanks)
    .forEach(([id, cover], rank) => {
      rows.ids.set([id + 1, cover], (i * idRanks + rank) * 2)
    })
}

export { nothing, objects }
