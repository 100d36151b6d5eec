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

/** A canonical code: symbols by length, and the code of the first of each. Codes exceed 32 bits, so they are numbers. */
export interface Code {
  readonly first: Float64Array
  readonly symbols: readonly (readonly number[])[]
}

/** Shorter codes have higher values than the beginnings of longer ones; within a length, codes rise with symbols. */
export function canonicalCode(lengths: Uint8Array): Code {
  const symbols = Array.from({ length: longest + 1 }, (): number[] => [])
  lengths.forEach((length, symbol) => {
    if (length > 0) symbols[length]!.push(symbol)
  })
  const first = new Float64Array(longest + 1)
  let code = 0
  for (let length = longest; length > 0; length--) {
    first[length] = code
    code = Math.floor((code + symbols[length]!.length) / 2)
  }
  return { first, symbols }
}

/**
 * Decodes exactly `count` 16-bit values; undefined where the data do not fit. The last symbol of the table stands for
 * a run: eight bits follow that say how often the value before it is repeated.
 */
export function decodeHuffman(bytes: Uint8Array, count: number): Uint16Array | undefined {
  if (count === 0) return new Uint16Array()
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
  // Short codes by table; 0 where a longer one begins.
  const short = new Int32Array(1 << tableBits)
  for (let length = 1; length <= tableBits; length++)
    for (const [i, symbol] of code.symbols[length]!.entries()) {
      const from = (code.first[length]! + i) * 2 ** (tableBits - length)
      if (from >= short.length) return undefined
      short.fill((symbol << 6) | length, from, from + 2 ** (tableBits - length))
    }
  const stream = bytes.subarray(20 + table.end)
  const end = Math.min(bitCount, stream.length * 8)
  // Zeros behind the end, so that looking ahead needs no check.
  const data = new Uint8Array(stream.length + 16)
  data.set(stream)
  const out = new Uint16Array(count)
  let [o, at] = [0, 0]
  /** Up to 24 bits from a place in the stream; 0 beyond its end. */
  const peek = (place: number, length: number) => {
    const byte = place >> 3
    const word = (data[byte]! << 24) | (data[byte + 1]! << 16) | (data[byte + 2]! << 8) | data[byte + 3]!
    return (word << (place & 7)) >>> (32 - length)
  }
  const codeAt = (place: number, length: number): number => {
    if (length <= 24) return peek(place, length)
    return peek(place, 24) * 2 ** (length - 24) + codeAt(place + 24, length - 24)
  }
  while (at < end && o < count) {
    const entry = short[peek(at, tableBits)]!
    let symbol = entry >> 6
    let length = entry & 63
    if (length === 0) {
      length = tableBits + 1
      while (length <= longest && codeAt(at, length) < code.first[length]!) length++
      const found = code.symbols[length]?.[codeAt(at, length) - code.first[length]!]
      if (found === undefined) return undefined
      symbol = found
    }
    at += length
    if (symbol !== last) {
      out[o++] = symbol
      continue
    }
    const repeat = peek(at, 8)
    at += 8
    if (o === 0 || o + repeat > count) return undefined
    out.fill(out[o - 1]!, o, o + repeat)
    o += repeat
  }
  return o === count ? out : undefined
}
