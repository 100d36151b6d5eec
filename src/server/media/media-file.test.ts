import { execFileSync } from 'node:child_process'
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import sharp from 'sharp'
import { afterAll, describe, expect, test } from 'vitest'
import { cryptomatteHeader, hashName, hashToFloat } from '../../core/formats/cryptomatte.ts'
import { portableZlib } from '../../core/formats/exr-codecs.ts'
import { readExrHeader } from '../../core/formats/exr-header.ts'
import { readExrPart } from '../../core/formats/exr-read.ts'
import { writeExr, type ExrPicture } from '../../core/formats/exr-write.ts'
import { FormatError } from '../../core/formats/format-error.ts'
import { encodePicture } from '../../core/formats/write-picture.ts'
import { plainKernels } from '../../core/kernels/plain-kernels.ts'
import { halfToNumber, numberToHalf } from '../../core/picture/half.ts'
import { plainPicture } from '../../core/picture/picture.ts'
import { openMediaFile } from './media-file.ts'
import { nodeZlib } from './node-zlib.ts'

const folder = mkdtempSync(join(tmpdir(), 'zafiro-formats-'))
afterAll(() => {
  rmSync(folder, { recursive: true })
})
const at = (name: string) => join(folder, name)
const oiio = (...args: string[]) => execFileSync('oiiotool', args, { encoding: 'utf8' })

// Odd size, data window off the display window, half and float side by side: the ordinary case that trips readers.
const [width, height] = [37, 21]
const count = width * height
const halves = (k: number) =>
  Uint16Array.from({ length: count }, (_, i) => numberToHalf(((i * k) % 97) / 7 - 2))
const floats = Float32Array.from({ length: count }, (_, i) => Math.fround(1 / (i + 1)) * (i % 2 ? 1000 : -1))
const picture: ExrPicture = {
  dataWindow: [-3, 5, width - 4, height + 4],
  displayWindow: [0, 0, 39, 29],
  compression: 'zip',
  channels: [
    { name: 'R', type: 'half', values: halves(3) },
    { name: 'G', type: 'half', values: halves(5) },
    { name: 'B', type: 'half', values: halves(11) },
    {
      name: 'A',
      type: 'half',
      values: Uint16Array.from({ length: count }, (_, i) => (i % 3 ? 0x3c00 : 0x3800)),
    },
    { name: 'depth.Z', type: 'float', values: floats },
    { name: 'emission.R', type: 'half', values: halves(13) },
    { name: 'emission.G', type: 'half', values: halves(17) },
    { name: 'emission.B', type: 'half', values: halves(19) },
    { name: 'count', type: 'uint', values: Uint32Array.from({ length: count }, (_, i) => i * 100_003) },
  ],
}

function expectSame(bytes: Uint8Array, part = 0, names = picture.channels.map((c) => c.name)): void {
  const { planes, missingChunks } = readExrPart(bytes, readExrHeader(bytes), part, { zlib: nodeZlib })
  expect(missingChunks).toBe(0)
  for (const { name, values } of picture.channels)
    if (names.includes(name)) expect(planes.get(name)?.values, name).toEqual(values)
}

