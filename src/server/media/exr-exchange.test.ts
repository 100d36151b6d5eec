import { execFileSync } from 'node:child_process'
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, describe, expect, test } from 'vitest'
import { readExrHeader } from '../../core/formats/exr-header.ts'
import { readExrPart } from '../../core/formats/exr-read.ts'
import {
  textAttribute,
  writeExr,
  writeExrParts,
  writtenCompressions,
  type ExrPicture,
} from '../../core/formats/exr-write.ts'
import { halfToNumber, numberToHalf } from '../../core/picture/half.ts'
import { openMediaFile } from './media-file.ts'
import { nodeZlib } from './node-zlib.ts'

// What Zafiro writes against what OpenImageIO and OpenEXR read, and the reverse, where the ordinary cases end.

const folder = mkdtempSync(join(tmpdir(), 'zafiro-exchange-'))
afterAll(() => {
  rmSync(folder, { recursive: true })
})
const at = (name: string) => join(folder, name)
const oiio = (...args: string[]) => execFileSync('oiiotool', args, { encoding: 'utf8' })
const bytesOf = (name: string) => new Uint8Array(readFileSync(at(name)))
const read = (bytes: Uint8Array, part = 0) =>
  readExrPart(bytes, readExrHeader(bytes), part, { zlib: nodeZlib })

const [width, height] = [53, 38]
const count = width * height
const half = (k: number) =>
  Uint16Array.from({ length: count }, (_, i) => numberToHalf(Math.abs(((i * k) % 89) / 9) + (i % width) / 20))
const picture = (channels: ExrPicture['channels'], more: Partial<ExrPicture> = {}): ExrPicture => ({
  dataWindow: [0, 0, width - 1, height - 1],
  displayWindow: [0, 0, width - 1, height - 1],
  compression: 'zip',
  channels,
  ...more,
})
const rgb = ['R', 'G', 'B'].map((name, k) => ({ name, type: 'half' as const, values: half(3 + 2 * k) }))

/** All values of a file as OpenImageIO dumps them, pixel by pixel. */
function dumped(name: string): number[][] {
  return oiio('--dumpdata', at(name))
    .split('\n')
    .filter((line) => line.includes('Pixel ('))
    .map((line) => line.split('):')[1]!.trim().split(/\s+/).map(Number))
}

