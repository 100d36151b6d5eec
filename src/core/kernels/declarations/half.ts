import { halfToNumber, numberToHalf } from '../../picture/half.ts'
import type { KernelCalls } from '../kernel-calls.ts'

export interface HalfKernels {
  /** IEEE 754 binary16 codes to floats, every code exact. */
  halfToFloat(out: Float32Array, codes: Uint16Array): void
  /** Floats to binary16, rounding to nearest even; beyond 65504 + half a step becomes infinity. */
  floatToHalf(codes: Uint16Array, src: Float32Array): void
}

/** The plain twins. */
export const plainHalf: HalfKernels = {
  halfToFloat(out, codes) {
    for (let i = 0; i < codes.length; i++) out[i] = halfToNumber(codes[i]!)
  },
  floatToHalf(codes, src) {
    for (let i = 0; i < src.length; i++) codes[i] = numberToHalf(src[i]!)
  },
}

export const fastHalf = ({ convert }: KernelCalls): HalfKernels => ({
  halfToFloat: (out, codes) => {
    convert('halfToFloat', out, codes)
  },
  floatToHalf: (codes, src) => {
    convert('floatToHalf', codes, src)
  },
})
