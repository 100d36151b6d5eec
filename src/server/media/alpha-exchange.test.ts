import { execFileSync } from 'node:child_process'
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import sharp from 'sharp'
import { afterAll, expect, test } from 'vitest'
import { readExrHeader } from '../../core/formats/exr-header.ts'
import { readExrPart } from '../../core/formats/exr-read.ts'
import { encodePicture, fileName, type OwnFormat } from '../../core/formats/write-picture.ts'
import { srgbToLinear } from '../../core/picture/colour.ts'
import { halfToNumber } from '../../core/picture/half.ts'
import { createLoneKernels } from '../../core/kernels/wasm-kernels.ts'
import { spreadLight } from '../../core/kernels/pyramid.ts'
import type { Picture } from '../../core/picture/picture.ts'
import { nodeZlib } from './node-zlib.ts'

// A glow over nothing keeps its light over any backing: what is written, put over a backing by other tools.

const folder = mkdtempSync(join(tmpdir(), 'zafiro-alpha-'))
afterAll(() => {
  rmSync(folder, { recursive: true })
})
const at = (name: string) => join(folder, name)
const [width, height] = [64, 40]
const { kernels, store } = createLoneKernels(256)

/** A small bright disc on a transparent background, with its bloom, whose light counts as cover. */
function glowing(): Picture {
  const [disc, light, out] = [0, 1, 2].map(() => store.allocate(width, height, 4)) as [
    Picture,
    Picture,
    Picture,
  ]
  for (let i = 0; i < width * height; i++) {
    const isIn = Math.hypot((i % width) - 30, Math.floor(i / width) - 20) < 5
    disc.data.set(isIn ? [0.9, 0.5, 0.2, 1] : [0, 0, 0, 0], i * 4)
  }
  spreadLight(light, disc, { widest: 8, tight: 0, gain: 1.2, reduction: 1, workshop: { kernels, store } })
  kernels.addLight(out, disc, light, 'add', true)
  return out
}
const picture = glowing()
const backing = [0.05, 0.1, 0.3]
/** Over the backing by Porter and Duff's over, pixel by pixel. */
const wanted = (i: number, c: number) => picture.data[i + c]! + backing[c]! * (1 - picture.data[i + 3]!)

const write = (format: OwnFormat) => {
  const name = at(fileName('glow.0001', format))
  writeFileSync(name, encodePicture(picture, format, 'test', kernels, nodeZlib))
  return name
}
const pixelsOf = (name: string) => {
  execFileSync('oiiotool', [
    name,
    '--ch',
    'R,G,B',
    '-d',
    'half',
    '--compression',
    'zip',
    '-o',
    at('read.exr'),
  ])
  const bytes = new Uint8Array(execFileSync('cat', [at('read.exr')], { maxBuffer: 2 ** 26 }))
  const { planes } = readExrPart(bytes, readExrHeader(bytes), 0, { zlib: nodeZlib })
  const plane = (channel: string) => planes.get(channel)!
  return (i: number, c: number) => halfToNumber((plane('RGB'[c]!).values as Uint16Array)[i >> 2]!)
}

test('the glow reaches where the disc does not, with cover of its own', () => {
  const beside = (20 * width + 45) * 4
  expect(picture.data[beside + 3]!).toBeGreaterThan(0.005)
  expect(picture.data[beside]!).toBeGreaterThan(0.005)
})

test.each([
  ['exr', []],
  ['exr-straight', ['--premult']],
] as const)('%s, put over a backing by OpenImageIO, shows the glow as it is', (format, how) => {
  const name = write(format)
  const pattern = `constant:color=${backing.join(',')},1`
  execFileSync('oiiotool', [
    name,
    ...how,
    '--create',
    `${width}x${height}`,
    '4',
    '--pop',
    '--pattern',
    pattern,
    `${width}x${height}`,
    '4',
    '--over',
    '-d',
    'float',
    '-o',
    at('over.exr'),
  ])
  const met = pixelsOf(at('over.exr'))
  for (let i = 0; i < picture.data.length; i += 4)
    for (let c = 0; c < 3; c++) expect(Math.abs(met(i, c) - wanted(i, c))).toBeLessThan(2e-3)
})

test('PNG, straight as its specification says and premultiplied on wish, read by sharp', async () => {
  for (const [format, isPremultiplied] of [
    ['png16', false],
    ['png16-premultiplied', true],
  ] as const) {
    const { data } = await sharp(write(format))
      .pipelineColourspace('rgb16')
      .toColourspace('rgb16')
      .raw({ depth: 'ushort' })
      .toBuffer({ resolveWithObject: true })
    const codes = new Uint16Array(data.buffer, data.byteOffset, data.length / 2)
    for (let i = 0; i < picture.data.length; i += 4) {
      const alpha = codes[i + 3]! / 65535
      // Where there is hardly any cover, straight colour beyond 1 is clipped by the format.
      if (alpha < 0.02) continue
      for (let c = 0; c < 3; c++) {
        const linear = srgbToLinear(codes[i + c]! / 65535)
        const own = isPremultiplied ? linear : linear * alpha
        const most = isPremultiplied ? 1 : alpha
        expect(Math.abs(own - Math.min(most, picture.data[i + c]!))).toBeLessThan(2e-4)
      }
    }
  }
})
