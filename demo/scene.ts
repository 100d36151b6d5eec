import { fractal, hash, noise } from './noise.ts'

// "Grotto descent": a flooded sea cave. Units are metres, x right, y up, z towards the viewer.

export type Vec = readonly [number, number, number]

export const objects = [
  'rock', 'sand', 'bell_brass', 'bell_glass', 'bell_lamp', 'cable', 'crystals', 'vent',
  'jelly_1', 'jelly_2', 'jelly_3', 'jelly_4', 'jelly_5', 'surface',
] as const // prettier-ignore
export const [rock, sand, brass, glass, lamp, cable, crystals, vent, firstJelly] = [0, 1, 2, 3, 4, 5, 6, 7, 8]
export const surface = 13

/** Where things are at a frame (1–48). */
export interface Staging {
  readonly frame: number
  readonly eye: Vec
  readonly target: Vec
  readonly bell: Vec
  readonly jellies: readonly {
    readonly at: Vec
    readonly size: number
    readonly pulse: number
    readonly seed: number
  }[]
}

const jellyPlan = [
  [1.15, 3.35, -1.6, 0.62], [2.75, 2.15, 0.4, 0.4], [-3.9, 3.1, -2.8, 0.4], [0.35, 1.75, 1.2, 0.27], [3.9, 4.0, -5.5, 0.5],
] as const // prettier-ignore

export function stage(frame: number): Staging {
  const t = (frame - 1) / 24
  const along = (frame - 1) / 47
  const eased = along * along * (3 - 2 * along)
  return {
    frame,
    eye: [0.1 - 0.25 * eased, 2.35, 9.4 - 0.9 * eased],
    target: [0.1, 2.85, -4],
    bell: [-1.75, 3.15 - 0.62 * t, -0.6],
    jellies: jellyPlan.map(([x, y, z, size], i) => ({
      at: [x + 0.16 * Math.sin(0.7 * t + i * 2.1), y + 0.22 * t + 0.06 * Math.sin(2.4 * t + i), z] as const,
      size,
      pulse: Math.sin(3.1 * t + i * 1.7),
      seed: i,
    })),
  }
}

export const holeAt: Vec = [0.9, 8, -4.6]
export const sunAt: Vec = [2.4, 17, -7.2]
export const ventAt: Vec = [3.55, 0.35, -1.4]

interface Crystal {
  readonly at: Vec
  readonly lean: readonly [number, number]
  readonly length: number
  readonly radius: number
  readonly turn: number
}
const crystalPlan: Crystal[] = [
  ...[
    [-3.5, 0.3, 3.2, 1.65, 0.25], [-3.05, 0.2, 3.5, 1.05, 0.19], [-4.0, 0.3, 3.0, 1.25, 0.22], [-2.65, 0.1, 3.3, 0.7, 0.14],
    [-3.4, 0.15, 3.95, 0.6, 0.13], [-4.35, 0.2, 3.5, 0.8, 0.15],
    [3.1, 0.1, 4.3, 0.95, 0.17], [3.5, 0.1, 4.0, 1.5, 0.23], [3.95, 0.2, 4.4, 0.85, 0.16], [2.75, 0.05, 4.6, 0.5, 0.11],
  ].map(([x, y, z, length, radius], i) => ({
    at: [x!, y!, z!] as const,
    lean: [(hash(i, 3, 1) - 0.5) * 0.85, (hash(i, 5, 2) - 0.5) * 0.5] as const,
    length: length!,
    radius: radius!,
    turn: hash(i, 7, 3) * 2,
  })),
] // prettier-ignore
const clusters = [
  { x: -3.5, y: 0.9, z: 3.4, r: 1.75, from: 0, to: 6 },
  { x: 3.35, y: 0.7, z: 4.3, r: 1.5, from: 6, to: 10 },
]

/** Length of a vector; Math.hypot guards against overflow and takes many times as long. */
const hypot = (x: number, y: number, z = 0) => Math.sqrt(x * x + y * y + z * z)

const smoothMin = (a: number, b: number, k: number) => {
  const h = Math.max(0, k - Math.abs(a - b)) / k
  return Math.min(a, b) - h * h * k * 0.25
}
const torus = (x: number, y: number, z: number, big: number, small: number) =>
  hypot(hypot(x, z) - big, y) - small