describe('EXR, against OpenImageIO’s and OpenEXR’s own tools', () => {
  test.each(['none', 'zips', 'zip'] as const)(
    'what is written with %s the tools read with equal values',
    (compression) => {
      const file = at(`ours-${compression}.exr`)
      const names = ['R', 'G', 'B', 'A', 'depth.Z']
      const channels = picture.channels.filter((c) => names.includes(c.name))
      writeFileSync(file, writeExr({ ...picture, compression, channels }, nodeZlib))
      expect(execFileSync('exrheader', [file], { encoding: 'utf8' })).toContain(
        'dataWindow (type box2i): (-3 5) - (33 25)',
      )
      const lines = oiio('--dumpdata', file)
        .split('\n')
        .filter((l) => l.includes('Pixel ('))
      expect(lines).toHaveLength(count)
      for (const [i, line] of lines.entries()) {
        const values = line.split('):')[1]!.trim().split(/\s+/).map(Number)
        const expected = [
          ...['R', 'G', 'B', 'A'].map((n) =>
            halfToNumber(picture.channels.find((c) => c.name === n)!.values[i]!),
          ),
          floats[i]!,
        ]
        for (const [c, v] of expected.entries())
          expect(Math.abs(values[c]! - v)).toBeLessThanOrEqual(Math.abs(v) * 2e-6 + 1e-9)
      }
      expectSame(new Uint8Array(readFileSync(file)), 0, names)
    },
  )
  test.each([
    ['none', []],
    ['rle', []],
    ['zips', []],
    ['zip', []],
    ['piz', []],
    ['zip', ['--tile', '16', '8']],
    ['piz', ['--tile', '16', '8']],
    ['rle', ['--tile', '64', '64']],
  ] as const)('what they write with %s %s is read with equal values', (compression, more) => {
    const names = ['R', 'G', 'B', 'A', 'depth.Z', 'emission.R', 'emission.G', 'emission.B']
    const [file, source] = [at('theirs.exr'), at('source.exr')]
    writeFileSync(source, writeExr(picture, nodeZlib))
    const types = names.flatMap((n) => ['-d', `${n}=${n === 'depth.Z' ? 'float' : 'half'}`])
    oiio(source, '--ch', names.join(','), ...more, ...types, '--compression', compression, '-o', file)
    expectSame(new Uint8Array(readFileSync(file)), 0, names)
  })
  test('parts of a multi-part file are told apart', () => {
    const [source, file] = [at('source.exr'), at('parts.exr')]
    writeFileSync(source, writeExr(picture, nodeZlib))
    oiio(
      source,
      '--ch',
      'R,G,B,A',
      '-d',
      'half',
      source,
      '--ch',
      'emission.R,emission.G,emission.B',
      '-d',
      'half',
      '--siappend',
      '-o',
      file,
    )
    const bytes = new Uint8Array(readFileSync(file))
    expect(readExrHeader(bytes).parts).toHaveLength(2)
    expectSame(bytes, 0, ['R', 'G', 'B', 'A'])
    expectSame(bytes, 1, ['emission.R', 'emission.G', 'emission.B'])
  })
  test('zlib in plain JavaScript reads the same', () => {
    const bytes = writeExr(picture, portableZlib)
    const { planes } = readExrPart(bytes, readExrHeader(bytes), 0)
    expect(planes.get('R')!.values).toEqual(picture.channels[0]!.values)
  })
  test.each(['pxr24', 'b44', 'b44a'] as const)(
    'what loses precision (%s) is read as their own tool reads it',
    (compression) => {
      const names = ['R', 'G', 'B', 'A', 'depth.Z']
      const [source, lossy, plain] = [at('source.exr'), at('lossy.exr'), at('plain.exr')]
      writeFileSync(
        source,
        writeExr({ ...picture, channels: picture.channels.filter((c) => names.includes(c.name)) }, nodeZlib),
      )
      const types = names.flatMap((n) => ['-d', `${n}=${n === 'depth.Z' ? 'float' : 'half'}`])
      oiio(source, ...types, '--compression', compression, '-o', lossy)
      // OpenEXR decodes it and writes what it got without loss.
      oiio(lossy, ...types, '--compression', 'none', '-o', plain)
      const [ours, theirs] = [lossy, plain].map((path) => {
        const bytes = new Uint8Array(readFileSync(path))
        const file = readExrHeader(bytes)
        return { file, planes: readExrPart(bytes, file, 0, { zlib: nodeZlib }).planes }
      })
      expect(ours!.file.parts[0]!.compression).toBe(compression)
      for (const name of names)
        expect(ours!.planes.get(name)!.values, name).toEqual(theirs!.planes.get(name)!.values)
    },
  )
  test.each(['dwaa', 'dwab'] as const)(
    '%s is read as their own tool reads it, to the rounding of its transform',
    (compression) => {
      // A smooth picture: what cosines are made for; depth and a second layer ride along.
      const [w, h] = [150, 70]
      const smooth = (k: number) =>
        Uint16Array.from({ length: w * h }, (_, i) =>
          numberToHalf(
            0.4 + 0.39 * Math.sin((i % w) / (5 + k)) * Math.cos(i / w / 9) + (i % w > 100 ? 6 : 0),
          ),
        )
      const names = ['R', 'G', 'B', 'A', 'depth.Z', 'emission.R', 'emission.G', 'emission.B']
      const channels = names.map((name, k) => ({
        name,
        type: name === 'depth.Z' ? ('float' as const) : ('half' as const),
        values:
          name === 'depth.Z'
            ? Float32Array.from({ length: w * h }, (_, i) => 1 + i / 7)
            : name === 'A'
              ? new Uint16Array(w * h).fill(0x3c00)
              : smooth(k),
      }))
      const [source, lossy, plain] = [at('source.exr'), at('dwa.exr'), at('plain.exr')]
      writeFileSync(
        source,
        writeExr(
          {
            dataWindow: [0, 0, w - 1, h - 1],
            displayWindow: [0, 0, w - 1, h - 1],
            compression: 'zip',
            channels,
          },
          nodeZlib,
        ),
      )
      const types = names.flatMap((n) => ['-d', `${n}=${n === 'depth.Z' ? 'float' : 'half'}`])
      oiio(source, ...types, '--compression', `${compression}:45`, '-o', lossy)
      oiio(lossy, ...types, '--compression', 'none', '-o', plain)
      const [ours, theirs] = [lossy, plain].map((path) => {
        const bytes = new Uint8Array(readFileSync(path))
        const file = readExrHeader(bytes)
        return { file, planes: readExrPart(bytes, file, 0, { zlib: nodeZlib }).planes }
      })
      expect(ours!.file.parts[0]!.compression).toBe(compression)
      for (const name of names) {
        const [a, b] = [ours!, theirs!].map(({ planes }) =>
          Array.from(planes.get(name)!.values, (v) => (name === 'depth.Z' ? v : halfToNumber(v))),
        ) as [number[], number[]]
        // The tool rounds in single precision: a code or two of the half apart.
        const worst = Math.max(...a.map((v, i) => Math.abs(v - b[i]!) / Math.max(0.05, Math.abs(b[i]!))))
        expect(worst, name).toBeLessThan(name === 'A' || name === 'depth.Z' ? 1e-12 : 4e-3)
      }
    },
  )
})

