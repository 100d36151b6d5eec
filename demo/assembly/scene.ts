// @ts-nocheck: AssemblyScript, checked by its own compiler
import { cosine, fractal, hash, magic, noise, sine } from './noise'

// Signed distances of the scene at a frame. Units, axes and numbers of objects are those of ../scene.ts.

export const rock = 0
export const sand = 1
export const brass = 2
export const glass = 3
export const lamp = 4
export const cable = 5
export const crystals = 6
export const vent = 7
export const firstJelly = 8
export const surface = 13
export const jellies = 5

/** The frame, and where the bell is at it. */
export let frame = 0.0
export let bx = 0.0
export let by = 0.0
export let bz = 0.0
/** Jellyfish: x, y, z, size and pulse of each. */
const jellyPlan = new StaticArray<f64>(jellies * 5)
export function jelly(i: i32, part: i32): f64 {
  return unchecked(jellyPlan[i * 5 + part])
}

export function setStage(at: f64, x: f64, y: f64, z: f64): void {
  frame = at
  bx = x
  by = y
  bz = z
}
export function setJelly(i: i32, x: f64, y: f64, z: f64, size: f64, pulse: f64): void {
  jellyPlan[i * 5] = x
  jellyPlan[i * 5 + 1] = y
  jellyPlan[i * 5 + 2] = z
  jellyPlan[i * 5 + 3] = size
  jellyPlan[i * 5 + 4] = pulse
}

const holeX = 0.9
const holeZ = -4.6
export const sunX = 2.4
export const sunY = 17.0
export const sunZ = -7.2
export const ventX = 3.55
export const ventY = 0.35
export const ventZ = -1.4

/** Crystals: x, y, z, length, radius. */
const crystalPlan: StaticArray<f64> = [
  -3.5, 0.3, 3.2, 1.65, 0.25, -3.05, 0.2, 3.5, 1.05, 0.19, -4.0, 0.3, 3.0, 1.25, 0.22, -2.65, 0.1, 3.3, 0.7, 0.14,
  -3.4, 0.15, 3.95, 0.6, 0.13, -4.35, 0.2, 3.5, 0.8, 0.15,
  3.1, 0.1, 4.3, 0.95, 0.17, 3.5, 0.1, 4.0, 1.5, 0.23, 3.95, 0.2, 4.4, 0.85, 0.16, 2.75, 0.05, 4.6, 0.5, 0.11,
]

@inline
export function hypot2(x: f64, y: f64): f64 {
  return Math.sqrt(x * x + y * y)
}
@inline
export function hypot3(x: f64, y: f64, z: f64): f64 {
  return Math.sqrt(x * x + y * y + z * z)
}
@inline
function nearer(x: f64, y: f64, r: f64): bool {
  return r > 0 && x * x + y * y < r * r
}
@inline
function smoothMin(a: f64, b: f64, k: f64): f64 {
  const h = Math.max(0, k - Math.abs(a - b)) / k
  return Math.min(a, b) - h * h * k * 0.25
}
@inline
function torus(x: f64, y: f64, z: f64, big: f64, small: f64): f64 {
  return hypot2(hypot2(x, z) - big, y) - small
}
@inline
function capsule(x: f64, y: f64, z: f64, top: f64, bottom: f64, r: f64): f64 {
  return hypot3(x, y - Math.min(top, Math.max(bottom, y)), z) - r
}

/** The chamber in cells: in each the distance of its middle from the rock, once it has been asked for. The rock stands still, so all frames share it. */
const cell = 0.1
const cellsX = 168
const cellsY = 112
const cellsZ = 560
const firstX = -8.4
const firstY = -1.2
const firstZ = -45.0
const cells = new StaticArray<f32>(cellsX * cellsY * cellsZ)
cells.fill(NaN)
/** Nearer to the rock than this its own distance counts. */
const nearRock = 0.15

