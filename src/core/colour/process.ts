import * as v from 'valibot'
import { leastCover, linearToSrgb, srgbToLinear } from '../picture/colour.ts'
import { halfTable, numberToHalf } from '../picture/half.ts'

// What a process list does to colours, one node after the other. Formulas: Common LUT Format 3.0 (Academy S-2014-006, SMPTE ST 2136-1).

const finite = v.pipe(v.number(), v.finite())
const three = v.strictTuple([finite, finite, finite])
const size = v.pipe(v.number(), v.integer(), v.minValue(2), v.maxValue(65_536))
/** Where the entries of a table begin among those of the file, three values each. */
const at = v.pipe(v.number(), v.integer(), v.minValue(0))

export const logStyles = [
  'log10',
  'antiLog10',
  'log2',
  'antiLog2',
  'linToLog',
  'logToLin',
  'cameraLinToLog',
  'cameraLogToLin',
] as const
export const exponentStyles = [
  'basicFwd',
  'basicRev',
  'basicMirrorFwd',
  'basicMirrorRev',
  'basicPassThruFwd',
  'basicPassThruRev',
  'monCurveFwd',
  'monCurveRev',
  'monCurveMirrorFwd',
  'monCurveMirrorRev',
] as const
export const cdlStyles = ['Fwd', 'Rev', 'FwdNoClamp', 'RevNoClamp'] as const

const logParams = v.strictObject({
  base: finite,
  logSlope: finite,
  logOffset: finite,
  linSlope: finite,
  linOffset: finite,
  linBreak: v.optional(finite),
  linearSlope: v.optional(finite),
})
const exponentParams = v.strictObject({ exponent: finite, offset: finite })

/** A node; all values as they are between 0 and 1, whatever bit depths the file counts in. */
export const processNode = v.variant('type', [
  v.strictObject({ type: v.literal('matrix'), matrix: v.pipe(v.array(finite), v.length(9)), offset: three }),
  v.strictObject({
    type: v.literal('range'),
    scale: finite,
    offset: finite,
    low: v.optional(finite),
    high: v.optional(finite),
  }),
  v.strictObject({ type: v.literal('lines'), at, size, isHalf: v.boolean() }),
  v.strictObject({ type: v.literal('cube'), at, size, isTetrahedral: v.boolean() }),
  v.strictObject({
    type: v.literal('log'),
    style: v.picklist(logStyles),
    params: v.strictTuple([logParams, logParams, logParams]),
  }),
  v.strictObject({
    type: v.literal('exponent'),
    style: v.picklist(exponentStyles),
    params: v.strictTuple([exponentParams, exponentParams, exponentParams]),
  }),
  v.strictObject({
    type: v.literal('cdl'),
    style: v.picklist(cdlStyles),
    slope: three,
    offset: three,
    power: three,
    saturation: finite,
  }),
])
export type ProcessNode = v.InferOutput<typeof processNode>
export type LogParams = v.InferOutput<typeof logParams>
export type ExponentParams = v.InferOutput<typeof exponentParams>

/** The entries of all tables of a process list, `stride` values each, of which the first three count. */
export interface Entries {
  readonly data: ArrayLike<number>
  readonly stride: 3 | 4
}

type Curve = (x: number) => number

/** The least float that is not denormal: logarithms take no less. */
const leastFloat = 2 ** -126

function logCurve(style: (typeof logStyles)[number], p: LogParams): Curve {
  const { base, logSlope, logOffset, linSlope, linOffset } = p
  const perLog = logSlope / Math.log(base)
  const linToLog: Curve = (x) => perLog * Math.log(Math.max(leastFloat, linSlope * x + linOffset)) + logOffset
  const logToLin: Curve = (y) => (base ** ((y - logOffset) / logSlope) - linOffset) / linSlope
  switch (style) {
    case 'log10':
      return (x) => Math.log10(Math.max(leastFloat, x))
    case 'log2':
      return (x) => Math.log2(Math.max(leastFloat, x))
    case 'antiLog10':
      return (x) => 10 ** x
    case 'antiLog2':
      return (x) => 2 ** x
    case 'linToLog':
      return linToLog
    case 'logToLin':
      return logToLin
    case 'cameraLinToLog':
    case 'cameraLogToLin': {
      const lowest = p.linBreak ?? 0
      const start = perLog * Math.log(linSlope * lowest + linOffset) + logOffset
      // Left out, the straight part goes on with the slope that the curve has there.
      const slope = p.linearSlope ?? (perLog * linSlope) / (linSlope * lowest + linOffset)
      return style === 'cameraLinToLog'
        ? (x) => (x <= lowest ? slope * (x - lowest) + start : linToLog(x))
        : (y) => (y <= start ? (y - start) / slope + lowest : logToLin(y))
    }
  }
}

