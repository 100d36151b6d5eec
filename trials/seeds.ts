import { execFileSync } from 'node:child_process'
import { readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import sharp from 'sharp'
import { writeExr } from '../src/core/formats/exr-write.ts'
import { numberToHalf } from '../src/core/picture/half.ts'
import { nodeZlib } from '../src/server/media/node-zlib.ts'

/** A real file of a format, as other programs write it. */
export interface Seed {
  readonly kind: string
  readonly bytes: Uint8Array
}

const [width, height] = [45, 40]
const half = (k: number) =>
  Uint16Array.from({ length: width * height }, (_, i) => numberToHalf(((i * k) % 31) / 5 + Math.sin(i / 40)))

/** One or more files of every format that is read, made by OpenEXR's and OpenImageIO's tools, libvips and Zafiro itself. */
export async function makeSeeds(folder: string): Promise<Seed[]> {
  const at = (name: string) => join(folder, name)
  const window = [0, 0, width - 1, height - 1] as const
  const source = writeExr(
    {
      dataWindow: window,
      displayWindow: window,
      compression: 'zip',
      channels: [
        ...['R', 'G', 'B', 'A'].map((name, k) => ({ name, type: 'half' as const, values: half(k + 2) })),
        {
          name: 'depth.Z',
          type: 'float' as const,
          values: Float32Array.from({ length: width * height }, (_, i) => 1 + i / 7),
        },
      ],
    },
    nodeZlib,
  )
  writeFileSync(at('source.exr'), source)
  const oiio = (...args: string[]) => execFileSync('oiiotool', args, { stdio: ['ignore', 'ignore', 'pipe'] })
  const read = (name: string) => new Uint8Array(readFileSync(at(name)))
  const types = ['R', 'G', 'B', 'A'].flatMap((c) => ['-d', `${c}=half`])
  const seeds: Seed[] = [{ kind: 'own exr', bytes: source }]
  for (const compression of ['none', 'rle', 'zips', 'zip', 'piz', 'pxr24', 'b44', 'b44a', 'dwaa', 'dwab'])
    for (const tiles of compression === 'piz' || compression === 'zip'
      ? [[], ['--tile', '16', '16']]
      : [[]]) {
      oiio(at('source.exr'), ...types, ...tiles, '--compression', compression, '-o', at('x.exr'))
      seeds.push({ kind: `exr ${compression}${tiles.length > 0 ? ' tiled' : ''}`, bytes: read('x.exr') })
    }
  execFileSync('exrmaketiled', ['-m', '-t', '16', '16', '-z', 'zip', at('source.exr'), at('x.exr')])
  seeds.push({ kind: 'exr mip maps', bytes: read('x.exr') })
  const rgb = ['--ch', 'R,G,B']
  for (const [kind, args] of [
    ['tiff plain', ['-d', 'uint8', '--compression', 'none']],
    ['tiff lzw', ['-d', 'uint8', '--compression', 'lzw']],
    ['tiff lzw 16', ['-d', 'uint16', '--compression', 'lzw']],
    ['tiff deflate float', ['-d', 'float', '--compression', 'zip']],
    ['tiff deflate tiled', ['-d', 'uint16', '--tile', '16', '16', '--compression', 'zip']],
    ['tiff packbits', ['-d', 'uint8', '--compression', 'packbits']],
    ['tiff half', ['-d', 'half', '--compression', 'lzw']],
  ] as const) {
    oiio(at('source.exr'), ...rgb, ...args, '-o', at('x.tif'))
    seeds.push({ kind, bytes: read('x.tif') })
  }
  oiio(at('source.exr'), ...rgb, '-o', at('x.hdr'))
  seeds.push({ kind: 'hdr', bytes: read('x.hdr') })
  const picture = () =>
    sharp(Buffer.from(source.slice(0, width * height * 3)), { raw: { width, height, channels: 3 } })
  const buffers: Record<string, Promise<Buffer>> = {
    png: picture().png().toBuffer(),
    'png palette': picture().png({ palette: true, colours: 16 }).toBuffer(),
    'png interlaced': picture().png({ progressive: true }).toBuffer(),
    'png 16': picture().toColourspace('rgb16').png().toBuffer(),
    jpeg: picture().jpeg().toBuffer(),
    webp: picture().webp().toBuffer(),
    'webp lossless': picture().webp({ lossless: true }).toBuffer(),
    'tiff lzw libvips': picture().tiff({ compression: 'lzw', predictor: 'horizontal' }).toBuffer(),
    'tiff jpeg': picture().tiff({ compression: 'jpeg' }).toBuffer(),
  }
  for (const [kind, buffer] of Object.entries(buffers))
    seeds.push({ kind, bytes: new Uint8Array(await buffer) })
  const cube = ['TITLE "look"', 'LUT_3D_SIZE 3', 'DOMAIN_MIN 0 0 0', 'DOMAIN_MAX 1 1 1']
  for (let i = 0; i < 27; i++)
    cube.push([i % 3, Math.floor(i / 3) % 3, Math.floor(i / 9)].map((v) => (v / 2).toFixed(4)).join(' '))
  seeds.push({ kind: 'cube', bytes: new TextEncoder().encode(cube.join('\n')) })
  return seeds
}