export function rockDistance(x: f64, y: f64, z: f64, fine: bool): f64 {
  // A long vaulted chamber, open to the water at its far end.
  const side = 6.2 - 0.8 * sine(z * 0.31 + 1) - 0.05 * (z + 4)
  const roof = 6.9 + 0.35 * sine(z * 0.5)
  const walls = (1 - hypot2(x / side, (y - 1) / (roof - 1))) * 4.4
  let d = walls
  if (y > 4) {
    const hx = x - holeX
    const hz = z - holeZ
    const s = hz / Math.max(1e-9, hypot2(hx, hz))
    const holeR = 2.35 + 0.35 * s * (3 - 4 * s * s) // the sine of three times the angle
    d = Math.max(walls, holeR - hypot2(hx, hz * 0.8))
  }
  // Ridges that stand in rows into the distance. In front of them their height does not matter.
  const ahead = z + 2.2
  if (ahead < d + 0.8) {
    const height = 0.55 + 2.1 * (noise(x * 0.42 + 4, 0, z * 0.36) - 0.5) + 0.06 * x * x
    d = smoothMin(d, Math.max(0.62 * (y - height), ahead), 0.8)
  }
  // A pillar matters no farther than where the two begin to join.
  const reach = (d + 0.9) * 1.25 + 0.12 * Math.abs(y - 3)
  if (nearer(x + 4.3, z + 6.5, reach + 1.15)) {
    const pillar = hypot2(x + 4.3 + 0.3 * sine(y), z + 6.5) - 0.85 - 0.12 * Math.abs(y - 3)
    d = smoothMin(d, pillar * 0.8, 0.9)
  }
  if (nearer(x - 5.2, z + 11, reach + 1.25)) {
    const pillar = hypot2(x - 5.2, z + 11) - 1.25 - 0.1 * Math.abs(y - 3)
    d = smoothMin(d, pillar * 0.8, 0.9)
  }
  if (d > 1.4) return d - 0.75
  const broad = d - 1.05 * fractal(x * 0.55, y * 0.62, z * 0.55, 2)
  if (!fine || broad > 0.5) return (broad - 0.08) * 0.7
  const detail = 0.26 * fractal(x * 2.3 + 9, y * 2.6, z * 2.3, 3)
  const ledges = 0.06 * sine(y * 5.2 + 2.5 * noise(x * 0.6, y * 0.4, z * 0.6))
  return (broad - detail - ledges) * 0.66
}

/** The rock's distance where it is not more than `enough`; else something between that and it, which is quick. */
function rockUpTo(enough: f64, x: f64, y: f64, z: f64, fine: bool): f64 {
  const tx = (x - firstX) * (1 / cell) - 0.5 + magic
  const i = <i32>reinterpret<i64>(tx)
  const ty = (y - firstY) * (1 / cell) - 0.5 + magic
  const j = <i32>reinterpret<i64>(ty)
  const tz = (z - firstZ) * (1 / cell) - 0.5 + magic
  const k = <i32>reinterpret<i64>(tz)
  if (<u32>i >= <u32>cellsX || <u32>j >= <u32>cellsY || <u32>k >= <u32>cellsZ) return rockDistance(x, y, z, fine)
  const at = (k * cellsY + j) * cellsX + i
  const mx = firstX + (<f64>i + 0.5) * cell
  const my = firstY + (<f64>j + 0.5) * cell
  const mz = firstZ + (<f64>k + 0.5) * cell
  let known = unchecked(cells[at])
  if (known != known) {
    known = <f32>rockDistance(mx, my, mz, true)
    unchecked((cells[at] = known))
  }
  const step = <f64>known - hypot3(x - mx, y - my, z - mz)
  if (step > enough) return step
  return fine ? rockDistance(x, y, z, true) : coarseRock(x, y, z)
}

