import { linearToOklab } from '../picture/oklab.ts'
import { leastCover, displayTable, linearToSrgb, luminance, srgbToLinear } from '../picture/colour.ts'
import { halfToNumber, numberToHalf } from '../picture/half.ts'
import { plainPicture, type Picture } from '../picture/picture.ts'
import { blendColour, isOperator, operators, type JoinMode } from './join-modes.ts'
import { weightsOf, type Tap } from './line-profile.ts'
import {
  displayChannels,
  toneEntries,
  toneEntry,
  type Edge,
  type Kernels,
  type MistShape,
  type ResampleFilter,
} from './kernels.ts'

const held = (i: number, n: number) => Math.min(n - 1, Math.max(0, i))

const screen = (s: number, b: number) => (s > 1 || b > 1 ? Math.max(s, b) : s + b - s * b)

function eachValue(out: Picture, value: (i: number, channel: number, pixel: number) => number): void {
  const { data, channels } = out
  for (let i = 0; i < data.length; i++) data[i] = value(i, i % channels, Math.floor(i / channels))
}

/** Stands for "nothing was hit" in distances. */
const farthest = 3.4028234663852886e38
const isSurface = (place: readonly number[], depth: number | undefined) =>
  depth === undefined ? place.some((v) => v !== 0) : depth < 1e30

/** Mean density, 0–1, between two heights of what is whole up to the ground and thins out exponentially above it. */
export function meanDensity(a: number, b: number, ground: number, thins: number): number {
  const below = (h: number) => (h < ground ? h - ground : thins * (1 - Math.exp(-(h - ground) / thins)))
  const density = (h: number) => (h < ground ? 1 : Math.exp(-(h - ground) / thins))
  return Math.abs(b - a) < 0.01 * thins ? density((a + b) / 2) : (below(b) - below(a)) / (b - a)
}

/** Value of one channel, by the rule for what lies outside. */
function sample(src: Picture, x: number, y: number, channel: number, edge: Edge): number {
  if (edge === 'black' && (x < 0 || y < 0 || x >= src.width || y >= src.height)) return 0
  return src.data[(held(y, src.height) * src.width + held(x, src.width)) * 4 + channel]!
}

/** Convolves along one axis with a symmetric filter. */
function convolve(out: Picture, src: Picture, weights: readonly number[], dx: number, dy: number): void {
  for (let y = 0; y < out.height; y++)
    for (let x = 0; x < out.width; x++)
      for (let c = 0; c < 4; c++) {
        let sum = sample(src, x, y, c, 'repeat') * weights[0]!
        for (let k = 1; k < weights.length; k++)
          sum +=
            weights[k]! *
            (sample(src, x - k * dx, y - k * dy, c, 'repeat') +
              sample(src, x + k * dx, y + k * dy, c, 'repeat'))
        out.data[(y * out.width + x) * 4 + c] = sum
      }
}

/** The sums of a line over a profile: the most direct way. */
function along(line: readonly number[], taps: readonly Tap[] | undefined): number[] {
  const weights = taps ? weightsOf(taps) : []
  return line.map((_, x) => {
    let sum = 0
    for (let t = 0; t <= x && t < weights.length; t++) sum += weights[t]! * line[x - t]!
    return sum
  })
}

/** Between the centres of pixels, 0 outside. */
function between(src: Picture, u: number, v: number, channel: number): number {
  const [x, y] = [Math.floor(u), Math.floor(v)]
  const at = (sx: number, sy: number) =>
    sx < 0 || sy < 0 || sx >= src.width || sy >= src.height
      ? 0
      : src.data[(sy * src.width + sx) * src.channels + channel]!
  const row = (sy: number) => at(x, sy) + (at(x + 1, sy) - at(x, sy)) * (u - x)
  return row(y) + (row(y + 1) - row(y)) * (v - y)
}

/** Straight colour through a function, with the alpha that it had; light without cover is taken as it is. */
function eachStraight(
  out: Picture,
  src: Picture,
  of: (colour: readonly [number, number, number], isLight: boolean) => readonly number[],
): void {
  for (let i = 0; i < src.data.length; i += 4) {
    const alpha = src.data[i + 3]!
    const cover = alpha > leastCover ? alpha : 1
    const at = (c: number) => src.data[i + c]! / cover
    const made = of([at(0), at(1), at(2)], !(alpha > leastCover))
    for (let c = 0; c < 3; c++) out.data[i + c] = Math.min(1e30, Math.max(-1e30, made[c]!)) * cover
    out.data[i + 3] = alpha
  }
}

const pixelOf = ({ data, width, height }: Picture, x: number, y: number) => [
  ...data.subarray((held(y, height) * width + held(x, width)) * 4).subarray(0, 4),
]

/** The entry of a mist's table at a place, with the light of a lamp in it. */
function entryOf({ table, glow }: MistShape, place: number, x?: number, y?: number): number[] {
  const i = Math.floor(place)
  const own = [0, 1, 2, 3].map((c) => {
    const [a, b] = [table[i * 4 + c]!, table[(i + 1) * 4 + c] ?? 0]
    return a + (b - a) * (place - i)
  })
  if (!glow || x === undefined || y === undefined) return own
  return own.map((v, c) => (c < 3 ? v + glow.colour[c]! * own[3]! * glow.columns[x]! * glow.rows[y]! : v))
}

