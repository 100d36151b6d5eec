import { FormatError } from './format-error.ts'

/** A Radiance picture: linear RGB, three floats a pixel, row 0 on top. */
export interface HdrPicture {
  readonly width: number
  readonly height: number
  readonly data: Float32Array
}

const mostSide = 65536
const mostPixels = 2 ** 28

export function isRadianceHdr(bytes: Uint8Array): boolean {
  return bytes[0] === 0x23 && bytes[1] === 0x3f
}

/** Reads one line of text; undefined at the end of the data or where a line is absurdly long. */
function lineAt(bytes: Uint8Array, at: number): { text: string; next: number } | undefined {
  const end = bytes.indexOf(10, at)
  if (end < 0 || end - at > 2000) return undefined
  return { text: new TextDecoder('latin1').decode(bytes.subarray(at, end)).replace(/\r$/, ''), next: end + 1 }
}

/** Size, exposure and where the pixels begin. Throws FormatError; sizes beyond the limits are refused here. */
export function readHdrHeader(bytes: Uint8Array): {
  width: number
  height: number
  exposure: number
  at: number
  /** Lines go from the bottom to the top; pixels from the right to the left. */
  isUpwards: boolean
  isLeftwards: boolean
} {
  const fail = (at: number, detail: string): never => {
    throw new FormatError('hdr', at, detail)
  }
  let [at, exposure] = [0, 1]
  for (;;) {
    const line = lineAt(bytes, at)
    if (!line) return fail(at, 'its header does not end')
    if (line.text === '') {
      at = line.next
      break
    }
    const format = /^FORMAT=(.*)$/.exec(line.text)?.[1]
    if (format && format !== '32-bit_rle_rgbe')
      fail(at, `its pixels are ${format}; only 32-bit_rle_rgbe is read`)
    // Several exposures multiply; the picture is brought back to what was measured.
    const value = Number(/^EXPOSURE=\s*(.*)$/.exec(line.text)?.[1] ?? NaN)
    if (value > 0) exposure *= value
    at = line.next
  }
  const size = lineAt(bytes, at)
  const match = /^([-+])Y (\d+) ([-+])X (\d+)$/.exec(size?.text ?? '')
  if (!match || !size)
    return fail(at, 'its size is not given as -Y height +X width, with either sign; write it upright')
  const [height, width] = [Number(match[2]), Number(match[4])]
  if (width < 1 || height < 1 || width > mostSide || height > mostSide || width * height > mostPixels)
    fail(at, `its size of ${width} × ${height} pixels is not one Zafiro takes`)
  return {
    width,
    height,
    exposure,
    at: size.next,
    isUpwards: match[1] === '+',
    isLeftwards: match[3] === '-',
  }
}

/**
 * Reads a Radiance RGBE picture, run-length coded by line or flat. Shared exponent e: value = (m + 0.5) · 2^(e−136), and
 * exactly 0 where e is 0. Throws FormatError. Source: "Real Pixels", G. Ward, Graphics Gems II.
 */
export function readRadianceHdr(bytes: Uint8Array): HdrPicture {
  const { width, height, exposure, at: start, isUpwards, isLeftwards } = readHdrHeader(bytes)
  const line = new Uint8Array(width * 4)
  const data = new Float32Array(width * height * 3)
  let at = start
  const need = (count: number) => {
    if (at + count > bytes.length) throw new FormatError('hdr', at, 'it ends inside its pixels')
  }
  for (let y = 0; y < height; y++) {
    need(4)
    const isCoded =
      width >= 8 &&
      width < 32768 &&
      bytes[at] === 2 &&
      bytes[at + 1] === 2 &&
      (bytes[at + 2]! << 8) + bytes[at + 3]! === width
    if (isCoded) {
      at += 4
      for (let c = 0; c < 4; c++)
        for (let x = 0; x < width;) {
          need(2)
          const count = bytes[at++]!
          const length = count > 128 ? count - 128 : count
          if (length === 0 || x + length > width)
            throw new FormatError('hdr', at, 'a run goes beyond its line')
          if (count <= 128) need(length)
          for (let i = 0; i < length; i++) line[(x + i) * 4 + c] = bytes[count > 128 ? at : at + i]!
          at += count > 128 ? 1 : length
          x += length
        }
    } else {
      need(width * 4)
      line.set(bytes.subarray(at, at + width * 4))
      at += width * 4
    }
    for (let x = 0; x < width; x++) {
      const e = line[x * 4 + 3]!
      const scale = e === 0 ? 0 : 2 ** (e - 136) / exposure
      const to = (isUpwards ? height - 1 - y : y) * width + (isLeftwards ? width - 1 - x : x)
      for (let c = 0; c < 3; c++) data[to * 3 + c] = (line[x * 4 + c]! + 0.5) * scale
    }
  }
  return { width, height, data }
}
