import type { Affine } from '../picture/affine.ts'
import type { Picture } from '../picture/picture.ts'
import type { JoinMode } from './join-modes.ts'
import type { Tap, Taps } from './line-profile.ts'

/** What lies outside a picture when a filter reads there: its edge pixels again, or black without cover. */
export type Edge = 'repeat' | 'black'

export const resampleFilters = ['nearest', 'bilinear', 'cubic', 'lanczos'] as const
export type ResampleFilter = (typeof resampleFilters)[number]

/** Which light is caught. */
export interface Caught {
  readonly threshold: number
  /** Half the span over which light sets in, in units of light. */
  readonly knee: number
  /** Brightness that counts at most. */
  readonly ceiling: number
  /** Brightness is that of the brightest channel, not the luminance (BT.709). */
  readonly byMost?: boolean
}

/** Rays from a point: angles in radians, clockwise on screen from east; lengths in pixels. */
export interface RayGeometry {
  readonly origin: readonly [number, number]
  readonly firstAngle: number
  readonly stepAngle: number
  readonly firstRadius: number
  /** The rays go all the way round. */
  readonly isRound: boolean
}

export interface DisplayOptions {
  /** Linear factor on the picture before encoding; the backing keeps its brightness. */
  gain: number
  channel: 'colour' | 'red' | 'green' | 'blue' | 'alpha' | 'luminance'
  /** Side in pixels of the checker shown where alpha is below 1; 0 = black. */
  checker: number
}

/** A picked colour in OKLab. */
export interface ColourPick {
  readonly lab: readonly [number, number, number]
  readonly isWanted: boolean
}
export interface ColourKey {
  readonly reach: number
  readonly soft: number
  readonly lightness: number
}

/** Mist along the distance. */
export interface MistShape {
  /** Where the table begins, and its steps in one unit of distance. */
  readonly from: number
  readonly scale: number
  /** Entries of red, green, blue, each times the weight, and the weight (0–1); the last is for where nothing was hit. */
  readonly table: Float32Array
  readonly join: 'mix' | 'add' | 'screen'
  /** Where nothing was hit, mist of the last entry also lies on what the picture does not cover, and covers it. */
  readonly fills: boolean
  /** Light in the mist about a lamp: a colour, and how strong it is in each column times each row. */
  readonly glow?: {
    readonly colour: readonly [number, number, number]
    readonly columns: Float32Array
    readonly rows: Float32Array
  }
}

/** A colour decision list. */
export interface Decisions {
  readonly slope: readonly [number, number, number]
  readonly offset: readonly [number, number, number]
  readonly power: readonly [number, number, number]
  readonly saturation: number
  readonly isHeld: boolean
}

/** A table of colours to be looked up: a picture of `size` pixels for lines, size² × size for a cube whose red runs fastest. */
export interface LookUp {
  readonly table: Picture
  readonly size: number
  readonly isCube: boolean
  /** What its first and last entries stand for. */
  readonly from: readonly [number, number, number]
  readonly to: readonly [number, number, number]
  /** Factor on light before it. */
  readonly gain: number
  /** It takes, and gives, sRGB-encoded values instead of light. */
  readonly takesEncoded: boolean
  readonly givesEncoded: boolean
}

/** A run of pixels of an area about a pixel: in which row, where it begins and ends from the left edge of the pixel, its weight. */
export type Run = readonly [row: number, from: number, to: number, weight: number]

/** Tone tables: an entry for 0, then 128 an octave from 2^-12 to 2^8; four values each. Between entries they run straight. */
export const toneEntries = 2562
/** The light that an entry of a tone table stands for. */
export function toneEntry(i: number): number {
  if (i === 0) return 0
  const octave = Math.floor((i - 1) / 128)
  return 2 ** (octave - 12) * (1 + ((i - 1) % 128) / 128)
}

export const scopeKinds = ['histogram', 'waveform', 'parade', 'vectorscope'] as const
export type ScopeKind = (typeof scopeKinds)[number]

/** A part of a picture in its own pixels: from left and top to before right and bottom. */
export type ScopeRegion = readonly [left: number, top: number, right: number, bottom: number]

/** How a scope is counted. */
export interface ScopeCount {
  readonly kind: ScopeKind
  readonly region: ScopeRegion
  /** Columns of a waveform or a parade, and levels. */
  readonly columns: number
  readonly levels: number
  /** Sides of a vectorscope, and half of its width in units of Cb and Cr. */
  readonly side: number
  readonly reach: number
  /** Levels and encoded values of positive floats, looked up by their bits without the lower `shift`; the last is for all beyond. */
  readonly shift: number
  readonly level: Int32Array
  readonly encoded: Float32Array
}

