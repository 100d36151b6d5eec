import { execFileSync } from 'node:child_process'
import { mkdtempSync, readFileSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import sharp from 'sharp'
import { afterAll, expect, test } from 'vitest'
import { FormatError } from '../../core/formats/format-error.ts'
import { srgbToLinear } from '../../core/picture/colour.ts'
import { halfToNumber } from '../../core/picture/half.ts'
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
  const values = floatsOf(grey.readPass('beauty'))
  expect([values[0], values[3]]).toEqual([values[1], 1])
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