const mirrored =
  (curve: Curve): Curve =>
  (x) =>
    x < 0 ? -curve(-x) : curve(x)

function exponentCurve(
  style: (typeof exponentStyles)[number],
  { exponent: g, offset }: ExponentParams,
): Curve {
  const power =
    (e: number): Curve =>
    (x) =>
      Math.max(0, x) ** e
  const through =
    (e: number): Curve =>
    (x) =>
      x < 0 ? x : x ** e
  // A power with a straight part near 0, as sRGB has one; without an offset, or with an exponent of 1, there is none.
  const isCurved = offset !== 0 && g !== 1
  const edge = isCurved ? offset / (g - 1) : 0
  const slope = isCurved ? ((g - 1) / offset) * ((offset * g) / ((g - 1) * (1 + offset))) ** g : 1
  const forward: Curve = (x) => (x > edge ? ((x + offset) / (1 + offset)) ** g : x * slope)
  const back: Curve = (y) => (y > edge * slope ? (1 + offset) * y ** (1 / g) - offset : y / slope)
  switch (style) {
    case 'basicFwd':
      return power(g)
    case 'basicRev':
      return power(1 / g)
    case 'basicMirrorFwd':
      return mirrored(power(g))
    case 'basicMirrorRev':
      return mirrored(power(1 / g))
    case 'basicPassThruFwd':
      return through(g)
    case 'basicPassThruRev':
      return through(1 / g)
    case 'monCurveFwd':
      return forward
    case 'monCurveRev':
      return back
    case 'monCurveMirrorFwd':
      return mirrored(forward)
    case 'monCurveMirrorRev':
      return mirrored(back)
  }
}

const hold = (x: number, low: number, high: number) => (x < low ? low : x > high ? high : x)

/** A line of entries between which values run straight. `isHalf`: an entry for each code of a half float. */
function lineCurve(
  { at: first, size: count, isHalf }: ProcessNode & { type: 'lines' },
  { data, stride }: Entries,
  c: number,
): Curve {
  const value = (i: number) => data[(first + i) * stride + c]!
  if (!isHalf)
    return (x) => {
      const place = hold(x * (count - 1), 0, count - 1)
      const i = Math.min(count - 2, Math.floor(place))
      return value(i) + (value(i + 1) - value(i)) * (place - i)
    }
  const halves = halfTable()
  return (x) => {
    const near = hold(x, -65504, 65504)
    let code = numberToHalf(near)
    // The code on the side of 0, so that the next one is beyond.
    if (Math.abs(halves[code]!) > Math.abs(near)) code--
    const [own, next] = [halves[code]!, halves[code + 1]!]
    if (own === near || !Number.isFinite(next)) return value(code)
    return value(code) + (value(code + 1) - value(code)) * ((near - own) / (next - own))
  }
}

/** Changes the first `count` colours of three values each, in place. */
type Change = (rgb: Float64Array, count: number) => void

const eachChannel =
  ([r, g, b]: readonly [Curve, Curve, Curve]): Change =>
  (rgb, count) => {
    for (let o = 0; o < count * 3; o += 3) rgb[o] = r(rgb[o]!)
    for (let o = 1; o < count * 3; o += 3) rgb[o] = g(rgb[o]!)
    for (let o = 2; o < count * 3; o += 3) rgb[o] = b(rgb[o]!)
  }
const ofThree = <T>(of: (c: 0 | 1 | 2) => T): [T, T, T] => [of(0), of(1), of(2)]

