import { execFileSync } from 'node:child_process'
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { deflateSync } from 'node:zlib'
import sharp from 'sharp'
import { describe, expect, test } from 'vitest'
import { decodeValue, type Curve } from '../../core/colour/curves.ts'
import {
  apply,
  chromaticities,
  inverse,
  multiply,
  outputSpaces,
  primariesNames,
  toWorking,
  toXyz,
  type PrimariesName,
} from '../../core/colour/spaces.ts'
import { chromaticitiesAttribute, writeExr } from '../../core/formats/exr-write.ts'
import { primariesWords, profileColour } from '../../core/colour/file-colour.ts'
import { encodePicture } from '../../core/formats/write-picture.ts'
import { createLoneKernels } from '../../core/kernels/wasm-kernels.ts'
import { plainPicture } from '../../core/picture/picture.ts'
import { writePng } from '../../core/formats/png.ts'
import { halfToNumber } from '../../core/picture/half.ts'
import { linearToSrgb } from '../../core/picture/colour.ts'
import { addLane, emptyComp } from '../../core/comp/edits.ts'
import { NodeEngine } from '../engine/node-engine.ts'
import { encodeFile, screenTag } from '../render/encode-file.ts'
import { markWarnings } from '../../core/engine/overlay.ts'
import { displayViewed } from '../../core/engine/viewed.ts'
import { MovieWriter } from '../render/movie.ts'
import { jpegWithProfile, writeIcc } from '../../core/formats/icc-write.ts'
import { nodeZlib } from './node-zlib.ts'
import { openMedia } from './raster-file.ts'

// What files say of their colours, against OpenColorIO's built-in transforms, the standards' own numbers, and sharp's profiles (Little CMS).

type Rgb = readonly [number, number, number]
const samples: readonly Rgb[] = [
  [0, 0, 0],
  [1, 1, 1],
  [0.18, 0.18, 0.18],
  [0.8, 0.1, 0.05],
  [0.02, 0.6, 0.3],
  [0.1, 0.2, 0.95],
  [0.5, 0.499, 0.501],
]

/** Values through built-in transforms of OpenColorIO, each forward or backward. */
function byOcio(
  steps: readonly (readonly [name: string, isForward: boolean])[],
  values: readonly Rgb[],
): Rgb[] {
  const program = `
import PyOpenColorIO as O, sys, json
steps, values = json.loads(sys.stdin.read())
config = O.Config.CreateRaw()
group = O.GroupTransform([O.BuiltinTransform(n, O.TRANSFORM_DIR_FORWARD if f else O.TRANSFORM_DIR_INVERSE) for n, f in steps])
cpu = config.getProcessor(group).getDefaultCPUProcessor()
print(json.dumps([cpu.applyRGB(v) for v in values]))`
  return JSON.parse(
    execFileSync('/usr/bin/python3', ['-c', program], {
      input: JSON.stringify([steps, values]),
      encoding: 'utf8',
    }),
  ) as Rgb[]
}

const near = (found: readonly number[], wanted: readonly number[], within: number, what = '') => {
  wanted.forEach((w, i) => {
    expect(
      Math.abs(found[i]! - w),
      `${what} ${String(i)}: ${String(found[i])}, wanted ${String(w)}`,
    ).toBeLessThanOrEqual(within * Math.max(1, Math.abs(w)))
  })
}