/** Signed distances from and to which they matter, in pixels. */
export type DistanceRange = readonly [from: number, to: number]
/** The distances that the edge of a matte needs which is grown by `spread` and `soft` pixels wide. */
export const edgeRange = (spread: number, soft: number): DistanceRange => [
  spread - soft / 2,
  spread + soft / 2,
]

/**
 * The pixel loops everything is made from. There are two: SIMD WebAssembly over shared memory, and a plain
 * TypeScript twin that it is checked against. Output first, then sources, then scalars; `out` may be a source
 * unless said otherwise. Colour pictures are premultiplied scene-linear RGBA of equal size; a matte has one channel.
 * Nothing here allocates or validates.
 */
export interface Kernels {
  /** From now on `isStale` is asked between bands of work; when it says so, the kernel throws Cancelled. */
  watch(isStale: () => boolean): void
  /**
   * Joins `top` with `below`: out = below + opacity · matte · (mode(top, below) − below), so that an opacity of 0 is as if
   * the lane were not there. Operators and blend modes as in join-modes.ts, on premultiplied colour; plus holds alpha at 1; screen
   * works on premultiplied values, so that light without cover is joined too.
   */
  join(
    out: Picture,
    below: Picture,
    top: Picture,
    matte: Picture | undefined,
    mode: JoinMode,
    opacity: number,
  ): void
  /** out = src + amount · matte · (effect − src): how far a step acts. */
  mix(out: Picture, src: Picture, effect: Picture, matte: Picture | undefined, amount: number): void
  /**
   * Adds light (alpha ignored) by addition or by screen; alpha is kept, or becomes min(1, α + luminance of the light).
   * The alpha rule is common practice, so that a glow over an empty background does not vanish.
   */
  addLight(out: Picture, src: Picture, light: Picture, mode: 'add' | 'screen', intoAlpha: boolean): void
  /** Sets every pixel. */
  fill(out: Picture, r: number, g: number, b: number, a: number): void
  /** Multiplies each channel. */
  gains(out: Picture, src: Picture, r: number, g: number, b: number, a: number): void
  /** Row-major 3×4 matrix from RGBA to RGB, factor on alpha. Linear, so right on premultiplied colour. */
  colourMatrix(out: Picture, src: Picture, matrix: readonly number[], alpha: number): void
  /**
   * The light above a threshold, hue kept, alpha 0. Between threshold ± knee the part that passes rises as a parabola, so that
   * nothing pops; brightness is held at the ceiling first. Negative light never passes.
   */
  brightPass(out: Picture, src: Picture, caught: Caught): void
  /**
   * `halve`, black outside, of what `brightPass` lets through, in one pass over memory. It may read up to 16 pixels outside; `out`
   * must not be `src`.
   */
  brightHalve(out: Picture, src: Picture, offset: number, caught: Caught): void
  /** out = src · (base + share · matte), alpha too. */
  weigh(out: Picture, src: Picture, matte: Picture, base: number, share: number): void
  /** out = src / matte, alpha too; `otherwise` where the matte is below 1/1024. */
  unweigh(out: Picture, src: Picture, matte: Picture, otherwise: Picture): void
  /** Replaces NaN and infinities by 0; gives back how many there were. */
  sanitise(picture: Picture): number
  /**
   * Half the size by the separable filter [1 3 3 1]/8: out(x, y) is centred between src(2x + offset) and the next.
   * `out` must not be `src`. One halving adds a variance of 0.75 px².
   */
  halve(out: Picture, src: Picture, offset: number, edge: Edge): void
  /**
   * out = fineWeight · fine + coarseWeight · (coarse at twice its size by a tent); out(offset) lies in coarse(0).
   * `coarse` must not be `out`; pixels outside `coarse` repeat its edge. Adds a variance of 0.75 px² of `out`.
   */
  upAdd(
    out: Picture,
    fine: Picture | undefined,
    coarse: Picture,
    offset: number,
    fineWeight: number,
    coarseWeight: number,
  ): void
  /** [1 6 15 20 15 6 1]/64 along both axes; edges repeat. Adds a variance of 1.5 px². `out` must not be `src`. */
  smooth(out: Picture, src: Picture): void
  /** Convolves rows with a symmetric filter, weights[0] in its middle; edges repeat. `out` must not be `src`. */
  gaussRows(out: Picture, src: Picture, weights: readonly number[]): void
  /** Convolves columns; otherwise as gaussRows. */
  gaussColumns(out: Picture, src: Picture, weights: readonly number[]): void
  /** Mean of factor × factor pixels (fewer at the right and lower edge). For colour, never for data. */
  boxReduce(out: Picture, src: Picture, factor: number): void
  /**
   * out(x, y) = src where `back` takes the pixel's centre, found between pixels by the filter: cubic is Catmull–Rom, Lanczos has
   * three lobes. Where the picture gets smaller the filter grows with it. Beyond `src` is empty. `out` must not be `src`.
   */
  resample(out: Picture, src: Picture, back: Affine, filter: ResampleFilter): void
  /**
   * Light drawn out along the lines y = c + slope · x, c = first … first + out.height − 1, |slope| ≤ 1: out(x, i) is the sum over a
   * profile of the samples at x − t (`ahead`) and x + t (`behind`) on line i, found between the rows of `src`; black outside. `out`
   * is as wide as `src`, and not `src`.
   */
  streakLines(
    out: Picture,
    src: Picture,
    slope: number,
    first: number,
    ahead: Taps | undefined,
    behind: Taps | undefined,
  ): void
  /** out += gain · the lines of streakLines, each back in its place. */
  streakBack(out: Picture, lines: Picture, slope: number, first: number, gain: number): void
  /** Rows become columns; `out` is as high as `src` is wide, and not `src`. */
  transpose(out: Picture, src: Picture): void
  /** How often light is halved by a pixel that takes a share of it, 0–1: −log2(1 − share), 40 where it takes all. One channel. */
  opticalDepth(out: Picture, src: Picture): void
  /**
   * Light drawn out along rays from an origin: row i of `out` is the ray at angle i, its pixels lie one pixel apart from
   * `firstRadius` on; each is the sum over a profile of what lies nearer to the origin, times the ray's gain; alpha 0. `depth` (one
   * channel, of opticalDepth) halves all light that passes so often a pixel; between pixels it lies between theirs.
   */
  rayLines(
    out: Picture,
    light: Picture,
    depth: Picture | undefined,
    taps: readonly Tap[],
    gains: readonly number[],
    geometry: RayGeometry,
  ): void
  /** out = gain · the rays of rayLines, back in the picture, between rays and pixels of rays. */
  rayBack(out: Picture, rays: Picture, geometry: RayGeometry, gain: number): void
  /**
   * Fourier transform of a picture whose sides are powers of two, in place: each pixel is two complex numbers, red + i·green and
   * blue + i·alpha. Not scaled either way: there and back multiplies by the number of pixels. The inverse makes the first `rows` rows
   * alone, where they are all that is wanted.
   */
  fourier(data: Picture, isInverse: boolean, rows?: number): void
  /** Multiplies a transform by that of symmetric filters: near is in the red of `spectrum`, far in its blue. */
  filterSpectrum(data: Picture, spectrum: Picture, which: 'near' | 'far' | 'both'): void
  /**
   * Signed distance of the middle of each pixel to the edge of a shape, in pixels, negative inside; one channel both. Inside is where the matte
   * is 0.5 or more. A pixel that is covered in part has a straight edge of that cover through it, across the gradient of cover; between pixels
   * that are covered wholly and not at all it runs half way. ±1e9 where there is no
   * edge. What does not lie `within` the two distances may be given as ±1e9, too: near edges alone are quick. `out` is not `src`.
   * Source: Gustavson and Strand 2011, Anti-aliased Euclidean distance transform.
   */
  distance(out: Picture, src: Picture, within?: DistanceRange): void
  /** Cover of a shape grown by `spread` pixels (shrunk below 0), whose edge is `soft` pixels wide, from its distances. */
  edge(out: Picture, distance: Picture, spread: number, soft: number): void
  /**
   * How near the straight colour of each pixel is to picked ones, one channel 0–1, times its alpha: 1 within `reach` of one that is
   * wanted, down to 0 over `soft` beyond; less so near one that is not. Distances are those of OKLab, with lightness weighed by `lightness`.
   */
  keyColour(out: Picture, src: Picture, picks: readonly ColourPick[], key: ColourKey): void
  /** Luminance y becomes ((y − black) / (white − black))^(1/gamma), colour with it; alpha 0. Nothing below black; no upper end. */
  lightLevels(out: Picture, src: Picture, black: number, white: number, gamma: number): void
  /**
   * Mist over a picture by distance: out = kept · src + mist · alpha, with mist and its weight w from a table along the distance times
   * `vary`; kept is 1 − w (mix), 1 (add) or 1 − mist (screen). Alpha stays. `depth` and `vary` have one channel; depth from 1e30 on is where nothing was
   * hit. Where the table's places of neighbours differ by more than 1/128 of it, a pixel is taken apart: as far as its colour lies
   * between those two pixels away on the near and the far side, it is of the near one, and each part has the mist of its side; where
   * those colours do not tell the sides apart, as far as its neighbours are near. So
   * antialiased edges, whose depth knows one side alone, neither fringe nor fog. `out` must not be `src`.
   * Source: Koschmieder 1924 (airlight); the weights are the table's.
   */
  mist(out: Picture, src: Picture, depth: Picture, vary: Picture | undefined, shape: MistShape): void
  /**
   * Distances of surfaces from a point in the scene, one channel; 3.4e38 where there is none: where `depth` says so (1e30 and more), or without it
   * where the position is 0.
   */
  distancesFrom(out: Picture, position: Picture, depth: Picture | undefined, from: readonly number[]): void
  /**
   * Multiplies one channel by the mean density, along the line of sight, of what is whole up to `ground` and above it falls to 1/e over
   * `thins` units. Where there is no surface nothing changes. Source: the integral of the exponential atmosphere between two heights.
   */
  thinWithHeight(
    out: Picture,
    src: Picture,
    position: Picture,
    depth: Picture | undefined,
    layer: { readonly axis: 1 | 2; readonly camera: number; readonly ground: number; readonly thins: number },
  ): void
  /**
   * Straight colour through a table of tones, alpha kept. 'tones': each channel by its own values, then luminance by the fourth, colour with
   * it; 'colours': the colour that its luminance stands for.
   */
  toneTable(out: Picture, src: Picture, table: Float32Array, by: 'tones' | 'colours'): void
  /**
   * Straight colour through (in · slope + offset) ^ power, then saturation about the luminance of BT.709; alpha kept. Held in 0–1
   * after each of both on wish; else what is below 0 is left as it is by the power. Light without cover takes no offset. Source: ASC CDL 1.2.
   */
  decisionList(out: Picture, src: Picture, decisions: Decisions): void
  /** Straight colour held between two values; alpha in 0–1 on wish. */
  hold(out: Picture, src: Picture, low: number, high: number, withAlpha: boolean): void
  /** Straight colour looked up in lines (each channel by its own) or in a cube, tetrahedral between its entries; alpha kept. */
  lookUp(out: Picture, src: Picture, options: LookUp): void
  /** Luminance L times `gain` becomes L (1 + L / white²) / (1 + L), colour with it. Source: Reinhard et al. 2002, equation 4. */
  shoulder(out: Picture, src: Picture, gain: number, white: number): void
  /** Sums along rows, from the first pixel on; one or four channels. */
  rowSums(out: Picture, src: Picture): void
  /** The sum over an area about each pixel, from sums of rowSums; beyond the picture its edge goes on. `out` is not `sums`. */
  sumOfRuns(out: Picture, sums: Picture, runs: readonly Run[]): void
  /**
   * Takes a layer out of a picture whose pixels are placed between layers, at k where all of one lies in layer k. Four channels: each pixel by
   * its share in layer `at`, max(0, 1 − |place − at|). One channel: its share in that layer or behind, 1 − (place − at) held in 0–1.
   */
  slice(out: Picture, src: Picture, places: Picture, at: number): void
  /**
   * Lays a blurred layer over what is behind it. It is divided by `seen`, how much about a pixel was to be seen of what lies as far as it or
   * farther; where next to nothing was, `out` stays. `known` says how far `out` is a picture, 0–1.
   */
  layOver(out: Picture, known: Picture, layer: Picture, seen: Picture): void
  /**
   * Counts how often red, green, blue and luminance have which level (histogram, four planes); luminance by columns, row 0 the highest level
   * (waveform); red, green and blue by columns (parade, three planes); or Cb and Cr of encoded colours (vectorscope; BT.709 weights). Pixels without
   * cover and light are not counted; gives back how many were.
   */
  countScope(counts: Uint32Array, src: Picture, count: ScopeCount): number
  /** IEEE 754 binary16 codes to floats, every code exact. */
  halfToFloat(out: Float32Array, codes: Uint16Array): void
  /** Floats to binary16, rounding to nearest even; beyond 65504 + half a step becomes infinity. */
  floatToHalf(codes: Uint16Array, src: Float32Array): void
  /** To 8-bit sRGB-encoded RGBA for a screen, opaque; by table, at most one code off. */
  display(out: Uint8Array, src: Picture, options: DisplayOptions): void
}

export const displayChannels = ['colour', 'red', 'green', 'blue', 'alpha', 'luminance'] as const
