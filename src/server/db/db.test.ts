import { randomBytes } from 'node:crypto'
import { join } from 'node:path'
import { afterAll, beforeAll, beforeEach, describe, expect, test } from 'vitest'
import { addLane, emptyComp } from '../../core/comp/edits.ts'
import { readComp, saveComp } from './comps.ts'
import { insertFrame, insertMedia, readMedia, setPass } from './media.ts'
import { migrate } from './migrate.ts'
import { DatabaseUnreachable, getPool, withDb } from './pool.ts'
import {
  beginWorker,
  cancelRender,
  claimFrame,
  failFrame,
  findRender,
  finishFrame,
  insertRender,
  reportProgress,
  retryRender,
  deleteRender,
  framesMade,
  picturesMade,
} from './renders.ts'
import { findShot, insertShot, listShots, readThumbnail, saveThumbnail } from './shots.ts'

const uri = process.env['ZAFIRO_DB'] ?? ''
const newId = () => randomBytes(6).toString('hex')
const comp = addLane(emptyComp(64, 36), 'Back', { type: 'colour', colour: [0, 0, 1], alpha: 1 })
let shot = ''

beforeAll(async () => {
  // These tests empty the database they are given.
  if (!process.env['ZAFIRO_HOME']?.includes('test'))
    throw new Error('Run these by npm test, on a database of their own.')
  await migrate(uri, join(process.cwd(), 'src/server/db/migrations'))
})
beforeEach(async () => {
  await getPool().query('delete from shots')
  shot = newId()
  await insertShot(getPool(), shot, 'Grotto descent')
})
afterAll(async () => {
  await getPool().end()
})

test('migrations are applied once', async () => {
  expect(await migrate(uri, join(process.cwd(), 'src/server/db/migrations'))).toEqual([])
})

test('shots are listed by last change, with their thumbnails apart', async () => {
  await saveThumbnail(getPool(), shot, Uint8Array.of(1, 2, 3))
  expect((await listShots(getPool())).map((s) => [s.id, s.name, s.hasThumbnail])).toEqual([
    [shot, 'Grotto descent', true],
  ])
  expect([...(await readThumbnail(getPool(), shot))!]).toEqual([1, 2, 3])
  expect(await findShot(getPool(), 'nothing')).toBeUndefined()
})

describe('saving a comp', () => {
  test('makes revisions, and the newest is read back as it was', async () => {
    expect(await saveComp(getPool(), shot, 0, comp)).toEqual({ saved: 1 })
    const next = { ...comp, frames: { first: 1, last: 48, rate: 24 } }
    expect(await saveComp(getPool(), shot, 1, next)).toEqual({ saved: 2 })
    expect(await readComp(getPool(), shot)).toMatchObject({ revision: 2, doc: next })
  })
  test('on an old revision writes nothing and says which is newest', async () => {
    await saveComp(getPool(), shot, 0, comp)
    await saveComp(getPool(), shot, 1, comp)
    expect(await saveComp(getPool(), shot, 1, emptyComp(1, 1))).toMatchObject({ conflict: { revision: 2 } })
    expect((await readComp(getPool(), shot))!.doc).toEqual(comp)
  })
  test('by two at once lets exactly one of them win', async () => {
    await saveComp(getPool(), shot, 0, comp)
    const results = await Promise.all(
      Array.from({ length: 6 }, (_, i) => saveComp(getPool(), shot, 1, emptyComp(10 + i, 10))),
    )
    expect(results.filter((r) => 'saved' in r)).toHaveLength(1)
  })
})

test('media, passes and frames make the table that engines use', async () => {
  const pass = { name: 'depth', kind: 'depth', channels: ['depth.Z'], type: 'float' } as const
  await insertMedia(getPool(), shot, 'm1', 'cave', [{ ...pass, channels: [...pass.channels] }])
  await insertFrame(getPool(), shot, 'm1', {
    frame: -2,
    fileHash: 'a'.repeat(64),
    fileName: 'cave.-2.exr',
    bytes: 1,
    width: 2,
    height: 3,
    warnings: ['odd'],
  })
  expect(await readMedia(getPool(), shot)).toEqual({
    table: {
      m1: {
        name: 'cave',
        passes: [pass],
        frames: { [-2]: 'a'.repeat(64) },
        encoding: 'linear',
        alpha: 'premultiplied',
      },
    },
    warnings: ['cave.-2.exr: odd'],
  })
  expect(await setPass(getPool(), shot, 'm1', 'depth', { kind: 'matte' })).toBe(true)
  expect((await readMedia(getPool(), shot)).table['m1']!.passes[0]!.kind).toBe('matte')
  expect(await setPass(getPool(), shot, 'm1', 'nothing', { kind: 'matte' })).toBe(false)
})

