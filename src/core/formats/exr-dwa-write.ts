import { halfTable, halfToNumber, numberToHalf } from '../picture/half.ts'
import { packRuns, splitBytes, type Zlib } from './exr-codecs.ts'
import { encodeHuffman } from './exr-huffman-write.ts'
import { cosines, prefixOf, suffixOf, typeBytes, types, zigzag, type DwaChannel } from './exr-dwa.ts'

// The writing half of DWA. Source: OpenEXR file layout and the description of DWA in its technical introduction; the steps of
// quantisation follow the tables of ITU-T T.81, annex K.

/** How coarse colour becomes: OpenEXR's usual level of 45, in hundred-thousandths of the perceptual scale. */
const baseError = 45 / 100_000

const luma = [
  16, 11, 10, 16, 24, 40, 51, 61, 12, 12, 14, 19, 26, 58, 60, 55, 14, 13, 16, 24, 40, 57, 69, 56, 14, 17, 22,
  29, 51, 87, 80, 62, 18, 22, 37, 56, 68, 109, 103, 77, 24, 35, 55, 64, 81, 104, 113, 92, 49, 64, 78, 87, 103,
  121, 120, 101, 72, 92, 95, 98, 112, 100, 103, 99,
].map((q) => (q / 10) * baseError)
const chroma = Array.from({ length: 64 }, (_, i) => {
  const rows = [
    [17, 18, 24, 47],
    [18, 21, 26, 66],
    [24, 26, 56, 99],
    [47, 66, 99, 99],
  ]
  return ((rows[i >> 3]?.[i & 7] ?? 99) / 17) * baseError
})

/** Linear half codes to the perceptual scale: a root up to 1, a logarithm beyond. */
let perceptualTable: Float32Array | undefined
function toPerceptualTable(): Float32Array {
  perceptualTable ??= Float32Array.from({ length: 65536 }, (_, code) => {
    const v = halfToNumber(code)
    if (!Number.isFinite(v)) return 0
    const a = Math.abs(v)
    return Math.sign(v) * (a <= 1 ? a ** (1 / 2.2) : Math.log(a) / 2.2 + 1)
  })
  return perceptualTable
}

/** The half near a value with the shortest mantissa that the tolerance allows: short ones pack well. */
function coarse(value: number, tolerance: number, halves: Float32Array): number {
  if (Math.abs(value) <= tolerance) return 0
  const code = numberToHalf(value)
  for (let bits = 10; bits > 0; bits--) {
    const rounded = ((code + (1 << (bits - 1))) >> bits) << bits
    if ((rounded & 0x7c00) !== 0x7c00 && Math.abs(halves[rounded & 0xffff]! - value) <= tolerance)
      return rounded & 0xffff
  }
  return code
}

function forwardCosine(block: Float64Array, scratch: Float64Array): void {
  for (let y = 0; y < 8; y++)
    for (let u = 0; u < 8; u++) {
      let sum = 0
      for (let x = 0; x < 8; x++) sum += block[y * 8 + x]! * cosines[x * 8 + u]!
      scratch[y * 8 + u] = sum
    }
  for (let u = 0; u < 8; u++)
    for (let w = 0; w < 8; w++) {
      let sum = 0
      for (let y = 0; y < 8; y++) sum += scratch[y * 8 + u]! * cosines[y * 8 + w]!
      block[w * 8 + u] = sum
    }
}

/** Red, green, blue to luma and two differences, with the weights of BT.709. */
function toLumaChroma([first, second, third]: Float64Array[]): void {
  for (let i = 0; i < 64; i++) {
    const [r, g, b] = [first![i]!, second![i]!, third![i]!]
    first![i] = 0.2126 * r + 0.7152 * g + 0.0722 * b
    second![i] = -0.1146 * r - 0.3854 * g + 0.5 * b
    third![i] = 0.5 * r - 0.4542 * g - 0.0458 * b
  }
}

