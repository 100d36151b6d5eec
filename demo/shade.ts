import { fractal, noise } from './noise.ts'
import {
  brass,
  cable,
  crystals,
  firstJelly,
  glass,
  lamp,
  objects,
  rock,
  sand,
  sunAt,
  surface,
  vent,
  ventAt,
  type Scene,
  type Vec,
} from './scene.ts'

const dot = (a: Vec, b: Vec) => a[0] * b[0] + a[1] * b[1] + a[2] * b[2]
const add = (a: Vec, b: Vec, k = 1): Vec => [a[0] + b[0] * k, a[1] + b[1] * k, a[2] + b[2] * k]
const times = (a: Vec, b: Vec): Vec => [a[0] * b[0], a[1] * b[1], a[2] * b[2]]
const scaled = (a: Vec, k: number): Vec => [a[0] * k, a[1] * k, a[2] * k]
export const unit = (a: Vec): Vec => scaled(a, 1 / Math.max(1e-12, Math.hypot(...a)))
const clamp = (v: number) => Math.min(1, Math.max(0, v))

/** What one camera ray sees. */
export interface Sample {
  colour: Vec
  alpha: number
  emission: Vec
  reflection: Vec
  /** −1 where nothing was hit. */
  id: number
  position: Vec
  normal: Vec
  distance: number
}

export const nothing: Sample = {
  colour: [0, 0, 0], alpha: 0, emission: [0, 0, 0], reflection: [0, 0, 0],
  id: -1, position: [0, 0, 0], normal: [0, 0, 0], distance: Infinity,
} // prettier-ignore

const isJelly = (id: number) => id >= firstJelly && id < firstJelly + 5
const farthestRay = 60

function march(
  scene: Scene,
  origin: Vec,
  way: Vec,
  from: number,
  passed: number,
): { t: number; id: number } | undefined {
  let t = from
  for (let i = 0; i < 150; i++) {
    const d = scene.distance(origin[0] + way[0] * t, origin[1] + way[1] * t, origin[2] + way[2] * t, passed)
    if (d < 0.001 * t) return { t, id: scene.id }
    t += d
    if (t > farthestRay) return undefined
  }
  return t < farthestRay ? { t, id: scene.id } : undefined
}

function normalAt(p: Vec, t: number, field: (x: number, y: number, z: number) => number): Vec {
  const e = Math.max(0.0015, 0.0006 * t)
  const [x, y, z] = p
  const a = field(x + e, y - e, z - e)
  const b = field(x - e, y - e, z + e)
  const c = field(x - e, y + e, z - e)
  const d = field(x + e, y + e, z + e)
  return unit([a - b - c + d, -a - b + c + d, -a + b - c + d])
}

/** How much of a light reaches a point: 0–1, softened by how closely the ray passes what blocks it. */
function visible(scene: Scene, p: Vec, way: Vec, length: number, soft: number): number {
  let light = 1
  let t = 0.05
  for (let i = 0; i < 34 && t < length; i++) {
    if (p[1] + way[1] * t > 7.6) break
    // Farther than this it neither dims nor bounds the step.
    const enough = Math.max(0.8, t / soft)
    const d = scene.opaque(p[0] + way[0] * t, p[1] + way[1] * t, p[2] + way[2] * t, false, enough)
    if (scene.id === surface) break
    light = Math.min(light, (soft * d) / t)
    if (light < 0.01) return 0
    t += Math.min(0.8, Math.max(0.04, d))
  }
  return light * light * (3 - 2 * light)
}

function openness(scene: Scene, p: Vec, n: Vec): number {
  let closed = 0
  let weight = 1
  for (const h of [0.08, 0.3, 0.9]) {
    closed +=
      (weight * Math.max(0, h - scene.opaque(p[0] + n[0] * h, p[1] + n[1] * h, p[2] + n[2] * h, false, h))) /
      h
    weight *= 0.75
  }
  return clamp(1 - closed * 0.5)
}