/** The rock without its details, as shadows see it, at the corners of cells: it is smooth, so between them it is linear. Filled as it is asked for. */
const wide = 0.15
const wideX = 112
const wideY = 75
const wideZ = 374
const wides = new StaticArray<f32>(wideX * wideY * wideZ)
wides.fill(NaN)
function wideAt(i: i32, j: i32, k: i32): f64 {
  const at = (k * wideY + j) * wideX + i
  let known = unchecked(wides[at])
  if (known != known) {
    known = <f32>rockDistance(firstX + <f64>i * wide, firstY + <f64>j * wide, firstZ + <f64>k * wide, false)
    unchecked((wides[at] = known))
  }
  return <f64>known
}
function coarseRock(x: f64, y: f64, z: f64): f64 {
  const gx = (x - firstX) * (1 / wide)
  const gy = (y - firstY) * (1 / wide)
  const gz = (z - firstZ) * (1 / wide)
  const i = <i32>gx
  const j = <i32>gy
  const k = <i32>gz
  if (gx < 0 || gy < 0 || gz < 0 || i >= wideX - 1 || j >= wideY - 1 || k >= wideZ - 1) return rockDistance(x, y, z, false)
  const u = gx - <f64>i
  const v = gy - <f64>j
  const w = gz - <f64>k
  const a = wideAt(i, j, k)
  const b = wideAt(i, j + 1, k)
  const c = wideAt(i, j, k + 1)
  const d = wideAt(i, j + 1, k + 1)
  const ab = a + u * (wideAt(i + 1, j, k) - a)
  const cd = b + u * (wideAt(i + 1, j + 1, k) - b)
  const ef = c + u * (wideAt(i + 1, j, k + 1) - c)
  const gh = d + u * (wideAt(i + 1, j + 1, k + 1) - d)
  const near = ab + v * (cd - ab)
  return near + w * (ef + v * (gh - ef) - near)
}

/** Whether a point lies within the rock, as shadows see it. */
export function inRock(x: f64, y: f64, z: f64): bool {
  return coarseRock(x, y, z) < 0
}

export function sandDistance(x: f64, y: f64, z: f64): f64 {
  const height = 0.1 + 0.34 * (noise(x * 0.33, 1, z * 0.33) - 0.35) + 0.09 * Math.abs(x) * 0.5
  const flat = y - height
  if (flat > 0.5) return flat - 0.1
  const ripple = 0.022 * sine(9 * (z + 0.35 * sine(x * 1.1) + 0.5 * noise(x, 0, z)))
  return (flat - ripple - 0.02 * noise(x * 7, 0, z * 7)) * 0.85
}

export function mound(x: f64, y: f64, z: f64): f64 {
  const px = x - ventX
  const py = y - ventY
  const pz = z - ventZ
  const r = hypot2(px, pz)
  if (r > 2.4 || py > 2) return Math.max(r - 1.9, py - 1.5)
  const cone = (py - 0.62 + r * 1.05) * 0.6
  const rim = torus(px, py - 0.42, pz, 0.24, 0.13)
  const shape = Math.max(smoothMin(cone, rim, 0.22), -(hypot3(px, (py - 0.75) * 0.5, pz) - 0.25))
  return (shape - 0.13 * fractal(x * 2.4, y * 2.4, z * 2.4, 3)) * 0.75
}

function cluster(x: f64, y: f64, z: f64, best: f64, cx: f64, cy: f64, cz: f64, r: f64, from: i32, to: i32): f64 {
  const bound = hypot3(x - cx, y - cy, z - cz) - r
  if (bound > 0.4) return Math.min(best, bound)
  for (let i = from; i < to; i++) {
    const dy = y - unchecked(crystalPlan[i * 5 + 1])
    const dx = x - unchecked(crystalPlan[i * 5]) - (hash(i, 3, 1) - 0.5) * 0.85 * dy
    const dz = z - unchecked(crystalPlan[i * 5 + 2]) - (hash(i, 5, 2) - 0.5) * 0.5 * dy
    const turn = hash(i, 7, 3) * 2
    const cos = cosine(turn)
    const sin = sine(turn)
    const ax = Math.abs(dx * cos - dz * sin)
    const az = Math.abs(dx * sin + dz * cos)
    const hexagon = Math.max(ax * 0.8660254 + az * 0.5, az)
    const body = Math.max(hexagon - unchecked(crystalPlan[i * 5 + 4]), -0.4 - dy)
    const point = (dy - unchecked(crystalPlan[i * 5 + 3])) * 0.42 + hexagon * 0.9
    best = Math.min(best, Math.max(body, point) * 0.82)
  }
  return best
}

