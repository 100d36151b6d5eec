import { linearToSrgb } from '../picture/colour.ts'
import type { Kernels } from '../kernels/kernels.ts'
import type { Picture } from '../picture/picture.ts'
import type { Zlib } from './exr-codecs.ts'
import { textAttribute, writeExr } from './exr-write.ts'
import { writePng } from './png.ts'

export const outputFormats = ['exr', 'png16', 'png8'] as const
export type OutputFormat = (typeof outputFormats)[number]
export const fileEnding: Readonly<Record<OutputFormat, string>> = { exr: 'exr', png16: 'png', png8: 'png' }

/**
 * Encodes a finished picture: EXR as premultiplied scene-linear half RGBA (values beyond 65504 are held there),
 * PNG as straight sRGB codes clipped to 0–1. `name` is noted in the EXR header.
 */
export function encodePicture(
  picture: Picture,
  format: OutputFormat,
  name: string,
  kernels: Kernels,
  zlib: Zlib,
): Uint8Array {
  const { width, height, data } = picture
  if (format !== 'exr') return writePng(width, height, toCodes(data, format === 'png16' ? 65535 : 255))
  const held = Float32Array.from(data, (v) => (v > 65504 ? 65504 : v < -65504 ? -65504 : v))
  const codes = new Uint16Array(held.length)
  kernels.floatToHalf(codes, held)
  const count = width * height
  const window = [0, 0, width - 1, height - 1] as const
  const channels = ['R', 'G', 'B', 'A'].map((channel, c) => ({
    name: channel,
    type: 'half' as const,
    values: Uint16Array.from({ length: count }, (_, i) => codes[i * 4 + c]!),
  }))
  const attributes = [textAttribute('software', 'Zafiro'), textAttribute('comments', name)]
  return writeExr(
    { dataWindow: window, displayWindow: window, compression: 'zip', channels, attributes },
    zlib,
  )
}

function toCodes(data: Float32Array, most: number): Uint8Array | Uint16Array {
  const out = most > 255 ? new Uint16Array(data.length) : new Uint8Array(data.length)
  const code = (v: number) => Math.round(Math.min(1, Math.max(0, v)) * most)
  for (let i = 0; i < data.length; i += 4) {
    const alpha = data[i + 3]!
    // Light without cover can not be said in a straight picture; it is written as it looks over black.
    const cover = alpha > 0 ? Math.min(1, alpha) : 1
    for (let c = 0; c < 3; c++) out[i + c] = code(linearToSrgb(data[i + c]! / cover))
    out[i + 3] = code(alpha)
  }
  return out
}