function caustics(p: Vec, frame: number): number {
  const t = frame * 0.06
  const wave = (k: number, s: number) => {
    const v = noise(p[0] * k + s, p[2] * k - s * 0.7, t + s) + 0.3 * noise(p[0] * k * 2.1, t, p[2] * k * 2.1)
    return 1 - Math.abs(2 * v - 1.25)
  }
  return 0.35 + 1.5 * clamp(wave(1.3, 1.1)) ** 4 + 1.1 * clamp(wave(2.2, 5.3)) ** 6
}

/** Light arriving from a direction, for reflections: the opening above, the open water behind, the dark rock. */
function surroundings(way: Vec): Vec {
  const up = clamp(way[1] * 0.5 + 0.5)
  const opening = clamp((way[1] - 0.72) / 0.2) ** 2
  const back = clamp(-way[2] - 0.4) * 0.4
  return [
    0.015 + 0.05 * up + 2.6 * opening,
    0.05 + 0.16 * up + 3.6 * opening + 0.25 * back,
    0.09 + 0.26 * up + 4 * opening + 0.4 * back,
  ]
}

interface Material {
  readonly albedo: Vec
  readonly gloss: number
  readonly metal: boolean
  readonly emission: Vec
  readonly sharpness: number
}

function materialOf(id: number, p: Vec, n: Vec, scene: Scene): Material {
  const grain = fractal(p[0] * 3, p[1] * 3, p[2] * 3, 3)
  const black: Vec = [0, 0, 0]
  switch (id) {
    case sand: {
      const tone = 0.34 + 0.1 * grain
      return {
        albedo: [tone * 0.95, tone * 0.86, tone * 0.66],
        gloss: 0.02,
        metal: false,
        emission: black,
        sharpness: 10,
      }
    }
    case brass: {
      const worn = clamp(0.6 + grain)
      const tarnish = clamp(noise(p[0] * 6, p[1] * 6 + scene.staging.bell[1] * -6, p[2] * 6) * 2.2 - 1.1)
      return {
        albedo: [0.86 * worn - 0.3 * tarnish, 0.56 * worn - 0.06 * tarnish, 0.2 * worn + 0.04 * tarnish],
        gloss: 0.85,
        metal: true,
        emission: black,
        sharpness: 70,
      }
    }
    case lamp:
      return {
        albedo: [1, 0.8, 0.5],
        gloss: 0,
        metal: false,
        emission: p[1] - scene.staging.bell[1] < 0.56 ? [13, 6.6, 1.9] : black,
        sharpness: 1,
      }
    case cable:
      return { albedo: [0.06, 0.06, 0.065], gloss: 0.1, metal: false, emission: black, sharpness: 20 }
    case crystals: {
      const lift = clamp(p[1] / 1.6)
      const veins = clamp(noise(p[0] * 5, p[1] * 2.4, p[2] * 5) * 1.6 - 0.5)
      const core = (1 - lift) * 0.5 + 0.35 * veins
      return {
        albedo: [0.05, 0.16, 0.75],
        gloss: 0.6,
        metal: false,
        emission: [0.006 * core, 0.05 * core, 0.3 * core],
        sharpness: 60,
      }
    }
    case vent: {
      const [dx, dz] = [p[0] - ventAt[0], p[2] - ventAt[2]]
      const r = Math.hypot(dx, dz)
      const cracks =
        clamp(1 - Math.abs(fractal(p[0] * 1.7, p[1] * 1.7, p[2] * 1.7, 3)) * 9) * clamp(1.25 - r * 0.95)
      const mouth = clamp(1 - r / 0.3) ** 0.6
      const heat = 0.9 * cracks + 2.6 * mouth
      const tone = 0.1 + 0.06 * grain
      return {
        albedo: [tone, tone * 0.9, tone * 0.84],
        gloss: 0.04,
        metal: false,
        emission: [4.2 * heat, 1.25 * heat, 0.22 * heat * heat],
        sharpness: 12,
      }
    }
    default: {
      const strata = 0.5 + 0.5 * Math.sin(p[1] * 4 + 3 * noise(p[0] * 0.5, p[1], p[2] * 0.5))
      const tone = 0.15 + 0.07 * grain + 0.05 * strata
      const growth = clamp(fractal(p[0] * 1.1 + 7, p[1] * 1.1, p[2] * 1.1, 3) * 2.2 + n[1] * 0.5 - 0.35)
      return {
        albedo: [tone * (1.08 - 0.5 * growth), tone * (0.98 + 0.15 * growth), tone * (0.92 - 0.2 * growth)],
        gloss: 0.06, metal: false, emission: black, sharpness: 24,
      } // prettier-ignore
    }
  }
}

