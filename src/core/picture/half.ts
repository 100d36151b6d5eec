import { withCodec } from '../codec/codec.ts'

const bits = new Uint32Array(1)
const value = new Float32Array(bits.buffer)

/** One IEEE 754 binary16 code as a number. Every code is exact. */
export function halfToNumber(code: number): number {
  const sign = code & 0x8000 ? -1 : 1
  const exponent = (code >> 10) & 31
  const fraction = code & 1023
  if (exponent === 31) return fraction ? NaN : sign * Infinity
  return exponent ? sign * 2 ** (exponent - 15) * (1 + fraction / 1024) : sign * 2 ** -24 * fraction
}

/** A number as a binary16 code, rounded once from its float32 value to nearest even. Source: IEEE 754-2019, 4.3.1. */
export function numberToHalf(v: number): number {
  value[0] = v
  const sign = (bits[0]! >>> 16) & 0x8000
  const u = bits[0]! & 0x7fffffff
  // Ordinary values: the exponent shifted, half of the last place added, ties to even. A carry runs into the exponent.
  if (u >= 0x38800000 && u < 0x477ff000) return sign | ((u - 0x38000000 + 0xfff + ((u >>> 13) & 1)) >>> 13)
  if (u > 0x7f800000) return sign | 0x7e00
  const a = Math.abs(value[0])
  if (a >= 65520) return sign | 0x7c00
  if (a < 2 ** -14) return sign | roundHalfEven(a * 2 ** 24)
  const exponent = (u >>> 23) - 127
  // A fraction that rounds up to 1024 carries into the exponent by itself.
  return sign | (((exponent + 15) << 10) + roundHalfEven((a / 2 ** exponent - 1) * 1024))
}

/** The same of many. */
export function numbersToHalves(values: Float32Array): Uint16Array {
  const halves = new Uint16Array(values.length)
  const atOnce = 8192
  withCodec(({ codec, room }) => {
    const [from, to] = [room(atOnce * 4), room(atOnce * 2)]
    const floats = new Float32Array(codec.memory.buffer, from, atOnce)
    const codes = new Uint16Array(codec.memory.buffer, to, atOnce)
    for (let at = 0; at < values.length; at += atOnce) {
      const count = Math.min(atOnce, values.length - at)
      floats.set(values.subarray(at, at + count))
      codec.floatToHalf(to, from, 0, count)
      halves.set(codes.subarray(0, count), at)
    }
  })
  return halves
}

function roundHalfEven(v: number): number {
  const low = Math.floor(v)
  const rest = v - low
  return rest > 0.5 || (rest === 0.5 && low % 2 === 1) ? low + 1 : low
}

let table: Float32Array | undefined

/** Every binary16 code as a number, by code: for loops over many. Made once, on first use. */
export function halfTable(): Float32Array {
  table ??= Float32Array.from({ length: 65536 }, (_, code) => halfToNumber(code))
  return table
}
