import { createHash, randomBytes } from 'node:crypto'
import { mkdir, readdir, readFile, rename, rm, writeFile } from 'node:fs/promises'
import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { join } from 'node:path'
import { Redis } from 'ioredis'
import type { Pool } from 'mysql2/promise'
import { afterAll, beforeAll, beforeEach, describe, expect, test, vi } from 'vitest'
import { addLane, emptyComp } from '../../core/comp/edits.ts'
import { LocalDispatch, stagingOf } from '../farm/dispatch.ts'
import type { RenderOptions } from '../../core/renders/render-options.ts'
import { buildId } from '../farm/build.ts'
import { serveFarm } from '../farm/farm-http.ts'
import { keepFed } from '../farm/feed.ts'
import { FrameQueue } from '../farm/queue.ts'
import { fetchBlob, RemoteDispatch, TurnedAway } from '../farm/remote-dispatch.ts'
import { folders } from '../home.ts'
import { deliverAgain } from '../render/deliver.ts'
import { storedPath } from '../media/store.ts'
import { migrate } from './migrate.ts'
import type { Handed } from './farm.ts'
import { getPool } from './pool.ts'
import { findRender, insertRender, isOfOtherBuild, moveRender } from './renders.ts'
import { insertShot } from './shots.ts'

// On a real MariaDB and a real Redis.

// Roots are read from the environment when the server starts, that is before all else is imported.
const { root } = vi.hoisted(() => {
  const folder = `${process.env['TMPDIR'] ?? '/tmp'}/zafiro-farm-out-${process.pid}`
  process.env['ZAFIRO_OUTPUT'] = folder
  return { root: folder }
})

const newId = () => randomBytes(6).toString('hex')
const comp = addLane(emptyComp(64, 36), 'Back', { type: 'colour', colour: [0, 0, 1], alpha: 1 })
const worker = (seat: string) => ({ seat, machine: 'grotto', cores: 2, build: buildId(), busy: 0 })
const result = { warnings: [], pictureKey: '0'.repeat(32), ms: 5 }

let queue: FrameQueue
let redis: Redis
const over = { isOver: false }
let feeding: Promise<void>
let server: Server
let address = ''

beforeAll(async () => {
  if (!process.env['ZAFIRO_HOME']?.includes('test'))
    throw new Error('Run these by npm test, on a database of their own.')
  await migrate(process.env['ZAFIRO_DB'] ?? '', join(process.cwd(), 'src/server/db/migrations'))
  const { pathname, searchParams } = new URL(process.env['ZAFIRO_QUEUE'] ?? '')
  redis = new Redis({ path: pathname, password: searchParams.get('password') ?? '' })
  await getPool().query('delete from shots')
  await redis.flushall()
  queue = new FrameQueue()
  feeding = keepFed(queue, () => over.isOver)
  server = createServer((request, response) => void serveFarm(request, response))
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done))
  address = `http://127.0.0.1:${(server.address() as AddressInfo).port}`
})
beforeEach(async () => {
  await getPool().query('delete from shots')
})
afterAll(async () => {
  over.isOver = true
  await feeding
  await queue.close()
  redis.disconnect()
  server.close()
  await rm(root, { recursive: true, force: true })
  await getPool().query('delete from workers')
  await getPool().end()
})

async function begin(frames: readonly number[], options: RenderOptions = {}): Promise<string> {
  const [id, shotId] = [newId(), newId()]
  await insertShot(getPool(), shotId, 'Grotto descent')
  await insertRender(getPool(), {
    id,
    shotId,
    revision: 1,
    comp,
    media: {},
    formats: ['exr'],
    options,
    frames,
  })
  return id
}
const states = async (id: string) => (await findRender(getPool(), id))!.frames.map((f) => f.state)

/** Takes frames until so many are there. */
async function takeSoon(dispatch: LocalDispatch | RemoteDispatch, seat: string, count: number) {
  const taken: Awaited<ReturnType<typeof dispatch.take>>[number][] = []
  await expect
    .poll(
      async () => {
        taken.push(...(await dispatch.take(worker(seat), count - taken.length)))
        return taken.length
      },
      { timeout: 10_000, interval: 50 },
    )
    .toBe(count)
  return taken
}

/** Writes a file as a worker does, and says that the frame is done. */
async function bring(dispatch: LocalDispatch | RemoteDispatch, handed: Handed) {
  const folder = dispatch.folderOf(handed)
  await mkdir(folder, { recursive: true })
  await writeFile(join(folder, `f${handed.frame}.exr`), `picture ${handed.frame}`)
  return dispatch.finish({ handed, files: [`f${handed.frame}.exr`], ...result })
}

