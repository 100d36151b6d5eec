import type { Picture } from '../picture/picture.ts'
import type { RayGeometry } from './kernels.ts'
import { profileTaps, type Taps } from './line-profile.ts'
import type { Workshop } from './pyramid.ts'

/** A line of light from every point: which way, in degrees clockwise from east, and how far, in pixels. */
export interface Spike {
  readonly angle: number
  readonly length: number
}

export interface SpikeShape {
  /** How the light falls along a spike: (1 − t/length)^exponent. */
  readonly exponent: number
  /** Factor on the light; a point of one pixel begins its spike with `gain` times its own brightness. */
  readonly gain: number
  /** How far the lengths of red and blue part: 0 not at all, 1 in proportion to their wavelengths. */
  readonly colourSpread: number
  /** Which pixel of a whole is the first of the picture, if that is a part: spikes then lie on the lines of the whole. */
  readonly from?: readonly [x: number, y: number] | undefined
}

/** Dominant wavelengths of the Rec.709 primaries against that of green, in nm. Source: ITU-R BT.709 primaries on the CIE 1931 locus. */
const wavelengths = [611 / 549, 1, 464 / 549]

/** Taps of a spike on samples that lie 1/`perPixel` pixels apart; each channel keeps its energy when lengths part. */
function spikeTaps(
  length: number,
  perPixel: number,
  way: 1 | -1,
  { exponent, gain, colourSpread }: SpikeShape,
): Taps {
  const taps = (scale: number) =>
    profileTaps(length * scale * perPixel, exponent, gain / (perPixel * scale), way)
  if (colourSpread === 0) return [taps(1)]
  const [r, g, b] = wavelengths.map((ratio) => taps(Math.max(0.05, 1 + colourSpread * (ratio - 1))))
  return [r!, g!, b!]
}

/** Where there is any light, by tiles; the caller's to give back. */
function litTiles(light: Picture, { kernels, store }: Workshop): Picture {
  const tiles = (side: number) => Math.ceil(side / 64)
  const lit = store.allocate(tiles(light.width), tiles(light.height), 1)
  kernels.litTiles(lit, light)
  return lit
}

/**
 * Draws spikes of light from every point of `src`: `out` = their sum, without the points themselves. Black outside; `out` is
 * not `src`. Lines finer than a pixel alias: blur `src` by 0.7 px or more before.
 */
export function drawSpikes(
  out: Picture,
  src: Picture,
  spikes: readonly Spike[],
  shape: SpikeShape,
  { kernels, store }: Workshop,
): void {
  // Opposite spikes lie on one line: both are drawn from the same sums.
  const lines = new Map<number, { ahead?: number; behind?: number }>()
  for (const { angle, length } of spikes) {
    const turned = ((angle % 360) + 360) % 360
    const isSteep = Math.abs(Math.sin((turned * Math.PI) / 180)) > Math.SQRT1_2
    const line = Math.round((turned % 180) * 1e6) / 1e6
    const isAhead = isSteep ? turned < 180 : turned < 90 || turned > 270
    const known = lines.get(line) ?? {}
    lines.set(line, { ...known, [isAhead ? 'ahead' : 'behind']: length })
  }
  const lit = litTiles(src, { kernels, store })
  let isAdded = false
  for (const [line, { ahead, behind }] of lines) {
    const [cos, sin] = [Math.cos((line * Math.PI) / 180), Math.sin((line * Math.PI) / 180)]
    const isSteep = Math.abs(sin) > Math.SQRT1_2
    const slope = isSteep ? cos / sin : sin / cos
    const perPixel = Math.abs(isSteep ? sin : cos)
    const taps = (length: number | undefined, way: 1 | -1) =>
      length === undefined ? undefined : spikeTaps(length, perPixel, way, shape)
    const [along, across] = isSteep ? [src.height, src.width] : [src.width, src.height]
    const run = (along - 1) * slope
    // Lines of a whole go through its corner, and lie between pixels at that of a part; so do their nodes.
    const begin = shape.from?.[isSteep ? 1 : 0] ?? 0
    const beside = slope * begin
    const between = beside - Math.floor(beside)
    const lead = between > 0 ? 1 : 0
    const least = Math.floor(Math.min(0, -run)) - 1
    const first = least - lead + between
    const count = Math.ceil(across - 1 + Math.max(0, -run)) - least + 2 + lead
    const drawn = store.allocate(along, count, 4)
    kernels.streakLines(drawn, src, lit, { slope, first, isSteep }, -begin, taps(ahead, 1), taps(behind, -1))
    kernels.streakBack(out, drawn, { slope, first, isSteep }, isAdded)
    isAdded = true
    store.release(drawn)
  }
  store.release(lit)
  if (!isAdded) kernels.fill(out, 0, 0, 0, 0)
}

