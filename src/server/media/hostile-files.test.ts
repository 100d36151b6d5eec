import { execFileSync } from 'node:child_process'
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { deflateSync } from 'node:zlib'
import sharp from 'sharp'
import { afterAll, beforeAll, expect, test, vi } from 'vitest'
import { writeExr } from '../../core/formats/exr-write.ts'
import { FormatError } from '../../core/formats/format-error.ts'
import { numberToHalf } from '../../core/picture/half.ts'
import { nodeZlib } from './node-zlib.ts'
import { openMedia } from './raster-file.ts'

const folder = mkdtempSync(join(tmpdir(), 'zafiro-hostile-'))
afterAll(() => {
  rmSync(folder, { recursive: true })
})
const [width, height] = [45, 40]

const half = (k: number) =>
  Uint16Array.from({ length: width * height }, (_, i) => numberToHalf(((i * k) % 31) / 5 + Math.sin(i / 40)))
const source = writeExr(
  {
    dataWindow: [0, 0, width - 1, height - 1],
    displayWindow: [0, 0, width - 1, height - 1],
    compression: 'zip',
    channels: [
      ...['R', 'G', 'B', 'A'].map((name, k) => ({ name, type: 'half' as const, values: half(k + 2) })),
      {
        name: 'depth.Z',
        type: 'float',
        values: Float32Array.from({ length: width * height }, (_, i) => 1 + i / 7),
      },
    ],
  },
  nodeZlib,
)
const kinds = [
  'none',
  'rle',
  'zips',
  'zip',
  'piz',
  'pxr24',
  'b44',
  'b44a',
  'dwaa',
  'dwab',
  'tiled piz',
  'mip zip',
  'png',
  'palette png',
  'jpeg',
  'webp',
  'hdr',
] as const
const good = new Map<string, Uint8Array>()

beforeAll(async () => {
  const at = (name: string) => join(folder, name)
  writeFileSync(at('source.exr'), source)
  const oiio = (...args: string[]) => execFileSync('oiiotool', args)
  const types = ['R', 'G', 'B', 'A'].flatMap((c) => ['-d', `${c}=half`])
  for (const kind of kinds) {
    const compression = kind.split(' ').at(-1)!
    const picture = sharp(Buffer.from(source.slice(0, width * height * 3)), {
      raw: { width, height, channels: 3 },
    })
    let bytes: Uint8Array
    if (kind === 'png') bytes = await picture.png().toBuffer()
    else if (kind === 'palette png') bytes = await picture.png({ palette: true, colours: 16 }).toBuffer()
    else if (kind === 'jpeg') bytes = await picture.jpeg().toBuffer()
    else if (kind === 'webp') bytes = await picture.webp().toBuffer()
    else if (kind === 'hdr') {
      oiio(at('source.exr'), '--ch', 'R,G,B', '-o', at('x.hdr'))
      bytes = readFileSync(at('x.hdr'))
    } else if (kind === 'mip zip') {
      execFileSync('exrmaketiled', ['-m', '-t', '16', '16', '-z', 'zip', at('source.exr'), at('x.exr')])
      bytes = readFileSync(at('x.exr'))
    } else {
      const tiles = kind.startsWith('tiled') ? ['--tile', '16', '16'] : []
      oiio(at('source.exr'), ...types, ...tiles, '--compression', compression, '-o', at('x.exr'))
      bytes = readFileSync(at('x.exr'))
    }
    good.set(kind, new Uint8Array(bytes))
  }
  const flat = sharp(Buffer.from(source.slice(0, width * height * 3)), {
    raw: { width, height, channels: 3 },
  })
  good.set('tiff', new Uint8Array(await flat.tiff({ compression: 'lzw' }).toBuffer()))
}, 60_000)

// TIFF is read by a package that can be made to end the whole process, so it is met as the server meets it.
vi.stubEnv('ZAFIRO_HOME', folder)
const { DecodePool } = await import('./decode-pool.ts')
const { storeFile } = await import('./store.ts')
const pool = new DecodePool(join(process.cwd(), 'dist', 'decode-process.mjs'), {
  processes: 2,
  limitMs: 2000,
})
afterAll(() => {
  pool.close()
  vi.unstubAllEnvs()
})

