import { randomBytes } from 'node:crypto'
import { join } from 'node:path'
import { afterAll, beforeAll, beforeEach, describe, expect, test } from 'vitest'
import { addLane, emptyComp } from '../../core/comp/edits.ts'
import { readComp, saveComp } from './comps.ts'
import { insertFrame, insertMedia, readMedia, setPass } from './media.ts'
import { migrate } from './migrate.ts'
import { DatabaseUnreachable, getPool, withDb } from './pool.ts'
import {
  cancelRender,
  findRender,
  insertRender,
  retryRender,
  deleteRender,
  moveRender,
  pauseRender,
  framesMade,
  picturesMade,
} from './renders.ts'
import {
  changeWorker,
  failFrame,
  findPlan,
  finishFrame,
  freeLost,
  handFrame,
  listWorkers,
  nextFrames,
  noteWorker,
  postponeFrame,
  reportFrames,
  roomOf,
  silentSeconds,
} from './farm.ts'
import { followedRenders, setFollowing, takeArrived } from './followed.ts'
import { orderMark } from './order.ts'
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

  /** Hands the frame that comes next to a worker. */
  const claim = async (seat: string, token = randomBytes(18).toString('base64url')) => {
    for (const key of await nextFrames(getPool(), 10)) {
      const handed = await handFrame(getPool(), { ...key, token }, seat)
      if (handed) return handed
    }
    return undefined
  }
  const result = { files: ['x.exr'], warnings: [], pictureKey: 'k'.repeat(32), ms: 10 }
  const nowhere = () => Promise.resolve(null)
  /** Lets a worker that has a frame go silent for a while. */
  const silence = (seconds: number) =>
    getPool().query(
      `update render_frames set seen_at = current_timestamp(3) - interval ${seconds} second where state = 'working'`,
    )

  test('give each frame to one worker, in order, with all that it needs', async () => {
    const id = await begin([1, 2])
    const [first, second] = [await claim('a'), await claim('b')]
    expect([first?.frame, second?.frame, await claim('c')]).toEqual([1, 2, undefined])
    expect(await findPlan(getPool(), id)).toMatchObject({
      renderId: id,
      shotName: 'Grotto descent',
      comp,
      formats: ['exr', 'png16'],
      options: { size: 2 },
    })
    expect(await finishFrame(getPool(), first!, result, nowhere)).toBe(true)
    await failFrame(getPool(), second!, 'no light')
    expect((await findRender(getPool(), id))!.frames).toMatchObject([
      { state: 'done', files: ['x.exr'], progress: 1 },
      { state: 'failed', problem: 'no light' },
    ])
    await retryRender(getPool(), id)
    expect(await states(id)).toEqual(['done', 'waiting'])
  })
  test('know which pictures were made, of what size, and which frames there are files of', async () => {
    const id = await begin([5, 6])
    for (let job = await claim('made'); job; job = await claim('made'))
      await finishFrame(
        getPool(),
        job,
        {
          ...result,
          warnings: job.frame === 6 ? ['It lacks its depth.'] : [],
          pictureKey: `${job.frame}`.repeat(32),
        },
        nowhere,
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
  })
  test('take a frame from a worker that is silent; its late result does not count, and its files go nowhere', async () => {
    const id = await begin([1])
    const lost = (await claim('dead'))!
    await silence(8)
    expect(await claim('b')).toBeUndefined()
    await silence(silentSeconds + 1)
    const heir = (await claim('b'))!
    expect(heir.frame).toBe(1)
    expect(await reportFrames(getPool(), [{ ...lost, progress: 0.5 }])).toEqual([])
    const placed = { count: 0 }
    const place = () => {
      placed.count++
      return Promise.resolve(null)
    }
    expect(await finishFrame(getPool(), lost, result, place)).toBe(false)
    expect([await states(id), placed.count]).toEqual([['working'], 0])
    expect(await finishFrame(getPool(), heir, result, place)).toBe(true)
    // Told twice, as when an answer got lost.
    expect(await finishFrame(getPool(), heir, result, place)).toBe(false)
    expect([await states(id), placed.count]).toEqual([['done'], 1])
  })
  test('belong to a worker that was cut off for a while and that nobody has taken over from', async () => {
    const id = await begin([1])
    const own = (await claim('far'))!
    await silence(3600)
    expect(await reportFrames(getPool(), [{ ...own, progress: 0.5 }])).toEqual([own.token])
    expect(await claim('b')).toBeUndefined()
    expect(await finishFrame(getPool(), own, result, nowhere)).toBe(true)
    expect(await states(id)).toEqual(['done'])
  })
  test('wait again at once when their worker is started anew, and are given up when that has happened three times', async () => {
    const id = await begin([1, 2])
    for (let i = 0; i < 3; i++) {
      expect((await claim('w'))?.frame).toBe(1)
      await freeLost(getPool(), 'w')
    }
    expect((await claim('w'))?.frame).toBe(2)
    expect((await findRender(getPool(), id))!.frames[0]).toMatchObject({
      state: 'failed',
      problem: expect.stringContaining('3 times'),
    })
  })
  test('that are put back are not counted against, however often', async () => {
    const id = await begin([1])
    for (let i = 0; i < 12; i++) await postponeFrame(getPool(), (await claim('w'))!, 'full')
    expect((await findRender(getPool(), id))!.frames[0]).toMatchObject({ state: 'waiting', problem: 'full' })
    expect((await claim('last'))?.renderId).toBe(id)
  })
  test('are reported, put back and given up while others hand out and finish theirs: nobody waits for a row that is not his', async () => {
    await begin([1, 2, 3])
    const [mine, theirs] = [(await claim('a'))!, (await claim('b'))!]
    const other = await getPool().getConnection()
    try {
      // As one who finishes a frame does while its files are put into their place.
      await other.beginTransaction()
      await other.query('select * from render_frames where render_id = ? and frame = ? for update', [
        theirs.renderId,
        theirs.frame,
      ])
      const all = (async () => {
        expect(await reportFrames(getPool(), [{ ...mine, progress: 0.5 }])).toEqual([mine.token])
        await postponeFrame(getPool(), mine, null)
        await failFrame(getPool(), (await claim('a'))!, 'no light')
        return 'through'
      })()
      const late = new Promise((resolve) => setTimeout(resolve, 3000, 'still waiting'))
      expect(await Promise.race([all, late])).toBe('through')
    } finally {
      await other.rollback()
      other.release()
    }
  })
  test('that are cancelled stop being anyone’s', async () => {
    const id = await begin([1, 2])
    const job = (await claim('a'))!
    await cancelRender(getPool(), id)
    expect(await states(id)).toEqual(['cancelled', 'cancelled'])
    expect(await reportFrames(getPool(), [{ ...job, progress: 0.5 }])).toEqual([])
    expect(await finishFrame(getPool(), job, result, nowhere)).toBe(false)
  })
  test('come in the order that is asked for, and not while their render rests', async () => {
    const [a, b, c] = [await begin([1]), await begin([2]), await begin([3])]
    const order = async () => (await nextFrames(getPool(), 10)).map((f) => f.frame)
    expect(await order()).toEqual([1, 2, 3])
    const mark = await orderMark(getPool())
    await moveRender(getPool(), c, 'first')
    expect(await order()).toEqual([3, 1, 2])
    expect(await orderMark(getPool())).toBeGreaterThan(mark)
    await moveRender(getPool(), c, 'later')
    expect(await order()).toEqual([1, 3, 2])
    await moveRender(getPool(), a, 'last')
    expect(await order()).toEqual([3, 2, 1])
    await moveRender(getPool(), b, 'sooner')
    expect(await order()).toEqual([2, 3, 1])
    await pauseRender(getPool(), b, true)
    expect(await order()).toEqual([3, 1])
    expect(await handFrame(getPool(), { renderId: b, frame: 2, token: 't'.repeat(24) }, 'w')).toBeUndefined()
    await pauseRender(getPool(), b, false)
    expect(await order()).toEqual([2, 3, 1])
    expect(await moveRender(getPool(), 'none', 'first')).toBe(false)
  })
})