/** A pixel behind mist: out of its own distance, or taken apart at an edge; and whether what is behind it was not hit. */
function mistAt(
  src: Picture,
  depth: Picture,
  vary: Picture | undefined,
  shape: MistShape,
  x: number,
  y: number,
): { readonly made: readonly number[]; readonly isOpen: boolean } {
  const { width, height } = src
  const last = shape.table.length / 4 - 1
  const place = (px: number, py: number) => {
    const i = held(py, height) * width + held(px, width)
    const d = depth.data[i]!
    const at = (d - shape.from) * shape.scale * (vary?.data[i] ?? 1)
    return d >= 1e30 ? last : Math.min(last - 1, Math.max(0, at))
  }
  const around = (reach: number) => {
    const side = Array.from({ length: 2 * reach + 1 }, (_, k) => k - reach)
    return side.flatMap((dy) => side.map((dx) => [dx, dy] as const))
  }
  const kept = (v: readonly number[]) =>
    [0, 1, 2, 3].map((c) =>
      shape.join === 'mix' ? 1 - v[3]! : shape.join === 'add' ? 1 : Math.max(0, 1 - v[c]!),
    )
  /** What a colour becomes behind mist. */
  const behind = (p: readonly number[], v: readonly number[]) => {
    const k = kept(v)
    return p.map((value, c) => value * k[c]! + v[c]! * p[3]!)
  }
  const p = pixelOf(src, x, y)
  const plain = behind(p, entryOf(shape, place(x, y), x, y))
  const near3 = around(1).map(([dx, dy]) => place(x + dx, y + dy))
  // What was not hit lies beyond all else, so that its edges are always found.
  const apart = near3.map((p3) => (p3 === last ? 2 * last : p3))
  if (!(Math.max(...apart) - Math.min(...apart) > last / 128))
    return { made: plain, isOpen: place(x, y) === last }
  const near5 = around(2).map(([dx, dy]) => place(x + dx, y + dy))
  const isOpen = Math.max(...near5) === last
  const middle = (Math.max(...near5) + Math.min(...near5)) / 2
  const ring = around(2)
    .filter(([dx, dy]) => Math.max(Math.abs(dx), Math.abs(dy)) === 2)
    .map(([dx, dy]) => ({ at: place(x + dx, y + dy), colour: pixelOf(src, x + dx, y + dy) }))
  const sides = [ring.filter((r) => r.at < middle), ring.filter((r) => r.at >= middle)]
  if (sides.some((side) => side.length === 0)) return { made: plain, isOpen }
  const mean = (rows: readonly (readonly number[])[]) =>
    [0, 1, 2, 3].map((c) => rows.reduce((sum, row) => sum + row[c]!, 0) / rows.length)
  const [near, far] = sides.map((side) => ({
    colour: mean(side.map((r) => r.colour)),
    mist: mean(side.map((r) => entryOf(shape, r.at, x, y))),
  })) as [{ colour: number[]; mist: number[] }, { colour: number[]; mist: number[] }]
  const dot = (a: readonly number[], b: readonly number[]) => a.reduce((sum, v, c) => sum + v * b[c]!, 0)
  const step = near.colour.map((v, c) => v - far.colour[c]!)
  const square = dot(step, step)
  // Sides that hardly differ, or differ within themselves as much, do not say; then it is how many of its neighbours are near.
  const spread = (side: typeof ring, colour: readonly number[]) =>
    side.reduce((sum, r) => sum + dot(r.colour, r.colour), 0) / side.length - dot(colour, colour)
  const within = spread(sides[0]!, near.colour) + spread(sides[1]!, far.colour)
  const trust = square / (square + 4 * Math.max(0, within) + 1e-12)
  const toFar = p.map((v, c) => v - far.colour[c]!)
  const seen = square > 0 ? Math.min(1, Math.max(0, dot(toFar, step) / square)) : 0
  const cover = trust * seen + ((1 - trust) * near3.filter((at) => at < middle).length) / 9
  const mixed = (a: readonly number[], b: readonly number[]) =>
    a.map((v, c) => cover * v + (1 - cover) * b[c]!)
  const rest = p.map((v, c) => v - mixed(near.colour, far.colour)[c]!)
  const both = mixed(behind(near.colour, near.mist), behind(far.colour, far.mist))
  const stays = mixed(kept(near.mist), kept(far.mist))
  const mist = mixed(near.mist, far.mist)
  return { made: both.map((v, c) => v + rest[c]! * stays[c]! + rest[3]! * mist[c]!), isOpen }
}

const sinc = (x: number) => (x === 0 ? 1 : Math.sin(Math.PI * x) / (Math.PI * x))
/** How much of a pixel lies inside of a straight edge `outside` pixels within its middle; nx, ny ≥ 0 is its direction, of length 1. */
function halfPlaneCover(nx: number, ny: number, outside: number): number {
  // The area of x · nx + y · ny ≤ −outside in a unit square about the middle, by what the four corners cut off.
  const square = (v: number) => Math.max(0, v) ** 2
  const from = -outside + (nx + ny) / 2
  if (Math.min(nx, ny) < 1e-9) return Math.min(1, Math.max(0, from))
  return (square(from) - square(from - nx) - square(from - ny) + square(from - nx - ny)) / (2 * nx * ny)
}

