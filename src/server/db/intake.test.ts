import { randomBytes } from 'node:crypto'
import { mkdirSync, mkdtempSync, readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, expect, test } from 'vitest'
import { addLane, emptyComp } from '../../core/comp/edits.ts'
import { fileAt } from '../../core/comp/media.ts'
import { hashName, hashToFloat } from '../../core/formats/cryptomatte.ts'
import { decodePassBlock } from '../../core/formats/pass-block.ts'
import { textAttribute, writeExr, type ExrChannelData } from '../../core/formats/exr-write.ts'
import { numberToHalf } from '../../core/picture/half.ts'
import { folders } from '../home.ts'
import { intakePath } from '../incoming.ts'
import { decodePool } from '../media/decode-pool.ts'
import { bringIn } from '../media/intake.ts'
import { listIntake } from '../media/intake-folder.ts'
import { storedPath } from '../media/store.ts'
import { objectsOf } from '../media/objects.ts'
import { nodeZlib } from '../media/node-zlib.ts'
import { knownFiles, readMedia, setReading } from './media.ts'
import { migrate } from './migrate.ts'
import { getPool } from './pool.ts'
import { bringBack } from '../render/bring-back.ts'
import { insertRender } from './renders.ts'
import { insertShot } from './shots.ts'

const folder = mkdtempSync(join(tmpdir(), 'zafiro-intake-'))
const shotId = randomBytes(6).toString('hex')
const [width, height] = [12, 9]
const constant = (name: string, value: number): ExrChannelData => ({
  name,
  type: 'half',
  values: new Uint16Array(width * height).fill(numberToHalf(value)),
})
const write = (name: string, channels: readonly ExrChannelData[], attributes: [string, string][] = []) => {
  const window = [0, 0, width - 1, height - 1] as const
  const picture = { dataWindow: window, displayWindow: window, compression: 'zip' as const, channels }
  const path = join(folder, name)
  writeFileSync(
    path,
    writeExr({ ...picture, attributes: attributes.map(([n, t]) => textAttribute(n, t)) }, nodeZlib),
  )
  return path
}
const rgb = (v: number) => ['R', 'G', 'B'].map((c) => constant(c, v))
const bring = (name: string, channels = rgb(0.5), more: Parameters<typeof bringIn>[4] = {}) =>
  bringIn(getPool(), shotId, write(name, channels), name, more)
const table = async () => (await readMedia(getPool(), shotId)).table

beforeAll(async () => {
  await migrate(process.env['ZAFIRO_DB'] ?? '', join(process.cwd(), 'src/server/db/migrations'))
  await insertShot(getPool(), shotId, 'Intake')
})
afterAll(async () => {
  rmSync(folder, { recursive: true })
  await getPool().query('delete from shots where id = ?', [shotId])
  await getPool().end()
})

test('passes in files beside each other become one media; drawn layers of like names do not', async () => {
  for (const n of ['0001', '0002']) {
    await bring(`cave.${n}.exr`)
    await bring(`cave_depth.${n}.exr`, [constant('Y', 7)])
    await bring(`cave_shadow.${n}.exr`, [constant('Y', 0.25)])
  }
  await bring('seahorse_shadow.0001.exr')
  const found = await table()
  expect(Object.values(found).map((m) => m.name)).toEqual(['cave', 'seahorse_shadow'])
  const [cave] = Object.values(found)
  expect(cave!.passes.map((p) => [p.name, p.kind])).toEqual([
    ['beauty', 'colour'],
    ['depth', 'depth'],
    ['shadow', 'shadow'],
  ])
  const depth = cave!.passes[1]!
  expect(Object.keys(cave!.beside!['depth']!)).toEqual(['1', '2'])
  const hash = fileAt(cave!, 2, depth)!
  const path = await decodePool().form(hash, {
    pass: depth.inFile!,
    as: 'data',
    reduction: 1,
    filter: 'pick',
  })
  expect(decodePassBlock(new Uint8Array(readFileSync(path)).buffer).data[0]).toBe(numberToHalf(7))
})

test('a broken frame is known as broken until it is brought in again; what fills gaps is kept', async () => {
  await bring('bell.0001.exr')
  writeFileSync(join(folder, 'bell.0002.exr'), 'not a picture')
  await expect(bringIn(getPool(), shotId, join(folder, 'bell.0002.exr'), 'bell.0002.exr')).rejects.toThrow(
    /bell\.0002\.exr: Not a readable picture.*: it is neither EXR/i,
  )
  await bring('bell.0003.exr')
  const bell = async () => Object.entries(await table()).find(([, m]) => m.name === 'bell')!
  const [ref, before] = await bell()
  expect(before.broken?.[2]).toMatch(/neither EXR/)
  expect(await setReading(getPool(), shotId, ref, { gaps: 'black', reading: { alpha: 'straight' } })).toBe(
    true,
  )
  expect(await setReading(getPool(), shotId, 'nothing', { gaps: 'black' })).toBe(false)
  const [, black] = await bell()
  expect([fileAt(black, 2), black.reading]).toEqual([undefined, { alpha: 'straight' }])
  await bring('bell.0002.exr', rgb(0.7), { modifiedMs: 1234.4 })
  const [, after] = await bell()
  expect([after.broken, fileAt(after, 2) === undefined]).toEqual([undefined, false])
  expect(await knownFiles(getPool(), shotId)).toMatchObject([{ name: 'bell.0002.exr', modifiedMs: 1234 }])
})