describe('passes of a file', () => {
  const file = openMediaFile(writeExr(picture, nodeZlib))
  test('are grouped by layer, with kind and channel order', () => {
    expect(file.info.passes.map(({ name, kind, channels }) => [name, kind, channels.join()])).toEqual(
      expect.arrayContaining([
        ['beauty', 'colour', 'R,G,B,A'],
        ['depth', 'depth', 'depth.Z'],
        ['emission', 'light', 'emission.R,emission.G,emission.B'],
      ]),
    )
    expect(file.readPass('beauty')).toMatchObject({ width, height, x: -3, y: 5, channels: 4 })
  })
  test('give stored values in the file’s own coordinates', () => {
    const [inside, outside] = file.storedPixels([
      [-3, 6],
      [34, 5],
    ])
    expect(inside![0]!.values).toMatchObject({
      R: halfToNumber(halves(3)[width]!),
      'depth.Z': floats[width],
      count: width * 100_003,
    })
    expect(outside).toBeUndefined()
  })
})

describe('hostile and broken files', () => {
  const good = writeExr(picture, nodeZlib)
  test('an absurd size is refused before anything is allocated', () => {
    const bytes = good.slice()
    const text = new TextDecoder('latin1').decode(bytes)
    const window = text.indexOf('dataWindow\0box2i\0') + 'dataWindow\0box2i\0'.length + 4
    new DataView(bytes.buffer).setInt32(window + 8, 2_000_000_000, true)
    expect(() => openMediaFile(bytes)).toThrow(/larger than Zafiro takes/)
  })
  test('a missing attribute is named', () => {
    const bytes = good.slice()
    bytes[new TextDecoder('latin1').decode(bytes).indexOf('compression\0')] = 0x78
    expect(() => openMediaFile(bytes)).toThrow("required attribute 'compression' is missing")
  })
  test('an empty file, a text and a cut file say what they are', () => {
    expect(() => openMediaFile(new Uint8Array())).toThrow(/empty/)
    expect(() => openMediaFile(new TextEncoder().encode('hello'))).toThrow(/neither EXR, PNG/)
    expect(() => openMediaFile(good.slice(0, 300))).toThrow(FormatError)
  })
  test('2,000 damaged copies are read or refused, never anything else', () => {
    let seed = 7
    const next = (n: number) => ((seed = (Math.imul(seed, 1103515245) + 12345) & 0x7fffffff) >> 8) % n
    let refused = 0
    for (let i = 0; i < 2000; i++) {
      const bytes = good.slice(0, i % 4 === 0 ? next(good.length) : good.length)
      for (let k = 0; k < 1 + next(6) && bytes.length > 0; k++)
        bytes[next(i % 2 ? Math.min(bytes.length, 900) : bytes.length)] = next(256)
      try {
        const file = openMediaFile(bytes)
        for (const { name } of file.info.passes) file.readPass(name)
      } catch (error) {
        expect(error).toBeInstanceOf(FormatError)
        refused++
      }
    }
    expect(refused).toBeGreaterThan(500)
  })
})