describe('renders', () => {
  const begin = async (frames: number[]) => {
    const id = newId()
    await insertRender(getPool(), {
      id,
      shotId: shot,
      revision: 1,
      comp,
      media: {},
      formats: ['exr', 'png16'],
      options: { size: 2 },
      frames,
    })
    return id
  }
  const states = async (id: string) => (await findRender(getPool(), id))!.frames.map((f) => f.state)

  test('give each frame to one worker, in order, with all that it needs', async () => {
    const id = await begin([1, 2])
    const workers = await Promise.all(['a', 'b'].map(() => getPool().getConnection()))
    for (const [i, name] of ['a', 'b'].entries()) expect(await beginWorker(workers[i]!, name)).toBe(true)
    const [first, second] = [await claimFrame(getPool(), 'a'), await claimFrame(getPool(), 'b')]
    expect([first?.frame, second?.frame, await claimFrame(getPool(), 'c')]).toEqual([1, 2, undefined])
    expect(first).toMatchObject({
      renderId: id,
      shotName: 'Grotto descent',
      comp,
      formats: ['exr', 'png16'],
      options: { size: 2 },
    })
    await finishFrame(getPool(), first!, 'a', ['x.exr'], [], 'k'.repeat(32))
    await failFrame(getPool(), second!, 'b', 'no light')
    expect((await findRender(getPool(), id))!.frames).toMatchObject([
      { state: 'done', files: ['x.exr'], progress: 1 },
      { state: 'failed', problem: 'no light' },
    ])
    await retryRender(getPool(), id)
    expect(await states(id)).toEqual(['done', 'waiting'])
    for (const worker of workers) worker.destroy()
  })
  test('know which pictures were made, of what size, and which frames there are files of', async () => {
    const id = await begin([5, 6])
    const connection = await getPool().getConnection()
    await beginWorker(connection, 'made')
    for (let job = await claimFrame(getPool(), 'made'); job; job = await claimFrame(getPool(), 'made'))
      await finishFrame(
        getPool(),
        job,
        'made',
        ['x.exr'],
        job.frame === 6 ? ['It lacks its depth.'] : [],
        `${job.frame}`.repeat(32),
      )
    const made = (formats: ('exr' | 'png8')[], size: 1 | 2) =>
      picturesMade(getPool(), shot, formats, { size })
    expect((await made(['exr'], 2)).get(5)).toBe('5'.repeat(32))
    // One that was not whole counts as not made, as do other kinds of files and other sizes.
    expect((await made(['exr'], 2)).has(6)).toBe(false)
    expect((await made(['png8'], 2)).size).toBe(0)
    expect((await made(['exr'], 1)).size).toBe(0)
    expect([...(await framesMade(getPool(), shot))]).toEqual(expect.arrayContaining([5, 6]))
    expect(await deleteRender(getPool(), id)).toBe(true)
    expect(await findRender(getPool(), id)).toBeUndefined()
    expect(await deleteRender(getPool(), id)).toBe(false)
    connection.destroy()
  })
  test('take a frame from a worker that is gone; its late result does not count', async () => {
    const id = await begin([1])
    const lost = (await claimFrame(getPool(), 'dead'))!
    expect((await claimFrame(getPool(), 'b'))?.frame).toBe(1)
    expect(await reportProgress(getPool(), lost, 'dead', 0.5)).toBe(false)
    await finishFrame(getPool(), lost, 'dead', ['late.exr'], [], 'l'.repeat(32))
    expect(await states(id)).toEqual(['working'])
  })
  test('give a frame up that stops five workers', async () => {
    const id = await begin([1])
    for (let i = 0; i < 5; i++) expect(await claimFrame(getPool(), `w${i}`)).toBeDefined()
    expect(await claimFrame(getPool(), 'w5')).toBeUndefined()
    expect((await findRender(getPool(), id))!.frames[0]).toMatchObject({
      state: 'failed',
      problem: expect.stringContaining('5 times'),
    })
  })
  test('that are cancelled stop being anyone’s', async () => {
    const id = await begin([1, 2])
    const job = (await claimFrame(getPool(), 'a'))!
    await cancelRender(getPool(), id)
    expect(await states(id)).toEqual(['cancelled', 'cancelled'])
    expect(await reportProgress(getPool(), job, 'a', 0.5)).toBe(false)
  })
})

test('a database that does not answer is told apart from every other failure', async () => {
  const refuse = () => Promise.reject(Object.assign(new Error('connect'), { code: 'ECONNREFUSED' }))
  await expect(withDb(refuse)).rejects.toThrow(DatabaseUnreachable)
  await expect(withDb(() => Promise.reject(new Error('other')))).rejects.toThrow('other')
})
