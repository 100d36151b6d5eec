import { halfToNumber, numberToHalf } from '../picture/half.ts'
import { restoreBytes, unpackRuns, type Zlib } from './exr-codecs.ts'
import type { ExrType } from './exr-header.ts'
import { decodeHuffman } from './exr-huffman.ts'

// DWAA and DWAB: 8 × 8 cosine transforms of colour in a perceptual scale, alpha by run lengths, all else by zlib.
// Source: OpenEXR file layout and the description of DWA in its technical introduction.

/** One channel inside a chunk. */
export interface DwaChannel {
  readonly name: string
  readonly type: ExrType
  readonly width: number
  readonly height: number
  readonly isPerceptual: boolean
}

type Scheme = 'zlib' | 'cosine' | 'runs'
interface Rule {
  readonly suffix: string
  readonly type: ExrType
  readonly scheme: Scheme
  /** 0–2 for the three channels that are coded together as luma and chroma; −1 for others. */
  readonly part: number
  readonly ignoresCase: boolean
}

export const types: readonly ExrType[] = ['uint', 'half', 'float']
export const typeBytes = { uint: 4, half: 2, float: 4 } as const
const schemes: readonly Scheme[] = ['zlib', 'cosine', 'runs']

const oldRules: readonly Rule[] = [
  ...(['half', 'float'] as const).flatMap((type) =>
    (
      [
        ['r', 0],
        ['red', 0],
        ['g', 1],
        ['grn', 1],
        ['green', 1],
        ['b', 2],
        ['blu', 2],
        ['blue', 2],
        ['y', -1],
        ['by', -1],
        ['ry', -1],
      ] as const
    ).map(([suffix, part]): Rule => ({ suffix, type, scheme: 'cosine', part, ignoresCase: true })),
  ),
  ...types.map((type): Rule => ({ suffix: 'a', type, scheme: 'runs', part: -1, ignoresCase: true })),
]

/** Order in which the 64 values of a block are stored: by rising frequency, to and fro along the diagonals. */
export const zigzag = (() => {
  const order: number[] = []
  for (let d = 0; d < 15; d++)
    for (let i = 0; i <= d; i++) {
      const [x, y] = d % 2 ? [d - i, i] : [i, d - i]
      if (x < 8 && y < 8) order.push(y * 8 + x)
    }
  return order
})()

export const cosines = Float64Array.from({ length: 64 }, (_, i) => {
  const [x, u] = [i >> 3, i & 7]
  return (u === 0 ? Math.SQRT1_2 : 1) * 0.5 * Math.cos(((2 * x + 1) * u * Math.PI) / 16)
})

function inverseCosine(block: Float64Array, scratch: Float64Array): void {
  for (let y = 0; y < 8; y++)
    for (let x = 0; x < 8; x++) {
      let sum = 0
      for (let u = 0; u < 8; u++) sum += block[y * 8 + u]! * cosines[x * 8 + u]!
      scratch[y * 8 + x] = sum
    }
  for (let x = 0; x < 8; x++)
    for (let y = 0; y < 8; y++) {
      let sum = 0
      for (let v = 0; v < 8; v++) sum += scratch[v * 8 + x]! * cosines[y * 8 + v]!
      block[y * 8 + x] = sum
    }
}

/** Perceptual half codes to linear ones: a power up to 1, exponential beyond. */
let linearTable: Uint16Array | undefined
function toLinearTable(): Uint16Array {
  linearTable ??= Uint16Array.from({ length: 65536 }, (_, code) => {
    const v = halfToNumber(code)
    if (!Number.isFinite(v)) return 0
    const a = Math.abs(v)
    return numberToHalf(Math.sign(v) * (a <= 1 ? a ** 2.2 : Math.exp(2.2) ** (a - 1)))
  })
  return linearTable
}

/** Reads the values of the blocks of one channel, or of three that were coded together. */
class CosineReader {
  private dc = 0
  private ac = 0
  constructor(
    private readonly dcValues: Uint16Array,
    private readonly acValues: Uint16Array,
  ) {}