const capsule = (x: number, y: number, z: number, top: number, bottom: number, r: number) =>
  hypot(x, y - Math.min(top, Math.max(bottom, y)), z) - r

/** The chamber in cells: in each the distance of its middle from the rock, once it has been asked for. The rock stands still, so all frames share it. */
const [cell, cellsX, cellsY, cellsZ] = [0.2, 84, 56, 280]
const [firstX, firstY, firstZ] = [-8.4, -1.2, -45]
export const rockCells = (): Float32Array =>
  new Float32Array(new SharedArrayBuffer(cellsX * cellsY * cellsZ * 4)).fill(NaN)
/** Nearer to the rock than this its own distance counts. */
const nearRock = 0.12

/** Signed distances of the scene at a frame; `id` of the last call to `distance` names the nearest object. */
export function createScene(staging: Staging, cells: Float32Array = rockCells()) {
  const [bx, by, bz] = staging.bell
  let nearestId = rock

  function rockDistance(x: number, y: number, z: number, fine: boolean): number {
    // A long vaulted chamber, open to the water at its far end.
    const side = 6.2 - 0.8 * Math.sin(z * 0.31 + 1) - 0.05 * (z + 4)
    const roof = 6.9 + 0.35 * Math.sin(z * 0.5)
    const walls = (1 - hypot(x / side, (y - 1) / (roof - 1))) * 4.4
    let d = walls
    if (y > 4) {
      const holeR = 2.35 + 0.35 * Math.sin(3 * Math.atan2(z - holeAt[2], x - holeAt[0]))
      d = Math.max(walls, holeR - hypot(x - holeAt[0], (z - holeAt[2]) * 0.8))
    }
    // Ridges that stand in rows into the distance. In front of them their height does not matter.
    const ahead = z + 2.2
    if (ahead < d + 0.8) {
      const height = 0.55 + 2.1 * (noise(x * 0.42 + 4, 0, z * 0.36) - 0.5) + 0.06 * x * x
      d = smoothMin(d, Math.max(0.62 * (y - height), ahead), 0.8)
    }
    const pillar = hypot(x + 4.3 + 0.3 * Math.sin(y), z + 6.5) - 0.85 - 0.12 * Math.abs(y - 3)
    d = smoothMin(d, pillar * 0.8, 0.9)
    const pillarRight = hypot(x - 5.2, z + 11) - 1.25 - 0.1 * Math.abs(y - 3)
    d = smoothMin(d, pillarRight * 0.8, 0.9)
    if (d > 1.4) return d - 0.75
    const broad = d - 1.05 * fractal(x * 0.55, y * 0.62, z * 0.55, 2)
    if (!fine || broad > 0.5) return (broad - 0.08) * 0.7
    const detail = 0.26 * fractal(x * 2.3 + 9, y * 2.6, z * 2.3, 3)
    const ledges = 0.06 * Math.sin(y * 5.2 + 2.5 * noise(x * 0.6, y * 0.4, z * 0.6))
    return (broad - detail - ledges) * 0.66
  }

  /** The rock's distance where it is not more than `enough`; else something between that and it, which is quick. */
  function rockUpTo(enough: number, x: number, y: number, z: number, fine: boolean): number {
    const i = Math.floor((x - firstX) / cell)
    const j = Math.floor((y - firstY) / cell)
    const k = Math.floor((z - firstZ) / cell)
    if (i < 0 || j < 0 || k < 0 || i >= cellsX || j >= cellsY || k >= cellsZ)
      return rockDistance(x, y, z, fine)
    const at = (k * cellsY + j) * cellsX + i
    const mx = firstX + (i + 0.5) * cell
    const my = firstY + (j + 0.5) * cell
    const mz = firstZ + (k + 0.5) * cell
    let known = cells[at]!
    if (known !== known) {
      cells[at] = rockDistance(mx, my, mz, true)
      // Read back as it is kept, so that who asks first sees the same as all others.
      known = cells[at]
    }
    const step = known - hypot(x - mx, y - my, z - mz)
    return step > enough ? step : rockDistance(x, y, z, fine)
  }

  function sandDistance(x: number, y: number, z: number): number {
    const height = 0.1 + 0.34 * (noise(x * 0.33, 1, z * 0.33) - 0.35) + 0.09 * Math.abs(x) * 0.5
    const flat = y - height
    if (flat > 0.5) return flat - 0.1
    const ripple = 0.022 * Math.sin(9 * (z + 0.35 * Math.sin(x * 1.1) + 0.5 * noise(x, 0, z)))
    return (flat - ripple - 0.02 * noise(x * 7, 0, z * 7)) * 0.85
  }

  function mound(x: number, y: number, z: number): number {
    const px = x - ventAt[0]
    const py = y - ventAt[1]
    const pz = z - ventAt[2]
    const r = hypot(px, pz)
    if (r > 2.4 || py > 2) return Math.max(r - 1.9, py - 1.5)
    const cone = (py - 0.62 + r * 1.05) * 0.6
    const rim = torus(px, py - 0.42, pz, 0.24, 0.13)
    const shape = Math.max(smoothMin(cone, rim, 0.22), -(hypot(px, (py - 0.75) * 0.5, pz) - 0.25))
    return (shape - 0.13 * fractal(x * 2.4, y * 2.4, z * 2.4, 3)) * 0.75
  }

  function crystalDistance(x: number, y: number, z: number): number {
    let best = 1e9
    for (const { x: cx, y: cy, z: cz, r, from, to } of clusters) {
      const bound = hypot(x - cx, y - cy, z - cz) - r
      if (bound > 0.4) {
        if (bound < best) best = bound
        continue
      }
      for (let i = from; i < to; i++) {
        const c = crystalPlan[i]!
        const dy = y - c.at[1]
        const dx = x - c.at[0] - c.lean[0] * dy
        const dz = z - c.at[2] - c.lean[1] * dy
        const cos = Math.cos(c.turn)
        const sin = Math.sin(c.turn)
        const ax = Math.abs(dx * cos - dz * sin)
        const az = Math.abs(dx * sin + dz * cos)
        const hexagon = Math.max(ax * 0.8660254 + az * 0.5, az)
        const body = Math.max(hexagon - c.radius, -0.4 - dy)
        const point = (dy - c.length) * 0.42 + hexagon * 0.9
        const d = Math.max(body, point) * 0.82
        if (d < best) best = d
      }
    }
    return best
  }

  /** Brass ribs, rings, crown and foot of the diving bell. */
  function brassDistance(x: number, y: number, z: number): number {
    const px = x - bx
    const py = y - by
    const pz = z - bz
    const bound = hypot(px, py, pz) - 1.75
    if (bound > 0.3) return bound
    const r = hypot(px, pz)
    const angle = Math.atan2(pz, px)
    const sector = Math.PI / 4
    const a = angle - sector * Math.round(angle / sector)
    const qx = r * Math.cos(a)
    const qz = r * Math.sin(a)
    // Each rib follows the glass: straight below, round above.
    const up = Math.max(0, py)
    const ribR = hypot(qx, up * 0.93) - 0.93
    let d =
      hypot(Math.max(0, Math.abs(ribR) - 0.02), Math.max(0, Math.abs(qz) - 0.018), Math.max(0, -0.78 - py)) -
      0.016
    d = Math.min(d, torus(px, py + 0.02, pz, 0.94, 0.042), torus(px, py - 0.62, pz, 0.7, 0.028))
    const foot = Math.max(Math.abs(py + 0.86) - 0.1, r - 1.08 + 0.2 * Math.max(0, py + 0.86))
    d = Math.min(d, Math.max(foot, 0.82 - r) - 0.02, torus(px, py + 0.98, pz, 1.06, 0.05))
    const crown = hypot(r, (py - 0.99) * 1.5) - 0.27
    d = Math.min(d, crown, torus(px, py - 1.1, pz, 0.13, 0.035), torus(px, pz, py - 1.32, 0.1, 0.025))
    // Rivets, sixteen round the foot and round the waist.
    const step = Math.PI / 8
    const b = angle + step / 2 - step * Math.round((angle + step / 2) / step)
    const rx = r * Math.cos(b)
    const rz = r * Math.sin(b)
    d = Math.min(d, hypot(rx - 1.075, py + 0.86, rz) - 0.045, hypot(rx - 0.975, py + 0.02, rz) - 0.032)
    return d * 0.9
  }

  function glassDistance(x: number, y: number, z: number): number {
    const px = x - bx
    const py = y - by
    const pz = z - bz
    const up = Math.max(0, py)
    return Math.max(hypot(px, up * 0.93, pz) - 0.9, -0.8 - py) * 0.95
  }

  const lampDistance = (x: number, y: number, z: number) =>
    Math.min(hypot(x - bx, y - by - 0.42, z - bz) - 0.13, capsule(x - bx, y - by, z - bz, 0.86, 0.5, 0.018))

  function jellyDistance(i: number, x: number, y: number, z: number): number {
    const { at, size, pulse, seed } = staging.jellies[i]!
    const px = (x - at[0]) / size
    const py = (y - at[1]) / size
    const pz = (z - at[2]) / size
    const bound = Math.max(hypot(px, pz) - 1.35, Math.abs(py + 1.1) - 2.2)
    if (bound > 0.3) return bound * size
    const wide = 1 + 0.1 * pulse
    const angle = Math.atan2(pz, px)
    const dome = hypot(px / wide, py * (1.22 + 0.12 * pulse), pz / wide) - 1
    const scallop = -0.12 - 0.05 * Math.cos(angle * 12) - py
    const shell = Math.max(dome, scallop, -(dome + 0.16 + 0.1 * Math.max(0, py)))
    let d = shell * 0.75
    const radius = hypot(px, pz)
    const down = -py
    if (down > -0.3) {
      // Fine arms around the rim and four frilled ones within.
      const arms = 12
      const sector = (2 * Math.PI) / arms
      const sway = 0.12 * Math.sin(down * 2.3 + seed * 2 + staging.frame * 0.11)
      const index = Math.round(angle / sector)
      const a = angle - sector * index + sway * 0.5
      const length = 1.7 + 0.9 * hash(index, seed, 4)
      const armR = (0.84 - 0.12 * down + sway) * wide
      const q = hypot(radius * Math.cos(a) - armR, radius * Math.sin(a) * 1)
      const arm = Math.max(q - 0.026 * Math.max(0.25, 1 - down / length), down - length, -down)
      d = Math.min(d, arm * 0.55)
      const inner = Math.PI / 2
      const c =
        angle - inner * Math.round(angle / inner) + 0.4 * Math.sin(down * 3.4 + seed + staging.frame * 0.13)
      const frill =
        hypot(radius * Math.cos(c) - 0.2 + 0.05 * down, radius * Math.sin(c)) -
        0.075 -
        0.03 * Math.sin(down * 17)
      d = Math.min(d, Math.max(frill, down - 1.25, -down - 0.3) * 0.45)
    }
    return d * size
  }

  /** Distance to what light can not pass: rock, sand, brass, crystals; to rock farther than `enough` perhaps too little, but no less than that. */
  function opaque(x: number, y: number, z: number, fine = true, enough = Infinity): number {
    let best = enough === Infinity ? rockDistance(x, y, z, fine) : rockUpTo(enough, x, y, z, fine)
    nearestId = rock
    const consider = (d: number, id: number) => {
      if (d < best) {
        best = d
        nearestId = id
      }
    }
    if (y < 2.2 + best) consider(sandDistance(x, y, z), sand)
    if (y < 2.6) consider(mound(x, y, z), vent)
    if (hypot(x - bx, z - bz) < 1.6 + best) consider(brassDistance(x, y, z), brass)
    consider(lampDistance(x, y, z), lamp)
    consider(capsule(x - bx, y, z - bz, 30, by + 1.4, 0.022), cable)
    if (y < 2.8) consider(crystalDistance(x, y, z), crystals)
    if (y > 6) consider(7.75 - y, surface)
    return best
  }

  return {
    staging,
    /** Distance to the nearest surface of all, without what is in `passed` (bits by object). */
    distance(x: number, y: number, z: number, passed: number): number {
      let best = opaque(x, y, z, true, nearRock)
      if (!(passed & (1 << glass))) {
        const d = glassDistance(x, y, z)
        if (d < best) {
          best = d
          nearestId = glass
        }
      }
      for (let i = 0; i < 5; i++) {
        if (passed & (1 << (firstJelly + i))) continue
        const { at, size } = staging.jellies[i]!
        // All of it lies within 2.7 sizes of a point below its dome.
        if (hypot(x - at[0], y - at[1] + 1.1 * size, z - at[2]) - 2.7 * size > best) continue
        const d = jellyDistance(i, x, y, z)
        if (d < best) {
          best = d
          nearestId = firstJelly + i
        }
      }
      return best
    },
    opaque,
    jellyDistance,
    glassDistance,
    get id() {
      return nearestId
    },
  }
}
export type Scene = ReturnType<typeof createScene>
