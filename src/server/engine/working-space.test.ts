import { execFileSync } from 'node:child_process'
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, expect, test } from 'vitest'
import { changeSpace } from '../../core/comp/change-space.ts'
import { addLane, addStep, emptyComp } from '../../core/comp/edits.ts'
import type { Comp } from '../../core/comp/schema.ts'
import { putDial } from '../../core/comp/settings.ts'
import { encodeFile } from '../render/encode-file.ts'
import { openMedia } from '../media/raster-file.ts'
import { NodeEngine } from './node-engine.ts'

// A frame that OpenImageIO has written in ACEScg, finished in a shot that works in ACEScg and in one that works in Rec.709.

const [width, height] = [24, 16]
const folder = mkdtempSync(join(tmpdir(), 'zafiro-space-'))
afterAll(() => {
  rmSync(folder, { recursive: true })
})
const oiio = (...args: string[]) => execFileSync('oiiotool', args, { encoding: 'utf8' })

/** Light of ACEScg as floats, some of it outside of what Rec.709 holds. */
const light = new Float32Array(width * height * 4).map((_, i) =>
  i % 4 === 3 ? 1 : (((i * 7919) % 997) / 997) ** 3 * 3,
)
const acescg = '0.713,0.293,0.165,0.830,0.128,0.044,0.32168,0.33767'
// Raw floats into a file by way of a PFM, whose rows begin at the bottom.
const rows = Array.from({ length: height }, (_, y) => height - 1 - y).flatMap((y) =>
  Array.from({ length: width * 3 }, (_, x) => light[(y * width + Math.floor(x / 3)) * 4 + (x % 3)]!),
)
const pfm = join(folder, 'a.pfm')
writeFileSync(
  pfm,
  Buffer.concat([Buffer.from(`PF\n${width} ${height}\n-1.0\n`), Buffer.from(Float32Array.from(rows).buffer)]),
)
const exr = join(folder, 'a.exr')
oiio(pfm, '--ch', 'R,G,B,A=1', '-d', 'float', '--attrib:type=float[8]', 'chromaticities', acescg, '-o', exr)

const file = await openMedia(readFileSync(exr))
const media = { m1: { name: 'a', frames: { 1: 'a'.repeat(64) }, passes: file.info.passes } }
const beauty = { type: 'pass', media: 'm1', pass: 'beauty' } as const
const engine = new NodeEngine(
  ({ pass, as }) => Promise.resolve(file.readPass(pass.inFile ?? pass.name, as)),
  { threads: 1, memoryMiB: 128 },
)
const shot = (space: 'rec709' | 'acescg'): Comp =>
  changeSpace(
    {
      ...addLane(emptyComp(width, height), 'Back', beauty),
      frames: { first: 1, last: 1, rate: 24 },
      dither: false,
    },
    space,
  )
const rendered = async (comp: Comp) => (await engine.renderFrame(comp, media, 1)).picture

/** The values of a file as OpenImageIO reads them. */
function read(bytes: Uint8Array, ending: string): { data: Float32Array; info: () => string } {
  const name = join(folder, `b.${ending}`)
  writeFileSync(name, bytes)
  const text = oiio('--dumpdata', name)
  const data = Float32Array.from(
    [...text.matchAll(/Pixel \(\d+, \d+\): ([^\n]*)/g)].flatMap(([, values]) =>
      values!.trim().split(/\s+/).slice(0, 3).map(Number),
    ),
  )
  expect(data.length).toBe(width * height * 3)
  return { data, info: () => oiio('--info', '-v', name) }
}
const worst = (found: Float32Array, wanted: (p: number, c: number) => number) =>
  found.reduce(
    (most, v, i) => Math.max(most, Math.abs(v - wanted(Math.floor(i / 3), i % 3)) / Math.max(1, Math.abs(v))),
    0,
  )
const own = (p: number) => [0, 1, 2].map((c) => light[p * 4 + c]!)

test('what is of the working space comes in as it is, to the bit, and goes out so', async () => {
  const picture = await rendered(shot('acescg'))
  expect(Array.from(picture.data)).toEqual(Array.from(light))
  const of = { comp: shot('acescg'), media, frame: 1 }
  const { data, info } = read(await encodeFile(picture, 'exr-float', 'x', engine, of), 'exr')
  // As many digits as it prints.
  expect(worst(data, (p, c) => light[p * 4 + c]!)).toBeLessThan(2e-6)
  expect(info()).toMatch(/chromaticities: 0\.713, 0\.293, 0\.165, 0\.83, 0\.128, 0\.044, 0\.32168, 0\.33767/)
})