describe('PNG', () => {
  test.each([8, 16] as const)(
    'of %i bits goes to premultiplied linear light as IEC 61966-2-1 says',
    async (bits) => {
      const codes =
        bits === 8
          ? Uint8Array.of(128, 255, 0, 255, 128, 255, 0, 51)
          : Uint16Array.of(32896, 65535, 0, 65535, 32896, 65535, 0, 13107)
      const image = plainPicture(2, 1)
      codes.forEach((v, i) => {
        image.data[i] = v
      })
      const { writePng } = await import('../../core/formats/png.ts')
      const file = openMediaFile(writePng(2, 1, codes))
      const { data } = file.readPass('beauty')
      const value = (i: number) => (data instanceof Uint16Array ? halfToNumber(data[i]!) : data[i]!)
      // 128/255 decodes to 0.215861.
      ;[0.215861, 1, 0, 1, 0.0431722, 0.2, 0, 0.2].forEach((v, i) => {
        expect(value(i)).toBeCloseTo(v, 3)
      })
      expect(file.storedPixels([[1, 0]])[0]![0]!.values).toEqual({
        R: codes[4],
        G: codes[5],
        B: codes[6],
        A: codes[7],
      })
    },
  )
  test('palette, grey and interlaced files made by sharp (libvips) open with their values', async () => {
    const raw = { raw: { width: 4, height: 2, channels: 3 as const } }
    const source = Buffer.from([
      255, 0, 0, 0, 255, 0, 0, 0, 255, 9, 9, 9, 255, 0, 0, 0, 255, 0, 0, 0, 255, 9, 9, 9,
    ])
    for (const options of [{ progressive: true }, { palette: true, dither: 0 }]) {
      const file = openMediaFile(new Uint8Array(await sharp(source, raw).png(options).toBuffer()))
      expect(file.storedPixels([[2, 1]])[0]![0]!.values).toMatchObject({ R: 0, G: 0, B: 255 })
    }
    const grey = openMediaFile(new Uint8Array(await sharp(source, raw).toColourspace('b-w').png().toBuffer()))
    expect(Object.keys(grey.storedPixels([[0, 0]])[0]![0]!.values)).toEqual(['Y'])
  })
  test('an absurd size, a foreign file and a broken check sum are refused', async () => {
    const bytes = new Uint8Array(
      await sharp({ create: { width: 8, height: 8, channels: 3, background: '#123456' } })
        .png()
        .toBuffer(),
    )
    const huge = bytes.slice()
    new DataView(huge.buffer).setUint32(16, 0x7fffffff)
    expect(() => openMediaFile(huge)).toThrow(/not one Zafiro takes/)
    const broken = bytes.slice()
    broken[broken.length - 20]! ^= 0xff
    expect(() => openMediaFile(broken).readPass('beauty')).toThrow(FormatError)
    expect(() => openMediaFile(bytes.slice(0, 40))).toThrow(FormatError)
  })
})

describe('written pictures', () => {
  const result = plainPicture(2, 1)
  result.data.set([0.18, 0.5, 70000, 1, 0.1, 0.05, 0, 0.5])
  test('as EXR are half, premultiplied, held at 65504', () => {
    const { planes } = readExrPart(
      ...withHeader(encodePicture(result, 'exr', 'test', plainKernels, nodeZlib)),
      0,
    )
    expect(['R', 'G', 'B', 'A'].map((c) => halfToNumber(planes.get(c)!.values[0]!))).toEqual(
      [0.18, 0.5, 65504, 1].map((v) => halfToNumber(numberToHalf(v))),
    )
    expect(halfToNumber(planes.get('R')!.values[1]!)).toBeCloseTo(0.1, 4)
  })
  test('as PNG are straight, sRGB-encoded, and sharp (libvips) reads the same codes', async () => {
    const eight = await sharp(encodePicture(result, 'png8', 'test', plainKernels, nodeZlib))
      .raw()
      .toBuffer()
    // 0.18 is code 118; 0.1 at half cover is 0.2 straight, code 124.
    expect([...eight]).toEqual([118, 188, 255, 255, 124, 89, 0, 128])
    const sixteen = await sharp(encodePicture(result, 'png16', 'test', plainKernels, nodeZlib))
      .pipelineColourspace('rgb16')
      .toColourspace('rgb16')
      .raw({ depth: 'ushort' })
      .toBuffer()
    expect(sixteen.readUInt16LE(0)).toBe(Math.round(0.461356 * 65535))
  })
  const withHeader = (bytes: Uint8Array) => [bytes, readExrHeader(bytes)] as const
})

describe('object masks (Cryptomatte specification 1.2)', () => {
  test('names hash as MurmurHash3 x86-32 and convert to the floats the specification gives', () => {
    expect([hashName(''), hashName('hello')]).toEqual([0, 0x248bfa47])
    expect(hashToFloat(hashName('hello'))).toBeCloseTo(6.0705627e-17, 22)
    expect(hashToFloat(hashName('cube')) / -4.0846191e15).toBeCloseTo(1, 6)
  })
  test('header entries are keyed by the layer’s hash and list every object', () => {
    const header = Object.fromEntries(cryptomatteHeader('objects', ['bell', 'sand']))
    const prefix = `cryptomatte/${hashName('objects').toString(16).padStart(8, '0').slice(0, 7)}`
    expect(header[`${prefix}/name`]).toBe('objects')
    expect(Object.keys(JSON.parse(header[`${prefix}/manifest`]!) as object)).toEqual(['bell', 'sand'])
  })
})
