import { execFileSync } from 'node:child_process'
import { mkdtempSync, readFileSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { deflateSync } from 'node:zlib'
import sharp from 'sharp'
import { afterAll, expect, test } from 'vitest'
import { FormatError } from '../../core/formats/format-error.ts'
import { srgbToLinear } from '../../core/picture/colour.ts'
import { halfToNumber } from '../../core/picture/half.ts'
import { passStats } from '../../core/formats/pass-stats.ts'
import { readingWarning } from './decode-file.ts'
import { openMedia } from './raster-file.ts'

const folder = mkdtempSync(join(tmpdir(), 'zafiro-raster-'))
afterAll(() => {
  rmSync(folder, { recursive: true })
})
const at = (name: string) => join(folder, name)
const [width, height] = [19, 11]
const codes = Buffer.from(
  Uint8Array.from({ length: width * height * 4 }, (_, i) =>
    i % 4 === 3 ? [255, 128, 0][(i >> 2) % 3]! : (i * 37) % 256,
  ),
)
const image = () => sharp(codes, { raw: { width, height, channels: 4 } })
const floatsOf = ({ data }: { data: Uint16Array | Float32Array }) =>
  data instanceof Uint16Array ? Float32Array.from(data, halfToNumber) : data

test('WebP without loss and TIFF of 8 bits give premultiplied linear light and keep their codes', async () => {
  for (const bytes of [
    await image().webp({ lossless: true, exact: true }).toBuffer(),
    await image().tiff({ compression: 'lzw' }).toBuffer(),
  ]) {
    const file = await openMedia(new Uint8Array(bytes))
    expect([file.info.width, file.info.height]).toEqual([width, height])
    const values = floatsOf(file.readPass('beauty'))
    for (let i = 0; i < values.length; i++) {
      const alpha = codes[i | 3]! / 255
      expect(values[i]).toBeCloseTo(i % 4 === 3 ? alpha : srgbToLinear(codes[i]! / 255) * alpha, 3)
    }
    expect(file.storedPixels([[1, 2]])[0]![0]!.values).toEqual(
      Object.fromEntries(['R', 'G', 'B', 'A'].map((n, c) => [n, codes[(2 * width + 1) * 4 + c]])),
    )
  }
})

test('JPEG is close to what went in, and one channel is grey', async () => {
  const flat = sharp({
    create: { width: 16, height: 16, channels: 3, background: { r: 200, g: 100, b: 50 } },
  })
  const file = await openMedia(new Uint8Array(await flat.jpeg({ quality: 100 }).toBuffer()))
  expect(Math.abs(file.storedPixels([[8, 8]])[0]![0]!.values['R']! - 200)).toBeLessThan(3)
  const grey = await openMedia(
    new Uint8Array(await image().toColourspace('b-w').removeAlpha().jpeg().toBuffer()),
  )
  expect(grey.readPass('beauty').channels).toBe(1)
  expect(grey.info.passes[0]!.channels).toEqual(['Y'])
})

test('float TIFF, 16-bit TIFF and Radiance HDR written by OpenImageIO are read with its values', async () => {
  execFileSync('oiiotool', [
    '--pattern',
    'fill:topleft=0.1,0.2,4.5:bottomright=9,0.01,0.5',
    '64x24',
    '3',
    '-d',
    'float',
    '-o',
    at('f.tif'),
    '-o',
    at('h.hdr'),
    '-d',
    'uint16',
    '-o',
    at('s.tif'),
  ])
  const lines = execFileSync('oiiotool', ['--dumpdata', at('f.tif')], { encoding: 'utf8' })
    .split('\n')
    .filter((l) => l.includes('Pixel ('))
  const expected = lines.map((l) => l.split('):')[1]!.trim().split(/\s+/).map(Number))
  const [float, short, hdr] = await Promise.all(
    ['f.tif', 's.tif', 'h.hdr'].map(async (name) => openMedia(new Uint8Array(readFileSync(at(name))))),
  )
  const [linear, radiance] = [floatsOf(float!.readPass('beauty')), floatsOf(hdr!.readPass('beauty'))]
  expect(expected).toHaveLength(64 * 24)
  for (const [i, pixel] of expected.entries())
    for (const [c, v] of pixel.entries()) {
      expect(Math.abs(linear[i * 4 + c]! - v)).toBeLessThanOrEqual(1e-6 * v)
      // RGBE keeps eight bits of the brightest channel.
      expect(Math.abs(radiance[i * 4 + c]! - v)).toBeLessThanOrEqual(Math.max(...pixel) / 128)
      expect(short!.storedPixels([[i % 64, Math.floor(i / 64)]])[0]![0]!.values['RGB'[c]!]).toBe(
        Math.round(Math.min(1, v) * 65535),
      )
    }
})

test('what is cut short, absurd or foreign is refused as such', async () => {
  const webp = new Uint8Array(await image().webp({ lossless: true }).toBuffer())
  const tiff = new Uint8Array(await image().tiff().toBuffer())
  for (const bytes of [webp.slice(0, 40), tiff.slice(0, 30), Uint8Array.of(0xff, 0xd8, 0xff, 0xe0, 1, 2, 3)])
    await expect(openMedia(bytes)).rejects.toThrow(FormatError)
  const text = (t: string) => new TextEncoder().encode(t)
  await expect(
    openMedia(text('#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y 99999999 +X 99999999\n')),
  ).rejects.toThrow(/not one Zafiro takes/)
  await expect(openMedia(text('#?RADIANCE\n\n-Y 4 +X 4\nabc'))).rejects.toThrow(/ends inside/)
  await expect(openMedia(text('hello'))).rejects.toThrow(/neither/)
})

/** CRC-32 as PNG has it (annex D). */
function crc32(bytes: Uint8Array): number {
  let crc = 0xffffffff
  for (const byte of bytes) {
    crc ^= byte
    for (let k = 0; k < 8; k++) crc = crc & 1 ? (crc >>> 1) ^ 0xedb88320 : crc >>> 1
  }
  return (crc ^ 0xffffffff) >>> 0
}

/** A PNG of given header and rows of packed bytes, with further chunks before the data. */
function rawPng(
  header: readonly number[],
  rows: readonly (readonly number[])[],
  chunks: [string, Uint8Array][] = [],
) {
  const chunk = (name: string, data: Uint8Array) => {
    const body = Buffer.concat([Buffer.from(name, 'latin1'), data])
    const [size, sum] = [Buffer.alloc(4), Buffer.alloc(4)]
    size.writeUInt32BE(data.length)
    sum.writeUInt32BE(crc32(body))
    return Buffer.concat([size, body, sum])
  }
  const [w, h, depth, type, interlace = 0] = header as [number, number, number, number, number?]
  const ihdr = Buffer.alloc(13)
  ihdr.writeUInt32BE(w, 0)
  ihdr.writeUInt32BE(h, 4)
  ihdr.set([depth, type, 0, 0, interlace], 8)
  const data = deflateSync(Buffer.concat(rows.map((row) => Buffer.from([0, ...row]))))
  return new Uint8Array(
    Buffer.concat([
      Buffer.from([0x89, 0x50, 0x4e, 0x47, 13, 10, 26, 10]),
      chunk('IHDR', ihdr),
      ...chunks.map(([name, bytes]) => chunk(name, bytes)),
      chunk('IDAT', data),
      chunk('IEND', new Uint8Array()),
    ]),
  )
}

test('PNG of few bits, of a see-through colour and with colour tags: W3C PNG (third edition)', async () => {
  const stored = async (png: Uint8Array, x: number) =>
    (await openMedia(png)).storedPixels([[x, 0]])[0]![0]!.values
  // Grey of 1, 2 and 4 bits spreads over 0 … 255 (13.12, sample depth rescaling).
  expect(await stored(rawPng([8, 1, 1, 0], [[0b01000000]]), 1)).toMatchObject({ Y: 255 })
  expect(await stored(rawPng([4, 1, 2, 0], [[0b00011011]]), 2)).toMatchObject({ Y: 170 })
  expect(await stored(rawPng([2, 1, 4, 0], [[0x3c]]), 1)).toMatchObject({ Y: 204 })
  // The one colour that tRNS names is see-through (11.3.2.1), in 8 and 16 bits.
  const clear = Uint8Array.of(0, 10, 0, 20, 0, 30)
  const rgb = rawPng([4, 1, 8, 2], [[10, 20, 30, 10, 20, 31, 0, 0, 0, 0, 0, 0]], [['tRNS', clear]])
  expect([await stored(rgb, 0), await stored(rgb, 1)]).toMatchObject([{ A: 0 }, { A: 255 }])
  const deep = rawPng([2, 1, 16, 0], [[0x12, 0x34, 0x12, 0x35]], [['tRNS', Uint8Array.of(0x12, 0x34)]])
  expect([await stored(deep, 0), await stored(deep, 1)]).toMatchObject([{ Y: 0x1234, A: 0 }, { A: 65535 }])
  // gAMA: 1/2.2 and linear are followed (a sample s is light s^(1/gamma)), others told; sRGB and cICP rule over it (4.3).
  const tagged = async (...chunks: [string, Uint8Array][]) => {
    const file = await openMedia(rawPng([1, 1, 8, 0], [[128]], chunks))
    return [file.info.encoding, floatsOf(file.readPass('beauty'))[0]!, file.info.warnings.length] as const
  }
  const gama = (v: number): [string, Uint8Array] => [
    'gAMA',
    Uint8Array.of(0, v >> 16, (v >> 8) & 255, v & 255),
  ]
  const close = (v: number) => expect.closeTo(v, 3) as number
  expect(await tagged()).toEqual(['srgb', close(0.215861), 0])
  expect(await tagged(gama(45455))).toEqual(['power-2.2', close((128 / 255) ** 2.2), 0])
  expect(await tagged(gama(100000))).toEqual(['linear', close(128 / 255), 0])
  expect((await tagged(gama(70000))).slice(1)).toEqual([close((128 / 255) ** (1 / 0.7)), 0])
  expect(await tagged(gama(100000), ['sRGB', Uint8Array.of(0)])).toEqual(['srgb', close(0.215861), 0])
  expect(await tagged(['cICP', Uint8Array.of(1, 8, 0, 1)])).toEqual(['linear', close(128 / 255), 0])
})

test('colour and alpha are read as said by hand: straight, premultiplied, encoded or not', async () => {
  const file = await openMedia(new Uint8Array(await image().png().toBuffer()))
  const at = 1
  const alpha = 128 / 255
  const code = codes[at * 4]! / 255
  const first = (as: Parameters<typeof file.readPass>[1]) =>
    floatsOf(file.readPass('beauty', as)).slice(at * 4, at * 4 + 4)
  const near = (v: number) => expect.closeTo(v, 3) as number
  expect(first({ isData: false })).toMatchObject({ 0: near(srgbToLinear(code) * alpha), 3: near(alpha) })
  expect(first({ isData: false, encoding: 'linear' })[0]).toEqual(near(code * alpha))
  // Encoded after it was multiplied: divided, decoded, multiplied.
  expect(first({ isData: false, alpha: 'premultiplied' })[0]).toEqual(
    near(srgbToLinear(code / alpha) * alpha),
  )
  expect(first({ isData: false, alpha: 'ignored' })).toMatchObject({ 0: near(srgbToLinear(code)), 3: 1 })
  // Data are numbers: neither decoded nor multiplied.
  expect(first({ isData: true })[0]).toEqual(near(code))
})

test('pixels that contradict how they are read are told, others are not', () => {
  // A soft disc of light colour, as its edge is stored straight or premultiplied.
  const [w, h] = [64, 64]
  const disc = (multiplied: boolean) => {
    const data = new Float32Array(w * h * 4)
    for (let i = 0; i < w * h; i++) {
      const alpha = Math.min(1, Math.max(0, (26 - Math.hypot((i % w) - 32, Math.floor(i / w) - 32)) / 8))
      const by = multiplied ? alpha : 1
      data.set([0.83 * by, 0.71 * by, 0.52 * by, alpha], i * 4)
    }
    return passStats({ width: w, height: h, x: 0, y: 0, channels: 4, data })
  }
  const pass = { name: 'beauty', kind: 'colour', channels: ['R', 'G', 'B', 'A'], type: 'half' } as const
  const warn = (stats: ReturnType<typeof passStats>, alpha: 'premultiplied' | 'straight') =>
    readingWarning({ ...pass, channels: [...pass.channels] }, { encoding: 'linear', alpha }, stats)
  expect(warn(disc(false), 'premultiplied')).toMatch(/looks straight/)
  expect(warn(disc(true), 'straight')).toMatch(/looks premultiplied/)
  expect(warn(disc(true), 'premultiplied')).toBeUndefined()
  expect(warn(disc(false), 'straight')).toBeUndefined()
  // Linear light whose values are all 8-bit codes was encoded for a display.
  const coded = Float32Array.from({ length: w * h * 4 }, (_, i) =>
    i % 4 === 3 ? 1 : (((i * 7919) >> 3) % 256) / 255,
  )
  const block = { width: w, height: h, x: 0, y: 0, channels: 4, data: coded }
  expect(warn(passStats(block), 'premultiplied')).toMatch(/encoded for display/)
  expect(warn(passStats({ ...block, data: coded.map((v) => v * 0.9177) }), 'premultiplied')).toBeUndefined()
})