  /** Half codes of each channel; undefined where the data end too early. */
  read(channels: readonly DwaChannel[]): Uint16Array[] | undefined {
    const { width, height } = channels[0]!
    const [across, down] = [Math.ceil(width / 8), Math.ceil(height / 8)]
    const planes = channels.map((c) => new Uint16Array(c.width * c.height))
    const blocks = channels.map(() => new Float64Array(64))
    const scratch = new Float64Array(64)
    if (this.dc + across * down * channels.length > this.dcValues.length) return undefined
    for (let by = 0; by < down; by++)
      for (let bx = 0; bx < across; bx++) {
        for (const [c, block] of blocks.entries()) {
          block.fill(0)
          block[0] = halfToNumber(this.dcValues[this.dc + c * across * down + by * across + bx]!)
          for (let i = 1; i < 64;) {
            if (this.ac >= this.acValues.length) return undefined
            const value = this.acValues[this.ac++]!
            // A code beyond the halves that occur: so many zeros, or all the rest.
            if ((value & 0xff00) === 0xff00) i += value & 0xff || 64
            else block[zigzag[i++]!] = halfToNumber(value)
          }
          inverseCosine(block, scratch)
        }
        if (blocks.length === 3) fromLumaChroma(blocks)
        for (const [c, plane] of planes.entries()) {
          const table = channels[c]!.isPerceptual ? undefined : toLinearTable()
          for (let y = 0; y < Math.min(8, height - by * 8); y++)
            for (let x = 0; x < Math.min(8, width - bx * 8); x++) {
              const code = numberToHalf(blocks[c]![y * 8 + x]!)
              plane[(by * 8 + y) * width + bx * 8 + x] = table ? table[code]! : code
            }
        }
      }
    this.dc += across * down * channels.length
    return planes
  }
}

/** Luma and two differences to red, green, blue, with the weights of BT.709. */
function fromLumaChroma([first, second, third]: Float64Array[]): void {
  for (let i = 0; i < 64; i++) {
    const [y, cb, cr] = [first![i]!, second![i]!, third![i]!]
    first![i] = y + 1.5747 * cr
    second![i] = y - 0.1873 * cb - 0.4682 * cr
    third![i] = y + 1.8556 * cb
  }
}

export const suffixOf = (name: string) => name.slice(name.lastIndexOf('.') + 1)
export const prefixOf = (name: string) => name.slice(0, name.lastIndexOf('.') + 1)

function ruleFor(rules: readonly Rule[], { name, type }: DwaChannel): Rule | undefined {
  const suffix = suffixOf(name)
  return rules.find(
    (r) =>
      r.type === type &&
      (r.ignoresCase ? r.suffix.toLowerCase() === suffix.toLowerCase() : r.suffix === suffix),
  )
}

function readRules(bytes: Uint8Array): Rule[] | undefined {
  const rules: Rule[] = []
  let at = 0
  while (at < bytes.length) {
    const end = bytes.indexOf(0, at)
    if (end < 0 || end + 2 >= bytes.length) return undefined
    const [value, type] = [bytes[end + 1]!, types[bytes[end + 2]!]]
    const scheme = schemes[(value >> 2) & 3]
    if (!scheme || !type) return undefined
    rules.push({
      suffix: new TextDecoder().decode(bytes.subarray(at, end)),
      type,
      scheme,
      part: (value >> 4) - 1,
      ignoresCase: (value & 1) === 1,
    })
    at = end + 3
  }
  return rules
}