/** Brass ribs, rings, crown and foot of the diving bell. */
export function brassDistance(x: f64, y: f64, z: f64): f64 {
  const px = x - bx
  const py = y - by
  const pz = z - bz
  const bound = hypot3(px, py, pz) - 1.75
  if (bound > 0.3) return bound
  const r = hypot2(px, pz)
  const angle = Math.atan2(pz, px)
  const sector = Math.PI / 4
  const a = angle - sector * Math.floor(angle / sector + 0.5)
  const qx = r * cosine(a)
  const qz = r * sine(a)
  // Each rib follows the glass: straight below, round above.
  const up = Math.max(0, py)
  const ribR = hypot2(qx, up * 0.93) - 0.93
  let d =
    hypot3(Math.max(0, Math.abs(ribR) - 0.02), Math.max(0, Math.abs(qz) - 0.018), Math.max(0, -0.78 - py)) - 0.016
  d = Math.min(d, Math.min(torus(px, py + 0.02, pz, 0.94, 0.042), torus(px, py - 0.62, pz, 0.7, 0.028)))
  const foot = Math.max(Math.abs(py + 0.86) - 0.1, r - 1.08 + 0.2 * Math.max(0, py + 0.86))
  d = Math.min(d, Math.min(Math.max(foot, 0.82 - r) - 0.02, torus(px, py + 0.98, pz, 1.06, 0.05)))
  const crown = hypot2(r, (py - 0.99) * 1.5) - 0.27
  d = Math.min(d, Math.min(crown, Math.min(torus(px, py - 1.1, pz, 0.13, 0.035), torus(px, pz, py - 1.32, 0.1, 0.025))))
  // Rivets, sixteen round the foot and round the waist.
  const step = Math.PI / 8
  const b = angle + step / 2 - step * Math.floor((angle + step / 2) / step + 0.5)
  const rx = r * cosine(b)
  const rz = r * sine(b)
  d = Math.min(d, Math.min(hypot3(rx - 1.075, py + 0.86, rz) - 0.045, hypot3(rx - 0.975, py + 0.02, rz) - 0.032))
  return d * 0.9
}

export function glassDistance(x: f64, y: f64, z: f64): f64 {
  const py = y - by
  const up = Math.max(0, py)
  return Math.max(hypot3(x - bx, up * 0.93, z - bz) - 0.9, -0.8 - py) * 0.95
}

@inline
function lampDistance(x: f64, y: f64, z: f64): f64 {
  return Math.min(hypot3(x - bx, y - by - 0.42, z - bz) - 0.13, capsule(x - bx, y - by, z - bz, 0.86, 0.5, 0.018))
}

export function jellyDistance(i: i32, x: f64, y: f64, z: f64): f64 {
  const size = jelly(i, 3)
  const pulse = jelly(i, 4)
  const seed = <f64>i
  const px = (x - jelly(i, 0)) / size
  const py = (y - jelly(i, 1)) / size
  const pz = (z - jelly(i, 2)) / size
  const radius = hypot2(px, pz)
  const bound = Math.max(radius - 1.35, Math.abs(py + 1.1) - 2.2)
  if (bound > 0.3) return bound * size
  const wide = 1 + 0.1 * pulse
  const angle = Math.atan2(pz, px)
  const dome = hypot3(px / wide, py * (1.22 + 0.12 * pulse), pz / wide) - 1
  const scallop = -0.12 - 0.05 * cosine(angle * 12) - py
  const shell = Math.max(dome, Math.max(scallop, -(dome + 0.16 + 0.1 * Math.max(0, py))))
  let d = shell * 0.75
  const down = -py
  if (down > -0.3) {
    // Fine arms around the rim and four frilled ones within.
    const sector = (2 * Math.PI) / 12
    const sway = 0.12 * sine(down * 2.3 + seed * 2 + frame * 0.11)
    const index = Math.floor(angle / sector + 0.5)
    const a = angle - sector * index + sway * 0.5
    const length = 1.7 + 0.9 * hash(<i32>index, i, 4)
    const armR = (0.84 - 0.12 * down + sway) * wide
    const q = hypot2(radius * cosine(a) - armR, radius * sine(a))
    const arm = Math.max(q - 0.026 * Math.max(0.25, 1 - down / length), Math.max(down - length, -down))
    d = Math.min(d, arm * 0.55)
    const inner = Math.PI / 2
    const c = angle - inner * Math.floor(angle / inner + 0.5) + 0.4 * sine(down * 3.4 + seed + frame * 0.13)
    const frill =
      hypot2(radius * cosine(c) - 0.2 + 0.05 * down, radius * sine(c)) - 0.075 - 0.03 * sine(down * 17)
    d = Math.min(d, Math.max(frill, Math.max(down - 1.25, -down - 0.3)) * 0.45)
  }
  return d * size
}