describe('primaries', () => {
  const workingToXyz = toXyz(chromaticities.rec709)
  const through = (curve: Curve, v: Rgb) => v.map((c) => decodeValue(c, curve)) as unknown as Rgb
  test.each<[PrimariesName, Curve, [string, boolean]]>([
    ['acescg', 'linear', ['UTILITY - ACES-AP1_to_CIE-XYZ-D65_BFD', true]],
    ['aces2065-1', 'linear', ['UTILITY - ACES-AP0_to_CIE-XYZ-D65_BFD', true]],
    ['rec2020', 'power-2.4', ['DISPLAY - CIE-XYZ-D65_to_REC.1886-REC.2020', false]],
    ['rec709', 'power-2.4', ['DISPLAY - CIE-XYZ-D65_to_REC.1886-REC.709', false]],
    ['rec709', 'srgb', ['DISPLAY - CIE-XYZ-D65_to_sRGB', false]],
    ['rec709', 'power-2.2', ['DISPLAY - CIE-XYZ-D65_to_G2.2-REC.709', false]],
    ['p3-d65', 'pq', ['DISPLAY - CIE-XYZ-D65_to_ST2084-P3-D65', false]],
    ['rec2020', 'pq', ['DISPLAY - CIE-XYZ-D65_to_REC.2100-PQ', false]],
  ])('%s with %s is the CIE XYZ that OpenColorIO has', (name, curve, step) => {
    const wanted = byOcio([step], samples)
    const matrix = multiply(workingToXyz, toWorking(name))
    samples.forEach((v, i) => {
      near(apply(matrix, through(curve, v)), wanted[i]!, 1e-4, `${name} ${String(v)}`)
    })
  })
  test('ACEScg to Rec.709 is OpenColorIO’s matrix to five digits', () => {
    const unit: Rgb[] = [
      [1, 0, 0],
      [0, 1, 0],
      [0, 0, 1],
    ]
    const wanted = byOcio([['UTILITY - ACES-AP1_to_LINEAR-REC709_BFD', true]], unit)
    unit.forEach((v, i) => {
      near(apply(toWorking('acescg'), v), wanted[i]!, 1e-5)
    })
  })
  test('white is white, and there and back is the same', () => {
    for (const name of primariesNames) {
      const m = toWorking(name)
      if (name !== 'xyz') near(apply(m, [1, 1, 1]), [1, 1, 1], 1e-9, name)
      for (const v of samples) near(apply(inverse(m), apply(m, v)), v, 1e-12, name)
    }
    // CIE 15, 2°, D65 as x 0.3127, y 0.3290.
    near(apply(inverse(toWorking('xyz')), [1, 1, 1]), [0.95046, 1, 1.08906], 1e-5)
  })
  test('XYZ of the primaries of BT.709, as SMPTE RP 177 prints them', () => {
    near(
      toXyz(chromaticities.rec709),
      [0.4124, 0.3576, 0.1805, 0.2126, 0.7152, 0.0722, 0.0193, 0.1192, 0.9505],
      5e-5,
    )
    // SMPTE ST 2065-1, 4.1.2.
    near(
      toXyz(chromaticities['aces2065-1']),
      [0.9525523959, 0, 0.0000936786, 0.3439664498, 0.7281660966, -0.0721325464, 0, 0, 1.0088251844],
      1e-6,
    )
  })
})

describe('curves', () => {
  const codes = Array.from({ length: 41 }, (_, i) => i / 40)
  test.each<[Curve, string]>([
    ['acescct', 'CURVE - ACEScct-LOG_to_LINEAR'],
    ['pq', 'CURVE - ST-2084_to_LINEAR'],
  ])('%s as OpenColorIO has it', (curve, name) => {
    const wanted = byOcio(
      [[name, true]],
      codes.map((v) => [v, v, v] as const),
    )
    codes.forEach((v, i) => {
      near([decodeValue(v, curve)], [wanted[i]![0]], 1e-4, `${name} ${String(v)}`)
    })
  })
  test('at the points that the standards print', () => {
    // ITU-R BT.2100: 100 cd/m² is code 0.508 of PQ; BT.2408: 203 cd/m² are 0.58 of PQ, reference white 0.75 of HLG is 0.265 of its scene light.
    expect(decodeValue(0.5081, 'pq')).toBeCloseTo(1, 2)
    expect(decodeValue(0.58, 'pq')).toBeCloseTo(2.03, 1)
    expect(decodeValue(1, 'pq')).toBeCloseTo(100, 6)
    expect(decodeValue(0.75, 'hlg') / 12).toBeCloseTo(0.265, 3)
    expect(decodeValue(1, 'hlg')).toBeCloseTo(12, 3)
    expect(decodeValue(0.5, 'hlg')).toBeCloseTo(1, 9)
    // S-2016-001: 18 % grey is 0.4135884.
    expect(decodeValue(0.4135884, 'acescct')).toBeCloseTo(0.18, 5)
    for (const curve of ['srgb', 'power-2.2', 'power-2.4', 'pq', 'hlg'] as const)
      expect(decodeValue(-0.4, curve)).toBe(-decodeValue(0.4, curve))
    expect(decodeValue(0, 'acescct')).toBeCloseTo(-0.0069168, 6)
  })
})