test('damaged copies of TIFF are read or refused by the pool, which goes on after what ends a decoder', async () => {
  const original = good.get('tiff')!
  let seed = 11
  const next = (n: number) => ((seed = (Math.imul(seed, 1103515245) + 12345) & 0x7fffffff) >> 8) % n
  const problems: string[] = []
  const take = async (bytes: Uint8Array, name: string) => {
    writeFileSync(join(folder, name), bytes)
    return pool.take(await storeFile(join(folder, name)))
  }
  for (let i = 0; i < 80; i++) {
    const bytes = original.slice()
    for (let k = 0; k < 1 + next(8); k++) bytes[next(bytes.length)] = next(256)
    try {
      await take(bytes, 'damaged.tif')
    } catch (error) {
      expect((error as Error).name).toBe('DecodeError')
      problems.push((error as Error).message)
    }
  }
  expect(problems.length).toBeGreaterThan(10)
  expect((await take(original, 'good.tif')).width).toBe(width)
}, 120_000)

test('a decoder that is killed while it reads a good file is replaced, and the file is not called broken', async () => {
  const own = new DecodePool(join(process.cwd(), 'dist', 'decode-process.mjs'), { processes: 1 })
  const hash = await storeFile(join(folder, 'source.exr'))
  const running = own.take(hash)
  await vi.waitFor(() => {
    execFileSync('pkill', ['-KILL', '-P', String(process.pid), '-f', 'decode-process'])
  })
  expect((await running).width).toBe(width)
  own.close()
})

const readAll = async (bytes: Uint8Array) => {
  const file = await openMedia(bytes)
  for (const { name } of file.info.passes) file.readPass(name)
}

test.each(kinds)(
  '400 damaged copies of %s are read or refused, within 2 s and 300 MB each',
  async (kind) => {
    const original = good.get(kind)!
    await readAll(original)
    let seed = kinds.indexOf(kind) * 977 + 5
    const next = (n: number) => ((seed = (Math.imul(seed, 1103515245) + 12345) & 0x7fffffff) >> 8) % n
    const isExr = original[0] === 0x76
    let [refused, slowest, most] = [0, 0, 0]
    for (let i = 0; i < 400; i++) {
      const bytes = original.slice(0, i % 5 === 0 ? next(original.length) : original.length)
      const from = isExr && i % 2 ? 600 : 0
      for (let k = 0; k < 1 + next(8) && bytes.length > from + 1; k++)
        bytes[from + next(bytes.length - from)] = next(256)
      const [began, before] = [performance.now(), process.memoryUsage().arrayBuffers]
      try {
        await readAll(bytes)
      } catch (error) {
        if (!(error instanceof FormatError)) throw error
        refused++
      }
      slowest = Math.max(slowest, performance.now() - began)
      most = Math.max(most, process.memoryUsage().arrayBuffers - before)
    }
    expect(refused).toBeGreaterThan(0)
    expect(slowest).toBeLessThan(2000)
    expect(most).toBeLessThan(300e6)
  },
  60_000,
)

test('little files that claim to be huge are refused before they take memory', async () => {
  const began = process.memoryUsage().arrayBuffers
  // 8,000 × 8,000 in one small file: the window is overwritten, the table of chunks is as long as it wants.
  const bytes = new Uint8Array(source.length + 16_000 * 8)
  bytes.set(source)
  const text = new TextDecoder('latin1').decode(bytes)
  for (const name of ['dataWindow', 'displayWindow']) {
    const at = text.indexOf(`${name}\0box2i\0`) + name.length + 11
    new DataView(bytes.buffer).setInt32(at + 8, 7_999, true)
    new DataView(bytes.buffer).setInt32(at + 12, 7_999, true)
  }
  await expect(readAll(bytes)).rejects.toThrow(/can not hold/)
  // A chunk that unpacks to far more than its size.
  const bomb = writeExr(
    {
      dataWindow: [0, 0, 7, 7],
      displayWindow: [0, 0, 7, 7],
      compression: 'zip',
      channels: [{ name: 'Y', type: 'half', values: half(5).slice(0, 64) }],
    },
    { ...nodeZlib, deflate: () => deflateSync(new Uint8Array(60_000)).subarray(0, 127) },
  )
  await expect(readAll(bomb)).rejects.toThrow(FormatError)
  expect(process.memoryUsage().arrayBuffers - began).toBeLessThan(50e6)
})

test('a text named as a picture, nothing at all and deep data are refused with words', async () => {
  await expect(openMedia(new TextEncoder().encode('not a picture'))).rejects.toThrow(/neither EXR, PNG/)
  await expect(openMedia(new Uint8Array())).rejects.toThrow(/empty/)
  const deep = source.slice()
  deep[5] = 0x08
  await expect(openMedia(deep)).rejects.toThrow(/deep data, which Zafiro does not read; write it flat/)
})