/** Light of the scene on an opaque surface: what it gives, mirrors and scatters. */
function shadeOpaque(
  scene: Scene,
  id: number,
  p: Vec,
  n: Vec,
  way: Vec,
): { colour: Vec; emission: Vec; reflection: Vec } {
  if (id === surface) {
    const waves = caustics(add(p, [0, 0, 0], 1), scene.staging.frame)
    const light = 2.4 + 2.2 * waves
    const emission: Vec = [light * 0.78, light * 0.98, light]
    return { colour: emission, emission, reflection: [0, 0, 0] }
  }
  const m = materialOf(id, p, n, scene)
  const open = openness(scene, p, n)
  const start = add(p, n, 0.012)
  let diffuse: Vec = scaled([0.13 + 0.1 * n[1], 0.33 + 0.23 * n[1], 0.46 + 0.29 * n[1]], open)
  let gleam: Vec = [0, 0, 0]
  const mirrored = add(way, n, -2 * dot(way, n))
  const light = (at: Vec, colour: Vec, falls: number, shadow: number) => {
    const to = add(at, p, -1)
    const far = Math.hypot(...to)
    const l = scaled(to, 1 / far)
    const facing = dot(n, l)
    if (facing <= 0) return
    // A lamp fades to nothing at seven metres, so that no shadow ray is spent on what it does not light.
    const fade = falls === 0 ? 1 : clamp(1 - (far / 7) ** 4) ** 2
    if (fade === 0) return
    const strength = falls === 0 ? 1 : fade / (falls + far * far)
    const seen = shadow > 0 ? visible(scene, start, l, far - 0.2, shadow) : 1
    const lit = scaled(colour, strength * seen)
    diffuse = add(diffuse, lit, facing)
    gleam = add(gleam, lit, Math.max(0, dot(mirrored, l)) ** m.sharpness * (m.sharpness + 8) * 0.04)
  }
  light(sunAt, scaled([4.4, 5.6, 5.7], id === surface ? 1 : caustics(p, scene.staging.frame)), 0, 9)
  light(
    add(scene.staging.bell, [0, 0.42, 0]),
    [2.6, 1.35, 0.45],
    0.25,
    id === brass || id === lamp || id === cable ? 0 : 14,
  )
  light(add(ventAt, [0, 1.0, 0]), [1.9, 0.55, 0.13], 0.3, 0)
  for (const jelly of scene.staging.jellies)
    light(add(jelly.at, [0, -0.2, 0]), scaled([0.22, 0.75, 1.2], jelly.size * 1.15), 0.3, 0)
  const grazing = (1 - Math.max(0, -dot(way, n))) ** 5
  const around = scaled(surroundings(mirrored), 0.3 + 0.7 * open)
  const mirror: Vec = m.metal
    ? scaled(m.albedo, m.gloss)
    : scaled([1, 1, 1], m.gloss * (0.16 + 0.84 * grazing))
  const reflection = add(
    times(around, mirror),
    times(gleam, m.metal ? m.albedo : [m.gloss, m.gloss, m.gloss]),
  )
  const scattered = times(diffuse, scaled(m.albedo, m.metal ? 0.18 : 1))
  return { colour: add(add(scattered, reflection), m.emission), emission: m.emission, reflection }
}

