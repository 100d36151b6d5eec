import { canonicalCode, longZeros, shortZeros, symbols } from './exr-huffman.ts'

// The writing half of the Huffman code of 16-bit symbols. Source: OpenEXR file layout; D. A. Huffman, "A Method for the Construction of
// Minimum-Redundancy Codes" (1952).

/** Bits into bytes, the highest first. */
class BitWriter {
  private out = new Uint8Array(1 << 16)
  private at = 0
  private buffer = 0
  private have = 0
  /** All bits so far. */
  count = 0

  /** Up to 24 bits. */
  bits(value: number, length: number): void {
    this.count += length
    // At most 7 bits wait, so that 31 are the most.
    this.buffer = (this.buffer << length) | value
    this.have += length
    while (this.have >= 8) {
      this.have -= 8
      this.byte((this.buffer >>> this.have) & 255)
    }
    this.buffer &= (1 << this.have) - 1
  }

  /** A code of up to 58 bits. */
  code(value: number, length: number): void {
    if (length <= 24) {
      this.bits(value, length)
      return
    }
    const low = 2 ** 24
    this.code(Math.floor(value / low), length - 24)
    this.bits(value % low, 24)
  }

  bytes(): Uint8Array {
    if (this.have > 0) {
      this.byte((this.buffer << (8 - this.have)) & 255)
      this.have = 0
    }
    return this.out.slice(0, this.at)
  }

  private byte(value: number): void {
    if (this.at === this.out.length) {
      const larger = new Uint8Array(this.out.length * 2)
      larger.set(this.out)
      this.out = larger
    }
    this.out[this.at++] = value
  }
}

/** How long the code of each symbol is: the two rarest become one, until one is left. */
function codeLengths(counts: Float64Array): Uint8Array {
  const lengths = new Uint8Array(symbols)
  const used: number[] = []
  for (let s = 0; s < symbols; s++) if (counts[s]! > 0) used.push(s)
  used.sort((a, b) => counts[a]! - counts[b]!)
  const leaves = used.length
  // Nodes: the leaves by rising count, then what they become, whose counts rise by themselves.
  const weight = new Float64Array(leaves * 2)
  const parent = new Int32Array(leaves * 2)
  used.forEach((s, i) => (weight[i] = counts[s]!))
  let [leaf, inner, next] = [0, leaves, leaves]
  const rarest = () =>
    leaf < leaves && (inner >= next || weight[leaf]! <= weight[inner]!) ? leaf++ : inner++
  while (next < leaves * 2 - 1) {
    const [a, b] = [rarest(), rarest()]
    weight[next] = weight[a]! + weight[b]!
    parent[a] = parent[b] = next++
  }
  const depth = new Uint8Array(leaves * 2)
  for (let i = next - 2; i >= 0; i--) depth[i] = depth[parent[i]!]! + 1
  // The end of runs is a symbol, too, so that there are always two.
  used.forEach((s, i) => (lengths[s] = depth[i]!))
  return lengths
}

/** Encodes 16-bit values so that `decodeHuffman` gives them back: a table of code lengths, and the codes, runs of a value shortened. */
export function encodeHuffman(values: Uint16Array): Uint8Array {
  if (values.length === 0) return new Uint8Array()
  const counts = new Float64Array(symbols)
  for (const value of values) counts[value]!++
  const first = counts.findIndex((n) => n > 0)
  const last = counts.findLastIndex((n) => n > 0) + 1
  counts[last] = 1
  const lengths = codeLengths(counts)
  const code = canonicalCode(lengths)
  const codes = new Float64Array(symbols)
  code.ordered.forEach((symbol, i) => {
    const length = lengths[symbol]!
    codes[symbol] = code.first[length]! + i - code.starts[length]!
  })

  const table = new BitWriter()
  for (let symbol = first; symbol <= last;) {
    let zeros = 0
    while (symbol + zeros <= last && lengths[symbol + zeros] === 0 && zeros < 255 + 6) zeros++
    if (zeros >= 6) {
      table.bits(longZeros, 6)
      table.bits(zeros - 6, 8)
    } else if (zeros >= 2) table.bits(shortZeros + zeros - 2, 6)
    else {
      table.bits(lengths[symbol]!, 6)
      zeros = 1
    }
    symbol += zeros
  }

  const stream = new BitWriter()
  const put = (symbol: number) => {
    stream.code(codes[symbol]!, lengths[symbol]!)
  }
  for (let i = 0; i < values.length;) {
    const value = values[i]!
    let again = 0
    while (again < 255 && i + 1 + again < values.length && values[i + 1 + again] === value) again++
    put(value)
    if (lengths[last]! + 8 < lengths[value]! * again) {
      put(last)
      stream.bits(again, 8)
    } else for (let k = 0; k < again; k++) put(value)
    i += 1 + again
  }
  const [head, body] = [table.bytes(), stream.bytes()]
  const out = new Uint8Array(20 + head.length + body.length)
  const view = new DataView(out.buffer)
  ;[first, last, head.length, stream.count].forEach((v, i) => {
    view.setUint32(i * 4, v, true)
  })
  out.set(head, 20)
  out.set(body, 20 + head.length)
  return out
}