/** Light of Rec.709 in a picture of one row, opaque. */
const row: readonly Rgb[] = [
  [0.18, 0.18, 0.18],
  [0.7, 0.2, 0.1],
  [0.1, 0.5, 0.2],
  [0.05, 0.1, 0.6],
  [0.9, 0.8, 0.05],
  [1, 1, 1],
]
async function lightOf(
  bytes: Uint8Array,
  as?: Parameters<Awaited<ReturnType<typeof openMedia>>['readPass']>[1],
) {
  const file = await openMedia(bytes)
  const { data, channels } = file.readPass('beauty', as)
  const numbers = data instanceof Uint16Array ? Array.from(data, halfToNumber) : [...data]
  return { info: file.info, light: row.map((_, i) => numbers.slice(i * channels, i * channels + 3)) }
}

describe('files', () => {
  const exr = (
    name: PrimariesName | undefined,
    attributes = name && name !== 'xyz' ? [chromaticitiesAttribute(chromaticities[name])] : [],
  ) => {
    const own = row.map((v) => (name ? apply(inverse(toWorking(name)), v) : v))
    const channels = ['R', 'G', 'B'].map((c, k) => ({
      name: c,
      type: 'float' as const,
      values: Float32Array.from(own, (v) => v[k]!),
    }))
    const window = [0, 0, row.length - 1, 0] as const
    return writeExr(
      { dataWindow: window, displayWindow: window, compression: 'zip', channels, attributes },
      nodeZlib,
    )
  }
  test.each(['acescg', 'aces2065-1', 'rec2020', 'p3-d65', 'rec709'] as const)(
    'EXR of %s is read as the same light',
    async (name) => {
      const { info, light } = await lightOf(exr(name))
      light.forEach((v, i) => {
        near(v, row[i]!, 1e-5, name)
      })
      expect(info.colour.words).toMatch(/its chromaticities say so/)
      // Data is not colour.
      const raw = await lightOf(exr(name), { isData: true })
      near(raw.light[1]!, apply(inverse(toWorking(name)), row[1]!), 1e-6)
    },
  )
  test('an ACES container says its space by its mark; primaries may be said by hand', async () => {
    const mark = {
      name: 'acesImageContainerFlag',
      type: 'int',
      value: new Uint8Array(Int32Array.of(1).buffer),
    }
    const { info, light } = await lightOf(exr('aces2065-1', [mark]))
    light.forEach((v, i) => {
      near(v, row[i]!, 1e-5)
    })
    expect(info.colour.words).toMatch(/^ACES2065-1, linear light: it is marked/)
    for (const name of primariesNames) {
      const said = await lightOf(exr(name, []), { isData: false, primaries: name })
      said.light.forEach((v, i) => {
        near(v, row[i]!, 1e-5, name)
      })
    }
  })
  test('chromaticities that span nothing, or a white of 0, are told, and read as Rec.709', async () => {
    const flat = { red: [0.3, 0.3], green: [0.3, 0.3], blue: [0.3, 0.3], white: [0.3127, 0.329] } as const
    const dark = { ...chromaticities.rec2020, white: [0.3, 0] } as const
    for (const [wrong, words] of [
      [flat, /span nothing/],
      [dark, /white has no light/],
    ] as const) {
      const { info, light } = await lightOf(exr(undefined, [chromaticitiesAttribute(wrong)]))
      expect(info.colour.doubt).toMatch(words)
      light.forEach((v, i) => {
        near(v, row[i]!, 1e-6)
      })
    }
  })

  /** Codes of the row in P3 with the sRGB curve, out of sharp's own conversion to its profile. */
  const p3 = async (kind: 'png' | 'tiff' | 'jpeg') => {
    const codes = Uint8Array.from(row.flatMap((v) => v.map((c) => Math.round(linearToSrgb(c) * 255))))
    const deep = sharp(codes, { raw: { width: row.length, height: 1, channels: 3 } })
    const large = kind === 'jpeg' ? deep.resize(row.length * 16, 16, { kernel: 'nearest' }) : deep
    const with_ = large.withIccProfile('p3')
    return new Uint8Array(
      await (
        kind === 'png'
          ? with_.png({ palette: false })
          : kind === 'tiff'
            ? with_.tiff({ compression: 'deflate' })
            : with_.jpeg({ quality: 100, chromaSubsampling: '4:4:4' })
      ).toBuffer(),
    )
  }
  test.each(['png', 'tiff'] as const)(
    '%s with the profile of P3 is the same light within a code',
    async (kind) => {
      const { info, light } = await lightOf(await p3(kind))
      expect(info.colour.words).toMatch(/^P3 with D65, sRGB curve: its colour profile .* says so$/)
      light.forEach((v, i) => {
        near(v.map(linearToSrgb), row[i]!.map(linearToSrgb), 2 / 255, String(row[i]))
      })
    },
  )
  // Profiles that Debian ships (colord-data), the file made by Little CMS through sharp.
  test.each([
    'AdobeRGB1998',
    'AppleRGB',
    'BestRGB',
    'ECI-RGBv2',
    'NTSC-RGB',
    'ProPhotoRGB',
    'SwappedRedAndGreen',
    'WideGamutRGB',
  ])('a PNG with the profile %s is the same light within a code and a half', async (name) => {
    const codes = Uint8Array.from(row.flatMap((v) => v.map((c) => Math.round(linearToSrgb(c) * 255))))
    const made = await sharp(codes, { raw: { width: row.length, height: 1, channels: 3 } })
      .withIccProfile(`/usr/share/color/icc/colord/${name}.icc`)
      .png({ palette: false })
      .toBuffer()
    const { info, light } = await lightOf(new Uint8Array(made))
    expect(info.colour.words).toMatch(/its colour profile “.*” says so/)
    light.forEach((v, i) => {
      near(
        v.map((c) => linearToSrgb(Math.max(0, c))),
        row[i]!.map(linearToSrgb),
        3.5 / 255,
        `${name} ${String(row[i])}`,
      )
    })
  })
  test('profiles of Lab, of printers and of named colours are named and asked about, never followed', () => {
    for (const name of ['colord/Crayons', 'colord/x11-colors']) {
      const { doubt, toWorking: matrix } = profileColour(readFileSync(`/usr/share/color/icc/${name}.icc`))
      expect(doubt).toMatch(
        /its colour profile “.*” .*: it is not followed, and colours are read as sRGB\. Say what they are/,
      )
      expect(matrix).toEqual(toWorking('rec709'))
    }
  })
  test('JPEG with the profile of P3 is the same light within the codes that it loses', async () => {
    const bytes = await p3('jpeg')
    const file = await openMedia(bytes)
    const { data } = file.readPass('beauty')
    expect(file.info.colour.words).toMatch(/^P3 with D65/)
    row.forEach((v, i) => {
      const at = (8 * row.length * 16 + i * 16 + 8) * 4
      const found = [0, 1, 2].map((c) =>
        linearToSrgb(data instanceof Uint16Array ? halfToNumber(data[at + c]!) : data[at + c]!),
      )
      near(found, v.map(linearToSrgb), 4 / 255, String(v))
    })
  })

  /** A PNG with further chunks behind its header. */
  const tagged = (codes: readonly number[], ...chunks: (readonly [string, Uint8Array])[]) => {
    const plain = writePng(row.length, 1, Uint16Array.from(codes))
    const crc = (bytes: Uint8Array) => {
      let sum = -1
      for (const byte of bytes)
        for (let k = 0, x = byte; k < 8; k++, x >>>= 1)
          sum = (sum ^ x) & 1 ? ((sum >>> 1) & 0x7fffffff) ^ 0xedb88320 : (sum >>> 1) & 0x7fffffff
      return ~sum >>> 0
    }
    const made = chunks.flatMap(([name, data]) => {
      const body = Uint8Array.of(...Buffer.from(name), ...data)
      const view = Buffer.alloc(8)
      view.writeUInt32BE(data.length, 0)
      view.writeUInt32BE(crc(body), 4)
      return [...view.subarray(0, 4), ...body, ...view.subarray(4)]
    })
    // What the writer says itself is 16 bytes of cICP and 13 of sRGB behind 33 of signature and header.
    return Uint8Array.of(...plain.subarray(0, 33), ...made, ...plain.subarray(33 + 29))
  }
  const rgba = (encode: (v: Rgb) => readonly number[]) =>
    row.flatMap((v) => [...encode(v).map((c) => Math.round(c * 65535)), 65535])
  test('PNG of Rec.2020 with PQ (cICP 9, 16) is the same light within a code of 8 bits', async () => {
    const back = (v: Rgb) =>
      byOcio([['CURVE - LINEAR_to_ST-2084', true]], [apply(inverse(toWorking('rec2020')), v)])[0]!
    const { info, light } = await lightOf(tagged(rgba(back), ['cICP', Uint8Array.of(9, 16, 0, 1)]))
    expect(info.colour.words).toBe('Rec.2020, PQ: its cICP tag says so')
    light.forEach((v, i) => {
      near(v.map(linearToSrgb), row[i]!.map(linearToSrgb), 0.5 / 255)
    })
  })
  test('one picture as Rec.709, ACEScg, P3 and PQ can not be told apart: within a code, in shots of both working spaces', async () => {
    const pq = (v: Rgb) =>
      byOcio([['CURVE - LINEAR_to_ST-2084', true]], [apply(inverse(toWorking('rec2020')), v)])[0]!
    const inP3 = (v: Rgb) => apply(inverse(toWorking('p3-d65')), v).map(linearToSrgb)
    const files = [
      exr('rec709'),
      exr('acescg'),
      tagged(rgba(inP3), ['cICP', Uint8Array.of(12, 13, 0, 1)]),
      tagged(rgba(pq), ['cICP', Uint8Array.of(9, 16, 0, 1)]),
    ]
    for (const space of [undefined, 'acescg'] as const) {
      const seen = await Promise.all(
        files.map(async (bytes) => {
          const file = await openMedia(bytes)
          const media = { m1: { name: 'a', frames: { 1: 'a'.repeat(64) }, passes: file.info.passes } }
          const engine = new NodeEngine(({ pass, as }) => Promise.resolve(file.readPass(pass.name, as)), {
            threads: 1,
            memoryMiB: 64,
          })
          const comp = {
            ...addLane(emptyComp(row.length, 1), 'Back', { type: 'pass', media: 'm1', pass: 'beauty' }),
            dither: false,
            ...(space ? { space } : {}),
          }
          const { picture } = await engine.renderFrame(comp, media, 1)
          const codes = await engine.shownCodes(picture, { comp, media, frame: 1 })
          await engine.close()
          return codes
        }),
      )
      for (const codes of seen)
        row.forEach((v, i) => {
          near(
            [0, 1, 2].map((c) => codes[i * 4 + c]! / 255),
            v.map((c) => Math.round(255 * linearToSrgb(c)) / 255),
            1.001 / 255,
            `${space ?? 'rec709'} ${String(v)}`,
          )
        })
    }
  })
  test('cHRM and gAMA of PNG are followed; codes that are not known, and broken profiles, are told', async () => {
    const be = (...values: number[]) => {
      const out = Buffer.alloc(values.length * 4)
      values.forEach((v, i) => out.writeUInt32BE(Math.round(v), i * 4))
      return new Uint8Array(out)
    }
    const { red, green, blue, white } = chromaticities['p3-d65']
    const chrm = be(...[white, red, green, blue].flat().map((v) => v * 1e5))
    const power = (v: Rgb) => apply(inverse(toWorking('p3-d65')), v).map((c) => Math.max(0, c) ** (1 / 1.8))
    const { info, light } = await lightOf(tagged(rgba(power), ['gAMA', be(1e5 / 1.8)], ['cHRM', chrm]))
    expect(info.colour.words).toBe('P3 with D65, gamma 1.8: its cHRM tag says so')
    light.forEach((v, i) => {
      near(v, row[i]!, 2e-4)
    })
    const unknown = await lightOf(
      tagged(
        rgba((v) => v),
        ['cICP', Uint8Array.of(5, 14, 0, 1)],
      ),
    )
    expect(unknown.info.warnings.join()).toMatch(
      /primaries 5 and transfer function 14, which are not followed/,
    )
    const profile = Uint8Array.of(...Buffer.from('Odd\0\0'), ...deflateSync(Buffer.from('no profile')))
    expect(
      (
        await lightOf(
          tagged(
            rgba((v) => v),
            ['iCCP', profile],
          ),
        )
      ).info.warnings.join(),
    ).toMatch(/is cut short: it is not followed/)
    const half = await lightOf(
      tagged(
        rgba((v) => v),
        ['cHRM', chrm],
      ),
    )
    expect(half.info.colour.doubt).toMatch(/primaries but no curve/)
  })
  test('what is written in another space is that to OpenImageIO, and here the same light again', async () => {
    const picture = plainPicture(row.length, 1)
    row.forEach((v, i) => {
      picture.data.set([...v, 1], i * 4)
    })
    const folder = mkdtempSync(join(tmpdir(), 'zafiro-space-'))
    const toAcescg = byOcio([['UTILITY - ACES-AP1_to_LINEAR-REC709_BFD', false]], row)
    const matte = {
      name: 'matte_x',
      picture: { ...plainPicture(row.length, 1, 1), data: new Float32Array(row.length).fill(0.5) },
      isData: false,
    }
    const lane = { name: 'lane_x', picture, isData: false }
    const bytes = encodePicture(
      picture,
      'exr-float',
      'x',
      createLoneKernels(16).kernels,
      nodeZlib,
      undefined,
      { space: 'acescg', layers: [matte, lane] },
    )
    writeFileSync(join(folder, 'a.exr'), bytes)
    const info = execFileSync('oiiotool', ['-v', '--info', join(folder, 'a.exr')], { encoding: 'utf8' })
    expect(info).toMatch(/chromaticities: 0\.713, 0\.293, 0\.165, 0\.83, 0\.128, 0\.044, 0\.32168, 0\.33767/)
    const names = /channel list: (.*)/.exec(info)![1]!.split(', ')
    const dumped = execFileSync('oiiotool', ['--dumpdata', join(folder, 'a.exr')], { encoding: 'utf8' })
    const pixels = [...dumped.matchAll(/Pixel \(\d+, \d+\): (.*)/g)].map((m) =>
      m[1]!.trim().split(/\s+/).map(Number),
    )
    row.forEach((_, i) => {
      for (const prefix of ['', 'lane_x.'])
        near(
          ['R', 'G', 'B'].map((c) => pixels[i]![names.indexOf(prefix + c)]!),
          toAcescg[i]!,
          1e-5,
          prefix,
        )
      expect(pixels[i]![names.indexOf('matte_x.Y')]).toBe(0.5)
    })
    for (const space of outputSpaces)
      for (const format of ['exr-float', 'png16'] as const) {
        const { light, info: said } = await lightOf(
          encodePicture(picture, format, 'x', createLoneKernels(16).kernels, nodeZlib, undefined, { space }),
        )
        light.forEach((v, i) => {
          near(v, row[i]!, format === 'png16' ? 1e-4 : 1e-5, `${space} ${format}`)
        })
        if (format === 'exr-float') expect(said.colour.words).toContain(primariesWords[space])
      }
    rmSync(folder, { recursive: true })
  })
  test.each(['rec709', 'p3-d65', 'rec2020'] as const)(
    'TIFF and JPEG of %s say so by a profile that Little CMS and OpenImageIO follow',
    async (space) => {
      const engine = new NodeEngine(() => Promise.reject(new Error('no pass')), { threads: 1, memoryMiB: 64 })
      const side = 16
      const picture = plainPicture(row.length * side, side)
      for (let i = 0; i < picture.width * side; i++)
        picture.data.set([...row[Math.floor((i % picture.width) / side)]!, 1], i * 4)
      const folder = mkdtempSync(join(tmpdir(), 'zafiro-profile-'))
      for (const [format, within] of [
        ['tiff16', 1e-4],
        ['jpeg', 4 / 255],
      ] as const) {
        const of = { comp: { ...emptyComp(8, 8), dither: false }, media: {}, frame: 1 }
        const bytes = await encodeFile(picture, format, 'x', engine, of, { space })
        const file = await openMedia(bytes)
        expect(file.info.colour.words).toMatch(/profile .* says so/)
        expect(file.info.colour.words).toContain(primariesWords[space].split(' ')[0])
        expect(file.info.warnings).toEqual([])
        const { data, channels } = file.readPass('beauty')
        const numbers = data instanceof Uint16Array ? Array.from(data, halfToNumber) : [...data]
        const middle = (i: number) => (side / 2) * picture.width + i * side + side / 2
        // Ours is half floats where it is read from 8 bits.
        row.forEach((v, i) => {
          near(
            numbers.slice(middle(i) * channels, middle(i) * channels + 3).map(linearToSrgb),
            v.map(linearToSrgb),
            Math.max(within, 5e-4),
            `${space} ${format}`,
          )
        })
        // Little CMS takes it to sRGB by the profile alone. Sharp works on 16 bits in P3.
        const codes = await sharp(bytes).toColourspace('srgb').removeAlpha().raw().toBuffer()
        const seen = (v: Rgb) =>
          (format === 'jpeg' ? v : apply(inverse(toWorking('p3-d65')), v)).map(linearToSrgb)
        row.forEach((v, i) => {
          near(
            [...codes.subarray(middle(i) * 3, middle(i) * 3 + 3)].map((c) => c / 255),
            seen(v),
            0.006 + within,
            `${space} ${format} by sharp`,
          )
        })
        const name = join(folder, `a.${format === 'jpeg' ? 'jpg' : 'tif'}`)
        writeFileSync(name, bytes)
        const info = execFileSync('oiiotool', ['-v', '--info', name], { encoding: 'utf8' })
        expect(info).toMatch(/ICCProfile:profile_version: "4\.4\.0"/)
        expect(info).toMatch(/ICCProfile: /)
      }
      rmSync(folder, { recursive: true })
    },
  )
  test('a profile with three curves is followed as Little CMS follows it', async () => {
    const plain = writeIcc('p3-d65')
    // Another curve for red and one for blue behind all else: powers of 1.8 and 2.6 (curv of one entry, u8Fixed8).
    const power = (gamma: number) => [
      ...Buffer.from('curv'),
      0,
      0,
      0,
      0,
      0,
      0,
      0,
      1,
      Math.floor(gamma),
      Math.round((gamma % 1) * 256),
      0,
      0,
    ]
    const profile = Uint8Array.from([...plain, ...power(1.8), ...power(2.6)])
    const view = new DataView(profile.buffer)
    view.setUint32(0, profile.length)
    for (let at = 132; at < 132 + 12 * view.getUint32(128); at += 12) {
      const tag = Buffer.from(profile.subarray(at, at + 4)).toString()
      if (tag === 'rTRC' || tag === 'bTRC') {
        view.setUint32(at + 4, plain.length + (tag === 'rTRC' ? 0 : 16))
        view.setUint32(at + 8, 14)
      }
    }
    const codes = Uint8Array.from(
      Array.from(
        { length: 96 * 16 },
        (_, i) =>
          [
            [200, 90, 40],
            [120, 130, 140],
            [60, 180, 100],
          ][Math.floor((i % 96) / 32)]!,
      ).flat(),
    )
    const jpeg = await sharp(codes, { raw: { width: 96, height: 16, channels: 3 } })
      .jpeg({ quality: 100, chromaSubsampling: '4:4:4' })
      .toBuffer()
    const bytes = jpegWithProfile(jpeg, profile)
    const file = await openMedia(bytes)
    expect(file.info.colour.words).toMatch(
      /^P3 with D65, a curve each for red, green and blue: its colour profile/,
    )
    const { data } = file.readPass('beauty')
    const wanted = await sharp(bytes).toColourspace('srgb').raw().toBuffer()
    for (const x of [16, 48, 80]) {
      const at = 8 * 96 + x
      const light = [0, 1, 2].map((c) =>
        data instanceof Uint16Array ? halfToNumber(data[at * 4 + c]!) : data[at * 4 + c]!,
      )
      near(
        light.map((v) => linearToSrgb(Math.max(0, v))),
        [...wanted.subarray(at * 3, at * 3 + 3)].map((v) => v / 255),
        2 / 255,
        String(x),
      )
    }
  })
  test('inks are told', async () => {
    const inks = await sharp({ create: { width: 16, height: 16, channels: 3, background: '#a53' } })
      .toColourspace('cmyk')
      .jpeg()
      .toBuffer()
    expect((await openMedia(new Uint8Array(inks))).info.warnings.join()).toMatch(/inks \(CMYK\)/)
  })
})

