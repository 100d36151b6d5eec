import { execFileSync } from 'node:child_process'
import {
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  symlinkSync,
  writeFileSync,
} from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import sharp from 'sharp'
import { afterAll, describe, expect, test, vi } from 'vitest'
import { changeSpace } from '../core/comp/change-space.ts'
import { addLane, addStep, emptyComp, setFeed } from '../core/comp/edits.ts'
import type { Comp } from '../core/comp/schema.ts'
import { putDial } from '../core/comp/settings.ts'
import { portableZlib } from '../core/formats/exr-codecs.ts'
import { cryptomatteHeader, hashName, hashToFloat } from '../core/formats/cryptomatte.ts'
import { textAttribute, writeExr } from '../core/formats/exr-write.ts'
import { openMedia } from '../server/media/raster-file.ts'
import { MovieWriter } from '../server/render/movie.ts'
import { renderShotFile, type RenderChoice, type RenderEvent } from './render.ts'

const onePixel = {
  dataWindow: [0, 0, 0, 0],
  displayWindow: [0, 0, 0, 0],
  compression: 'none',
  channels: ['R', 'G', 'B', 'A'].map((name) => ({
    name,
    type: 'float' as const,
    values: Float32Array.of(0.5),
  })),
} as const

const folder = mkdtempSync(join(tmpdir(), 'zafiro-outside-'))
const inside = join(folder, 'shot')
mkdirSync(inside)
writeFileSync(join(folder, 'secret.exr'), 'not a picture')
symlinkSync(join(folder, 'secret.exr'), join(inside, 'link.exr'))
afterAll(() => {
  rmSync(folder, { recursive: true })
})

const render = (file: string, mayLeave: boolean) => {
  const media = { m1: { name: 'cave', files: { 1: file } } }
  const path = join(inside, 'grotto.zafiro.json')
  writeFileSync(
    path,
    JSON.stringify({ format: 'zafiro-shot', version: 1, name: 'Grotto', comp: emptyComp(4, 3), media }),
  )
  const options = { frames: '1', out: join(folder, 'out'), format: 'exr', mayLeave }
  return renderShotFile(path, options, () => undefined)
}

test('frames may begin below 0', async () => {
  const { main } = await import('./main.ts')
  const said: string[] = []
  const write = vi.spyOn(process.stderr, 'write').mockImplementation((text) => said.push(String(text)) > 0)
  await main(['render', join(folder, 'absent.json'), '--frames', '-1-10', '--out', folder])
  write.mockRestore()
  process.exitCode = 0
  // It got as far as the file.
  expect(said.join('')).toMatch(/absent\.json/)
})

test.each(['../secret.exr', 'sub/../../secret.exr', '/etc/hostname', join(folder, 'secret.exr'), 'link.exr'])(
  'a shot file may come from anyone: %s is read only where that is allowed',
  async (file) => {
    await expect(render(file, false)).rejects.toThrow(/outside the folder of the shot file/)
    // Allowed, it is read, and found to be no picture.
    await expect(render(file, true)).rejects.toThrow(/unreadable|Not a readable|no such file/i)
  },
)

