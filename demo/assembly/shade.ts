// @ts-nocheck: AssemblyScript, checked by its own compiler
import { fractal, noise, sine } from './noise'
import {
  brass, brassDistance, bx, by, bz, cable, crystals, distance, exactOpaque, firstJelly, frame, glass, glassDistance, hypot2, hypot3, inRock, jellies,
  jelly, jellyDistance, lamp, mound, nearest, noBell, noCable, noCrystals, noMound, opaque, rock, rockDistance, sand, sandDistance, sunX, sunY, sunZ,
  surface, vent, ventX, ventY, ventZ,
} from './scene'

const farthestRay = 60.0
const noHit = -1.0

@inline
function clamp(v: f64): f64 {
  return Math.min(1, Math.max(0, v))
}
@inline
function square(v: f64): f64 {
  return v * v
}

/**
 * Where a ray from a point in a direction first meets something, from `t` on; `noHit` if it does not. `nearest` names what. Steps are
 * longer than the free distance as long as the free balls of two steps touch (Keinert and others 2014, Enhanced sphere tracing).
 */
function march(ox: f64, oy: f64, oz: f64, dx: f64, dy: f64, dz: f64, t: f64, without: i32): f64 {
  let last = 0.0
  let step = 0.0
  let longer = 1.25
  for (let i = 0; i < 150; i++) {
    const d = distance(ox + dx * t, oy + dy * t, oz + dz * t, without)
    if (longer > 1 && d + last < step) {
      t -= step - last
      longer = 1
      step = last
      continue
    }
    if (d < 0.001 * t) return t
    last = d
    step = d * longer
    t += step
    if (t > farthestRay) return noHit
  }
  return t < farthestRay ? t : noHit
}

/** Whether a cone of rays comes near a ball. `spread` is the cone's radius at distance 1. */
@inline
function meets(ox: f64, oy: f64, oz: f64, dx: f64, dy: f64, dz: f64, spread: f64, x: f64, y: f64, z: f64, r: f64): bool {
  const px = x - ox
  const py = y - oy
  const pz = z - oz
  const along = Math.max(0, px * dx + py * dy + pz * dz)
  return square(px - along * dx) + square(py - along * dy) + square(pz - along * dz) < square(r + (along + r) * spread)
}

let tileWithout: i32 = 0
/** What no ray of the last bundle can meet; bits as of `distance`. */
export function outside(): i32 {
  return tileWithout
}

/** What of bell, cable, crystals and mound no ray of a cone meets; bits as of `distance`. */
function apart(ox: f64, oy: f64, oz: f64, dx: f64, dy: f64, dz: f64, spread: f64): i32 {
  let without: i32 = 0
  if (!meets(ox, oy, oz, dx, dy, dz, spread, bx, by, bz, 1.8)) without |= noBell | (1 << glass)
  // The cable hangs above the bell: beside its line in plan nothing of it is met.
  const flat = Math.max(1e-9, hypot2(dx, dz))
  const along = Math.max(0, ((bx - ox) * dx + (bz - oz) * dz) / (flat * flat))
  if (hypot2(ox + dx * along - bx, oz + dz * along - bz) > 0.03 + (along + 1) * spread / flat) without |= noCable
  if (
    !meets(ox, oy, oz, dx, dy, dz, spread, -3.5, 0.9, 3.4, 1.85) &&
    !meets(ox, oy, oz, dx, dy, dz, spread, 3.35, 0.7, 4.3, 1.6)
  )
    without |= noCrystals
  if (!meets(ox, oy, oz, dx, dy, dz, spread, ventX, ventY + 0.2, ventZ, 2.6)) without |= noMound
  return without
}

/** How far no ray of a bundle around one meets anything; `outside` then says what none of them can meet at all. */
export function freeUntil(ox: f64, oy: f64, oz: f64, dx: f64, dy: f64, dz: f64, spread: f64): f64 {
  let without = apart(ox, oy, oz, dx, dy, dz, spread)
  for (let i = 0; i < jellies; i++) {
    const size = jelly(i, 3)
    if (!meets(ox, oy, oz, dx, dy, dz, spread, jelly(i, 0), jelly(i, 1) - 1.1 * size, jelly(i, 2), 2.7 * size))
      without |= 1 << (firstJelly + i)
  }
  let t = 0.4
  for (let i = 0; i < 80 && t < farthestRay; i++) {
    const free = distance(ox + dx * t, oy + dy * t, oz + dz * t, without) - t * spread
    if (free < 0.01 * t) break
    t += free
  }
  tileWithout = without
  return t
}