describe('written', () => {
  test.each([
    ['smaller than', [5, 7, width + 4, height + 6], [0, 0, 79, 59]],
    ['larger than', [-9, -8, width - 10, height - 9], [0, 0, 19, 14]],
    ['beside', [200, 100, 199 + width, 99 + height], [0, 0, 79, 59]],
  ] as const)(
    'data windows %s the display window are where the tools see them',
    (_, dataWindow, displayWindow) => {
      writeFileSync(at('window.exr'), writeExr(picture(rgb, { dataWindow, displayWindow }), nodeZlib))
      const header = execFileSync('exrheader', [at('window.exr')], { encoding: 'utf8' })
      const shown = ([x0, y0, x1, y1]: readonly number[]) => `(${x0} ${y0}) - (${x1} ${y1})`
      expect(header).toContain(`dataWindow (type box2i): ${shown(dataWindow)}`)
      expect(header).toContain(`displayWindow (type box2i): ${shown(displayWindow)}`)
      expect(dumped('window.exr')[7]).toEqual(
        rgb.map((c) => expect.closeTo(halfToNumber(c.values[7]!), 4) as number),
      )
      expect(openMediaFile(bytesOf('window.exr')).readPass('beauty')).toMatchObject({
        x: dataWindow[0],
        y: dataWindow[1],
      })
    },
  )

  test('several parts with whole numbers, long and foreign names and kept attributes are read by OpenEXR', () => {
    const long = `layer.${'n'.repeat(60)}.R`
    const ids = Uint32Array.from({ length: count }, (_, i) => 4_000_000_000 + i)
    const kept = [
      textAttribute('cryptomatte/1234567/name', 'objects'),
      textAttribute('owner', 'Grotto descent 🧀'),
    ]
    const bytes = writeExrParts(
      [
        { ...picture(rgb, { attributes: kept }), name: 'beauty' },
        { ...picture([{ name: 'id', type: 'uint', values: ids }], { compression: 'zips' }), name: 'ids' },
        {
          ...picture(
            [
              { name: long, type: 'half', values: half(7) },
              { name: 'käse.R', type: 'half', values: half(11) },
            ],
            {
              compression: 'none',
              dataWindow: [4, 4, width + 3, height + 3],
            },
          ),
          name: 'more',
        },
      ],
      nodeZlib,
    )
    writeFileSync(at('parts.exr'), bytes)
    const header = execFileSync('exrheader', [at('parts.exr')], { encoding: 'utf8' })
    for (const words of [
      'beauty',
      'ids',
      'more',
      long,
      'käse.R',
      'owner',
      'objects',
      '32-bit unsigned integer',
    ])
      expect(header).toContain(words)
    execFileSync('exrmultipart', ['-separate', '-i', at('parts.exr'), '-o', at('apart')])
    const apart = read(bytesOf('apart.2.exr')).planes.get('id')!.values
    expect(Buffer.from(apart.buffer).equals(Buffer.from(ids.buffer))).toBe(true)
    expect(read(bytes, 2).planes.get(long)!.values).toEqual(half(7))
    expect([...readExrHeader(bytes).parts[0]!.attributes.keys()]).toEqual(
      expect.arrayContaining(['owner', 'cryptomatte/1234567/name']),
    )
    // Whole numbers beyond what a float holds keep their bits on the way to an engine.
    const block = openMediaFile(bytes).readPass('id')
    expect([...new Uint32Array(block.data.buffer).slice(0, 2)]).toEqual([4_000_000_000, 4_000_000_001])
  })

  test.each(writtenCompressions)(
    '%s of halves, floats and few values is read by OpenImageIO as it was',
    (compression) => {
      const smooth = (k: number) =>
        Uint16Array.from({ length: count }, (_, i) =>
          numberToHalf((1 + Math.sin((i % width) / (9 + k)) * Math.cos(i / width / 7)) * (k + 0.2)),
        )
      const channels = [
        ...['R', 'G', 'B'].map((name, k) => ({ name, type: 'half' as const, values: smooth(k) })),
        {
          name: 'A',
          type: 'half' as const,
          values: Uint16Array.from({ length: count }, (_, i) => numberToHalf(i % 17 < 9 ? 1 : (i % 7) / 8)),
        },
        {
          name: 'depth.Z',
          type: 'float' as const,
          values: Float32Array.from({ length: count }, (_, i) => (i % 5 ? i * 1000.25 : 1e30)),
        },
        { name: 'crypto.Y', type: 'half' as const, values: half(31) },
        { name: 'empty.Y', type: 'half' as const, values: new Uint16Array(count) },
        ...['R', 'G'].map((name, k) => ({
          name: `two.${name}`,
          type: 'float' as const,
          values: Float32Array.from(smooth(k), halfToNumber),
        })),
      ]
      const bytes = writeExr(picture(channels, { compression }), nodeZlib)
      writeFileSync(at(`${compression}.exr`), bytes)
      const { planes, missingChunks } = read(bytes)
      expect(missingChunks).toBe(0)
      const info = oiio('-v', '--info', at(`${compression}.exr`))
      expect(info).toContain(`compression: "${compression}"`)
      const names = /channel list: (.*)/
        .exec(info)![1]!
        .split(', ')
        .map((n) => n.replace(/ \(.*\)/, '').trim())
      const pixels = dumped(`${compression}.exr`)
      for (const { name, type, values } of channels) {
        const isLossy = compression === 'dwaa' && /(^|\.)[RGB]$/.test(name)
        if (!isLossy) expect(planes.get(name)!.values, name).toEqual(values)
        const [c, numbers] = [
          names.indexOf(name),
          type === 'half' ? Array.from(values, halfToNumber) : [...values],
        ]
        numbers.forEach((v, i) => {
          // Steps of about a hundredth of the perceptual scale, and six digits of the dump.
          const within = isLossy ? 0.03 * Math.max(0.25, Math.abs(v)) : 2e-5 * Math.max(1, Math.abs(v))
          if (!(Math.abs(pixels[i]![c]! - v) <= within))
            throw new Error(`${name} ${i}: ${pixels[i]![c]!}, wanted ${v}`)
        })
      }
      if (compression !== 'none')
        expect(bytes.length).toBeLessThan(
          0.9 * writeExr(picture(channels, { compression: 'none' }), nodeZlib).length,
        )
    },
  )

  test('floats become halves by rounding to nearest even, as OpenImageIO rounds', () => {
    const values = Float32Array.from(
      { length: count },
      (_, i) => (i % 2 ? -1 : 1) * 1.0009765625 ** (i * 3.7) * 0.013,
    )
    writeFileSync(at('float.exr'), writeExr(picture([{ name: 'Y', type: 'float', values }]), nodeZlib))
    oiio(at('float.exr'), '-d', 'half', '-o', at('half.exr'))
    expect(read(bytesOf('half.exr')).planes.get('Y')!.values).toEqual(Uint16Array.from(values, numberToHalf))
  })
})