describe('frames of a shot file', () => {
  const flat = () => {
    const comp = addLane({ ...emptyComp(9, 6), frames: { first: 1, last: 9, rate: 24 } }, 'Flat', {
      type: 'colour',
      colour: [0.5, 2, 0.1],
      alpha: 0.8,
    })
    const path = join(inside, 'flat.zafiro.json')
    writeFileSync(
      path,
      JSON.stringify({ format: 'zafiro-shot', version: 1, name: 'Flat water', comp, media: {} }),
    )
    return path
  }
  const run = async (path: string, choice: Partial<RenderChoice>) => {
    const events: RenderEvent[] = []
    const out = join(folder, `frames-${Math.random().toString(36).slice(2)}`)
    // Threads that help are found beside the bundle alone.
    const options = { frames: '1-5x2', out, format: 'exr', mayLeave: false, threads: '1', ...choice }
    const failed = await renderShotFile(path, options, (event) => events.push(event))
    return { events, failed, out: options.out, files: readdirSync(options.out).sort() }
  }
  test('in lists, at a size, by a name, and again only what is not there', async () => {
    const first = await run(flat(), { format: 'png16', scale: '1/2', name: '{shot}_{frame:6}' })
    expect(first.files).toEqual(['flat-water_000001.png', 'flat-water_000003.png', 'flat-water_000005.png'])
    const info = await sharp(join(first.out, first.files[0]!)).metadata()
    expect([info.width, info.height, info.depth]).toEqual([5, 3, 'ushort'])
    const again = await run(flat(), {
      ...first,
      frames: '1-6',
      format: 'png16',
      scale: '1/2',
      name: '{shot}_{frame:6}',
      skipExisting: true,
    })
    expect(again.events.map((e) => e.event)).toEqual([
      'start',
      'skipped',
      'frame',
      'skipped',
      'frame',
      'skipped',
      'frame',
      'end',
    ])
    expect(again.files).toHaveLength(6)
    expect((await run(flat(), { scale: '32', format: 'jpeg', frames: '2' })).files).toEqual([
      'flat-water.0002.jpg',
    ])
  })
  test('a shot that is worked in ACEScg gives EXR of ACEScg, which says so, and PNG and TIFF of the same codes', async () => {
    const path = flat()
    const { comp, ...shot } = JSON.parse(readFileSync(path, 'utf8')) as { comp: Comp }
    writeFileSync(path, JSON.stringify({ ...shot, comp: changeSpace(comp, 'acescg') }))
    const exr = await run(path, { format: 'exr-float', frames: '1' })
    const text = execFileSync('oiiotool', ['--dumpdata', '--info', '-v', join(exr.out, exr.files[0]!)], {
      encoding: 'utf8',
    })
    expect(text).toMatch(/chromaticities: 0\.713, 0\.293, 0\.165, 0\.83/)
    const found = /Pixel \(0, 0\): (.*)/.exec(text)![1]!.trim().split(/\s+/).map(Number)
    // S-2014-004 with ITU-R BT.709, adapted by Bradford; six digits.
    const wanted = [
      [0.613097, 0.339523, 0.047379],
      [0.070194, 0.916354, 0.013452],
      [0.020616, 0.10957, 0.869815],
    ].map((m) => 0.8 * (m[0]! * 0.5 + m[1]! * 2 + m[2]! * 0.1))
    wanted.forEach((v, c) => {
      expect(Math.abs(found[c]! - v)).toBeLessThan(1e-5)
    })
    for (const format of ['png16', 'tiff16'] as const) {
      const made = await run(path, { format, frames: '1' })
      const data = await sharp(join(made.out, made.files[0]!), { ignoreIcc: true })
        .toColourspace('rgb16')
        .raw({ depth: 'ushort' })
        .toBuffer()
      const codes = new Uint16Array(data.buffer, data.byteOffset, 4)
      // sRGB codes of 0.5, of what is beyond white, and of 0.1.
      ;[0.735357, 1, 0.34919].forEach((v, c) => {
        expect(Math.abs(codes[c]! / 65535 - v)).toBeLessThan(5e-4)
      })
    }
  })
  test('as TIFF, JPEG and float, read by others', async () => {
    const tiff = await run(flat(), { format: 'tiff16', frames: '1' })
    expect((await sharp(join(tiff.out, tiff.files[0]!)).metadata()).depth).toBe('ushort')
    const [r, , , a] = await sharp(join(tiff.out, tiff.files[0]!), { ignoreIcc: true })
      .toColourspace('rgb16')
      .raw({ depth: 'ushort' })
      .toBuffer()
      .then((b) => new Uint16Array(b.buffer, b.byteOffset, 4))
    // sRGB code of 0.5, straight; alpha as it is.
    expect(Math.abs(r! / 65535 - 0.7354)).toBeLessThan(1e-3)
    expect(Math.abs(a! / 65535 - 0.8)).toBeLessThan(1e-3)
    const jpeg = await run(flat(), { format: 'jpeg', frames: '1' })
    const shown = await sharp(join(jpeg.out, jpeg.files[0]!)).raw().toBuffer({ resolveWithObject: true })
    expect(shown.info.channels).toBe(3)
    // Over black: 0.4 of light is code 0.6652.
    expect(Math.abs(shown.data[0]! / 255 - 0.6652)).toBeLessThan(0.03)
    const float = await run(flat(), { format: 'exr-float', frames: '1' })
    const file = await openMedia(readFileSync(join(float.out, float.files[0]!)))
    expect(file.info.passes[0]!.type).toBe('float')
    expect(file.storedPixels([[4, 3]])[0]![0]!.values['G']).toBeCloseTo(1.6, 6)
  })
  test('as a movie that ffprobe reads with the right count, rate and size, of odd sides too', async () => {
    const out = join(folder, 'movies')
    for (const [kind, codec] of [
      ['mp4', 'h264'],
      ['webm', 'vp9'],
      ['mov', 'prores'],
    ] as const) {
      const movie = join(folder, `look.${kind}`)
      await run(flat(), { frames: '1-9', format: 'review', out, movie, scale: kind === 'mov' ? '64' : '65' })
      const asked = [
        '-v',
        'error',
        '-count_frames',
        '-select_streams',
        'v:0',
        '-show_entries',
        'stream=codec_name,width,height,r_frame_rate,nb_read_frames',
        '-of',
        'json',
      ]
      const { streams } = JSON.parse(execFileSync('ffprobe', [...asked, movie], { encoding: 'utf8' })) as {
        streams: Record<string, unknown>[]
      }
      const [width, height] = kind === 'mov' ? [64, 43] : [66, 44]
      expect(streams[0]).toMatchObject({
        codec_name: codec,
        width,
        height,
        r_frame_rate: '24/1',
        nb_read_frames: '9',
      })
    }
    // Nothing but the frames and the movies is left.
    expect(readdirSync(folder).filter((name) => name.endsWith('.part'))).toEqual([])
    await expect(run(flat(), { movie: 'look.avi' })).rejects.toThrow(/--movie/)
  })
  test('without ffmpeg it is said what to install', async () => {
    const writer = new MovieWriter(
      join(folder, 'none.mp4'),
      'mp4',
      { width: 2, height: 2, rate: 23.976 },
      'ffmpeg-that-is-not-there',
    )
    await expect(writer.write(new Uint8Array(16)).then(() => writer.finish())).rejects.toThrow(
      /apt-get install ffmpeg/,
    )
    const small = new MovieWriter(join(folder, 'small.mp4'), 'mp4', { width: 2, height: 2, rate: 24 })
    await expect(small.write(new Uint8Array(15))).rejects.toThrow(/another size/)
    await small.drop()
  })
  test('with layers beside the picture, read by OpenImageIO with the values that each has', async () => {
    const [width, height] = [6, 4]
    const ramp = (k: number) => new Float32Array(width * height).map((_, i) => k * i)
    const channels = [
      ['R', 0.1],
      ['G', 0.2],
      ['B', 0.3],
      ['depth.Z', 1000.5],
    ].map(([name, k]) => ({ name: String(name), type: 'float' as const, values: ramp(Number(k)) }))
    writeFileSync(
      join(inside, 'deep.exr'),
      writeExr(
        { dataWindow: [0, 0, 5, 3], displayWindow: [0, 0, 5, 3], compression: 'none', channels },
        portableZlib,
      ),
    )
    let comp = addLane(emptyComp(width, height), 'Cave wall', { type: 'pass', media: 'm1', pass: 'beauty' })
    const [lit, id] = addStep(comp, 'lane1', 0, 'matte-light')
    comp = putDial(putDial(lit, id, 'tint', [2, 4, 8]), id, 'softness', 0)
    comp = setFeed(comp, id, 'matte', { from: { type: 'pass', media: 'm1', pass: 'depth' }, invert: true })
    comp = addLane(comp, 'Half', { type: 'colour', colour: [0.5, 0.25, 0.125], alpha: 1 })
    comp = {
      ...comp,
      lanes: comp.lanes.map((l) => (l.id === 'lane2' ? { ...l, join: { mode: 'plus', opacity: 0.5 } } : l)),
    }
    const path = join(inside, 'deep.zafiro.json')
    writeFileSync(
      path,
      JSON.stringify({
        format: 'zafiro-shot',
        version: 1,
        name: 'Deep',
        comp,
        media: { m1: { name: 'deep', files: { 1: 'deep.exr' } } },
      }),
    )
    const { out, files } = await run(path, { frames: '1', layers: 'lights,lanes,mattes,passes' })
    const file = join(out, files[0]!)
    const words = execFileSync('oiiotool', ['-v', '--info', file], { encoding: 'utf8' })
    const names = /channel list: (.*)/
      .exec(words)![1]!
      .split(', ')
      .map((n) => n.replace(/ \(.*\)/, '').trim())
    expect(names).toEqual(
      expect.arrayContaining([
        'R',
        'A',
        'light_matte_light.R',
        'lane_cave_wall.B',
        'lane_half.G',
        'matte_cave_wall_matte_light.Y',
        'pass_depth.Y',
      ]),
    )
    expect(words).toMatch(/pass_depth\.Y \(float\)/)
    // One row of numbers for each pixel, in the order of the channel list.
    const dumped = execFileSync('oiiotool', ['--dumpdata', file], { encoding: 'utf8', maxBuffer: 1e8 })
    const pixels = [...dumped.matchAll(/Pixel \(\d+, \d+\): (.*)/g)].map((m) =>
      m[1]!.trim().split(/\s+/).map(Number),
    )
    const dump = (channel: string) => pixels.map((values) => values[names.indexOf(channel)]!)
    const near = (found: readonly number[], wanted: (i: number) => number, within: number) => {
      expect(found).toHaveLength(width * height)
      found.forEach((v, i) => {
        expect(Math.abs(v - wanted(i))).toBeLessThanOrEqual(within * Math.max(1, Math.abs(wanted(i))))
      })
    }
    near(dump('pass_depth.Y'), (i) => 1000.5 * i, 1e-6)
    near(dump('lane_half.G'), () => 0.25, 0)
    // Outside of the depth, of which only 0 is outside.
    near(dump('matte_cave_wall_matte_light.Y'), (i) => (i === 0 ? 1 : 0), 0)
    near(dump('light_matte_light.R'), (i) => (i === 0 ? 2 : 0), 1e-3)
    near(dump('lane_cave_wall.B'), (i) => 0.3 * i + (i === 0 ? 8 : 0), 1e-3)
    near(dump('B'), (i) => 0.3 * i + (i === 0 ? 8 : 0) + 0.0625, 1e-3)
    // Data is not made smaller.
    const half = await run(path, { frames: '1', layers: 'passes,lanes', scale: '1/2' })
    const small = execFileSync('oiiotool', ['-v', '--info', join(half.out, half.files[0]!)], {
      encoding: 'utf8',
    })
    expect([small.includes('pass_depth'), small.includes('lane_half')]).toEqual([false, true])
    await expect(run(path, { layers: 'everything' })).rejects.toThrow(/--layers wants some of lights, lanes/)
  })
  test.each(['zip', 'dwaa'])(
    'IDs are handed through by %s with their manifest, read by OpenImageIO',
    async (compression) => {
      const [width, height] = [37, 21]
      const bits = (name: string) => hashToFloat(hashName(name))
      const ids = Float32Array.from({ length: width * height }, (_, i) =>
        i % width < 20 ? bits('bell') : bits('käse 🧀'),
      )
      const cover = Float32Array.from({ length: width * height }, (_, i) => (i % 3) / 2)
      const channels = [
        ...['R', 'G', 'B'].map((name, k) => ({
          name,
          type: 'half' as const,
          values: new Uint16Array(width * height).fill(0x3800 + 64 * k),
        })),
        ...[
          ['R', ids],
          ['G', cover],
          ['B', new Float32Array(width * height)],
          ['A', new Float32Array(width * height)],
        ].map(([c, values]) => ({
          name: `objects00.${c as string}`,
          type: 'float' as const,
          values: values as Float32Array,
        })),
      ]
      const attributes = cryptomatteHeader('objects', ['bell', 'käse 🧀', 'not in the frame']).map(
        ([name, text]) => textAttribute(name, text),
      )
      // Data that begins two pixels within the frame.
      const [dataWindow, displayWindow] = [
        [2, 1, width + 1, height],
        [0, 0, width + 3, height + 1],
      ] as const
      writeFileSync(
        join(inside, 'ids.exr'),
        writeExr({ dataWindow, displayWindow, compression: 'zip', channels, attributes }, portableZlib),
      )
      const comp = addLane(emptyComp(width + 4, height + 2), 'Cave', {
        type: 'pass',
        media: 'm1',
        pass: 'beauty',
      })
      const path = join(inside, 'ids.zafiro.json')
      writeFileSync(
        path,
        JSON.stringify({
          format: 'zafiro-shot',
          version: 1,
          name: 'Ids',
          comp,
          media: { m1: { name: 'ids', files: { 1: 'ids.exr' } } },
        }),
      )
      const { out, files } = await run(path, { frames: '1', layers: 'passes', compression })
      const file = join(out, files[0]!)
      const info = execFileSync('oiiotool', ['-a', '-v', '--info', file], { encoding: 'utf8' })
      expect(info).toContain(`compression: "${compression}"`)
      const manifest = JSON.parse(/manifest: "(.*)"/.exec(info)![1]!) as Record<string, string>
      const hex = (name: string) =>
        new Uint32Array(Float32Array.of(bits(name)).buffer)[0]!.toString(16).padStart(8, '0')
      expect(manifest).toMatchObject({ bell: hex('bell'), 'käse 🧀': hex('käse 🧀') })
      // What is packed with losses keeps IDs in a part of their own.
      const part = compression === 'dwaa' ? ['--subimage', '1'] : []
      execFileSync('oiiotool', [
        file,
        ...part,
        '--ch',
        'objects00.R,objects00.G',
        '-d',
        'float',
        '--compression',
        'none',
        '-o',
        join(out, 'apart.exr'),
      ])
      const apart = (await openMedia(readFileSync(join(out, 'apart.exr')))).readPass('objects00', {
        isData: true,
      })
      const at = (x: number, y: number) =>
        Array.from(apart.data.slice((y * (width + 4) + x) * 2, (y * (width + 4) + x) * 2 + 2))
      for (const [x, y] of [
        [2, 1],
        [21, 5],
        [22, 5],
        [width + 1, height],
      ] as const)
        expect(at(x, y)).toEqual([ids[(y - 1) * width + x - 2], cover[(y - 1) * width + x - 2]])
      expect([at(1, 1), at(width + 2, 3), at(5, 0)]).toEqual([
        [0, 0],
        [0, 0],
        [0, 0],
      ])
      // And this product finds the same objects in what it wrote.
      expect(
        (await openMedia(readFileSync(file))).masks[0]!.objects.get(
          new Uint32Array(Float32Array.of(bits('bell')).buffer)[0]!,
        ),
      ).toBe('bell')
    },
  )
  test('movies show frame, shot and version on them, and have alpha where that is wished', async () => {
    const pixelsOf = (movie: string, format: string) =>
      execFileSync(
        'ffmpeg',
        [
          '-v',
          'error',
          ...(movie.endsWith('webm') ? ['-c:v', 'libvpx-vp9'] : []),
          '-i',
          movie,
          '-vf',
          'scale=in_color_matrix=bt709',
          '-f',
          'rawvideo',
          '-pix_fmt',
          format,
          '-',
        ],
        { maxBuffer: 1e8 },
      )
    const [plain, words] = [join(folder, 'plain.mov'), join(folder, 'words.mov')]
    const large = { frames: '7-8', scale: '320', format: 'review' }
    await run(flat(), { ...large, movie: plain })
    await run(flat(), { ...large, movie: words, burnIn: true })
    const [a, b] = [pixelsOf(plain, 'gray'), pixelsOf(words, 'gray')]
    const [width, height] = [320, 213]
    const differ = (frame: number, y0: number, y1: number) => {
      let count = 0
      for (let i = (frame * height + y0) * width; i < (frame * height + y1) * width; i++)
        if (Math.abs(a[i]! - b[i]!) > 40) count++
      return count
    }
    expect(a.length).toBe(2 * width * height)
    // Only below, and another number on the second frame.
    expect([differ(0, 0, height - 30), differ(1, 0, height - 30)]).toEqual([0, 0])
    expect(differ(0, height - 30, height)).toBeGreaterThan(300)
    const changed = (gray: Buffer) =>
      gray.subarray(0, width * height).filter((v, i) => Math.abs(v - gray[width * height + i]!) > 40).length
    expect(changed(a)).toBe(0)
    expect(changed(b)).toBeGreaterThan(10)
    for (const kind of ['webm', 'mov']) {
      const movie = join(folder, `alpha.${kind}`)
      await run(flat(), { ...large, movie, movieAlpha: true })
      const rgba = pixelsOf(movie, 'rgba')
      const middle = 100 * width + 160
      // Straight: sRGB code of 0.5, cover of 0.8.
      expect(Math.abs(rgba[4 * middle]! - 188)).toBeLessThan(4)
      expect(Math.abs(rgba[4 * middle + 3]! - 204)).toBeLessThan(3)
    }
    await expect(run(flat(), { movie: 'x.mp4', movieAlpha: true })).rejects.toThrow(/H\.264 has no alpha/)
  }, 60_000)
  test('a frame that can not be read is said, and the rest goes on', async () => {
    writeFileSync(join(inside, 'good.exr'), writeExr(onePixel, portableZlib))
    writeFileSync(join(inside, 'bad.exr'), 'no picture')
    const comp = addLane(emptyComp(1, 1), 'Cave', { type: 'pass', media: 'm1', pass: 'beauty' })
    const path = join(inside, 'broken.zafiro.json')
    const media = { m1: { name: 'cave', files: { 1: 'good.exr', 2: 'bad.exr', 3: 'good.exr' } } }
    writeFileSync(path, JSON.stringify({ format: 'zafiro-shot', version: 1, name: 'Broken', comp, media }))
    const { events, failed, files } = await run(path, { frames: '1-3' })
    expect(failed).toBe(1)
    expect(files).toEqual(['broken.0001.exr', 'broken.0003.exr'])
    expect(events.find((e) => e.event === 'failed')).toMatchObject({
      frame: 2,
      message: expect.stringMatching(/bad\.exr/),
    })
    expect(events.at(-1)).toMatchObject({ event: 'end', rendered: 2, failed: 1 })
  })
  test.each([
    [{ frames: '9-1' }, /backwards/],
    [{ name: 'look' }, /\{frame\}/],
    [{ scale: '3' }, /--scale/],
    [{ format: 'gif' }, /--format/],
    [{ compression: 'b44' }, /--compression wants one of none, zips/],
    [{ threads: '0' }, /--threads/],
  ])('%j is refused in words', async (choice, words) => {
    await expect(run(flat(), choice)).rejects.toThrow(words)
  })
})
