import { halfToNumber, numberToHalf } from '../picture/half.ts'

// PXR24 (floats rounded to 24 bits, differences along lines, zlib) and B44 (half floats in blocks of 4 × 4, 14 bytes
// each; B44A stores flat blocks in 3). Source: OpenEXR file layout.

/** Undoes the byte planes and differences of a PXR24 chunk. `size` is the number of bytes the lines unpack to. */
export function unpackPxr24(
  inflated: Uint8Array,
  lines: readonly { readonly samples: number; readonly type: 'half' | 'float' | 'uint' }[],
  size: number,
): Uint8Array {
  const out = new Uint8Array(size)
  const view = new DataView(out.buffer)
  let [at, o] = [0, 0]
  for (const { samples, type } of lines) {
    const planes = { half: 2, float: 3, uint: 4 }[type]
    let value = 0
    for (let i = 0; i < samples; i++) {
      let difference = 0
      for (let plane = 0; plane < planes; plane++)
        difference = (difference << 8) | inflated[at + plane * samples + i]!
      value = (value + (type === 'float' ? difference << 8 : difference)) | 0
      if (type === 'half') view.setUint16(o + i * 2, value & 0xffff, true)
      else view.setUint32(o + i * 4, value >>> 0, true)
    }
    at += planes * samples
    o += samples * (type === 'half' ? 2 : 4)
  }
  return out
}

/** Bytes that a PXR24 chunk inflates to. */
export const pxr24Bytes = { half: 2, float: 3, uint: 4 } as const

let table: Uint16Array | undefined
/** Half codes x → 8·ln x: perceptual channels were stored as exp(x / 8). What is not finite or below 0 becomes 0. */
function perceptualTable(): Uint16Array {
  table ??= Uint16Array.from({ length: 65536 }, (_, code) => {
    const value = halfToNumber(code)
    return Number.isFinite(value) && value >= 0 ? numberToHalf(8 * Math.log(value)) : 0
  })
  return table
}

/** Order in which a block's differences are stored: down the first column, then along the rows. */
const order = [[0, 4], [4, 8], [8, 12], [0, 1], [4, 5], [8, 9], [12, 13], [1, 2], [5, 6], [9, 10], [13, 14], [2, 3], [6, 7], [10, 11], [14, 15]] as const // prettier-ignore

/** Unpacks half values of one channel; gives back where the next begins, or undefined when the data end too early. */
export function unpackB44(
  packed: Uint8Array,
  start: number,
  width: number,
  height: number,
  out: Uint16Array,
  isPerceptual = false,
): number | undefined {
  const restore = isPerceptual ? perceptualTable() : undefined
  const block = new Uint16Array(16)
  let at = start
  for (let y = 0; y < height; y += 4)
    for (let x = 0; x < width; x += 4) {
      if (at + 3 > packed.length) return undefined
      const isFlat = packed[at + 2]! >= 13 << 2
      if (!isFlat && at + 14 > packed.length) return undefined
      block.fill((packed[at]! << 8) | packed[at + 1]!)
      if (!isFlat) {
        const shift = packed[at + 2]! >> 2
        // Fifteen differences of six bits follow the shift.
        for (const [k, [from, to]] of order.entries()) {
          const bit = 22 + 6 * k
          const pair = (packed[at + (bit >> 3)]! << 8) | (packed[at + (bit >> 3) + 1] ?? 0)
          const difference = (pair >> (10 - (bit & 7))) & 63
          block[to] = block[from]! + (difference << shift) - (32 << shift)
        }
      }
      at += isFlat ? 3 : 14
      for (let by = 0; by < Math.min(4, height - y); by++)
        for (let bx = 0; bx < Math.min(4, width - x); bx++) {
          const v = block[by * 4 + bx]!
          const code = v & 0x8000 ? v & 0x7fff : ~v & 0xffff
          out[(y + by) * width + x + bx] = restore ? restore[code]! : code
        }
    }
  return at
}