/** A cube whose blue runs fastest, linear along all three axes or between the four corners of a tetrahedron. */
function cubeChange(
  { at: first, size: n, isTetrahedral }: ProcessNode & { type: 'cube' },
  { data, stride }: Entries,
): Change {
  const [stepR, stepG, stepB] = [n * n * stride, n * stride, stride]
  const last = n - 1
  const most = n - 2
  return (rgb, count) => {
    for (let o = 0; o < count * 3; o += 3) {
      const [r, g, b] = [
        hold(rgb[o]!, 0, 1) * last,
        hold(rgb[o + 1]!, 0, 1) * last,
        hold(rgb[o + 2]!, 0, 1) * last,
      ]
      const [ir, ig, ib] = [
        Math.min(most, Math.floor(r)),
        Math.min(most, Math.floor(g)),
        Math.min(most, Math.floor(b)),
      ]
      const [pr, pg, pb] = [r - ir, g - ig, b - ib]
      const base = first * stride + ir * stepR + ig * stepG + ib * stepB
      if (!isTetrahedral) {
        for (let c = 0; c < 3; c++) {
          const at = base + c
          const [g0, g1] = [at + stepG, at + stepR + stepG]
          const [v00, v01, v10, v11] = [data[at]!, data[g0]!, data[at + stepR]!, data[g1]!]
          const a = v00 + (data[at + stepB]! - v00) * pb
          const d = v01 + (data[g0 + stepB]! - v01) * pb
          const e = v10 + (data[at + stepR + stepB]! - v10) * pb
          const f = v11 + (data[g1 + stepB]! - v11) * pb
          const near = a + (d - a) * pg
          rgb[o + c] = near + (e + (f - e) * pg - near) * pr
        }
        continue
      }
      // From the near corner to the far one along the axes, the one that is farthest along first.
      let [one, two] = [stepR, stepG]
      let [high, middle, low] = [pr, pg, pb]
      if (pr >= pg) {
        if (pg < pb) {
          if (pr >= pb) [two, middle, low] = [stepB, pb, pg]
          else [one, two, high, middle, low] = [stepB, stepR, pb, pr, pg]
        }
      } else if (pr >= pb) [one, two, high, middle] = [stepG, stepR, pg, pr]
      else if (pg >= pb) [one, two, high, middle, low] = [stepG, stepB, pg, pb, pr]
      else [one, two, high, middle, low] = [stepB, stepG, pb, pg, pr]
      const [next, third, far] = [base + one, base + one + two, base + stepR + stepG + stepB]
      for (let c = 0; c < 3; c++)
        rgb[o + c] =
          data[base + c]! * (1 - high) +
          data[next + c]! * (high - middle) +
          data[third + c]! * (middle - low) +
          data[far + c]! * low
    }
  }
}

/** Luminance of a decision list is always that of BT.709 (ASC CDL 1.2). */
const cdlWeights = [0.2126, 0.7152, 0.0722] as const

function cdlChange({ style, slope, offset, power, saturation }: ProcessNode & { type: 'cdl' }): Change {
  const isHeld = style === 'Fwd' || style === 'Rev'
  const limit = (x: number) => (isHeld ? hold(x, 0, 1) : x)
  const curve = (x: number, e: number) => (x < 0 ? x : x ** e)
  const saturate = (rgb: Float64Array, count: number, by: number) => {
    for (let o = 0; o < count * 3; o += 3) {
      const y = cdlWeights[0] * rgb[o]! + cdlWeights[1] * rgb[o + 1]! + cdlWeights[2] * rgb[o + 2]!
      for (let c = 0; c < 3; c++) rgb[o + c] = limit(y + by * (rgb[o + c]! - y))
    }
  }
  const forward = eachChannel(ofThree((c) => (x) => curve(limit(x * slope[c] + offset[c]), power[c])))
  const back = eachChannel(ofThree((c) => (x) => limit((curve(x, 1 / power[c]) - offset[c]) / slope[c])))
  if (style === 'Fwd' || style === 'FwdNoClamp')
    return (rgb, count) => {
      forward(rgb, count)
      saturate(rgb, count, saturation)
    }
  return (rgb, count) => {
    for (let o = 0; o < count * 3; o++) rgb[o] = limit(rgb[o]!)
    saturate(rgb, count, saturation === 0 ? 1 : 1 / saturation)
    back(rgb, count)
  }
}

function changeOf(node: ProcessNode, entries: Entries): Change {
  switch (node.type) {
    case 'matrix': {
      const [a, b, c, d, e, f, g, h, i] = node.matrix as [
        number,
        number,
        number,
        number,
        number,
        number,
        number,
        number,
        number,
      ]
      const [p, q, s] = node.offset
      return (rgb, count) => {
        for (let o = 0; o < count * 3; o += 3) {
          const [x, y, z] = [rgb[o]!, rgb[o + 1]!, rgb[o + 2]!]
          rgb[o] = a * x + b * y + c * z + p
          rgb[o + 1] = d * x + e * y + f * z + q
          rgb[o + 2] = g * x + h * y + i * z + s
        }
      }
    }
    case 'range': {
      const { scale, offset, low = -Infinity, high = Infinity } = node
      const one: Curve = (x) => hold(x * scale + offset, low, high)
      return eachChannel([one, one, one])
    }
    case 'lines':
      return eachChannel(ofThree((c) => lineCurve(node, entries, c)))
    case 'cube':
      return cubeChange(node, entries)
    case 'log':
      return eachChannel(ofThree((c) => logCurve(node.style, node.params[c])))
    case 'exponent':
      return eachChannel(ofThree((c) => exponentCurve(node.style, node.params[c])))
    case 'cdl':
      return cdlChange(node)
  }
}

