import { halfToNumber } from '../picture/half.ts'
import type { Window } from './exr-header.ts'
import type { ExrPlane } from './exr-read.ts'

/** One sample of a plane as a number. */
export function sampleOf({ values }: ExrPlane, i: number): number {
  return values instanceof Uint16Array ? halfToNumber(values[i]!) : values[i]!
}

/**
 * A plane with a value for every pixel of the data window: between the samples of a subsampled channel, which stand at
 * the multiples of its sampling, values are linear; beyond the last they repeat.
 */
export function atFullSize(plane: ExrPlane, [x0, y0, x1, y1]: Window): Float32Array {
  const [width, height] = [x1 - x0 + 1, y1 - y0 + 1]
  const { xSampling, ySampling } = plane.channel
  const out = new Float32Array(width * height)
  const place = (v: number, from: number, sampling: number, count: number) => {
    const at = Math.min(count - 1, Math.max(0, v / sampling - Math.ceil(from / sampling)))
    const low = Math.floor(at)
    return { low, high: Math.min(count - 1, low + 1), part: at - low }
  }
  const columns = Array.from({ length: width }, (_, x) => place(x0 + x, x0, xSampling, plane.width))
  for (let y = 0; y < height; y++) {
    const row = place(y0 + y, y0, ySampling, plane.height)
    for (let x = 0; x < width; x++) {
      const { low, high, part } = columns[x]!
      const at = (r: number) => {
        const left = sampleOf(plane, r * plane.width + low)
        return left + part * (sampleOf(plane, r * plane.width + high) - left)
      }
      const top = at(row.low)
      out[y * width + x] = top + row.part * (at(row.high) - top)
    }
  }
  return out
}

/**
 * Luminance and chroma to RGB: R = (RY + 1)·Y, B = (BY + 1)·Y, and G from Y by the luminance weights of Rec.709.
 * `y`, `ry`, `by` are changed to red, green, blue in place. Source: OpenEXR, "Luminance/Chroma Images".
 */
export function chromaToRgb(y: Float32Array, ry: Float32Array, by: Float32Array): void {
  for (let i = 0; i < y.length; i++) {
    const luminance = y[i]!
    const red = (ry[i]! + 1) * luminance
    const blue = (by[i]! + 1) * luminance
    y[i] = red
    ry[i] = (luminance - 0.2126 * red - 0.0722 * blue) / 0.7152
    by[i] = blue
  }
}
