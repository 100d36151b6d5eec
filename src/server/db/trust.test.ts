import { execFileSync } from 'node:child_process'
import { randomBytes } from 'node:crypto'
import { mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { createServer } from 'node:http'
import type { AddressInfo } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { createConnection, type Connection, type RowDataPacket } from 'mysql2/promise'
import sharp from 'sharp'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { addLane, emptyComp } from '../../core/comp/edits.ts'
import { writeExr } from '../../core/formats/exr-write.ts'
import { folders } from '../home.ts'
import { withIncoming } from '../incoming.ts'
import { bringIn } from '../media/intake.ts'
import { nodeZlib } from '../media/node-zlib.ts'
import { hashFile } from '../media/store.ts'
import { FolderWatch } from '../media/watcher.ts'
import { createShotFrom } from '../shot-service.ts'
import { serveUpload } from '../web/uploads.ts'
import { saveComp } from './comps.ts'
import { readMedia } from './media.ts'
import { migrate, statementsOf } from './migrate.ts'
import { DatabaseBusy, getPool, inTransaction, nameFailure, withDb } from './pool.ts'
import { insertShot, lockShot, renameShot, saveThumbnail } from './shots.ts'
import { watchFolder } from './watched.ts'

const uri = process.env['ZAFIRO_DB'] ?? ''
const migrations = join(process.cwd(), 'src/server/db/migrations')
const folder = mkdtempSync(join(tmpdir(), 'zafiro-trust-'))
const newId = () => randomBytes(6).toString('hex')
const comp = addLane(emptyComp(64, 36), 'Back', { type: 'colour', colour: [0, 0, 1], alpha: 1 })
const png = () =>
  sharp({
    create: {
      width: 8,
      height: 4,
      channels: 4,
      background: { r: Math.random() * 255, g: 2, b: 3, alpha: 1 },
    },
  })
    .png()
    .toBuffer()

beforeAll(async () => {
  await migrate(uri, migrations)
})
afterAll(async () => {
  rmSync(folder, { recursive: true })
  await getPool().end()
})

describe('migrations', () => {
  /** A schema of its own beside the one of the other tests. */
  const own = uri.replace('/zafiro?', '/zafiro_migrated?')
  const root = async (sql: string) => {
    const socketPath = decodeURIComponent(/socketPath=([^&]+)/.exec(uri)![1]!)
    execFileSync('mariadb', ['--no-defaults', `--socket=${socketPath}`, '-e', sql])
    return Promise.resolve()
  }
  const withOwn = async <T>(work: (db: Connection) => Promise<T>): Promise<T> => {
    const db = await createConnection(own)
    try {
      return await work(db)
    } finally {
      await db.end()
    }
  }
  const files = readdirSync(migrations)
    .filter((f) => f.endsWith('.sql'))
    .sort()
  /** What every version keeps: a shot with media, a frame, a comp, and a half-made shot beside it. */
  const fill = (db: Connection) =>
    db
      .query(
        "insert into shots (id, name) values ('aaaaaaaaaaaa', 'Grotto descent'), ('bbbbbbbbbbbb', 'Half made')",
      )
      .then(() => db.query("insert into media (shot_id, ref, name) values ('aaaaaaaaaaaa', 'm1', 'cave')"))
      .then(() =>
        db.query(
          "insert into frames (shot_id, media_ref, frame, file_hash, file_name, bytes, width, height, warnings) values ('aaaaaaaaaaaa', 'm1', 7, repeat('a', 64), 'cave.0007.exr', 5, 4, 3, '[]')",
        ),
      )
      .then(() => db.query("insert into comps values ('aaaaaaaaaaaa', 1)"))
      .then(() =>
        db.query(
          "insert into comp_revisions (shot_id, revision, doc) values ('aaaaaaaaaaaa', 1, '{\"kept\":true}')",
        ),
      )

  test('that break off at any statement go on from there, with the data of the first version in the tables', async () => {
    const steps = files.flatMap((file) =>
      statementsOf(readFileSync(join(migrations, file), 'utf8')).map((_, step) => [file, step] as const),
    )
    expect(steps.length).toBeGreaterThan(15)
    // Each try comes one statement further: the one at which it breaks off has been run, but not noted, as a kill leaves it.
    await root(
      'drop database if exists zafiro_migrated; create database zafiro_migrated; grant all on zafiro_migrated.* to zafiro@localhost',
    )
    const first = join(folder, 'first')
    mkdirSync(first, { recursive: true })
    writeFileSync(join(first, files[0]!), readFileSync(join(migrations, files[0]!)))
    for (const [file, step] of steps.filter(([f]) => f === files[0])) {
      await expect(breakOff(own, first, file, step)).rejects.toThrow('killed')
    }
    await migrate(own, first)
    await withOwn(fill)
    for (const [file, step] of steps.filter(([f]) => f !== files[0]))
      await expect(breakOff(own, migrations, file, step)).rejects.toThrow('killed')
    await migrate(own, migrations)
    expect(await migrate(own, migrations)).toEqual([])
    await withOwn(async (db) => {
      const [shots] = await db.query('select id, name from shots')
      expect(shots).toEqual([{ id: 'aaaaaaaaaaaa', name: 'Grotto descent' }])
      const [frames] = await db.query('select frame, file_name, beside from frames')
      expect(frames).toEqual([{ frame: 7, file_name: 'cave.0007.exr', beside: '' }])
      const [[doc]] = await db.query<RowDataPacket[]>('select doc from comp_revisions')
      expect(doc).toEqual({ doc: { kept: true } })
    })
  }, 60_000)

  /** Runs up to a statement, runs that too, and is killed before it can note it. */
  async function breakOff(to: string, from: string, file: string, step: number): Promise<void> {
    const statements = statementsOf(readFileSync(join(from, file), 'utf8'))
    await migrate(to, from, (at, n) => {
      if (at === file && n === step) throw new Error('killed')
    }).catch(async (error: unknown) => {
      const db = await createConnection(to)
      await db.query(statements[step]!)
      await db.end()
      throw error
    })
  }

  test('are made by one program at a time', async () => {
    await root(
      'drop database if exists zafiro_migrated; create database zafiro_migrated; grant all on zafiro_migrated.* to zafiro@localhost',
    )
    const results = await Promise.all([1, 2, 3].map(() => migrate(own, migrations)))
    expect(results.filter((names) => names.length === files.length)).toHaveLength(1)
    expect(results.filter((names) => names.length === 0)).toHaveLength(2)
  })
})

test('saving, bringing in, renaming and thumbnails of one shot at once wait for each other and all succeed', async () => {
  const shot = newId()
  await insertShot(getPool(), shot, 'Busy')
  const until = performance.now() + 3000
  let count = 0
  const again = async (work: (n: number) => Promise<unknown>) => {
    for (let n = 0; performance.now() < until; n++) {
      await work(n)
      count++
    }
  }
  let base = 0
  await Promise.all([
    again(async () => {
      const result = await saveComp(getPool(), shot, base, comp)
      if ('saved' in result) base = result.saved
    }),
    ...[0, 1, 2].map((k) =>
      again(async (n) => {
        const name = `take${k}.${String(n).padStart(4, '0')}.png`
        writeFileSync(join(folder, name), await png())
        await bringIn(getPool(), shot, join(folder, name), name)
      }),
    ),
    ...[0, 1].map(() => again(() => saveThumbnail(getPool(), shot, randomBytes(50_000)))),
    again((n) => renameShot(getPool(), shot, `Busy ${n}`)),
  ])
  expect(count).toBeGreaterThan(50)
  expect(base).toBeGreaterThan(5)
})

test('work that deadlocks is done again, and a disk that is full is told as that', async () => {
  const [a, b] = [newId(), newId()]
  await insertShot(getPool(), a, 'A')
  await insertShot(getPool(), b, 'B')
  // Two that lock in opposite order, on purpose.
  const both = (first: string, second: string) =>
    inTransaction(getPool(), async (db) => {
      await lockShot(db, first)
      await new Promise((resolve) => setTimeout(resolve, 50))
      await lockShot(db, second)
    })
  await Promise.all([both(a, b), both(b, a), both(a, b)])
  const full = Object.assign(new Error('x'), {
    code: 'ER_RECORD_FILE_FULL',
    errno: 1114,
    sqlMessage: "The table 'x' is full",
  })
  expect(nameFailure(full)).toMatchObject({ name: 'DatabaseBusy', isFull: true })
  await expect(withDb(() => Promise.reject(full))).rejects.toThrow(DatabaseBusy)
  // A file that is missing is not a database that does not answer.
  const absent = Object.assign(new Error('x'), { code: 'ENOENT', syscall: 'open' })
  expect(nameFailure(absent)).toBe(absent)
})

test('a save whose answer was lost is not in conflict with itself', async () => {
  const shot = newId()
  await insertShot(getPool(), shot, 'S')
  expect(await saveComp(getPool(), shot, 0, comp)).toEqual({ saved: 1 })
  expect(await saveComp(getPool(), shot, 0, comp)).toEqual({ saved: 1 })
  expect(await saveComp(getPool(), shot, 0, emptyComp(2, 2))).toMatchObject({ conflict: { revision: 1 } })
  expect(await saveComp(getPool(), 'nothing', 0, comp)).toEqual({ gone: true })
})

describe('a new shot', () => {
  const shots = async () => (await getPool().query<RowDataPacket[]>('select id from shots'))[0].length
  const from = (name: string, bytes: Uint8Array) => {
    writeFileSync(join(folder, 'in'), bytes)
    return createShotFrom({
      path: join(folder, 'in'),
      fileName: name,
      modifiedMs: undefined,
      isInPlace: false,
    })
  }
  test('is there with its comp and media, or not at all', async () => {
    const before = await shots()
    const id = await from('bell.0001.png', await png())
    const [[row]] = await getPool().query<RowDataPacket[]>('select revision from comps where shot_id = ?', [
      id,
    ])
    expect([row!['revision'], (await readMedia(getPool(), id)).table['m1']!.name, await shots()]).toEqual([
      1,
      'bell',
      before + 1,
    ])
    await expect(from('broken.png', Uint8Array.of(1, 2, 3))).rejects.toThrow(/broken.png/)
    await expect(from('look.cube', new TextEncoder().encode('LUT_1D_SIZE 2\n0 0 0\n1 1 1'))).rejects.toThrow(
      /Begin with a picture/,
    )
    expect(await shots()).toBe(before + 1)
  })
})

describe('one bad file is passed by', () => {
  const exr = (names: readonly string[]) =>
    writeExr(
      {
        dataWindow: [0, 0, 3, 2],
        displayWindow: [0, 0, 3, 2],
        compression: 'none',
        channels: names.map((name) => ({
          name,
          type: 'float' as const,
          values: new Float32Array(12).fill(0.5),
        })),
      },
      nodeZlib,
    )
  test('by a watched folder: odd names, passes that differ by a space, names no table holds', async () => {
    const shotId = newId()
    await insertShot(getPool(), shotId, 'W')
    const path = mkdtempSync(join(folder, 'watched-'))
    await watchFolder(getPool(), { shotId, path })
    writeFileSync(join(path, 'x.20261127133552.png'), await png())
    writeFileSync(join(path, 'a.0001.exr'), exr(['depth.Z', 'depth .Z', 'R', 'G', 'B']))
    writeFileSync(
      join(path, 'b.0001.exr'),
      exr([`${'n'.repeat(200)}.R`, `${'n'.repeat(200)}${'m'.repeat(54)}.R`]),
    )
    writeFileSync(join(path, 'c.0001.png'), 'no picture')
    writeFileSync(join(path, 'good.0002.png'), await png())
    const watch = new FolderWatch(getPool(), { shotId, path })
    await watch.look()
    expect(await watch.look()).toBe(5)
    expect(await watch.look()).toBe(0)
    const { table } = await readMedia(getPool(), shotId)
    const byName = Object.fromEntries(Object.values(table).map((m) => [m.name, m]))
    expect(byName['a']!.passes.map((p) => p.name).sort()).toEqual(['beauty', 'depth', 'depth '])
    expect(Object.keys(byName['good']!.frames)).toEqual(['2'])
    expect(Object.keys(byName['x.20261127133552']!.frames)).toEqual(['1'])
    expect(byName['c']).toBeUndefined()
  })
  test('by the intake folder: pipes, folders and what is not there are refused, not waited for', async () => {
    mkdirSync(join(folders.intake, 'sub'), { recursive: true })
    execFileSync('mkfifo', [join(folders.intake, 'pipe.png')])
    const ask = (intake: string) =>
      withIncoming(
        new Request('http://zafiro/', {
          method: 'POST',
          body: JSON.stringify({ intake }),
          headers: { 'content-type': 'application/json' },
        }),
        () => Promise.reject(new Error('it was read')),
      )
    await expect(ask('pipe.png')).rejects.toThrow(/no ordinary file/)
    await expect(ask('sub')).rejects.toThrow(/a folder/)
    await expect(ask('nothing.png')).rejects.toThrow(/not there any more/)
    rmSync(join(folders.intake, 'pipe.png'))
  })
})

describe('uploads by the tus protocol 1.0', () => {
  const server = createServer((request, response) => void serveUpload(request, response))
  let address = ''
  beforeAll(async () => {
    mkdirSync(folders.uploads, { recursive: true })
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
    address = `http://127.0.0.1:${(server.address() as AddressInfo).port}`
  })
  afterAll(() => {
    server.closeAllConnections()
    server.close()
  })
  const tus = { 'tus-resumable': '1.0.0' }
  const begin = async (length: number) => {
    const made = await fetch(`${address}/api/uploads`, {
      method: 'POST',
      headers: { ...tus, 'upload-length': String(length) },
    })
    expect(made.status).toBe(201)
    return address + made.headers.get('location')!
  }
  const patch = async (url: string, offset: number, body: Uint8Array<ArrayBuffer>) =>
    (
      await fetch(url, {
        method: 'PATCH',
        body,
        headers: {
          ...tus,
          'upload-offset': String(offset),
          'content-type': 'application/offset+octet-stream',
        },
      })
    ).status
  const offsetOf = async (url: string) =>
    Number((await fetch(url, { method: 'HEAD', headers: tus })).headers.get('upload-offset'))
  const take = (url: string, hash: string, name = 'large.0001.exr') =>
    withIncoming(
      new Request('http://zafiro/', {
        method: 'POST',
        headers: {
          'x-upload': url.split('/').at(-1)!,
          'x-file-name': encodeURIComponent(name),
          'x-content-hash': hash,
        },
      }),
      ({ path, fileName }) => Promise.resolve([readFileSync(path), fileName] as const),
    )
  const bytes = new Uint8Array(randomBytes(300_000))
  const whole = join(folder, 'whole')
  writeFileSync(whole, bytes)

  test('go on where they broke off, are taken whole, by their hash, and are gone then', async () => {
    const hash = await hashFile(whole)
    const url = await begin(bytes.length)
    expect(await patch(url, 0, bytes.slice(0, 100_000))).toBe(204)
    // Not whole yet: nothing is taken.
    await expect(take(url, hash)).rejects.toThrow('100000 of 300000 bytes')
    // Who believes it to be at another place is told.
    expect(await patch(url, 50_000, bytes.slice(50_000))).toBe(409)
    expect(await patch(url, await offsetOf(url), bytes.slice(100_000))).toBe(204)
    expect(await patch(url, 300_000, bytes.slice(0, 10))).not.toBe(204)
    await expect(take(url, 'x')).rejects.toThrow(/64 hexadecimal/)
    const [taken, name] = await take(url, hash, '../../large 🧀.0001.exr')
    expect([taken.equals(bytes), name]).toEqual([true, 'large 🧀.0001.exr'])
    await expect(take(url, hash)).rejects.toThrow(/not there any more/)
  })
  test('two that send at once write one file each, or one waits; a mix of both is never taken', async () => {
    const other = new Uint8Array(randomBytes(bytes.length))
    const hash = await hashFile(whole)
    const url = await begin(bytes.length)
    await Promise.all([patch(url, 0, bytes), patch(url, 0, other)])
    if ((await offsetOf(url)) < bytes.length)
      await patch(url, await offsetOf(url), bytes.slice(await offsetOf(url)))
    const result = await take(url, hash).then(
      ([taken]) => taken.equals(bytes),
      (error: unknown) => (error as Error).message,
    )
    expect([true, 'large.0001.exr did not arrive as it was sent. Send it again.']).toContain(result)
  })
  test('a body of unknown length, a foreign name and what is not the protocol are refused', async () => {
    const deferred = await fetch(`${address}/api/uploads`, {
      method: 'POST',
      headers: { ...tus, 'upload-defer-length': '1' },
    })
    expect(deferred.status).toBe(400)
    expect(
      (await fetch(`${address}/api/uploads/..%2f..%2fkeys`, { method: 'HEAD', headers: tus })).status,
    ).toBeGreaterThanOrEqual(400)
    expect((await fetch(await begin(5))).status).toBe(405)
    const huge = await fetch(`${address}/api/uploads`, {
      method: 'POST',
      headers: { ...tus, 'upload-length': '9000000000000000' },
    })
    expect(huge.status).toBe(507)
  })
})