/** Unpacks a chunk to the bytes of its channels, one after the other; undefined where the data do not fit. */
export function unpackDwa(
  packed: Uint8Array,
  channels: readonly DwaChannel[],
  zlib: Zlib,
): Uint8Array | undefined {
  if (packed.length < 88) return undefined
  const view = new DataView(packed.buffer, packed.byteOffset, packed.byteLength)
  const sizes = Array.from({ length: 11 }, (_, i) => Number(view.getBigUint64(i * 8, true)))
  const [
    version,
    otherSize,
    otherPacked,
    acPacked,
    dcPacked,
    runsPacked,
    runsSize,
    runsRaw,
    acCount,
    dcCount,
    acMethod,
  ] = sizes as [number, number, number, number, number, number, number, number, number, number, number]
  const total = channels.reduce((sum, c) => sum + c.width * c.height * typeBytes[c.type], 0)
  // What a chunk holds bounds what it may ask for; a block has at most 63 values beside its first.
  const most = total * 4 + 65536
  if ([otherSize, runsSize, runsRaw, acCount, dcCount].some((n) => n > most)) return undefined
  let at = 88
  let rules: readonly Rule[] | undefined = oldRules
  if (version >= 2) {
    if (at + 2 > packed.length) return undefined
    const length = view.getUint16(at, true)
    if (length < 2 || at + length > packed.length) return undefined
    rules = readRules(packed.subarray(at + 2, at + length))
    at += length
  }
  if (!rules || at + otherPacked + acPacked + dcPacked + runsPacked > packed.length) return undefined
  const take = (length: number) => packed.subarray(at, (at += length))
  const other = otherPacked > 0 ? zlib.inflate(take(otherPacked), otherSize) : new Uint8Array()
  const acBytes = take(acPacked)
  const words = (bytes: Uint8Array, count: number) =>
    bytes.length >= count * 2
      ? new Uint16Array(new Uint8Array(bytes.subarray(0, count * 2)).buffer)
      : undefined
  const ac =
    acCount === 0
      ? new Uint16Array()
      : acMethod === 0
        ? decodeHuffman(acBytes, acCount)
        : words(zlib.inflate(acBytes, acCount * 2), acCount)
  const dc =
    dcCount === 0
      ? new Uint16Array()
      : words(restoreBytes(zlib.inflate(take(dcPacked), dcCount * 2)), dcCount)
  const runs =
    runsPacked > 0 ? unpackRuns(zlib.inflate(take(runsPacked), runsSize), runsRaw) : new Uint8Array()
  if (!ac || !dc || !runs) return undefined

  const parts = channels.map((channel) => ({
    channel,
    rule: ruleFor(rules, channel),
    bytes: undefined as Uint8Array | undefined,
  }))
  const reader = new CosineReader(dc, ac)
  const store = (target: (typeof parts)[number], codes: Uint16Array) => {
    target.bytes =
      target.channel.type === 'half'
        ? new Uint8Array(codes.buffer)
        : new Uint8Array(Float32Array.from(codes, halfToNumber).buffer)
  }
  // Threes that were coded together come first, by the order in which the first of each layer stands.
  const cosine = parts.filter((p) => p.rule?.scheme === 'cosine')
  for (const prefix of new Set(cosine.map((p) => prefixOf(p.channel.name)))) {
    const three = [0, 1, 2].map((part) =>
      cosine.find((p) => p.rule!.part === part && prefixOf(p.channel.name) === prefix),
    )
    const [first, second, third] = three
    if (!first || !second || !third) continue
    const isAlike = [second, third].every(
      (p) => p.channel.width === first.channel.width && p.channel.height === first.channel.height,
    )
    if (!isAlike) continue
    const planes = reader.read([first.channel, second.channel, third.channel])
    if (!planes) return undefined
    three.forEach((target, i) => {
      store(target!, planes[i]!)
    })
  }
  let [otherAt, runsAt] = [0, 0]
  for (const part of parts) {
    if (part.bytes) continue
    const { channel, rule } = part
    const count = channel.width * channel.height
    const size = count * typeBytes[channel.type]
    if (rule?.scheme === 'cosine') {
      const planes = reader.read([channel])
      if (!planes) return undefined
      store(part, planes[0]!)
    } else if (rule?.scheme === 'runs') {
      if (runsAt + size > runs.length) return undefined
      part.bytes = new Uint8Array(size)
      const step = typeBytes[channel.type]
      // Bytes of one significance lie together.
      for (let b = 0; b < step; b++)
        for (let i = 0; i < count; i++) part.bytes[i * step + b] = runs[runsAt + b * count + i]!
      runsAt += size
    } else {
      if (otherAt + size > other.length) return undefined
      part.bytes = other.slice(otherAt, otherAt + size)
      otherAt += size
    }
  }
  const out = new Uint8Array(total)
  let o = 0
  for (const { bytes } of parts) {
    out.set(bytes!, o)
    o += bytes!.length
  }
  return out
}