/** How much of a light reaches a point: 0–1, softened by how closely the ray passes what blocks it. */
function visible(px: f64, py: f64, pz: f64, dx: f64, dy: f64, dz: f64, length: f64, soft: f64): f64 {
  // Most of what is dark lies under the roof: a look at it saves the way there.
  if (py + dy * length > 7.6)
    for (let y = 7.3; y > 6.5; y -= 0.35) {
      const t = (y - py) / dy
      if (t > 1 && inRock(px + dx * t, y, pz + dz * t)) return 0
    }
  // What a cone this wide does not meet neither dims nor bounds the step.
  const without = apart(px, py, pz, dx, dy, dz, 1 / soft)
  let light = 1.0
  let t = 0.05
  for (let i = 0; i < 34 && t < length; i++) {
    const y = py + dy * t
    if (y > 7.6) break
    // Farther than this it neither dims nor bounds the step.
    const enough = Math.max(0.8, t / soft)
    const d = opaque(px + dx * t, y, pz + dz * t, false, enough, without)
    if (nearest == surface) break
    light = Math.min(light, (soft * d) / t)
    if (light < 0.01) return 0
    t += Math.min(0.8, Math.max(0.04, d))
  }
  return light * light * (3 - 2 * light)
}

function openness(px: f64, py: f64, pz: f64, nx: f64, ny: f64, nz: f64): f64 {
  let closed = 0.0
  let weight = 1.0
  for (let i = 0; i < 3; i++) {
    const h: f64 = i == 0 ? 0.08 : i == 1 ? 0.3 : 0.9
    closed += (weight * Math.max(0, h - opaque(px + nx * h, py + ny * h, pz + nz * h, false, h, 0))) / h
    weight *= 0.75
  }
  return clamp(1 - closed * 0.5)
}

function wave(px: f64, pz: f64, t: f64, k: f64, s: f64): f64 {
  const v = noise(px * k + s, pz * k - s * 0.7, t + s) + 0.3 * noise(px * k * 2.1, t, pz * k * 2.1)
  return clamp(1 - Math.abs(2 * v - 1.25))
}
function caustics(px: f64, pz: f64): f64 {
  const t = frame * 0.06
  const broad = square(wave(px, pz, t, 1.3, 1.1))
  const fine = wave(px, pz, t, 2.2, 5.3)
  return 0.35 + 1.5 * broad * broad + 1.1 * square(fine * fine * fine)
}

// What a surface gives, mirrors and scatters: results of the functions below, and its material.
let red = 0.0
let green = 0.0
let blue = 0.0
let emitRed = 0.0
let emitGreen = 0.0
let emitBlue = 0.0
let mirrorRed = 0.0
let mirrorGreen = 0.0
let mirrorBlue = 0.0
let cover = 1.0
let tintRed = 0.0
let tintGreen = 0.0
let tintBlue = 0.0
let gloss = 0.0
let sharpness = 1.0

/** Light arriving from a direction, for reflections: the opening above, the open water behind, the dark rock. */
let aroundRed = 0.0
let aroundGreen = 0.0
let aroundBlue = 0.0
function surroundings(wy: f64, wz: f64): void {
  const up = clamp(wy * 0.5 + 0.5)
  const opening = square(clamp((wy - 0.72) / 0.2))
  const back = clamp(-wz - 0.4) * 0.4
  aroundRed = 0.015 + 0.05 * up + 2.6 * opening
  aroundGreen = 0.05 + 0.16 * up + 3.6 * opening + 0.25 * back
  aroundBlue = 0.09 + 0.26 * up + 4 * opening + 0.4 * back
}

@inline
function albedo(r: f64, g: f64, b: f64, shine: f64, exponent: f64): void {
  tintRed = r
  tintGreen = g
  tintBlue = b
  gloss = shine
  sharpness = exponent
}
@inline
function emit(r: f64, g: f64, b: f64): void {
  emitRed = r
  emitGreen = g
  emitBlue = b
}