describe('the queue', () => {
  test('hands every frame out once, in order; each file is where it belongs, and nothing is left beside', async () => {
    const local = new LocalDispatch(queue)
    const id = await begin([1, 2, 3, 4, 5])
    const [a, b] = [await takeSoon(local, 'a', 3), await takeSoon(local, 'b', 2)]
    expect([...a, ...b].map((h) => h.frame)).toEqual([1, 2, 3, 4, 5])
    expect(await local.take(worker('c'), 4)).toEqual([])
    for (const handed of [...a, ...b]) expect(await bring(local, handed)).toBe(true)
    expect(await states(id)).toEqual(Array.from({ length: 5 }, () => 'done'))
    expect((await readdir(join(folders.renders, id))).sort()).toEqual([1, 2, 3, 4, 5].map((n) => `f${n}.exr`))
    expect(await readFile(join(folders.renders, id, 'f3.exr'), 'utf8')).toBe('picture 3')
    for (const { token } of a) await expect(readdir(stagingOf(token))).rejects.toThrow(/ENOENT/)
    // It is known which build of the application made them.
    expect(await isOfOtherBuild(getPool(), id)).toBe(false)
    await getPool().query(
      "update workers set build = 'a later one', seen_at = current_timestamp(3) where seat = 'a'",
    )
    expect(await isOfOtherBuild(getPool(), id)).toBe(true)
  })
  test('a frame that could not be noted as handed out comes to the next at once', async () => {
    const local = new LocalDispatch(queue)
    await begin([1])
    const shared = globalThis as { zafiroPool?: Pool }
    const usual = shared.zafiroPool!
    await expect.poll(() => queue.waiting(), { timeout: 5000 }).toBe(1)
    const late = Object.assign(new Error('Lock wait timeout exceeded'), {
      code: 'ER_LOCK_WAIT_TIMEOUT',
      errno: 1205,
    })
    shared.zafiroPool = new Proxy(usual, {
      get: (pool, name) =>
        name === 'getConnection' ? () => Promise.reject(late) : (Reflect.get(pool, name) as unknown),
    })
    await expect(local.take(worker('a'), 1)).rejects.toThrow(/busy/)
    shared.zafiroPool = usual
    const from = performance.now()
    expect(await takeSoon(local, 'b', 1)).toHaveLength(1)
    expect(performance.now() - from).toBeLessThan(4000)
  })
  test('files that could not be put into their place are done, say why, and are brought there later without rendering', async () => {
    const local = new LocalDispatch(queue)
    await mkdir(join(root, 'night'), { recursive: true })
    const id = await begin([1, 2], { deliver: { root, folder: 'night', there: 'replace' } })
    const [first, second] = await takeSoon(local, 'a', 2)
    expect(await bring(local, first!)).toBe(true)
    expect(await readFile(join(root, 'night', 'f1.exr'), 'utf8')).toBe('picture 1')
    // The disk is away when the second is through.
    await rename(root, `${root}-away`)
    expect(await bring(local, second!)).toBe(true)
    const told = async () => (await findRender(getPool(), id))!.frames.map((f) => f.problem)
    expect(await states(id)).toEqual(['done', 'done'])
    expect(await told()).toEqual([
      null,
      expect.stringMatching(/can not be put into .*it is gone\. They are kept/),
    ])
    expect(await readFile(join(folders.renders, id, 'f2.exr'), 'utf8')).toBe('picture 2')
    await rename(`${root}-away`, root)
    expect(await deliverAgain(id)).toBe(true)
    expect(await told()).toEqual([null, null])
    expect(await readFile(join(root, 'night', 'f2.exr'), 'utf8')).toBe('picture 2')
    expect([await deliverAgain('000000000000'), await deliverAgain(await begin([1]))]).toEqual([false, false])
  })
  test('is made again from the database when it has lost everything, and nothing is done twice', async () => {
    const local = new LocalDispatch(queue)
    const id = await begin([1, 2, 3, 4])
    const [first, second] = await takeSoon(local, 'a', 2)
    await redis.flushall()
    expect(await bring(local, first!)).toBe(true)
    const rest = await takeSoon(local, 'b', 2)
    expect(rest.map((h) => h.frame)).toEqual([3, 4])
    for (const handed of [second!, ...rest]) expect(await bring(local, handed)).toBe(true)
    expect(await states(id)).toEqual(['done', 'done', 'done', 'done'])
    expect(await local.take(worker('b'), 4)).toEqual([])
  })
  test('hands a frame out again that nobody has, though the queue takes it for handed out for hours', async () => {
    const local = new LocalDispatch(queue)
    const id = await begin([1])
    // Who took it from the queue was ended before the database knew.
    await expect.poll(() => queue.take('gone'), { timeout: 5000 }).toMatchObject({ frame: 1 })
    await redis.pexpire(`bull:frames:${id}_1:lock`, 7_200_000)
    const taken: unknown[] = []
    await expect
      .poll(async () => taken.push(...(await local.take(worker('a'), 1))), { timeout: 25_000, interval: 200 })
      .toBe(1)
  }, 40_000)
  test('hands out what comes first in another order as soon as that is asked for', async () => {
    const local = new LocalDispatch(queue)
    const [a, b] = [await begin([1, 2]), await begin([7, 8])]
    await expect.poll(() => queue.waiting(), { timeout: 5000 }).toBe(4)
    await moveRender(getPool(), b, 'first')
    // Until the new order has been noticed nothing may be taken here.
    await new Promise((done) => setTimeout(done, 1000))
    expect((await takeSoon(local, 'a', 3)).map((h) => [h.renderId, h.frame])).toEqual([
      [b, 7],
      [b, 8],
      [a, 1],
    ])
  })
  test('gives back what a worker had when that is started anew', async () => {
    const local = new LocalDispatch(queue)
    const id = await begin([1])
    const [lost] = await takeSoon(local, 'a', 1)
    await local.arrive(worker('a'))
    const [again] = await takeSoon(local, 'b', 1)
    expect(again!.frame).toBe(1)
    expect(await bring(local, lost!)).toBe(false)
    expect(await states(id)).toEqual(['working'])
  })
})