/** Octaves that a tabled curve covers on either side of 0, from 2^-24 up, and steps in each. */
const [lowestOctave, octaves, steps] = [-24, 32, 256]

/** A curve by a table between whose entries it runs straight, where that is within 1e-5 of it; itself beyond. For curves that bend as powers do. */
export function tabledCurve(curve: (x: number) => number): (x: number) => number {
  const sides = [1, -1].map((sign) =>
    Float64Array.from({ length: octaves * steps + 1 }, (_, i) =>
      curve(sign * 2 ** (lowestOctave + Math.floor(i / steps)) * (1 + (i % steps) / steps)),
    ),
  )
  const [above, below] = sides as [Float64Array, Float64Array]
  const value = new Float32Array(1)
  const bits = new Uint32Array(value.buffer)
  const first = (127 + lowestOctave) << 23
  const end = octaves << 23
  return (x) => {
    value[0] = x
    const place = (bits[0]! & 0x7fffffff) - first
    if (place < 0 || place >= end) return curve(x)
    const i = place >>> 15
    const side = x < 0 ? below : above
    return side[i]! + (side[i + 1]! - side[i]!) * ((place & 0x7fff) / 0x8000)
  }
}

/** The curve of sRGB and its way back, tabled when they are first asked for. */
let coded: { readonly encode: Curve; readonly decode: Curve } | undefined
const srgbCurves = () => (coded ??= { encode: tabledCurve(linearToSrgb), decode: tabledCurve(srgbToLinear) })

/** Pixels that are worked on at a time, so that they stay in the cache from one node to the next. */
const chunk = 2048
const mostLight = 1e30

/** How values come to a list and leave it. */
export interface ProcessUse {
  /** Factor on light before it. */
  readonly gain: number
  /** It takes, and gives, sRGB-encoded values instead of light. */
  readonly takesEncoded: boolean
  readonly givesEncoded: boolean
}

/**
 * Straight colour of premultiplied RGBA through a process list, alpha kept; `out` may be `src`. Light without cover is taken as it is. What is
 * no number after it becomes 0, and nothing is beyond 1e30.
 */
export function throughProcess(
  out: Float32Array,
  src: Float32Array,
  nodes: readonly ProcessNode[],
  entries: Entries,
  { gain, takesEncoded, givesEncoded }: ProcessUse,
): void {
  const before = takesEncoded ? srgbCurves().encode : undefined
  const after = givesEncoded ? srgbCurves().decode : undefined
  const changes = nodes.map((node) => changeOf(node, entries))
  const rgb = new Float64Array(chunk * 3)
  const pixels = src.length / 4
  for (let first = 0; first < pixels; first += chunk) {
    const count = Math.min(chunk, pixels - first)
    for (let k = 0, i = first * 4, o = 0; k < count; k++, i += 4, o += 3) {
      const alpha = src[i + 3]!
      const factor = alpha > leastCover ? gain / alpha : gain
      rgb[o] = src[i]! * factor
      rgb[o + 1] = src[i + 1]! * factor
      rgb[o + 2] = src[i + 2]! * factor
    }
    if (before) for (let o = 0; o < count * 3; o++) rgb[o] = before(rgb[o]!)
    for (const change of changes) change(rgb, count)
    if (after) for (let o = 0; o < count * 3; o++) rgb[o] = after(rgb[o]!)
    for (let k = 0, i = first * 4, o = 0; k < count; k++, i += 4, o += 3) {
      const alpha = src[i + 3]!
      const cover = alpha > leastCover ? alpha : 1
      for (let c = 0; c < 3; c++) {
        const light = rgb[o + c]!
        out[i + c] = Number.isNaN(light) ? 0 : hold(light, -mostLight, mostLight) * cover
      }
      out[i + 3] = alpha
    }
  }
}