function takeMaterial(id: i32, px: f64, py: f64, pz: f64, ny: f64): void {
  emit(0, 0, 0)
  if (id == lamp) {
    albedo(1, 0.8, 0.5, 0, 1)
    // It burns up and down a little.
    const burning = 0.72 + 0.56 * noise(frame * 0.27, 3.1, 7.7)
    if (py - by < 0.56) emit(13 * burning, 6.6 * burning, 1.9 * burning)
    return
  }
  if (id == cable) return albedo(0.06, 0.06, 0.065, 0.1, 20)
  if (id == crystals) {
    const lift = clamp(py / 1.6)
    const veins = clamp(noise(px * 5, py * 2.4, pz * 5) * 1.6 - 0.5)
    const core = (1 - lift) * 0.5 + 0.35 * veins
    albedo(0.05, 0.16, 0.75, 0.6, 60)
    return emit(0.006 * core, 0.05 * core, 0.3 * core)
  }
  const grain = fractal(px * 3, py * 3, pz * 3, 3)
  if (id == sand) {
    const tone = 0.34 + 0.1 * grain
    return albedo(tone * 0.95, tone * 0.86, tone * 0.66, 0.02, 10)
  }
  if (id == brass) {
    const worn = clamp(0.6 + grain)
    const tarnish = clamp(noise(px * 6, py * 6 - by * 6, pz * 6) * 2.2 - 1.1)
    return albedo(0.86 * worn - 0.3 * tarnish, 0.56 * worn - 0.06 * tarnish, 0.2 * worn + 0.04 * tarnish, 0.85, 70)
  }
  if (id == vent) {
    const r = hypot2(px - ventX, pz - ventZ)
    const cracks = clamp(1 - Math.abs(fractal(px * 1.7, py * 1.7, pz * 1.7, 3)) * 9) * clamp(1.25 - r * 0.95)
    const mouth = Math.pow(clamp(1 - r / 0.3), 0.6)
    const heat = 0.9 * cracks + 2.6 * mouth
    const tone = 0.1 + 0.06 * grain
    albedo(tone, tone * 0.9, tone * 0.84, 0.04, 12)
    return emit(4.2 * heat, 1.25 * heat, 0.22 * heat * heat)
  }
  const strata = 0.5 + 0.5 * sine(py * 4 + 3 * noise(px * 0.5, py, pz * 0.5))
  const tone = 0.15 + 0.07 * grain + 0.05 * strata
  const growth = clamp(fractal(px * 1.1 + 7, py * 1.1, pz * 1.1, 3) * 2.2 + ny * 0.5 - 0.35)
  albedo(tone * (1.08 - 0.5 * growth), tone * (0.98 + 0.15 * growth), tone * (0.92 - 0.2 * growth), 0.06, 24)
}

// The surface that is lit, and what has come together on it.
let px = 0.0
let py = 0.0
let pz = 0.0
let nx = 0.0
let ny = 0.0
let nz = 0.0
let mx = 0.0
let my = 0.0
let mz = 0.0
let litRed = 0.0
let litGreen = 0.0
let litBlue = 0.0
let gleamRed = 0.0
let gleamGreen = 0.0
let gleamBlue = 0.0

/** Adds a lamp. It fades to nothing at seven metres unless `falls` is 0, so that no shadow ray is spent on what it does not light. */
function addLamp(x: f64, y: f64, z: f64, r: f64, g: f64, b: f64, falls: f64, shadow: f64): void {
  const tx = x - px
  const ty = y - py
  const tz = z - pz
  const far = hypot3(tx, ty, tz)
  const fade = falls == 0 ? 1 : square(clamp(1 - square(square(far / 7))))
  if (fade == 0) return
  const lx = tx / far
  const ly = ty / far
  const lz = tz / far
  const facing = nx * lx + ny * ly + nz * lz
  if (facing <= 0) return
  let strength = falls == 0 ? 1 : fade / (falls + far * far)
  if (shadow > 0) strength *= visible(px + nx * 0.012, py + ny * 0.012, pz + nz * 0.012, lx, ly, lz, far - 0.2, shadow)
  litRed += r * strength * facing
  litGreen += g * strength * facing
  litBlue += b * strength * facing
  const towards = Math.max(0, mx * lx + my * ly + mz * lz)
  // Farther from the mirrored direction nothing is left of the gleam.
  if (towards * sharpness < sharpness - 16) return
  const gleam = Math.pow(towards, sharpness) * (sharpness + 8) * 0.04 * strength
  gleamRed += r * gleam
  gleamGreen += g * gleam
  gleamBlue += b * gleam
}

