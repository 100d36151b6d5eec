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

/**
 * The pixel loops everything is made from. There are two: SIMD WebAssembly over shared memory, and a plain
 * TypeScript twin that it is checked against. Output first, then sources, then scalars; `out` may be a source
 * unless said otherwise. Colour pictures are premultiplied scene-linear RGBA of equal size; a matte has one channel.
 * Nothing here allocates or validates.
 */
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
  /**
   * Light drawn out along rays from an origin: row i of `out` is the ray at angle i, its pixels lie one pixel apart from
   * `firstRadius` on; each is the sum over a profile of what lies nearer to the origin, times the ray's gain; alpha 0. `occluder` (one
   * channel, 0–1) takes its share of all light that passes a pixel.
   */
  rayLines(
    out: Picture,
    light: Picture,
    occluder: Picture | undefined,
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
   * Signed distance of each pixel to the edge of a shape, in pixels, negative inside; one channel both. Inside is where the matte
   * is 0.5 or more; how much the nearest pixel of the other side and the one before it are covered moves the edge within them. ±1e9 where there is no
   * edge. `out` is not `src`.
   */
  distance(out: Picture, src: Picture): void
  /** Cover of a shape grown by `spread` pixels (shrunk below 0), whose edge is `soft` pixels wide, from its distances. */
  edge(out: Picture, distance: Picture, spread: number, soft: number): void
  /**
   * How near the straight colour of each pixel is to picked ones, one channel 0–1, times its alpha: 1 within `reach` of one that is
   * wanted, down to 0 over `soft` beyond; less so near one that is not. Distances are those of OKLab, with lightness weighed by `lightness`.
   */
  keyColour(out: Picture, src: Picture, picks: readonly ColourPick[], key: ColourKey): void
  /** Luminance y becomes ((y − black) / (white − black))^(1/gamma), colour with it; alpha 0. Nothing below black; no upper end. */
  lightLevels(out: Picture, src: Picture, black: number, white: number, gamma: number): void
  /** IEEE 754 binary16 codes to floats, every code exact. */
  halfToFloat(out: Float32Array, codes: Uint16Array): void
  /** Floats to binary16, rounding to nearest even; beyond 65504 + half a step becomes infinity. */
  floatToHalf(codes: Uint16Array, src: Float32Array): void
  /** To 8-bit sRGB-encoded RGBA for a screen, opaque; by table, at most one code off. */
  display(out: Uint8Array, src: Picture, options: DisplayOptions): void
}

export const displayChannels = ['colour', 'red', 'green', 'blue', 'alpha', 'luminance'] as const