/** The object that the last distance was to. */
export let nearest = rock

/** Bits of what a ray can not meet, besides objects by number: the bell with its lamp, the cable; the crystals and the mound have their own. */
export const noBell: i32 = 1 << brass
export const noCable: i32 = 1 << cable
export const noCrystals: i32 = 1 << crystals
export const noMound: i32 = 1 << vent

/** Distance to what light can not pass: rock, sand, brass, crystals; to rock farther than `enough` perhaps too little, but no less than that. */
export function opaque(x: f64, y: f64, z: f64, fine: bool, enough: f64, without: i32): f64 {
  let best = rockUpTo(enough, x, y, z, fine)
  let id = rock
  let d: f64
  // Sand is nowhere higher than this.
  if (0.85 * (y - 0.35 - 0.045 * Math.abs(x)) - 0.04 < best) {
    d = sandDistance(x, y, z)
    if (d < best) {
      best = d
      id = sand
    }
  }
  if (!(without & noMound) && y < 2.6) {
    d = mound(x, y, z)
    if (d < best) {
      best = d
      id = vent
    }
  }
  if (!(without & noBell)) {
    if (hypot2(x - bx, z - bz) < 1.6 + best) {
      d = brassDistance(x, y, z)
      if (d < best) {
        best = d
        id = brass
      }
    }
    d = lampDistance(x, y, z)
    if (d < best) {
      best = d
      id = lamp
    }
  }
  if (!(without & noCable)) {
    d = capsule(x - bx, y, z - bz, 30, by + 1.4, 0.022)
    if (d < best) {
      best = d
      id = cable
    }
  }
  if (!(without & noCrystals) && y < 2.8) {
    d = cluster(x, y, z, 1e9, -3.5, 0.9, 3.4, 1.75, 0, 6)
    d = cluster(x, y, z, d, 3.35, 0.7, 4.3, 1.5, 6, 10)
    if (d < best) {
      best = d
      id = crystals
    }
  }
  if (y > 6 && 7.75 - y < best) {
    best = 7.75 - y
    id = surface
  }
  nearest = id
  return best
}

/** As `opaque` with the rock's own distance everywhere, for gradients. */
export function exactOpaque(x: f64, y: f64, z: f64, without: i32): f64 {
  return opaque(x, y, z, true, Infinity, without)
}

/** Distance to the nearest surface of all, without what is in `without` (bits by object). */
export function distance(x: f64, y: f64, z: f64, without: i32): f64 {
  let best = opaque(x, y, z, true, nearRock, without)
  if (!(without & (1 << glass))) {
    const d = glassDistance(x, y, z)
    if (d < best) {
      best = d
      nearest = glass
    }
  }
  for (let i = 0; i < jellies; i++) {
    if (without & (1 << (firstJelly + i))) continue
    const size = jelly(i, 3)
    // All of it lies within 2.7 sizes of a point below its dome.
    if (hypot3(x - jelly(i, 0), y - jelly(i, 1) + 1.1 * size, z - jelly(i, 2)) - 2.7 * size > best) continue
    const d = jellyDistance(i, x, y, z)
    if (d < best) {
      best = d
      nearest = firstJelly + i
    }
  }
  return best
}