describe('renders that follow their shot', () => {
  test('take frames that are whole, each once, and again when their files have become others; while one is rendered, too', async () => {
    const id = newId()
    const made = { shotId: shot, revision: 1, comp, media: {}, formats: ['exr'] as const, options: {} }
    await insertRender(getPool(), { ...made, id, frames: [], follows: true })
    expect((await followedRenders(getPool())).map((r) => r.id)).toContain(id)
    const take = (whole: Record<number, string>) =>
      takeArrived(getPool(), id, {
        comp,
        media: {},
        whole: new Map(Object.entries(whole).map(([n, source]) => [Number(n), source.repeat(32)])),
      })
    expect(await take({ 1: 'a', 2: 'b' })).toBe(2)
    expect(await take({ 1: 'a', 2: 'b' })).toBe(0)
    const token = 't'.repeat(24)
    const first = (await handFrame(getPool(), { renderId: id, frame: 1, token }, 'w'))!
    expect(first.mark).toBe(1)
    // It comes again while it is rendered: what was begun does not count any more.
    expect(await take({ 1: 'c', 2: 'b', 3: 'd' })).toBe(2)
    const result = { files: [], warnings: [], pictureKey: 'k'.repeat(32), ms: 1 }
    expect(await finishFrame(getPool(), first, result, () => Promise.resolve(null))).toBe(false)
    expect((await findRender(getPool(), id))!.frames.map((f) => [f.frame, f.state])).toEqual([
      [1, 'waiting'],
      [2, 'waiting'],
      [3, 'waiting'],
    ])
    expect((await handFrame(getPool(), { renderId: id, frame: 1, token }, 'w'))!.mark).toBe(2)
    await setFollowing(getPool(), id, false)
    expect(await take({ 4: 'e' })).toBe(0)
    await setFollowing(getPool(), id, true)
    expect(await take({ 4: 'e' })).toBe(1)
    await cancelRender(getPool(), id)
    expect(await take({ 5: 'f' })).toBe(0)
  })
})