/** Light of the scene on an opaque surface. */
function shadeOpaque(id: i32, dx: f64, dy: f64, dz: f64): void {
  cover = 1
  if (id == surface) {
    const light = 2.4 + 2.2 * caustics(px, pz)
    red = emitRed = light * 0.78
    green = emitGreen = light * 0.98
    blue = emitBlue = light
    mirrorRed = mirrorGreen = mirrorBlue = 0
    return
  }
  takeMaterial(id, px, py, pz, ny)
  const open = openness(px, py, pz, nx, ny, nz)
  litRed = (0.13 + 0.1 * ny) * open
  litGreen = (0.33 + 0.23 * ny) * open
  litBlue = (0.46 + 0.29 * ny) * open
  gleamRed = gleamGreen = gleamBlue = 0
  const facing = dx * nx + dy * ny + dz * nz
  mx = dx - 2 * facing * nx
  my = dy - 2 * facing * ny
  mz = dz - 2 * facing * nz
  const waves = caustics(px, pz)
  addLamp(sunX, sunY, sunZ, 4.4 * waves, 5.6 * waves, 5.7 * waves, 0, 9)
  addLamp(bx, by + 0.42, bz, 2.6, 1.35, 0.45, 0.25, id == brass || id == lamp || id == cable ? 0 : 14)
  addLamp(ventX, ventY + 1, ventZ, 1.9, 0.55, 0.13, 0.3, 0)
  for (let i = 0; i < jellies; i++) {
    const strength = jelly(i, 3) * 1.15
    addLamp(jelly(i, 0), jelly(i, 1) - 0.2, jelly(i, 2), 0.22 * strength, 0.75 * strength, 1.2 * strength, 0.3, 0)
  }
  surroundings(my, mz)
  const part = 0.3 + 0.7 * open
  const isMetal = id == brass
  const away = 1 - Math.max(0, -facing)
  const plain = gloss * (0.16 + 0.84 * square(away * away) * away)
  mirrorRed = aroundRed * part * (isMetal ? tintRed * gloss : plain) + gleamRed * (isMetal ? tintRed : gloss)
  mirrorGreen = aroundGreen * part * (isMetal ? tintGreen * gloss : plain) + gleamGreen * (isMetal ? tintGreen : gloss)
  mirrorBlue = aroundBlue * part * (isMetal ? tintBlue * gloss : plain) + gleamBlue * (isMetal ? tintBlue : gloss)
  const scattered = isMetal ? 0.18 : 1.0
  red = litRed * tintRed * scattered + mirrorRed + emitRed
  green = litGreen * tintGreen * scattered + mirrorGreen + emitGreen
  blue = litBlue * tintBlue * scattered + mirrorBlue + emitBlue
}

/** Jellyfish and glass let through what is behind them: colour of the layer and how much it covers. */
function shadeClear(id: i32, dx: f64, dy: f64, dz: f64): void {
  const towards = dx * nx + dy * ny + dz * nz
  const away = 1 - Math.abs(towards)
  emit(0, 0, 0)
  mirrorRed = mirrorGreen = mirrorBlue = 0
  if (id == glass) {
    const fresnel = 0.04 + 0.96 * square(away * away) * away
    const rx = dx - 2 * towards * nx
    const ry = dy - 2 * towards * ny
    const rz = dz - 2 * towards * nz
    const far = hypot3(sunX - px, sunY - py, sunZ - pz)
    const cosine = Math.max(0, (rx * (sunX - px) + ry * (sunY - py) + rz * (sunZ - pz)) / far)
    const sun = cosine < 0.85 ? 0 : Math.pow(cosine, 160) * 30
    surroundings(ry, rz)
    mirrorRed = aroundRed * fresnel * 2.2 + sun
    mirrorGreen = aroundGreen * fresnel * 2.2 + sun
    mirrorBlue = aroundBlue * fresnel * 2.2 + sun
    red = mirrorRed + 0.004
    green = mirrorGreen + 0.016
    blue = mirrorBlue + 0.018
    cover = clamp(0.06 + fresnel)
    return
  }
  const i = id - firstJelly
  const rim = Math.pow(away, 2.2)
  const size = jelly(i, 3)
  const jx = px - jelly(i, 0)
  const jy = py - jelly(i, 1)
  const jz = pz - jelly(i, 2)
  const low = clamp(-jy / size)
  const stripes = 0.5 + 0.5 * sine(Math.atan2(jz, jx) * 12 + Math.PI / 2)
  const heart = clamp(1 - hypot3(jx, jy * 1.2, jz) / (0.62 * size))
  const glow = (0.1 + 1.9 * rim + 0.28 * stripes * (1 - low) + 0.55 * heart + 0.22 * low) * 0.95
  const isOdd = (i & 1) == 1
  emitRed = ((isOdd ? 0.42 : 0.2) + 0.3 * rim) * glow
  emitGreen = ((isOdd ? 0.62 : 0.9) + 0.32 * rim) * glow
  emitBlue = ((isOdd ? 1.35 : 1.3) + 0.3 * rim) * glow
  red = emitRed + 0.02
  green = emitGreen + 0.05
  blue = emitBlue + 0.07
  cover = clamp(0.24 + 0.62 * rim + 0.3 * low)
}

