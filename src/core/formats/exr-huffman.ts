import { withCodec, type Desk } from '../codec/codec.ts'

// The canonical Huffman code of 16-bit symbols that PIZ and DWA share. Source: OpenEXR file layout.

export const symbols = 65537
const longest = 58
const tableBits = 14
/** Six bits that stand for a run of zeros: two and more of them, and six and more, which eight bits count. */
export const [shortZeros, longZeros] = [59, 63] as const

/** Code lengths of the symbols `first` to `last`, six bits each, runs of zeros shortened. */
function readLengths(
  bytes: Uint8Array,
  first: number,
  last: number,
): { lengths: Uint8Array; end: number } | undefined {
  const lengths = new Uint8Array(symbols)
  let [buffer, have, at] = [0, 0, 0]
  const bits = (count: number) => {
    while (have < count) {
      if (at >= bytes.length) return -1
      buffer = ((buffer << 8) | bytes[at++]!) & 0xffffff
      have += 8
    }
    have -= count
    return (buffer >> have) & ((1 << count) - 1)
  }
  for (let symbol = first; symbol <= last;) {
    const length = bits(6)
    if (length < 0) return undefined
    if (length < shortZeros) {
      lengths[symbol++] = length
      continue
    }
    const more = length === longZeros ? bits(8) : length - shortZeros
    if (more < 0) return undefined
    symbol += length === longZeros ? more + 6 : more + 2
    if (symbol > last + 1) return undefined
  }
  return { lengths, end: at }
}

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

/** What is read before the values themselves. */
export interface Coded extends Code {
  /** Short codes: symbol << 6 | length by their first bits; 0 where a longer one begins. */
  readonly short: Int32Array
  /** The symbol that stands for a run: eight bits follow that say how often the value before it is repeated. */
  readonly run: number
  /** The values' codes, 16 bytes of zeros behind them; and how many bits count. */
  readonly stream: Uint8Array
  readonly end: number
}

/** Reads the tables in front of coded values; undefined where they can not be. */
export function readCoded(bytes: Uint8Array): Coded | undefined {
  if (bytes.length < 20) return undefined
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)
  const [first, last, , bitCount] = [0, 4, 8, 12].map((o) => view.getUint32(o, true)) as [
    number,
    number,
    number,
    number,
  ]
  if (first >= symbols || last >= symbols) return undefined
  const table = readLengths(bytes.subarray(20), first, last)
  if (!table) return undefined
  const code = canonicalCode(table.lengths)
  const short = new Int32Array(1 << tableBits)
  for (let length = 1; length <= tableBits; length++)
    for (let i = code.starts[length]!; i < code.starts[length + 1]!; i++) {
      const from = (code.first[length]! + i - code.starts[length]!) * 2 ** (tableBits - length)
      if (from >= short.length) return undefined
      short.fill((code.ordered[i]! << 6) | length, from, from + 2 ** (tableBits - length))
    }
  const packed = bytes.subarray(20 + table.end)
  const stream = new Uint8Array(packed.length + 16)
  stream.set(packed)
  return { ...code, short, run: last, stream, end: Math.min(bitCount, packed.length * 8) }
}

/** Decodes exactly `count` 16-bit values to a place of the codecs' memory; false where the data do not fit. */
export function decodeTo(at: number, count: number, coded: Coded, { codec, put }: Desk): boolean {
  const first = put(BigUint64Array.from(coded.first, BigInt))
  const [stream, short] = [put(coded.stream), put(coded.short)]
  const [starts, ordered] = [put(coded.starts), put(coded.ordered)]
  return codec.decodeCodes(at, count, stream, coded.end, short, first, starts, ordered, coded.run) === count
}

/** Decodes exactly `count` 16-bit values; undefined where the data do not fit. */
export function decodeHuffman(bytes: Uint8Array, count: number): Uint16Array | undefined {
  if (count === 0) return new Uint16Array()
  const coded = readCoded(bytes)
  if (!coded) return undefined
  return withCodec((desk) => {
    const at = desk.room(count * 2)
    return decodeTo(at, count, coded, desk) ? new Uint16Array(desk.take(at, count * 2).buffer) : undefined
  })
}