/** How far each filter of resampling reaches and its weight at a distance. */
const resampleBy: Record<ResampleFilter, { reach: number; weight: (x: number) => number }> = {
  nearest: { reach: 0, weight: () => 1 },
  bilinear: { reach: 1, weight: (x) => Math.max(0, 1 - Math.abs(x)) },
  cubic: {
    reach: 2,
    weight: (x) => {
      const a = Math.abs(x)
      if (a < 1) return (1.5 * a - 2.5) * a * a + 1
      return a < 2 ? ((-0.5 * a + 2.5) * a - 4) * a + 2 : 0
    },
  },
  lanczos: { reach: 3, weight: (x) => (Math.abs(x) < 3 ? sinc(x) * sinc(x / 3) : 0) },
}

const tap = [1 / 8, 3 / 8, 3 / 8, 1 / 8]

type Rgba = [number, number, number, number]

/** Two premultiplied pixels by a mode at full opacity. */
function joinPixel(mode: JoinMode, b: Rgba, s: Rgba): Rgba {
  const [ba, sa] = [b[3], s[3]]
  if (mode === 'screen') return b.map((v, c) => screen(s[c]!, v)) as Rgba
  if (isOperator(mode)) {
    const { a0, a1, b0, b1 } = operators[mode]
    return b.map((v, c) => s[c]! * (a0 + a1 * ba) + v * (b0 + b1 * sa)) as Rgba
  }
  const straight = (v: Rgba, alpha: number) =>
    v.slice(0, 3).map((x) => (alpha > leastCover ? x / alpha : x)) as [number, number, number]
  const mixed = blendColour(mode, straight(b, ba), straight(s, sa))
  const colour = mixed.map((v, c) => s[c]! * (1 - ba) + sa * ba * v + b[c]! * (1 - sa))
  return [...colour, sa + ba * (1 - sa)] as Rgba
}