/** Rays lie this far apart, in pixels, where they are farthest from each other. */
const raySpacing = 1.6
const mostRays = 8192
/** Their number, and the first one over a part, are multiples of this: every sixteenth is enough near the origin. */
const raysTogether = 16

/** A rectangle seen from a point: where its corners lie, between which radii, and whether the point is in it or nearly. */
function seenFrom([x, y]: readonly [number, number], width: number, height: number) {
  const corners = [
    [0, 0],
    [width, 0],
    [0, height],
    [width, height],
  ].map(([cx, cy]) => [cx! - x, cy! - y] as const)
  const lastRadius = Math.max(...corners.map((c) => Math.hypot(...c)))
  const nearest = Math.hypot(Math.max(0, -x, x - width), Math.max(0, -y, y - height))
  const firstRadius = Math.max(0, Math.floor(nearest) - 2)
  return {
    lastRadius,
    firstRadius,
    length: Math.ceil(lastRadius - firstRadius) + 3,
    isRound: x > -2 && y > -2 && x < width + 2 && y < height + 2,
    /** How far the corners lie from an angle. */
    turnsFrom: (towards: number) =>
      corners.map(([cx, cy]) => {
        const turn = Math.atan2(cy, cx) - towards
        return turn - 2 * Math.PI * Math.round(turn / (2 * Math.PI))
      }),
  }
}

/** Rays from an origin so that all of a picture lies between them. An origin far outside is drawn nearer on its line. */
export function raysOver(width: number, height: number, origin: readonly [number, number]) {
  const middle = [width / 2, height / 2] as const
  const away = [origin[0] - middle[0], origin[1] - middle[1]] as const
  const most = 50 * Math.hypot(width, height)
  const held = Math.min(1, most / Math.max(1e-9, Math.hypot(...away)))
  const [x, y] = [middle[0] + away[0] * held, middle[1] + away[1] * held]
  const { lastRadius, firstRadius, length, isRound, turnsFrom } = seenFrom([x, y], width, height)
  const rays = (span: number) => Math.min(mostRays, Math.max(64, Math.ceil((span * lastRadius) / raySpacing)))
  if (isRound) {
    const count = Math.ceil(rays(2 * Math.PI) / raysTogether) * raysTogether
    const geometry: RayGeometry = {
      origin: [x, y],
      firstAngle: 0,
      stepAngle: (2 * Math.PI) / count,
      firstRadius,
      isRound,
      evenRadius: (count * raySpacing) / (4 * Math.PI),
    }
    return { geometry, count, length }
  }
  // Seen from outside, the picture fills less than half of the way round.
  const towards = Math.atan2(middle[1] - y, middle[0] - x)
  const turns = turnsFrom(towards)
  const pad = 2 / lastRadius
  const firstAngle = towards + Math.min(...turns) - pad
  const span = Math.max(...turns) - Math.min(...turns) + 2 * pad
  const count = rays(span)
  const geometry: RayGeometry = {
    origin: [x, y],
    firstAngle,
    stepAngle: span / (count - 1),
    firstRadius,
    isRound,
    evenRadius: (raySpacing * (count - 1)) / (2 * span),
  }
  return { geometry, count, length }
}

