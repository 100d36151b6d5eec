import type { WorkingSpace } from '../../colour/working.ts'
import type { Picture } from '../../picture/picture.ts'
import {
  displayEntries,
  displayTable,
  screenCurves,
  type ScreenCurve,
  type ScreenCurveName,
} from '../../picture/colour.ts'
import { ditherBits, ditheredCode } from '../../picture/dither.ts'
import type { KernelCalls } from '../kernel-calls.ts'

export interface DisplayOptions {
  /** Linear factor on the picture before encoding; the backing keeps its brightness. */
  gain: number
  channel: 'colour' | 'red' | 'green' | 'blue' | 'alpha' | 'luminance'
  /** Side in pixels of the checker shown where alpha is below 1; 0 = black. */
  checker: number
  /** The frame by which codes are rounded up and down so that no bands are seen; left out: to the nearest code. */
  dither?: number | undefined
  /** Which pixel of the whole picture is the first, where this is a part of it. */
  from?: readonly [x: number, y: number] | undefined
  /** The curve of the screen; sRGB where left out. */
  curve?: ScreenCurveName | undefined
}

export const displayChannels = ['colour', 'red', 'green', 'blue', 'alpha', 'luminance'] as const

export interface DisplayKernels {
  /** To 8-bit RGBA for a screen, by its curve, opaque; by table, at most one code off; with dither right on the mean, see dither.ts. */
  display(out: Uint8Array, src: Picture, options: DisplayOptions): void
}

/** The plain twins. */
export const plainDisplay = ({ luminance }: WorkingSpace): DisplayKernels => ({
  display(out, src, { gain, channel, checker, dither, from: [left, top] = [0, 0], curve = 'srgb' }) {
    const { encode, first } = screenCurves[curve]
    const table = displayTable(screenCurves[curve])
    const bits = new Uint32Array(1)
    const value = new Float32Array(bits.buffer)
    const code = (v: number) => {
      bits[0] = first
      value[0] = Math.min(1 - 2 ** -24, Math.max(value[0]!, v))
      return table[(bits[0] - first) >>> 14]!
    }
    for (let p = 0; p < src.width * src.height; p++) {
      const [x, y] = [(p % src.width) + left, Math.floor(p / src.width) + top]
      const [r, g, b, a] = [0, 1, 2, 3].map((c) => src.data[p * 4 + c]!) as [number, number, number, number]
      const dark = (Math.floor(x / checker) ^ Math.floor(y / checker)) & 1
      const backing = checker && channel === 'colour' ? (dark ? 0.09 : 0.045) * Math.max(0, 1 - a) : 0
      const grey = [0, r, g, b, a, luminance(r, g, b)][displayChannels.indexOf(channel)]! * gain
      for (let c = 0; c < 3; c++) {
        const linear = channel === 'colour' ? src.data[p * 4 + c]! * gain + backing : grey
        out[p * 4 + c] =
          dither !== undefined && channel !== 'alpha'
            ? ditheredCode(encode(linear) * 255, ditherBits(x, y, c, dither))
            : channel === 'alpha'
              ? Math.floor(Math.min(1, Math.max(0, a)) * 255 + 0.5)
              : code(linear)
      }
      out[p * 4 + 3] = 255
    }
  },
})

/** Codes between codes, in 128ths, over the same places as displayTable, and one more. */
function fineTable({ encode, first }: ScreenCurve): Uint16Array {
  const bits = new Uint32Array(1)
  const value = new Float32Array(bits.buffer)
  return Uint16Array.from({ length: displayEntries({ encode, first }) + 2 }, (_, i) => {
    bits[0] = first + i * 0x4000
    return Math.round(encode(Math.min(1, value[0]!)) * 255 * 128)
  })
}

/** 128ths of codes for light below the tables of a curve, which meet them there. */
function darkSlope({ encode, first }: ScreenCurve): number {
  const bits = new Uint32Array([first])
  const [light] = new Float32Array(bits.buffer)
  return (encode(light!) * 255 * 128) / light!
}

export const fastDisplay = ({ run, isShared, store, weighAt }: KernelCalls): DisplayKernels => {
  const tablesOf = (curve: ScreenCurve) => {
    const [table, fine] = [displayTable(curve), fineTable(curve)]
    const tableAt = store.allocateBytes(table.length)
    new Uint8Array(store.memory.buffer, tableAt, table.length).set(table)
    const fineAt = store.allocateBytes(fine.byteLength)
    new Uint16Array(store.memory.buffer, fineAt, fine.length).set(fine)
    return { tableAt, fineAt, first: curve.first, slope: darkSlope(curve) }
  }
  const kept = new Map<ScreenCurveName, ReturnType<typeof tablesOf>>()
  return {
    display: (out, src, { gain, channel, checker, dither, from = [0, 0], curve = 'srgb' }) => {
      const { tableAt, fineAt, first, slope } = kept.get(curve) ?? tablesOf(screenCurves[curve])
      kept.set(curve, { tableAt, fineAt, first, slope })
      const size = src.width * src.height * 4
      const at = isShared(out) ? out.byteOffset : store.allocateBytes(size)
      const seed = Math.imul(Math.round((dither ?? 0) * 16), 0x27d4eb2d)
      const rounding = [dither === undefined ? 0 : fineAt, seed] as const
      const shown = displayChannels.indexOf(channel)
      run(
        'display',
        src,
        at,
        src.at,
        tableAt,
        gain,
        shown,
        checker,
        ...rounding,
        first,
        slope,
        weighAt,
        ...from,
        src.width,
      )
      if (isShared(out)) return
      out.set(new Uint8Array(store.memory.buffer, at, size))
      store.releaseBytes(at)
    },
  }
}
