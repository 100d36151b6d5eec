import { withCodec, type Desk } from '../codec/codec.ts'

// The canonical Huffman code of 16-bit symbols that PIZ and DWA share. Source: OpenEXR file layout.

export const symbols = 65537
const longest = 58
const tableBits = 14
/** Six bits that stand for a run of zeros: two and more of them, and six and more, which eight bits count. */
export const [shortZeros, longZeros] = [59, 63] as const

/** A canonical code: the first code of each length, and where its symbols begin in `ordered`; one more start at the end. */
export interface Code {
  readonly first: Float64Array
  readonly starts: Uint32Array
  readonly ordered: Uint32Array
}

/** Shorter codes have higher values than the beginnings of longer ones; within a length, codes rise with symbols. */
export function canonicalCode(lengths: Uint8Array): Code {
  const starts = new Uint32Array(longest + 2)
  for (const length of lengths) if (length > 0) starts[length + 1]!++
  for (let length = 1; length <= longest; length++) starts[length + 1]! += starts[length]!
  const ordered = new Uint32Array(starts[longest + 1]!)
  const next = starts.slice()
  lengths.forEach((length, symbol) => {
    if (length > 0) ordered[next[length]!++] = symbol
  })
  // Codes exceed 32 bits, so they are numbers.
  const first = new Float64Array(longest + 1)
  let code = 0
  for (let length = longest; length > 0; length--) {
    first[length] = code
    code = Math.floor((code + starts[length + 1]! - starts[length]!) / 2)
  }
  return { first, starts, ordered }
}

/** Decodes exactly `count` 16-bit values to a place of the codecs' memory; false where the data do not fit. */
export function decodeTo(at: number, count: number, bytes: Uint8Array, { codec, put, room }: Desk): boolean {
  if (bytes.length < 20) return false
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)
  const [from, to, , bitCount] = [0, 4, 8, 12].map((o) => view.getUint32(o, true)) as [
    number,
    number,
    number,
    number,
  ]
  if (from >= symbols || to >= symbols) return false
  const packed = bytes.subarray(20)
  const [source, lengths, short] = [put(packed), room(symbols), room(4 << tableBits)]
  const [first, starts, ordered] = [room(8 * (longest + 1)), room(4 * (longest + 2)), room(4 * symbols)]
  // Zeros behind the end, so that looking ahead needs no check.
  new Uint8Array(codec.memory.buffer, source + packed.length, 16).fill(0)
  const end = codec.readTables(source, packed.length, from, to, lengths, short, first, starts, ordered)
  if (end < 0) return false
  const bits = Math.min(bitCount, (packed.length - end) * 8)
  return codec.decodeCodes(at, count, source + end, bits, short, first, starts, ordered, to) === count
}

/** Decodes exactly `count` 16-bit values; undefined where the data do not fit. */
export function decodeHuffman(bytes: Uint8Array, count: number): Uint16Array | undefined {
  if (count === 0) return new Uint16Array()
  return withCodec((desk) => {
    const at = desk.room(count * 2)
    return decodeTo(at, count, bytes, desk) ? new Uint16Array(desk.take(at, count * 2).buffer) : undefined
  })
}