/** A picture that is a part of a larger one. */
export interface PartOf {
  /** Width and height of the whole. */
  readonly size: readonly [width: number, height: number]
  /** Which of its pixels is the first of the part. */
  readonly from: readonly [x: number, y: number]
}

/** Those of the rays over a whole between which a part of it lies; the origin is counted from the corner of the part. */
export function raysOverPart(
  width: number,
  height: number,
  origin: readonly [number, number],
  { size, from }: PartOf,
): ReturnType<typeof raysOver> {
  const whole = raysOver(...size, [origin[0] + from[0], origin[1] + from[1]])
  const { origin: at, firstAngle, stepAngle } = whole.geometry
  const [x, y] = [at[0] - from[0], at[1] - from[1]]
  const { firstRadius, length, isRound, turnsFrom } = seenFrom([x, y], width, height)
  const geometry: RayGeometry = { ...whole.geometry, origin: [x, y], firstRadius }
  if (isRound) return { ...whole, geometry, length }
  const towards = Math.atan2(height / 2 - y, width / 2 - x)
  const turns = turnsFrom(towards)
  const turned = towards - firstAngle
  const ahead = turned - 2 * Math.PI * Math.floor(turned / (2 * Math.PI))
  const first = Math.floor((ahead + Math.min(...turns)) / stepAngle) - 2
  const last = Math.ceil((ahead + Math.max(...turns)) / stepAngle) + 2
  // Of a whole that is seen from outside there are no more rays than it has.
  const grouped = Math.floor(first / raysTogether) * raysTogether
  const [least, most] = whole.geometry.isRound
    ? [grouped, last]
    : [Math.max(0, grouped), Math.min(whole.count - 1, last)]
  return {
    geometry: { ...geometry, firstAngle: firstAngle + least * stepAngle, isRound: false },
    count: most - least + 1,
    length,
  }
}

export interface RayShape {
  /** Pixels of the picture. */
  readonly origin: readonly [number, number]
  /** Pixels. */
  readonly length: number
  /** How the light falls along a ray: (1 − t/length)^exponent. */
  readonly exponent: number
  /** Factor on the light that each pixel adds to the ray behind it. */
  readonly gain: number
  /** Takes its share of the light that passes each pixel of it: one channel, 0–1. */
  readonly occluder?: Picture | undefined
  /** Factor on the ray at an angle (radians). */
  readonly gainAt?: ((angle: number) => number) | undefined
  /** Where the picture is a part of a larger one: the rays are those of the whole. */
  readonly whole?: PartOf | undefined
}

/**
 * Draws light out along rays away from an origin: every pixel gets gain · ∫ light(t nearer to the origin) · (1 − t/length)^exponent dt.
 * Black outside the picture. `out` is not `light`.
 */
export function castRays(out: Picture, light: Picture, shape: RayShape, { kernels, store }: Workshop): void {
  const { width, height } = out
  const {
    geometry: all,
    count,
    length,
  } = shape.whole
    ? raysOverPart(width, height, shape.origin, shape.whole)
    : raysOver(width, height, shape.origin)
  // What stands in the way is not the mean of what is beside it.
  const geometry = shape.occluder ? { ...all, evenRadius: 0 } : all
  const taps = profileTaps(shape.length, shape.exponent)
  if (taps.length === 0) {
    kernels.fill(out, 0, 0, 0, 0)
    return
  }
  const rays = store.allocate(length, count, 4)
  const { gainAt } = shape
  const gains = Array.from({ length: count }, (_, i) =>
    gainAt ? gainAt(geometry.firstAngle + i * geometry.stepAngle) : 1,
  )
  const depth = shape.occluder && store.allocate(width, height, 1)
  if (depth) kernels.opticalDepth(depth, shape.occluder)
  const lit = litTiles(light, { kernels, store })
  kernels.rayLines(rays, light, lit, depth, taps, gains, geometry)
  for (const taken of [lit, depth]) if (taken) store.release(taken)
  kernels.rayBack(out, rays, geometry, shape.gain)
  store.release(rays)
}