test('objects are named by a list beside the picture, which a header can not look for anywhere else', async () => {
  const id = hashToFloat(hashName('jelly_1'))
  const hex = (name: string) => {
    const bits = new Uint32Array(Float32Array.of(hashToFloat(hashName(name))).buffer)[0]!
    return bits.toString(16).padStart(8, '0')
  }
  const float = (name: string, value: number): ExrChannelData => ({
    name,
    type: 'float',
    values: new Float32Array(width * height).fill(value),
  })
  const channels = [float('ids00.R', id), float('ids00.G', 0.75), float('ids00.B', 0), float('ids00.A', 0)]
  const headers = (file: string): [string, string][] => [
    ['cryptomatte/1234567/name', 'ids'],
    ['cryptomatte/1234567/manif_file', file],
  ]
  writeFileSync(join(folder, 'names.json'), JSON.stringify({ jelly_1: hex('jelly_1') }))
  mkdirSync(join(folder, 'inner'))
  const name = 'inner/masked.0001.exr'
  await bringIn(getPool(), shotId, write(name, channels, headers('../names.json')), 'masked.0001.exr', {
    isInPlace: true,
  })
  const [ref] = Object.entries(await table()).find(([, m]) => m.name === 'masked')!
  expect(await objectsOf(shotId, ref, 'ids', 1)).toEqual([
    { id: hex('jelly_1'), pixels: width * height * 0.75 },
  ])
  // Beside it, the list is taken.
  writeFileSync(join(folder, 'inner/names.json'), JSON.stringify({ jelly_1: hex('jelly_1') }))
  await bringIn(getPool(), shotId, join(folder, name), 'masked.0001.exr', { isInPlace: true })
  expect((await objectsOf(shotId, ref, 'ids', 1))[0]).toMatchObject({ name: 'jelly_1' })
  writeFileSync(join(folder, 'bad.json'), '[1]')
  await expect(bringIn(getPool(), shotId, join(folder, 'bad.json'), 'bad.json')).rejects.toThrow(
    /no list of objects/,
  )
})

test('the intake folder is listed by sequences, thousands of files too, and leads nowhere else', async () => {
  rmSync(folders.intake, { recursive: true, force: true })
  mkdirSync(join(folders.intake, 'takes'), { recursive: true })
  for (let i = 1; i <= 10_000; i++)
    if (i !== 77) writeFileSync(join(folders.intake, 'takes', `cave.${String(i).padStart(5, '0')}.exr`), '')
  writeFileSync(join(folders.intake, 'takes', 'still one.png'), '')
  writeFileSync(join(folders.intake, 'takes', 'notes.txt'), '')
  const began = performance.now()
  const listing = await listIntake('takes')
  expect(performance.now() - began).toBeLessThan(2000)
  expect(listing.sequences.map((s) => [s.name, s.files.length, s.frames])).toEqual([
    ['cave', 9999, 'frames 1 to 10000, missing 77'],
    ['still one.png', 1, ''],
  ])
  expect((await listIntake('')).folders).toEqual(['takes'])
  await expect(listIntake('../..')).rejects.toThrow(/does not lie in the intake folder/)
  symlinkSync('/etc', join(folders.intake, 'out'))
  await expect(intakePath('out/passwd')).rejects.toThrow(/does not lie in the intake folder/)
  await expect(listIntake('nowhere')).rejects.toThrow(/not there any more/)
})

test('a shot is opened as a render had it: media that became others stand beside what they are now, once', async () => {
  for (const n of [1, 2]) await bring(`vent.000${n}.exr`, rgb(n))
  await bring('still.exr', rgb(7))
  const refOf = async (name: string) => Object.entries(await table()).find(([, m]) => m.name === name)![0]
  const [vent, still] = [await refOf('vent'), await refOf('still')]
  await setReading(getPool(), shotId, vent, { gaps: 'black' })
  let comp = addLane(emptyComp(width, height), 'Vent', { type: 'pass', media: vent, pass: 'beauty' })
  comp = addLane(comp, 'Still', { type: 'pass', media: still, pass: 'beauty' })
  const was = await table()
  const id = randomBytes(6).toString('hex')
  await insertRender(getPool(), {
    id,
    shotId,
    revision: 1,
    comp,
    media: was,
    formats: ['exr'],
    options: {},
    frames: [1, 2],
  })
  expect(await bringBack(getPool(), id)).toEqual({
    comp,
    media: was,
    beside: [],
    lost: 0,
    isOtherBuild: false,
  })

  // One frame comes anew, and the passes are read otherwise by hand.
  await bring('vent.0002.exr', rgb(20))
  await setReading(getPool(), shotId, vent, { reading: { alpha: 'straight' } })
  const now = await table()
  const back = await bringBack(getPool(), id)
  expect(back).toMatchObject({ beside: ['vent · render 1'], lost: 0 })
  const [first, second] = back.comp.lanes.map((l) => (l.source.type === 'pass' ? l.source.media : ''))
  expect(second).toBe(still)
  expect(back.media[first!]).toEqual({ ...was[vent], name: 'vent · render 1' })
  expect(back.media).toEqual({ ...now, [first!]: back.media[first!] })
  // Opened once more, the same is taken; a frame that comes now joins what it is named for.
  expect(await bringBack(getPool(), id)).toEqual(back)
  await bring('vent.0003.exr', rgb(30))
  expect(Object.keys((await table())[vent]!.frames)).toEqual(['1', '2', '3'])

  // A file that is there no more is told, and the rest comes back.
  const gone = was[vent]!.frames[2]!
  await getPool().query('delete from media where shot_id = ? and ref = ?', [shotId, first])
  rmSync(storedPath(gone))
  const poorer = await bringBack(getPool(), id)
  expect(poorer.lost).toBe(1)
  expect(Object.keys(poorer.media[first!]!.frames)).toEqual(['1'])
  await expect(bringBack(getPool(), '000000000000')).rejects.toThrow('There is no such render')
})