describe('read', () => {
  const source = () => {
    writeFileSync(at('source.exr'), writeExr(picture(rgb), nodeZlib))
    return at('source.exr')
  }
  const expectRgb = (bytes: Uint8Array, part = 0) => {
    const { planes, missingChunks } = read(bytes, part)
    expect(missingChunks).toBe(0)
    for (const { name, values } of rgb) expect(planes.get(name)!.values, name).toEqual(values)
  }

  test.each([
    ['mip levels', ['-m']],
    ['mip levels rounded up', ['-m', '-u']],
    ['rip levels', ['-r']],
  ])('of a tiled file with %s level 0 is taken', (_, options) => {
    execFileSync('exrmaketiled', [...options, '-t', '16', '8', '-z', 'zip', source(), at('levels.exr')])
    expect(readExrHeader(bytesOf('levels.exr')).parts[0]!.tile?.isOneLevel).toBe(false)
    expectRgb(bytesOf('levels.exr'))
  })

  test.each(['increasingY', 'decreasingY'])('scan lines in the order %s', (order) => {
    oiio(
      source(),
      '--attrib',
      'openexr:lineOrder',
      order,
      '-d',
      'half',
      '--compression',
      'piz',
      '-o',
      at('order.exr'),
    )
    expectRgb(bytesOf('order.exr'))
  })

  test('B44 of perceptual channels', () => {
    // The tools do not write them; but the mark is one byte beside each channel's type, and they read it.
    oiio(source(), '-d', 'half', '--compression', 'b44', '-o', at('b44.exr'))
    const bytes = bytesOf('b44.exr')
    const list = new TextDecoder('latin1').decode(bytes).indexOf('channels\0chlist\0') + 20
    for (let c = 0; c < 3; c++) bytes[list + c * 18 + 6] = 1
    writeFileSync(at('perceptual.exr'), bytes)
    expect(readExrHeader(bytes).parts[0]!.channels.map((c) => c.isPerceptual)).toEqual([true, true, true])
    oiio(at('perceptual.exr'), '-d', 'half', '--compression', 'none', '-o', at('plain.exr'))
    const [ours, theirs] = [read(bytes), read(bytesOf('plain.exr'))].map((r) => r.planes)
    for (const name of ['R', 'G', 'B']) expect(ours!.get(name)!.values).toEqual(theirs!.get(name)!.values)
    expect(ours!.get('R')!.values).not.toEqual(read(bytesOf('b44.exr')).planes.get('R')!.values)
  })

  test('a file that ends early, read by walking what is there, says how much is missing', () => {
    const whole = writeExr(picture(rgb, { compression: 'zips' }), nodeZlib)
    const { tablesAt } = readExrHeader(whole)
    const offsets = new BigUint64Array(whole.slice(tablesAt, tablesAt + height * 8).buffer)
    // A renderer that was stopped: ten lines are there, and the table has not been written.
    const cut = whole.slice(0, Number(offsets[10]!))
    cut.fill(0, tablesAt, tablesAt + height * 8)
    const file = openMediaFile(cut)
    const block = file.readPass('beauty')
    expect(file.noticed().join()).toMatch(new RegExp(`^${height - 10} of its blocks of lines are missing`))
    expect(block.data[9 * width * 3]).toBe(rgb[0]!.values[9 * width])
    expect(block.data[10 * width * 3]).toBe(0)
  })
})

describe('rows of a pass alone', () => {
  const pattern = [
    '--pattern',
    'noise:type=uniform:seed=3',
    '53x90',
    '4',
    '--chnames',
    'R,G,B,A',
    '-d',
    'half',
  ]
  test.each([
    ['none'],
    ['rle'],
    ['zips'],
    ['zip'],
    ['piz'],
    ['b44'],
    ['dwaa'],
    ['zip', '--tile', '32', '16'],
  ] as const)('%s %s are those that OpenImageIO reads there', (compression, ...how) => {
    // Its data lie 7 right and 11 below the corner of a display window that begins at 2, 5.
    oiio(
      ...pattern,
      '--origin',
      '+9+16',
      '--fullsize',
      '80x120+2+5',
      ...how,
      '--compression',
      compression,
      '-o',
      at('rows.exr'),
    )
    const file = openMediaFile(bytesOf('rows.exr'))
    const all = dumped('rows.exr')
    // DWA rounds to the neighbouring half now and then.
    for (const [from, to, first, count] of [
      [20, 37, 9, 17],
      [-40, 13, 0, 2],
      [99, 500, 88, 2],
      [400, 401, 89, 1],
      [60, 60, 49, 1],
    ] as const) {
      const block = file.readRows!('beauty', { isData: false }, [from, to])!
      expect([block.x, block.y, block.width, block.height]).toEqual([7, 11 + first, 53, count])
      const values = Array.from(block.data as Uint16Array, halfToNumber)
      const theirs = all.slice(first * 53, (first + count) * 53).flat()
      expect(Math.max(...values.map((v, i) => Math.abs(v - theirs[i]!)))).toBeLessThan(
        compression === 'dwaa' ? 1e-3 : 1e-5,
      )
    }
  })
})
