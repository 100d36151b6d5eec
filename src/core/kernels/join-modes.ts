/**
 * How a picture S meets the picture B below it. All are computed on premultiplied scene-linear floats.
 * Source: Porter & Duff 1984 (operators); W3C Compositing and Blending Level 1 (blend modes).
 */

/** Factors of an operator: S·(a0 + a1·αB) + B·(b0 + b1·αS). */
export interface Operator {
  readonly a0: number
  readonly a1: number
  readonly b0: number
  readonly b1: number
}

const operator = (a0: number, a1: number, b0: number, b1: number): Operator => ({ a0, a1, b0, b1 })

/** Operators by the name Zafiro gives them; the spec's names are beside them. */
export const operators = {
  over: operator(1, 0, 1, -1), // source-over
  plus: operator(1, 0, 1, 0), // lighter
  behind: operator(1, -1, 1, 0), // destination-over
  inside: operator(0, 1, 0, 0), // source-in
  outside: operator(1, -1, 0, 0), // source-out
  atop: operator(0, 1, 1, -1), // source-atop
  xor: operator(1, -1, 1, -1),
  keep: operator(0, 0, 0, 1), // destination-in: what is below stays where S covers
  cut: operator(0, 0, 1, -1), // destination-out: what is below goes where S covers
  frame: operator(1, -1, 0, 1), // destination-atop
} as const
export type OperatorName = keyof typeof operators

/** Blend modes in the order of their numbers in the kernels. */
export const blends = [
  'screen',
  'multiply',
  'overlay',
  'darken',
  'lighten',
  'dodge',
  'burn',
  'hard-light',
  'soft-light',
  'difference',
  'exclusion',
  'hue',
  'saturation',
  'colour',
  'luminosity',
] as const
export type BlendName = (typeof blends)[number]

export type JoinMode = OperatorName | BlendName
export const joinModes: readonly JoinMode[] = [...(Object.keys(operators) as OperatorName[]), ...blends]

/** What each mode does, in a few words. */
export const joinHints: Readonly<Record<JoinMode, string>> = {
  over: 'covers what is below by its alpha',
  plus: 'adds its light',
  behind: 'shows only where what is below lets through',
  inside: 'only where what is below covers; the rest goes',
  outside: 'only where what is below does not cover; the rest goes',
  atop: 'covers what is below, and only there',
  xor: 'each only where the other is not',
  keep: 'shows nothing itself: what is below stays where it covers',
  cut: 'shows nothing itself: what is below goes where it covers',
  frame: 'what is below only where it covers, itself behind',
  screen: 'adds light and holds it under white',
  multiply: 'darkens, as a coloured glass would',
  overlay: 'more contrast in what is below, tinted',
  darken: 'the darker of both, by channel',
  lighten: 'the lighter of both, by channel',
  dodge: 'brightens what is below, strongly near its own white',
  burn: 'darkens what is below, strongly near its own black',
  'hard-light': 'multiplies its dark parts, screens its bright ones',
  'soft-light': 'as hard light, gently',
  difference: 'how far both are apart',
  exclusion: 'as difference, with less contrast',
  hue: 'its hue on what is below',
  saturation: 'its saturation on what is below',
  colour: 'its hue and saturation on what is below',
  luminosity: 'its lightness on what is below',
}

export const isOperator = (mode: JoinMode): mode is OperatorName => mode in operators

const screenOf = (b: number, s: number) => (s > 1 || b > 1 ? Math.max(s, b) : s + b - s * b)
const hardLightOf = (b: number, s: number) => (s <= 0.5 ? b * 2 * s : screenOf(b, 2 * s - 1))

/**
 * One channel of a separable mode, B(cb, cs), on straight colour. Inside 0–1 it is the spec's; outside it goes on so that light
 * above white is never darkened by a mode that brightens: screen and dodge keep the greater, exclusion becomes difference.
 */
export function blendChannel(mode: BlendName, b: number, s: number): number {
  switch (mode) {
    case 'screen':
      return screenOf(b, s)
    case 'multiply':
      return b * s
    case 'overlay':
      return hardLightOf(s, b)
    case 'darken':
      return Math.min(b, s)
    case 'lighten':
      return Math.max(b, s)
    case 'dodge':
      return b <= 0 ? b : s >= 1 ? Math.max(1, b) : Math.max(b, Math.min(1, b / (1 - s)))
    case 'burn':
      return b >= 1 ? b : s <= 0 ? 0 : 1 - Math.min(1, (1 - b) / s)
    case 'hard-light':
      return hardLightOf(b, s)
    case 'soft-light': {
      const held = Math.min(1, Math.max(0, s))
      if (held <= 0.5) return b - (1 - 2 * held) * b * (1 - b)
      const d = b <= 0.25 ? ((16 * b - 12) * b + 4) * b : Math.sqrt(b)
      return b + (2 * held - 1) * (d - b)
    }
    case 'difference':
      return Math.abs(b - s)
    case 'exclusion':
      return b > 1 || s > 1 ? Math.abs(b - s) : b + s - 2 * b * s
    default:
      return s
  }
}

type Rgb = [number, number, number]
const lum = ([r, g, b]: Rgb) => 0.3 * r + 0.59 * g + 0.11 * b

function setLum(c: Rgb, l: number, most: number): Rgb {
  const d = l - lum(c)
  const moved = c.map((v) => v + d) as Rgb
  const mid = lum(moved)
  const [low, high] = [Math.min(...moved), Math.max(...moved)]
  return moved.map((v) => {
    let held = v
    if (low < 0 && mid > low) held = mid + ((held - mid) * mid) / (mid - low)
    if (high > most && high > mid) held = mid + ((held - mid) * (most - mid)) / (high - mid)
    return held
  }) as Rgb
}

const sat = (c: Rgb) => Math.max(...c) - Math.min(...c)
function setSat(c: Rgb, s: number): Rgb {
  const [low, high] = [Math.min(...c), Math.max(...c)]
  return c.map((v) => (high > low ? ((v - low) * s) / (high - low) : 0)) as Rgb
}

/** A non-separable mode on straight colours; the upper limit of the spec, 1, gives way to colours that exceed it already. */
export function blendColour(mode: BlendName, b: Rgb, s: Rgb): Rgb {
  const most = Math.max(1, ...b, ...s)
  switch (mode) {
    case 'hue':
      return setLum(setSat(s, sat(b)), lum(b), most)
    case 'saturation':
      return setLum(setSat(b, sat(s)), lum(b), most)
    case 'colour':
      return setLum(s, lum(b), most)
    case 'luminosity':
      return setLum(b, lum(s), most)
    default:
      return [0, 1, 2].map((c) => blendChannel(mode, b[c]!, s[c]!)) as Rgb
  }
}
