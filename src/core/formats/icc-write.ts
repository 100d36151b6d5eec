import {
  adaptation,
  apply,
  chromaticities,
  iccWhite,
  multiply,
  toXyz,
  type OutputSpace,
} from '../colour/spaces.ts'

// Colour profiles of a matrix and the sRGB curve, version 4. Source: ICC.1:2022, 7 to 10.

const names: Readonly<Record<OutputSpace, string>> = {
  rec709: 'sRGB',
  'p3-d65': 'P3 with D65, sRGB curve',
  rec2020: 'Rec.2020, sRGB curve',
  acescg: 'ACEScg, sRGB curve',
  'aces2065-1': 'ACES2065-1, sRGB curve',
}

class Bytes {
  readonly list: number[] = []
  text(text: string): this {
    for (const c of text) this.list.push(c.charCodeAt(0))
    return this
  }
  u16(...values: number[]): this {
    for (const v of values) this.list.push((v >>> 8) & 255, v & 255)
    return this
  }
  u32(...values: number[]): this {
    for (const v of values) this.u16((v >>> 16) & 0xffff, v & 0xffff)
    return this
  }
  /** s15Fixed16Number. */
  fixed(...values: readonly number[]): this {
    return this.u32(...values.map((v) => Math.round(v * 65536)))
  }
}

/** A text in one language, English. */
const words = (text: string) => {
  const out = new Bytes()
    .text('mluc')
    .u32(0, 1, 12)
    .text('enUS')
    .u32(2 * text.length, 28)
  return out.u16(...Array.from(text, (c) => c.charCodeAt(0)))
}

/** The profile of codes of a space under the sRGB curve, some 600 bytes. */
export function writeIcc(space: OutputSpace): Uint8Array<ArrayBuffer> {
  const own = chromaticities[space]
  const [x, y] = own.white
  const white = [x / y, 1, (1 - x - y) / y] as const
  const bradford = adaptation(white, iccWhite)
  const toD50 = multiply(bradford, toXyz(own))
  const column = (c: 0 | 1 | 2) => apply(toD50, [Number(c === 0), Number(c === 1), Number(c === 2)])
  const xyz = (value: readonly number[]) =>
    new Bytes()
      .text('XYZ ')
      .u32(0)
      .fixed(...value)
  // Y = (a X + b)^g from d on, c X below it (IEC 61966-2-1).
  const curve = new Bytes()
    .text('para')
    .u32(0)
    .u16(3, 0)
    .fixed(2.4, 1 / 1.055, 0.055 / 1.055, 1 / 12.92, 0.04045)
  const tags: readonly (readonly [string, Bytes])[] = [
    ['desc', words(names[space])],
    ['cprt', words('No copyright, use freely.')],
    ['wtpt', xyz(iccWhite)],
    [
      'chad',
      new Bytes()
        .text('sf32')
        .u32(0)
        .fixed(...bradford),
    ],
    ['rXYZ', xyz(column(0))],
    ['gXYZ', xyz(column(1))],
    ['bXYZ', xyz(column(2))],
    ['rTRC', curve],
    ['gTRC', curve],
    ['bTRC', curve],
  ]
  const table = new Bytes().u32(tags.length)
  const body = new Bytes()
  const places = new Map<Bytes, number>()
  const begin = 128 + 4 + 12 * tags.length
  for (const [name, data] of tags) {
    const at = places.get(data) ?? begin + body.list.length
    if (!places.has(data)) {
      places.set(data, at)
      body.list.push(...data.list, ...new Array<number>(-data.list.length & 3).fill(0))
    }
    table.text(name).u32(at, data.list.length)
  }
  const head = new Bytes()
    .u32(begin + body.list.length)
    .text('\0\0\0\0')
    .u32(0x04400000)
  head
    .text('mntrRGB XYZ ')
    .u16(2026, 1, 1, 0, 0, 0)
    .text('acsp')
    .u32(0, 0, 0, 0, 0, 0, 0)
    .fixed(...iccWhite)
  head.list.push(...new Array<number>(128 - head.list.length).fill(0))
  return Uint8Array.from([...head.list, ...table.list, ...body.list])
}

/** A JPEG with a profile in front of all else: its codes stay. */
export function jpegWithProfile(jpeg: Uint8Array, profile: Uint8Array): Uint8Array {
  // APP2 of one part: a length that counts itself, a name, and which part of how many (ICC.1:2022, B.4).
  const head = new Bytes().u16(0xffe2, profile.length + 16).text('ICC_PROFILE\0')
  head.list.push(1, 1)
  const out = new Uint8Array(jpeg.length + head.list.length + profile.length)
  out.set(jpeg.subarray(0, 2))
  out.set(head.list, 2)
  out.set(profile, 2 + head.list.length)
  out.set(jpeg.subarray(2), 2 + head.list.length + profile.length)
  return out
}

/** A little-endian TIFF of one picture with a profile (tag 34675 of ICC.1:2022, B.3) behind all else: its codes stay. */
export function tiffWithProfile(tiff: Uint8Array, profile: Uint8Array): Uint8Array {
  const view = new DataView(tiff.buffer, tiff.byteOffset, tiff.length)
  const first = view.getUint32(4, true)
  const count = view.getUint16(first, true)
  const entries = Array.from({ length: count }, (_, i) => tiff.slice(first + 2 + 12 * i, first + 14 + 12 * i))
  const tagOf = (entry: Uint8Array) => entry[0]! + 256 * entry[1]!
  const at = (tiff.length + 1) & ~1
  const own = new Uint8Array(12)
  const to = new DataView(own.buffer)
  to.setUint16(0, 34675, true)
  to.setUint16(2, 7, true)
  to.setUint32(4, profile.length, true)
  to.setUint32(8, at, true)
  const all = [...entries.filter((e) => tagOf(e) !== 34675), own].sort((a, b) => tagOf(a) - tagOf(b))
  const directory = (at + profile.length + 1) & ~1
  const out = new Uint8Array(directory + 2 + 12 * all.length + 4)
  out.set(tiff)
  out.set(profile, at)
  const written = new DataView(out.buffer)
  written.setUint32(4, directory, true)
  written.setUint16(directory, all.length, true)
  all.forEach((entry, i) => {
    out.set(entry, directory + 2 + 12 * i)
  })
  return out
}