/** The kernels as the simplest loops that are right: the reference that the fast ones are checked against. */
export const plainKernels: Kernels = {
  watch: () => undefined,
  join(out, below, top, matte, mode, opacity) {
    for (let p = 0; p < out.width * out.height; p++) {
      const weight = opacity * (matte ? matte.data[p]! : 1)
      const at = (picture: Picture) => [0, 1, 2, 3].map((c) => picture.data[p * 4 + c]!) as Rgba
      const b = at(below)
      const joined = joinPixel(mode, b, at(top))
      for (let c = 0; c < 4; c++) {
        const whole = mode === 'plus' && c === 3 ? Math.min(1, joined[c]) : joined[c]!
        out.data[p * 4 + c] = b[c]! + weight * (whole - b[c]!)
      }
    }
  },
  mix(out, src, effect, matte, amount) {
    eachValue(
      out,
      (i, _, p) => src.data[i]! + amount * (matte ? matte.data[p]! : 1) * (effect.data[i]! - src.data[i]!),
    )
  },
  addLight(out, src, light, mode, intoAlpha) {
    eachValue(out, (i, c) => {
      if (c < 3)
        return mode === 'screen' ? screen(light.data[i]!, src.data[i]!) : src.data[i]! + light.data[i]!
      if (!intoAlpha) return src.data[i]!
      const y = luminance(light.data[i - 3]!, light.data[i - 2]!, light.data[i - 1]!)
      return Math.min(1, src.data[i]! + Math.max(0, y))
    })
  },
  fill(out, r, g, b, a) {
    eachValue(out, (_, c) => [r, g, b, a][c]!)
  },
  gains(out, src, r, g, b, a) {
    eachValue(out, (i, c) => src.data[i]! * [r, g, b, a][c]!)
  },
  colourMatrix(out, src, matrix, alpha) {
    for (let i = 0; i < out.data.length; i += 4) {
      const [r, g, b, a] = [src.data[i]!, src.data[i + 1]!, src.data[i + 2]!, src.data[i + 3]!]
      for (let c = 0; c < 3; c++)
        out.data[i + c] =
          matrix[c * 4]! * r + matrix[c * 4 + 1]! * g + matrix[c * 4 + 2]! * b + matrix[c * 4 + 3]! * a
      out.data[i + 3] = a * alpha
    }
  },
  brightPass(out, src, { threshold, knee, ceiling, byMost }) {
    for (let i = 0; i < out.data.length; i += 4) {
      const rgb = [src.data[i]!, src.data[i + 1]!, src.data[i + 2]!] as const
      const y = byMost ? Math.max(...rgb) : luminance(...rgb)
      const lit = Math.min(y, ceiling)
      const above = lit - (threshold - knee)
      const passed =
        !(y > 0) || above <= 0 ? 0 : lit < threshold + knee ? above ** 2 / (4 * knee) : lit - threshold
      for (let c = 0; c < 3; c++) out.data[i + c] = y > 0 ? (rgb[c]! * Math.max(0, passed)) / y : 0
      out.data[i + 3] = 0
    }
  },
  brightHalve(out, src, offset, caught) {
    const bright = plainPicture(src.width, src.height)
    plainKernels.brightPass(bright, src, caught)
    plainKernels.halve(out, bright, offset, 'black')
  },
  unweigh(out, src, matte, otherwise) {
    eachValue(out, (i, _, pixel) =>
      matte.data[pixel]! >= 1 / 1024 ? src.data[i]! / matte.data[pixel]! : otherwise.data[i]!,
    )
  },
  weigh(out, src, matte, base, share) {
    eachValue(out, (i, _, p) => src.data[i]! * (base + share * matte.data[p]!))
  },
  sanitise({ data }) {
    let count = 0
    for (let i = 0; i < data.length; i++)
      if (!Number.isFinite(data[i])) {
        data[i] = 0
        count++
      }
    return count
  },
  halve(out, src, offset, edge) {
    for (let y = 0; y < out.height; y++)
      for (let x = 0; x < out.width; x++)
        for (let c = 0; c < 4; c++) {
          let sum = 0
          for (let j = 0; j < 4; j++)
            for (let i = 0; i < 4; i++)
              sum += tap[i]! * tap[j]! * sample(src, 2 * x + offset + i - 1, 2 * y + offset + j - 1, c, edge)
          out.data[(y * out.width + x) * 4 + c] = sum
        }
  },
  upAdd(out, fine, coarse, offset, fineWeight, coarseWeight) {
    for (let y = 0; y < out.height; y++)
      for (let x = 0; x < out.width; x++) {
        const [cx, cy] = [(x - offset) >> 1, (y - offset) >> 1]
        const [nx, ny] = [cx + ((x - offset) & 1 ? 1 : -1), cy + ((y - offset) & 1 ? 1 : -1)]
        for (let c = 0; c < 4; c++) {
          const at = (sx: number, sy: number) => sample(coarse, sx, sy, c, 'repeat')
          const up = 0.5625 * at(cx, cy) + 0.1875 * (at(nx, cy) + at(cx, ny)) + 0.0625 * at(nx, ny)
          const i = (y * out.width + x) * 4 + c
          out.data[i] = coarseWeight * up + (fine ? fineWeight * fine.data[i]! : 0)
        }
      }
  },
  smooth(out, src) {
    const weights = [20 / 64, 15 / 64, 6 / 64, 1 / 64]
    const between = plainPicture(src.width, src.height)
    convolve(between, src, weights, 1, 0)
    convolve(out, between, weights, 0, 1)
  },
  gaussRows: (out, src, weights) => {
    convolve(out, src, weights, 1, 0)
  },
  gaussColumns: (out, src, weights) => {
    convolve(out, src, weights, 0, 1)
  },
  boxReduce(out, src, factor) {
    for (let y = 0; y < out.height; y++)
      for (let x = 0; x < out.width; x++)
        for (let c = 0; c < 4; c++) {
          let [sum, count] = [0, 0]
          for (let sy = y * factor; sy < Math.min(src.height, (y + 1) * factor); sy++)
            for (let sx = x * factor; sx < Math.min(src.width, (x + 1) * factor); sx++, count++)
              sum += src.data[(sy * src.width + sx) * 4 + c]!
          out.data[(y * out.width + x) * 4 + c] = sum / count
        }
  },
  resample(out, src, [a, b, c, d, e, f], filter) {
    const [su, sv] = [Math.max(1, Math.hypot(a, b)), Math.max(1, Math.hypot(d, e))]
    const { reach, weight } = resampleBy[filter]
    for (let y = 0; y < out.height; y++)
      for (let x = 0; x < out.width; x++) {
        const [u, v] = [a * (x + 0.5) + b * (y + 0.5) + c, d * (x + 0.5) + e * (y + 0.5) + f]
        const sums = [0, 0, 0, 0]
        let total = 0
        const add = (sx: number, sy: number, w: number) => {
          total += w
          if (sx < 0 || sy < 0 || sx >= src.width || sy >= src.height) return
          for (let k = 0; k < 4; k++) sums[k]! += w * src.data[(sy * src.width + sx) * 4 + k]!
        }
        if (filter === 'nearest') add(Math.floor(u), Math.floor(v), 1)
        else
          for (let sy = Math.ceil(v - reach * sv - 0.5); sy <= Math.floor(v + reach * sv - 0.5); sy++)
            for (let sx = Math.ceil(u - reach * su - 0.5); sx <= Math.floor(u + reach * su - 0.5); sx++)
              add(sx, sy, weight((sx + 0.5 - u) / su) * weight((sy + 0.5 - v) / sv))
        for (let k = 0; k < 4; k++) out.data[(y * out.width + x) * 4 + k] = total === 0 ? 0 : sums[k]! / total
      }
  },
  streakLines(out, src, slope, first, ahead, behind) {
    const { width } = src
    for (let i = 0; i < out.height; i++) {
      const value = (x: number, c: number) => {
        const y = first + i + x * slope
        const [a, b] = [Math.floor(y), Math.floor(y) + 1].map((row) =>
          row < 0 || row >= src.height ? 0 : src.data[(row * width + x) * 4 + c]!,
        ) as [number, number]
        return a + (b - a) * (y - Math.floor(y))
      }
      for (let c = 0; c < 4; c++) {
        const line = Array.from({ length: width }, (_, x) => value(x, c))
        const forth = along(line, ahead?.[ahead.length === 3 ? c : 0])
        const back = along(line.toReversed(), behind?.[behind.length === 3 ? c : 0]).toReversed()
        // Lines are drawn only where they run through the picture.
        for (let x = 0; x < width; x++) {
          const y = first + i + x * slope
          out.data[(i * width + x) * 4 + c] = y > -1 && y < src.height ? forth[x]! + back[x]! : 0
        }
      }
    }
  },
  streakBack(out, lines, slope, first, gain) {
    eachValue(out, (i, c, p) => {
      const [x, y] = [p % out.width, Math.floor(p / out.width)]
      const line = y - x * slope - first
      const whole = Math.min(lines.height - 2, Math.max(0, Math.floor(line)))
      const [a, b] = [0, 1].map((k) => lines.data[((whole + k) * out.width + x) * 4 + c]!) as [number, number]
      return out.data[i]! + gain * (a + (b - a) * (line - whole))
    })
  },
  transpose(out, src) {
    eachValue(out, (_, c, p) => {
      const [x, y] = [p % out.width, Math.floor(p / out.width)]
      return src.data[(x * src.width + y) * 4 + c]!
    })
  },
  opticalDepth(out, src) {
    eachValue(out, (i) => Math.max(0, -Math.log2(Math.max(2 ** -40, Math.min(1, 1 - src.data[i]!)))))
  },
  rayLines(out, light, depth, taps, gains, { origin, firstAngle, stepAngle, firstRadius }) {
    const weights = weightsOf(taps)
    for (let row = 0; row < out.height; row++) {
      const angle = firstAngle + row * stepAngle
      const at = (i: number) => {
        const r = firstRadius + i
        return [origin[0] + Math.cos(angle) * r - 0.5, origin[1] + Math.sin(angle) * r - 0.5] as const
      }
      const open = Array.from({ length: out.width }, (_, i) =>
        depth ? 2 ** -between(depth, ...at(i), 0) : 1,
      )
      for (let c = 0; c < 4; c++) {
        const line = Array.from({ length: out.width }, (_, i) => between(light, ...at(i), c))
        for (let i = 0; i < out.width; i++) {
          let [sum, passed] = [0, 1]
          for (let t = 0; t <= i && t < weights.length; t++) {
            sum += weights[t]! * line[i - t]! * passed
            passed *= open[i - t]!
          }
          out.data[(row * out.width + i) * 4 + c] = c < 3 ? sum * gains[row]! : 0
        }
      }
    }
  },
  rayBack(out, rays, { origin, firstAngle, stepAngle, firstRadius, isRound }, gain) {
    eachValue(out, (_, c, p) => {
      const [dx, dy] = [(p % out.width) + 0.5 - origin[0], Math.floor(p / out.width) + 0.5 - origin[1]]
      const turn = 2 * Math.PI
      const angle = (((Math.atan2(dy, dx) - firstAngle) % turn) + turn) % turn
      const [u, v] = [Math.hypot(dx, dy) - firstRadius, angle / stepAngle]
      const column = held(Math.floor(u), rays.width - 1)
      const line = (row: number) => {
        const y = isRound ? row % rays.height : held(row, rays.height)
        const [a, b] = [0, 1].map((k) => rays.data[(y * rays.width + column + k) * 4 + c]!) as [
          number,
          number,
        ]
        return a + (b - a) * (u - Math.floor(u))
      }
      const [a, b] = [line(Math.floor(v)), line(Math.floor(v) + 1)]
      return gain * (a + (b - a) * (v - Math.floor(v)))
    })
  },
  fourier(data, isInverse) {
    // The sums of the definition, along rows and then along columns.
    const { width, height } = data
    const pass = (n: number, lines: number, at: (line: number, i: number) => number) => {
      for (let line = 0; line < lines; line++)
        for (const part of [0, 2]) {
          const values = Array.from({ length: n }, (_, i) => [
            data.data[at(line, i) + part]!,
            data.data[at(line, i) + part + 1]!,
          ])
          for (let k = 0; k < n; k++) {
            let [re, im] = [0, 0]
            for (const [i, [x, y]] of values.entries() as IterableIterator<[number, [number, number]]>) {
              const angle = ((isInverse ? 2 : -2) * Math.PI * i * k) / n
              re += x * Math.cos(angle) - y * Math.sin(angle)
              im += x * Math.sin(angle) + y * Math.cos(angle)
            }
            data.data[at(line, k) + part] = re
            data.data[at(line, k) + part + 1] = im
          }
        }
    }
    pass(width, height, (y, x) => (y * width + x) * 4)
    pass(height, width, (x, y) => (y * width + x) * 4)
  },
  filterSpectrum(data, spectrum, which) {
    eachValue(data, (i, c) => {
      const [near, far] = [spectrum.data[i - c]!, spectrum.data[i - c + 2]!]
      return data.data[i]! * ((which === 'far' ? 0 : near) + (which === 'near' ? 0 : far))
    })
  },
  distance(out, src) {
    const { width, height } = src
    const cover = (x: number, y: number) =>
      Math.min(1, Math.max(0, src.data[held(y, height) * width + held(x, width)]!))
    const isIn = (x: number, y: number) => cover(x, y) >= 0.5
    /** The straight edge through a pixel: outward direction, and how far the pixel's middle lies outside of it. */
    const lineAt = (x: number, y: number): readonly [number, number, number] | undefined => {
      const a = cover(x, y)
      if (!(a > 0 && a < 1)) return undefined
      const bell = (i: number) => [1, 0.5394, 0.0847][Math.abs(i)]!
      let [gx, gy] = [0, 0]
      for (let j = -2; j <= 2; j++)
        for (let i = -2; i <= 2; i++) {
          const v = cover(x + i, y + j) * bell(i) * bell(j)
          gx -= v * i
          gy -= v * j
        }
      const length = Math.hypot(gx, gy)
      if (!(length > 0.001)) return undefined
      const [nx, ny] = [gx / length, gy / length]
      // Cover falls as the edge moves in: the place of the edge for this cover is found by halving.
      let [low, high] = [-1, 1]
      for (let i = 0; i < 40; i++) {
        const mid = (low + high) / 2
        if (halfPlaneCover(Math.abs(nx), Math.abs(ny), mid) > a) low = mid
        else high = mid
      }
      return [nx, ny, low]
    }
    const pixels = Array.from(
      { length: width * height },
      (_, i) => [i % width, Math.floor(i / width)] as const,
    )
    const lines = pixels.flatMap(([x, y]) => {
      const line = lineAt(x, y)
      return line ? [{ x, y, line }] : []
    })
    for (const [i, [x, y]] of pixels.entries()) {
      const [a, inside] = [cover(x, y), isIn(x, y)]
      if (a > 0 && a < 1) {
        out.data[i] = lineAt(x, y)?.[2] ?? 0.5 - a
        continue
      }
      const sign = inside ? -1 : 1
      let best = Infinity
      for (const {
        x: cx,
        y: cy,
        line: [nx, ny, own],
      } of lines) {
        const across = sign * (nx * (x - cx) + ny * (y - cy) + own)
        const over = Math.max(0, Math.abs(nx * (y - cy) - ny * (x - cx)) - 0.6)
        if (across >= 0) best = Math.min(best, Math.hypot(across, over))
      }
      // Between pixels that are covered wholly and not at all.
      const other = inside ? 0 : 1
      let [nearest, asCovered] = [Infinity, Infinity]
      for (const [px, py] of pixels) {
        if (isIn(px, py) === inside) continue
        const whole = Math.hypot(px - x, py - y)
        const [bx, by] = [px, py].map((p, k) => p + Math.floor(([x, y][k]! - p) / whole + 0.5)) as [
          number,
          number,
        ]
        const isThere = (bx !== x || by !== y) && bx >= 0 && by >= 0 && bx < width && by < height
        const next = isThere ? cover(bx, by) : 1 - other
        if (cover(px, py) === other && next === 1 - other) best = Math.min(best, whole - 0.5)
        if (whole >= nearest) continue
        nearest = whole
        asCovered = whole + 0.5 - Math.abs(cover(px, py) + next - 2 * (1 - other))
      }
      // No edge that has a direction: how much the two are covered says where it is.
      out.data[i] = sign * Math.min(best < Infinity ? best : asCovered, 1e9)
    }
  },
  edge(out, distance, spread, soft) {
    for (let i = 0; i < out.data.length; i++)
      out.data[i] = Math.min(1, Math.max(0, 0.5 + (spread - distance.data[i]!) / soft))
  },
  keyColour(out, { data }, picks, { reach, soft, lightness }) {
    for (let i = 0; i < out.data.length; i++) {
      const [r, g, b, alpha] = [data[i * 4]!, data[i * 4 + 1]!, data[i * 4 + 2]!, data[i * 4 + 3]!]
      const [l, a, bb] = alpha > leastCover ? linearToOklab(r / alpha, g / alpha, b / alpha) : [0, 0, 0]
      const near = (isWanted: boolean) =>
        picks
          .filter((p) => p.isWanted === isWanted)
          .map(({ lab }) => {
            const far = Math.sqrt((lightness * (l - lab[0])) ** 2 + (a - lab[1]) ** 2 + (bb - lab[2]) ** 2)
            return soft > 0 ? 1 - (far - reach) / soft : far <= reach ? 1 : 0
          })
          .reduce((most, v) => Math.max(most, Math.min(1, v)), 0)
      out.data[i] = alpha > leastCover ? near(true) * (1 - near(false)) * Math.min(1, alpha) : 0
    }
  },
  lightLevels(out, src, black, white, gamma) {
    for (let i = 0; i < out.data.length; i += 4) {
      const y = luminance(src.data[i]!, src.data[i + 1]!, src.data[i + 2]!)
      const level = (y - black) / (white - black)
      const factor = y > 0 && level > 0 ? level ** (1 / gamma) / y : 0
      for (let c = 0; c < 4; c++) out.data[i + c] = c < 3 ? src.data[i + c]! * factor : 0
    }
  },
  mist(out, src, depth, vary, shape) {
    for (let y = 0; y < src.height; y++)
      for (let x = 0; x < src.width; x++) {
        const p = pixelOf(src, x, y)
        const { made, isOpen } = mistAt(src, depth, vary, shape, x, y)
        const empty = shape.fills ? entryOf(shape, shape.table.length / 4 - 1) : [0, 0, 0, 0]
        const open = isOpen ? Math.max(0, 1 - p[3]!) : 0
        const at = (y * src.width + x) * 4
        for (let c = 0; c < 4; c++) out.data[at + c] = (c < 3 ? made[c]! : p[3]!) + empty[c]! * open
      }
  },
  distancesFrom(out, position, depth, from) {
    eachValue(out, (i) => {
      const place = [0, 1, 2].map((c) => position.data[i * 4 + c]!)
      return isSurface(place, depth?.data[i]) ? Math.hypot(...place.map((v, c) => v - from[c]!)) : farthest
    })
  },
  thinWithHeight(out, src, position, depth, { axis, camera, ground, thins }) {
    eachValue(out, (i) => {
      const place = [0, 1, 2].map((c) => position.data[i * 4 + c]!)
      const density = isSurface(place, depth?.data[i]) ? meanDensity(camera, place[axis]!, ground, thins) : 1
      return src.data[i]! * density
    })
  },
  toneTable(out, src, table, by) {
    // Between the two entries about a value, found by looking.
    const tone = (v: number, lane: number) => {
      const value = (i: number) => table[i * 4 + lane]!
      if (v >= 256) return value(toneEntries - 1) * (v / 256)
      let low = 0
      for (let high = toneEntries - 1; high - low > 1;) {
        const middle = (low + high) >> 1
        if (toneEntry(middle) <= v) low = middle
        else high = middle
      }
      const [a, b] = [toneEntry(low), toneEntry(low + 1)]
      return value(low) + ((value(low + 1) - value(low)) * (v - a)) / (b - a)
    }
    eachStraight(out, src, ([r, g, b], isLight) => {
      if (by === 'colours') {
        const y = luminance(r, g, b)
        return isLight && !(y > 0) ? [0, 0, 0] : [0, 1, 2].map((c) => tone(y, c))
      }
      const own = [tone(r, 0), tone(g, 1), tone(b, 2)]
      const y = luminance(own[0]!, own[1]!, own[2]!)
      const wanted = tone(y, 3)
      return own.map((v) => (y > 1e-6 ? (v * wanted) / y : v + wanted - y))
    })
  },
  decisionList(out, src, { slope, offset, power, saturation, isHeld }) {
    const limit = (v: number) => (isHeld ? Math.min(1, Math.max(0, v)) : v)
    eachStraight(out, src, (colour, isLight) => {
      const made = colour.map((v, c) => {
        const line = limit(v * slope[c]! + (isLight ? 0 : offset[c]!))
        return line > 0 ? line ** power[c]! : line
      })
      const y = luminance(made[0]!, made[1]!, made[2]!)
      return made.map((v) => limit(y + saturation * (v - y)))
    })
  },
  hold(out, src, low, high, withAlpha) {
    for (let i = 0; i < src.data.length; i += 4) {
      const alpha = src.data[i + 3]!
      const cover = withAlpha ? Math.min(1, Math.max(0, alpha)) : alpha
      for (let c = 0; c < 3; c++) {
        const v = src.data[i + c]!
        out.data[i + c] =
          alpha > leastCover
            ? Math.min(high, Math.max(low, v / alpha)) * cover
            : Math.min(high, Math.max(Math.min(low, 0), v))
      }
      out.data[i + 3] = cover
    }
  },
  lookUp(out, src, { table, size, isCube, from, to, gain, takesEncoded, givesEncoded }) {
    const entry = (r: number, g: number, b: number, c: number) =>
      table.data[((b * size + g) * size + r) * 4 + c]!
    eachStraight(out, src, (colour) => {
      const place = colour.map((v, c) => {
        const value = takesEncoded ? linearToSrgb(v * gain) : v * gain
        return Math.min(size - 1, Math.max(0, ((value - from[c]!) * (size - 1)) / (to[c]! - from[c]!)))
      })
      const corner = place.map((v) => Math.min(size - 2, Math.floor(v)))
      const part = place.map((v, c) => v - corner[c]!)
      const made = [0, 1, 2].map((c) => {
        if (!isCube) {
          const [a, b] = [entry(corner[c]!, 0, 0, c), entry(corner[c]! + 1, 0, 0, c)]
          return a + (b - a) * part[c]!
        }
        // From the near corner to the far one, along the axes by falling part: four corners of a tetrahedron.
        const order = [0, 1, 2].sort((i, j) => part[j]! - part[i]!)
        const at = [...corner]
        let sum = entry(at[0]!, at[1]!, at[2]!, c) * (1 - part[order[0]!]!)
        for (const [k, axis] of order.entries()) {
          at[axis]!++
          sum += entry(at[0]!, at[1]!, at[2]!, c) * (part[axis]! - (part[order[k + 1] ?? -1] ?? 0))
        }
        return sum
      })
      return givesEncoded ? made.map(srgbToLinear) : made
    })
  },
  shoulder(out, src, gain, white) {
    for (let i = 0; i < src.data.length; i += 4) {
      const y = Math.max(0, gain * luminance(src.data[i]!, src.data[i + 1]!, src.data[i + 2]!))
      const factor = (gain * (1 + y / white ** 2)) / (1 + y)
      for (let c = 0; c < 4; c++) out.data[i + c] = src.data[i + c]! * (c < 3 ? factor : 1)
    }
  },
  rowSums(out, src) {
    const { width, channels } = src
    for (let c = 0; c < channels; c++)
      for (let y = 0; y < src.height; y++) {
        let sum = 0
        for (let x = 0; x < width; x++) {
          const i = (y * width + x) * channels + c
          sum += src.data[i]!
          out.data[i] = sum
        }
      }
  },
  sumOfRuns(out, sums, runs) {
    const { width, height, channels } = sums
    const value = (x: number, y: number, c: number) => {
      const at = (held(y, height) * width + held(x, width)) * channels + c
      return sums.data[at]! - (held(x, width) > 0 ? sums.data[at - channels]! : 0)
    }
    eachValue(out, (_, c, pixel) => {
      const [x, y] = [pixel % width, Math.floor(pixel / width)]
      let sum = 0
      for (const [row, from, to, weight] of runs)
        for (let i = Math.floor(from); i < to; i++)
          sum += weight * value(x + i, y + row, c) * (Math.min(to, i + 1) - Math.max(from, i))
      return sum
    })
  },
  slice(out, src, places, at) {
    eachValue(out, (i, _, pixel) => {
      const from = places.data[pixel]! - at
      return out.channels === 1
        ? Math.min(1, Math.max(0, 1 - from))
        : src.data[i]! * Math.max(0, 1 - Math.abs(from))
    })
  },
  layOver(out, known, layer, seen) {
    for (let i = 0; i < seen.data.length; i++) {
      const share = seen.data[i]!
      if (!(share > 0.0005)) continue
      const cover = Math.min(1, Math.max(0, layer.data[i * 4 + 3]! / share))
      const trust = Math.min(1, share * 64)
      for (let c = 0; c < 4; c++) {
        const behind = out.data[i * 4 + c]!
        const whole = layer.data[i * 4 + c]! / share + behind * (1 - cover)
        out.data[i * 4 + c] = whole * trust + behind * (1 - trust)
      }
      known.data[i] = trust + (1 - trust) * known.data[i]!
    }
  },
  countScope(counts, { data, width }, { kind, region, columns, levels, side, reach, shift, level, encoded }) {
    const [left, top, right, bottom] = region
    const value = new Float32Array(1)
    const bits = new Int32Array(value.buffer)
    const placeOf = (v: number) => {
      value[0] = v
      return bits[0]! < 0 ? 0 : Math.min(bits[0]! >> shift, level.length - 1)
    }
    const levelOf = (v: number) => level[placeOf(v)]!
    let pixels = 0
    for (let y = top; y < bottom; y++)
      for (let x = left; x < right; x++) {
        const at = (y * width + x) * 4
        const [r, g, b] = [data[at]!, data[at + 1]!, data[at + 2]!]
        if (data.subarray(at, at + 4).every((v) => v === 0)) continue
        pixels++
        const y709 = luminance(r, g, b)
        const foot = (levels - 1) * columns + Math.floor(((x - left) * columns) / (right - left))
        if (kind === 'histogram')
          [r, g, b, y709].forEach((v, plane) => counts[plane * levels + levelOf(v)]!++)
        else if (kind === 'waveform') counts[foot - levelOf(y709) * columns]!++
        else if (kind === 'parade')
          [r, g, b].forEach((v, plane) => counts[plane * columns * levels + foot - levelOf(v) * columns]!++)
        else {
          const [er, eg, eb] = [r, g, b].map((v) => encoded[placeOf(v)]!) as [number, number, number]
          const luma = luminance(er, eg, eb)
          const scale = side / (2 * reach)
          const cx = Math.floor(((eb - luma) / 1.8556 + reach) * scale)
          const cy = Math.floor((reach - (er - luma) / 1.5748) * scale)
          if (cx >= 0 && cy >= 0 && cx < side && cy < side) counts[cy * side + cx]!++
        }
      }
    return pixels
  },
  halfToFloat(out, codes) {
    for (let i = 0; i < codes.length; i++) out[i] = halfToNumber(codes[i]!)
  },
  floatToHalf(codes, src) {
    for (let i = 0; i < src.length; i++) codes[i] = numberToHalf(src[i]!)
  },
  display(out, src, { gain, channel, checker }) {
    const table = displayTable()
    const bits = new Uint32Array(1)
    const value = new Float32Array(bits.buffer)
    const code = (v: number) => {
      value[0] = Math.min(1 - 2 ** -24, Math.max(2 ** -13, v))
      return table[(bits[0]! - 0x39000000) >>> 14]!
    }
    for (let p = 0; p < src.width * src.height; p++) {
      const [r, g, b, a] = [0, 1, 2, 3].map((c) => src.data[p * 4 + c]!) as [number, number, number, number]
      const dark = (Math.floor((p % src.width) / checker) ^ Math.floor(p / src.width / checker)) & 1
      const backing = checker && channel === 'colour' ? (dark ? 0.09 : 0.045) * Math.max(0, 1 - a) : 0
      const grey = [0, r, g, b, a, luminance(r, g, b)][displayChannels.indexOf(channel)]! * gain
      for (let c = 0; c < 3; c++) {
        const linear = channel === 'colour' ? src.data[p * 4 + c]! * gain + backing : grey
        out[p * 4 + c] =
          channel === 'alpha' ? Math.floor(Math.min(1, Math.max(0, a)) * 255 + 0.5) : code(linear)
      }
      out[p * 4 + 3] = 255
    }
  },
}