describe('screens', () => {
  const wide: readonly Rgb[] = [...row, [0.004, 0.0004, 0.00002], [0.0001, 0.3, 0.001]]
  const picture = createLoneKernels(32).store.allocate(wide.length, 1, 4)
  test.each([
    ['p3', 'DISPLAY - CIE-XYZ-D65_to_G2.6-P3-D65'],
    ['gamma-2.4', 'DISPLAY - CIE-XYZ-D65_to_REC.1886-REC.709'],
    [undefined, 'DISPLAY - CIE-XYZ-D65_to_sRGB'],
  ] as const)(
    'codes for a screen of %s are those of OpenColorIO within one, with noise on the mean',
    async (screen, name) => {
      const { kernels, store } = createLoneKernels(64)
      const found = byOcio(
        [[name, true]],
        wide.map((v) => apply(toXyz(chromaticities.rec709), v)),
      )
      // It has P3 under a power of 2.6 alone.
      const toScreen =
        screen === 'p3' ? found.map((v) => v.map((c) => linearToSrgb(Math.max(0, c) ** 2.6))) : found
      const shown = (dither?: number) => {
        const [of, codes] = [store.allocate(wide.length, 64, 4), new Uint8Array(wide.length * 64 * 4)]
        for (let i = 0; i < wide.length * 64; i++) of.data.set([...wide[i % wide.length]!, 1], i * 4)
        displayViewed(codes, of, { gain: 1, channel: 'colour', checker: 0, dither }, { screen }, undefined, {
          kernels,
          store,
        })
        return codes
      }
      const [plain, noisy] = [shown(), shown(3)]
      wide.forEach((_, i) => {
        for (const c of [0, 1, 2] as const) {
          const wanted = 255 * Math.min(1, Math.max(0, toScreen[i]![c]))
          expect(Math.abs(plain[i * 4 + c]! - wanted), `${name} ${String(i)} ${String(c)}`).toBeLessThan(1.05)
          let sum = 0
          for (let y = 0; y < 64; y++) sum += noisy[(y * wide.length + i) * 4 + c]!
          expect(Math.abs(sum / 64 - wanted)).toBeLessThan(0.3)
        }
      })
      // What is written for it says so, and is the same light again.
      const codes = plain.slice(0, wide.length * 4)
      const { info, light } = await lightOf(writePng(wide.length, 1, codes, screenTag(screen)))
      expect(info.colour.words).toMatch(screen === 'p3' ? /^P3/ : screen ? /gamma 2\.4/ : /sRGB/)
      light.forEach((v, i) => {
        near(v.map(linearToSrgb), row[i]!.map(linearToSrgb), 1.2 / 255)
      })
    },
  )
  test('colours that a screen can not show are marked: those of P3 on sRGB, none of them on P3', () => {
    const inP3 = apply(toWorking('p3-d65'), [0.05, 0.9, 0.05])
    const inRec2020 = apply(toWorking('rec2020'), [0.02, 0.9, 0.02])
    expect(Math.min(...inP3)).toBeLessThan(0)
    const marked = (v: readonly number[], screen?: 'p3') => {
      picture.data.fill(0)
      picture.data.set([...v, 1])
      return markWarnings(new Uint8Array(wide.length * 4), picture, { screen }).negative
    }
    expect([marked(inP3), marked(inP3, 'p3'), marked(inRec2020, 'p3'), marked([0.2, 0.3, 0.4])]).toEqual([
      1, 0, 1, 0,
    ])
  })
  test('movies say which primaries they were made for', async () => {
    const folder = mkdtempSync(join(tmpdir(), 'zafiro-movie-'))
    for (const [screen, primaries] of [
      ['p3', 'smpte432'],
      [undefined, 'bt709'],
    ] as const) {
      const file = join(folder, `${primaries}.mp4`)
      const movie = new MovieWriter(file, 'mp4', { width: 32, height: 32, rate: 24, screen })
      await movie.write(new Uint8Array(32 * 32 * 4).fill(128))
      await movie.finish()
      const said = execFileSync(
        'ffprobe',
        ['-v', 'error', '-show_entries', 'stream=color_primaries', '-of', 'csv=p=0', file],
        { encoding: 'utf8' },
      )
      expect(said.trim()).toBe(primaries)
    }
    rmSync(folder, { recursive: true })
  })
})