/** Jellyfish and glass let through what is behind them: colour of the layer and how much it covers. */
function shadeClear(
  scene: Scene,
  id: number,
  p: Vec,
  n: Vec,
  way: Vec,
): { colour: Vec; emission: Vec; reflection: Vec; cover: number } {
  const facing = Math.abs(dot(way, n))
  const rim = (1 - facing) ** 2.2
  if (id === glass) {
    const fresnel = 0.04 + 0.96 * (1 - facing) ** 5
    const mirrored = add(way, n, -2 * dot(way, n))
    const sun = Math.max(0, dot(mirrored, unit(add(sunAt, p, -1)))) ** 160 * 30
    const reflection = add(scaled(surroundings(mirrored), fresnel * 2.2), [sun, sun, sun])
    return {
      colour: add(reflection, [0.004, 0.016, 0.018]),
      emission: [0, 0, 0],
      reflection,
      cover: clamp(0.06 + fresnel),
    }
  }
  const jelly = scene.staging.jellies[id - firstJelly]!
  const low = clamp((jelly.at[1] - p[1]) / jelly.size)
  const stripes = 0.5 + 0.5 * Math.cos(Math.atan2(p[2] - jelly.at[2], p[0] - jelly.at[0]) * 12)
  const heart = clamp(
    1 - Math.hypot(p[0] - jelly.at[0], (p[1] - jelly.at[1]) * 1.2, p[2] - jelly.at[2]) / (0.62 * jelly.size),
  )
  const glow = 0.1 + 1.9 * rim + 0.28 * stripes * (1 - low) + 0.55 * heart + 0.22 * low
  const tone: Vec = jelly.seed % 2 ? [0.42, 0.62, 1.35] : [0.2, 0.9, 1.3]
  const emission = scaled(add(tone, [0.3, 0.32, 0.3], rim), glow * 0.95)
  const lit = add(emission, [0.02, 0.05, 0.07])
  return { colour: lit, emission, reflection: [0, 0, 0], cover: clamp(0.24 + 0.62 * rim + 0.3 * low) }
}

/** Follows one ray through what lets it pass to what stops it. Colour is premultiplied. */
export function trace(scene: Scene, origin: Vec, way: Vec): Sample {
  let result: Sample | undefined
  let left = 1
  let from = 0.4
  let passed = 0
  for (let layer = 0; layer < 5; layer++) {
    const hit = march(scene, origin, way, from, passed)
    if (!hit) break
    const p = add(origin, way, hit.t)
    const isClear = hit.id === glass || isJelly(hit.id)
    const field = isJelly(hit.id)
      ? (x: number, y: number, z: number) => scene.jellyDistance(hit.id - firstJelly, x, y, z)
      : hit.id === glass
        ? (x: number, y: number, z: number) => scene.glassDistance(x, y, z)
        : (x: number, y: number, z: number) => scene.opaque(x, y, z)
    const n = normalAt(p, hit.t, field)
    const shaded = isClear
      ? shadeClear(scene, hit.id, p, n, way)
      : { ...shadeOpaque(scene, hit.id, p, n, way), cover: 1 }
    result ??= { ...nothing, id: hit.id, position: p, normal: n, distance: hit.t }
    // Light given and mirrored by a clear layer counts whole; its own colour as much as it covers.
    const part = isClear ? left * (hit.id === glass ? 1 : shaded.cover) : left
    result.colour = add(result.colour, shaded.colour, part)
    result.emission = add(result.emission, shaded.emission, part)
    result.reflection = add(result.reflection, shaded.reflection, part)
    left *= 1 - shaded.cover
    result.alpha = 1 - left
    if (!isClear || left < 0.02) break
    passed |= 1 << hit.id
    from = hit.t
  }
  return result ?? nothing
}

export const objectCount = objects.length
export { rock }