@inline
function field(id: i32, x: f64, y: f64, z: f64, without: i32): f64 {
  if (id >= firstJelly && id < firstJelly + jellies) return jellyDistance(id - firstJelly, x, y, z)
  if (id == glass) return glassDistance(x, y, z)
  // Of these nothing else counts but what was met.
  if (id == rock) return rockDistance(x, y, z, true)
  if (id == sand) return sandDistance(x, y, z)
  if (id == vent) return mound(x, y, z)
  if (id == brass) return brassDistance(x, y, z)
  return exactOpaque(x, y, z, without)
}

function takeNormal(id: i32, t: f64, without: i32): void {
  const e = Math.max(0.0015, 0.0006 * t)
  const a = field(id, px + e, py - e, pz - e, without)
  const b = field(id, px - e, py - e, pz + e, without)
  const c = field(id, px - e, py + e, pz - e, without)
  const d = field(id, px + e, py + e, pz + e, without)
  nx = a - b - c + d
  ny = -a - b + c + d
  nz = -a + b - c + d
  const length = Math.max(1e-12, hypot3(nx, ny, nz))
  nx /= length
  ny /= length
  nz /= length
}

/** Where a sample is written; as `Sample` of ../tracer.ts says. */
const out = new StaticArray<f64>(18)
export function sampleAt(): usize {
  return changetype<usize>(out)
}
@inline
function put(i: i32, v: f64): void {
  unchecked((out[i] = v))
}
@inline
function addTo(i: i32, v: f64): void {
  unchecked((out[i] += v))
}

/** Follows one ray, which is free until `from`, through what lets it pass to what stops it. Colour is premultiplied. */
export function trace(ox: f64, oy: f64, oz: f64, dx: f64, dy: f64, dz: f64, from: f64, without: i32): void {
  for (let i = 0; i < 17; i++) put(i, 0)
  put(10, -1)
  put(17, Infinity)
  let isFirst = true
  let left = 1.0
  for (let layer = 0; layer < 5; layer++) {
    const t = march(ox, oy, oz, dx, dy, dz, from, without)
    if (t == noHit) break
    const id = nearest
    px = ox + dx * t
    py = oy + dy * t
    pz = oz + dz * t
    takeNormal(id, t, without)
    if (isFirst) {
      isFirst = false
      put(10, <f64>id)
      put(11, px)
      put(12, py)
      put(13, pz)
      put(14, nx)
      put(15, ny)
      put(16, nz)
      put(17, t)
    }
    const isClear = id == glass || (id >= firstJelly && id < firstJelly + jellies)
    if (isClear) shadeClear(id, dx, dy, dz)
    else shadeOpaque(id, dx, dy, dz)
    // Light given and mirrored by a clear layer counts whole; its own colour as much as it covers.
    const part = isClear ? left * (id == glass ? 1 : cover) : left
    addTo(0, red * part)
    addTo(1, green * part)
    addTo(2, blue * part)
    addTo(4, emitRed * part)
    addTo(5, emitGreen * part)
    addTo(6, emitBlue * part)
    addTo(7, mirrorRed * part)
    addTo(8, mirrorGreen * part)
    addTo(9, mirrorBlue * part)
    left *= 1 - cover
    put(3, 1 - left)
    if (!isClear || left < 0.02) break
    without |= 1 << id
    from = t
  }
}