test('both shots write the same files, in each space, and are seen by the same codes', async () => {
  const pictures = [await rendered(shot('rec709')), await rendered(shot('acescg'))]
  for (const space of ['rec709', 'acescg', 'rec2020'] as const) {
    const files = await Promise.all(
      (['rec709', 'acescg'] as const).map((in_, i) =>
        encodeFile(pictures[i]!, 'exr-float', 'x', engine, { comp: shot(in_), media, frame: 1 }, { space }),
      ),
    )
    const [a, b] = files.map((bytes) => read(bytes, 'exr').data) as [Float32Array, Float32Array]
    expect(
      worst(a, (p, c) => b[p * 3 + c]!),
      space,
    ).toBeLessThan(1e-5)
  }
  const codes = await Promise.all(
    (['rec709', 'acescg'] as const).map((in_, i) =>
      engine.shownCodes(pictures[i]!, { comp: shot(in_), media, frame: 1 }),
    ),
  )
  expect(
    codes[0]!.reduce((most, v, i) => Math.max(most, Math.abs(v - codes[1]![i]!)), 0),
  ).toBeLessThanOrEqual(1)
})

test('light that is added, blurred and placed is the same light in both', async () => {
  const look = (space: 'rec709' | 'acescg') => {
    let comp = shot(space)
    for (const [i, effect] of ['exposure', 'blur', 'place'].entries())
      comp = addStep(comp, 'lane1', i, effect)[0]
    comp = putDial(comp, 'step1', 'stops', 0.7)
    return putDial(comp, 'step2', 'radius', 2)
  }
  const files = await Promise.all(
    (['rec709', 'acescg'] as const).map(async (space) =>
      encodeFile(
        await rendered(look(space)),
        'exr-float',
        'x',
        engine,
        { comp: look(space), media, frame: 1 },
        { space: 'acescg' },
      ),
    ),
  )
  const [a, b] = files.map((bytes) => read(bytes, 'exr').data) as [Float32Array, Float32Array]
  expect(worst(a, (p, c) => b[p * 3 + c]!)).toBeLessThan(1e-5)
})

test('what asks for luminance asks the space: saturation, tones, keys, mattes, grading by the weights of ACEScg (S-2014-004)', async () => {
  const luminance = (p: number) =>
    [0.2722287168, 0.6740817658, 0.0536895174].reduce((sum, w, c) => sum + w * own(p)[c]!, 0)
  const after = async (effect: string, dials: Record<string, number | string | boolean | number[][]>) => {
    let comp = addStep(shot('acescg'), 'lane1', 0, effect)[0]
    for (const [key, value] of Object.entries(dials)) comp = putDial(comp, 'step1', key, value)
    const { data } = await rendered(comp)
    return (p: number, c: number) => data[p * 4 + c]!
  }
  const check = (
    found: (p: number, c: number) => number,
    wanted: (p: number, c: number) => number,
    within: number,
    what: string,
  ) => {
    for (let p = 0; p < width * height; p++)
      for (let c = 0; c < 3; c++)
        expect(Math.abs(found(p, c) - wanted(p, c)), `${what} at ${p}`).toBeLessThan(
          within * Math.max(1, Math.abs(wanted(p, c))),
        )
  }
  check(await after('saturation', { saturation: 0 }), luminance, 2e-6, 'saturation')
  check(await after('cdl-grade', { saturation: 0 }), luminance, 2e-6, 'grade')
  check(await after('matte-from', { of: 'luminance' }), (p) => Math.min(1, luminance(p)), 2e-6, 'matte')
  check(
    await after('luminance-key', { low: 0.5, softLow: 0.5, high: 1e6, softHigh: 0 }),
    (p) => Math.min(1, Math.max(0, 1 + (luminance(p) - 0.5) / 0.5)),
    1e-5,
    'key',
  )
  // A tone curve of luminance that doubles all light keeps colours as they are.
  check(await after('tint', { wash: 1, keep: false, colour: [1, 1, 1] as never }), luminance, 2e-6, 'tint')
})

test('the engine gives the same file for the same shot again', async () => {
  const [a, b] = [await rendered(shot('acescg')), await rendered(shot('acescg'))]
  expect(Buffer.from(a.data.buffer).equals(Buffer.from(b.data.buffer))).toBe(true)
  await engine.close()
})
