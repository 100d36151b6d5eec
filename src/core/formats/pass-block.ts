import { FormatError } from './format-error.ts'

/**
 * One pass of one frame as it travels from the store to an engine: interleaved channels, half or float as the file
 * has them, so that every engine computes from the same bits. Colour is premultiplied scene-linear already.
 */
export interface PassBlock {
  /** Size of the data, and where its top left pixel lies on the canvas. */
  readonly width: number
  readonly height: number
  readonly x: number
  readonly y: number
  readonly channels: number
  readonly data: Uint16Array | Float32Array
}

const magic = 0x315a5042
const headerBytes = 32
/** 16384 × 16384 × 4 floats. */
const mostBytes = 2 ** 32

/** Little-endian: magic, width, height, x, y, channels, bytes a value (2 half, 4 float), 0; then the values. */
export function encodePassBlock(block: PassBlock): Uint8Array<ArrayBuffer> {
  const { width, height, x, y, channels, data } = block
  const bytes = new Uint8Array(headerBytes + data.byteLength)
  new Int32Array(bytes.buffer, 0, 8).set([magic, width, height, x, y, channels, data.BYTES_PER_ELEMENT, 0])
  bytes.set(new Uint8Array(data.buffer, data.byteOffset, data.byteLength), headerBytes)
  return bytes
}

/** Bytes at the beginning of a block from which its size can be told. */
export const passHeaderBytes = headerBytes

/** How long a block is in all, by its beginning; undefined for what begins otherwise than a block does. */
export function passBlockLength(header: Uint8Array): number | undefined {
  if (header.byteLength < headerBytes) return undefined
  const [mark, width, height, , , channels, size] = new Int32Array(
    new Uint8Array(header.subarray(0, headerBytes)).buffer,
  ) as unknown as number[]
  if (mark !== magic || !width || !height || !channels || !size) return undefined
  return headerBytes + width * height * channels * size
}

/** Where in a block some rows of the canvas lie, the last not counted, and how they are read; at least one row, wherever they are. By its beginning; throws FormatError. */
export function rowsOfBlock(
  header: ArrayBuffer,
  [from, to]: readonly [from: number, to: number],
): { readonly start: number; readonly end: number; read(bytes: ArrayBuffer): PassBlock } {
  const length = passBlockLength(new Uint8Array(header))
  if (length === undefined) throw new FormatError('pass', 0, 'it does not begin as a pass does')
  const [, width, height, x, y, channels, size] = new Int32Array(header, 0, 8) as unknown as [
    number,
    number,
    number,
    number,
    number,
    number,
    number,
  ]
  const first = Math.min(height - 1, Math.max(0, from - y))
  const last = Math.min(height, Math.max(first + 1, to - y))
  const row = width * channels * size
  const rows = last - first
  return {
    start: headerBytes + first * row,
    end: headerBytes + last * row,
    read: (bytes) => {
      if (bytes.byteLength !== rows * row) throw new FormatError('pass', headerBytes, 'data are missing')
      const data = size === 2 ? new Uint16Array(bytes) : new Float32Array(bytes)
      return { width, height: rows, x, y: y + first, channels, data }
    },
  }
}

/** Some columns of the canvas out of a block, the last not counted; at least one, wherever they are. */
export function columnsOfBlock(block: PassBlock, [from, to]: readonly [from: number, to: number]): PassBlock {
  const { width, height, x, channels, data } = block
  const first = Math.min(width - 1, Math.max(0, from - x))
  const last = Math.min(width, Math.max(first + 1, to - x))
  if (last - first === width) return block
  const row = (last - first) * channels
  const cut = data instanceof Uint16Array ? new Uint16Array(row * height) : new Float32Array(row * height)
  for (let y = 0; y < height; y++) {
    const at = (y * width + first) * channels
    cut.set(data.subarray(at, at + row), y * row)
  }
  return { ...block, width: last - first, x: x + first, data: cut }
}

/** Blocks of rows of one pass, whatever their order, as one; what two of them have is taken from the first. There is at least one. */
export function joinedRows(blocks: readonly PassBlock[]): PassBlock {
  const [first, ...more] = blocks.toSorted((a, b) => a.y - b.y) as [PassBlock, ...PassBlock[]]
  const parts = [first]
  let end = first.y + first.height
  for (const block of more) {
    const { width, height, y, channels, data } = block
    const known = Math.max(0, end - y)
    if (known >= height) continue
    parts.push({
      ...block,
      y: y + known,
      height: height - known,
      data: data.subarray(known * width * channels),
    })
    end = y + height
  }
  if (parts.length === 1) return first
  const count = parts.reduce((sum, { data }) => sum + data.length, 0)
  const data = first.data instanceof Uint16Array ? new Uint16Array(count) : new Float32Array(count)
  let at = 0
  for (const part of parts) {
    data.set(part.data, at)
    at += part.data.length
  }
  return { ...first, height: end - first.y, data }
}

/** Reads a block; the data is a view of `buffer`. Throws FormatError. */
export function decodePassBlock(buffer: ArrayBuffer): PassBlock {
  if (buffer.byteLength < headerBytes) throw new FormatError('pass', 0, 'the header is cut short')
  const [mark, width, height, x, y, channels, size] = new Int32Array(buffer, 0, 8) as unknown as [
    number,
    number,
    number,
    number,
    number,
    number,
    number,
  ]
  if (mark !== magic) throw new FormatError('pass', 0, 'it does not begin as a pass does')
  const count = width * height * channels
  if (width < 1 || height < 1 || channels < 1 || (size !== 2 && size !== 4) || count * size > mostBytes)
    throw new FormatError('pass', 4, 'its size can not be')
  if (buffer.byteLength !== headerBytes + count * size)
    throw new FormatError('pass', headerBytes, 'data are missing')
  const data =
    size === 2 ? new Uint16Array(buffer, headerBytes, count) : new Float32Array(buffer, headerBytes, count)
  return { width, height, x, y, channels, data }
}