describe('a worker on another machine', () => {
  test('gets frames and their render, and brings files back whole', async () => {
    const remote = new RemoteDispatch({ address, key: undefined })
    const id = await begin([1, 2])
    await remote.arrive(worker('far'))
    const taken = await takeSoon(remote, 'far', 2)
    expect(await remote.plan(id)).toMatchObject({ shotName: 'Grotto descent', comp, formats: ['exr'] })
    expect(await remote.plan('nothing')).toBeUndefined()
    const told = taken.map((handed) => ({ handed, progress: 0.5 }))
    expect(await remote.report(told)).toEqual(taken.map((h) => h.token))
    // Here the folder of what comes is the same one, as both ends are one process: what arrives is put over what was sent.
    await remote.postpone(taken[1]!, 'later')
    expect(await remote.report(told)).toEqual([taken[0]!.token])
    const folder = stagingOf(taken[0]!.token)
    await mkdir(folder, { recursive: true })
    const sent = randomBytes(300_000)
    const put = (name: string, hash: string) =>
      fetch(`${address}/api/farm/files/${taken[0]!.token}/${encodeURIComponent(name)}`, {
        method: 'PUT',
        headers: { 'x-sha256': hash },
        body: sent,
      })
    const hash = createHash('sha256').update(sent).digest('hex')
    // Another hash, and names that lead out of the folder.
    expect((await put('a.exr', '0'.repeat(64))).status).toBe(422)
    for (const name of ['../a.exr', '.hidden', 'a/b']) expect((await put(name, hash)).status).toBe(400)
    const finish = (files: readonly string[]) => ({ handed: taken[0]!, files, ...result })
    const post = (value: unknown) =>
      fetch(`${address}/api/farm/finish`, { method: 'POST', body: JSON.stringify(value) })
    expect((await post(finish(['a.exr']))).status).toBe(422)
    expect((await put('a.exr', hash)).status).toBe(200)
    expect(await (await post(finish(['a.exr']))).json()).toEqual({ isTaken: true })
    expect((await readFile(join(folders.renders, id, 'a.exr'))).equals(sent)).toBe(true)
  })
  test('fetches media by hash and keeps nothing that is not what it should be', async () => {
    const bytes = randomBytes(100_000)
    const hash = createHash('sha256').update(bytes).digest('hex')
    const other = createServer((_, response) => response.end(bytes))
    await new Promise<void>((done) => other.listen(0, '127.0.0.1', done))
    const at = { address: `http://127.0.0.1:${(other.address() as AddressInfo).port}`, key: undefined }
    await Promise.all([fetchBlob(at, hash), fetchBlob(at, hash)])
    expect((await readFile(storedPath(hash))).equals(bytes)).toBe(true)
    const wrong = 'ab'.repeat(32)
    await expect(fetchBlob(at, wrong)).rejects.toThrow(/did not arrive as it is/)
    await expect(readFile(storedPath(wrong))).rejects.toThrow(/ENOENT/)
    other.close()
    await expect(fetchBlob(at, 'cd'.repeat(32))).rejects.toThrow(/does not answer/)
  })
  test('is turned away with another build, and told what is wrong with what it says', async () => {
    const remote = new RemoteDispatch({ address, key: undefined })
    await expect(remote.arrive({ ...worker('old'), build: 'older' })).rejects.toThrow(TurnedAway)
    await expect(remote.arrive({ ...worker('old'), build: 'older' })).rejects.toThrow(
      /another build \(older\)/,
    )
    const bad = await fetch(`${address}/api/farm/take`, { method: 'POST', body: '{"most": -1}' })
    expect([bad.status, await bad.json()]).toMatchObject([400, { error: { message: expect.any(String) } }])
    expect((await fetch(`${address}/api/farm/take`, { method: 'POST', body: '{' })).status).toBe(400)
    expect((await fetch(`${address}/api/farm/blobs/..%2f..%2fetc`)).status).toBe(400)
    expect((await fetch(`${address}/api/farm/nothing`)).status).toBe(404)
  })
})