describe('workers', () => {
  test('are listed with what they do, rest when they are told to, and hold no more than they may', async () => {
    const worker = { seat: 'w1', machine: 'grotto-3', cores: 8, build: 'b', busy: 0.25 }
    await noteWorker(getPool(), worker)
    expect(await roomOf(getPool(), 'w1')).toBe(Infinity)
    await changeWorker(getPool(), 'w1', { most: 2 })
    expect(await roomOf(getPool(), 'w1')).toBe(2)
    await changeWorker(getPool(), 'w1', { paused: true })
    expect(await roomOf(getPool(), 'w1')).toBe(0)
    // What it says of itself does not undo what was asked of it.
    await noteWorker(getPool(), { ...worker, busy: 1 })
    expect(await listWorkers(getPool())).toMatchObject([
      { seat: 'w1', machine: 'grotto-3', cores: 8, busy: 1, most: 2, state: 'paused', holds: 0 },
    ])
    await getPool().query(`update workers set seen_at = seen_at - interval 1 minute`)
    expect((await listWorkers(getPool()))[0]!.state).toBe('silent')
    expect(await changeWorker(getPool(), 'none', { paused: true })).toBe(false)
    await getPool().query('delete from workers')
  })
})

test('a database that does not answer is told apart from every other failure', async () => {
  const refuse = () => Promise.reject(Object.assign(new Error('connect'), { code: 'ECONNREFUSED' }))
  await expect(withDb(refuse)).rejects.toThrow(DatabaseUnreachable)
  await expect(withDb(() => Promise.reject(new Error('other')))).rejects.toThrow('other')
})