/** The first values of blocks, and the others with runs of zeros shortened, of channels that are coded together. */
function writeBlocks(
  channels: readonly DwaChannel[],
  planes: readonly Uint16Array[],
  dc: number[],
  ac: number[],
): void {
  const { width, height } = channels[0]!
  const [across, down] = [Math.ceil(width / 8), Math.ceil(height / 8)]
  const table = toPerceptualTable()
  const blocks = channels.map(() => new Float64Array(64))
  const scratch = new Float64Array(64)
  const codes = new Uint16Array(64)
  const halves = halfTable()
  const firsts = channels.map((): number[] => [])
  for (let by = 0; by < down; by++)
    for (let bx = 0; bx < across; bx++) {
      for (const [c, block] of blocks.entries())
        for (let i = 0; i < 64; i++) {
          // Behind the border its pixels are repeated.
          const [x, y] = [Math.min(width - 1, bx * 8 + (i & 7)), Math.min(height - 1, by * 8 + (i >> 3))]
          const code = planes[c]![y * width + x]!
          block[i] = channels[c]!.isPerceptual ? halfToNumber(code) : table[code]!
        }
      if (blocks.length === 3) toLumaChroma(blocks)
      for (const [c, block] of blocks.entries()) {
        forwardCosine(block, scratch)
        const steps = c === 0 ? luma : chroma
        for (const [i, at] of zigzag.entries()) codes[i] = coarse(block[at]!, steps[at]!, halves)
        firsts[c]!.push(codes[0]!)
        for (let i = 1; i < 64;) {
          let zeros = 0
          while (i + zeros < 64 && codes[i + zeros] === 0) zeros++
          if (i + zeros === 64) ac.push(0xff00)
          else if (zeros > 1) ac.push(0xff00 | zeros)
          else ac.push(codes[i]!)
          i += Math.max(1, zeros)
        }
      }
    }
  for (const own of firsts) for (const code of own) dc.push(code)
}

/** Colour by cosines, cover by runs; all else, such as depth, is packed as it is. */
const rules = (['half', 'float'] as const).flatMap((type) => [
  ...['R', 'G', 'B'].map((suffix, part) => ({ suffix, type, bits: ((part + 1) << 4) | (1 << 2) })),
  { suffix: 'A', type, bits: 2 << 2 },
])

const ruleBytes = (() => {
  const bytes = rules.flatMap(({ suffix, type, bits }) => [
    suffix.charCodeAt(0),
    0,
    bits,
    types.indexOf(type),
  ])
  const length = bytes.length + 2
  return Uint8Array.of(length & 255, length >> 8, ...bytes)
})()

const halvesOf = (bytes: Uint8Array, type: DwaChannel['type']): Uint16Array =>
  type === 'half'
    ? new Uint16Array(new Uint8Array(bytes).buffer)
    : Uint16Array.from(new Float32Array(new Uint8Array(bytes).buffer), numberToHalf)

/** Packs a chunk from the bytes of its channels, one after the other; colour is not kept to the last bit. */
export function packDwa(bytes: Uint8Array, channels: readonly DwaChannel[], zlib: Zlib): Uint8Array {
  let at = 0
  const parts = channels.map((channel) => {
    const size = channel.width * channel.height * typeBytes[channel.type]
    const suffix = suffixOf(channel.name)
    const rule = rules.find((r) => r.suffix === suffix && r.type === channel.type)
    return { channel, rule, bytes: bytes.subarray(at, (at += size)) }
  })
  const [dc, ac]: [number[], number[]] = [[], []]
  const colour = parts.filter((p) => p.rule && p.rule.suffix !== 'A')
  const done = new Set<(typeof parts)[number]>()
  const write = (those: readonly (typeof parts)[number][]) => {
    writeBlocks(
      those.map((p) => p.channel),
      those.map((p) => halvesOf(p.bytes, p.channel.type)),
      dc,
      ac,
    )
    for (const p of those) done.add(p)
  }
  for (const prefix of new Set(colour.map((p) => prefixOf(p.channel.name)))) {
    const three = ['R', 'G', 'B'].flatMap((s) => colour.find((p) => p.channel.name === prefix + s) ?? [])
    if (three.length === 3) write(three)
  }
  for (const p of colour) if (!done.has(p)) write([p])
  const runs: number[] = []
  const others: Uint8Array[] = []
  for (const p of parts) {
    if (done.has(p)) continue
    if (p.rule) {
      // Bytes of one significance lie together.
      const step = typeBytes[p.channel.type]
      for (let b = 0; b < step; b++) for (let i = b; i < p.bytes.length; i += step) runs.push(p.bytes[i]!)
    } else others.push(p.bytes)
  }
  const joined = (pieces: readonly Uint8Array[]) => {
    const out = new Uint8Array(pieces.reduce((sum, p) => sum + p.length, 0))
    let o = 0
    for (const piece of pieces) {
      out.set(piece, o)
      o += piece.length
    }
    return out
  }
  const words = (values: readonly number[]) => new Uint8Array(Uint16Array.from(values).buffer)
  const packed = (raw: Uint8Array) => (raw.length === 0 ? raw : zlib.deflate(raw))
  const other = joined(others)
  const shortened = packRuns(Uint8Array.from(runs))
  const pieces = [
    packed(other),
    encodeHuffman(Uint16Array.from(ac)),
    packed(splitBytes(words(dc))),
    packed(shortened),
  ] as const
  const sizes = [
    2,
    other.length,
    ...pieces.map((p) => p.length),
    shortened.length,
    runs.length,
    ac.length,
    dc.length,
    0,
  ]
  return joined([new Uint8Array(BigUint64Array.from(sizes, BigInt).buffer), ruleBytes, ...pieces])
}
