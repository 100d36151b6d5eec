import { randomBytes } from 'node:crypto'
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, expect, test } from 'vitest'
import { bringIn, IntakeError } from '../media/intake.ts'
import { FolderWatch } from '../media/watcher.ts'
import { migrate } from './migrate.ts'
import { getPool } from './pool.ts'
import { insertShot } from './shots.ts'
import { listWatchedFolders, watchFolder } from './watched.ts'

const folder = mkdtempSync(join(tmpdir(), 'zafiro-watch-'))
const shotId = randomBytes(6).toString('hex')
const came: string[] = []
const bring: typeof bringIn = (_pool, _shot, _path, name) => {
  came.push(name)
  if (name.startsWith('broken')) return Promise.reject(new IntakeError(name, 'it is empty'))
  return Promise.resolve({ ref: 'm1', info: {} as never })
}

beforeAll(async () => {
  await migrate(process.env['ZAFIRO_DB'] ?? '', join(process.cwd(), 'src/server/db/migrations'))
  await insertShot(getPool(), shotId, 'Watched')
})
afterAll(async () => {
  rmSync(folder, { recursive: true })
  await getPool().query('delete from shots where id = ?', [shotId])
  await getPool().end()
})

test('files come in once, when they rest; changed ones again; broken and foreign ones hold nothing up', async () => {
  const watched = { shotId, path: folder }
  await watchFolder(getPool(), watched)
  await watchFolder(getPool(), watched)
  expect((await listWatchedFolders(getPool())).filter((f) => f.shotId === shotId)).toEqual([watched])
  const watch = new FolderWatch(getPool(), watched, bring)
  for (const name of ['cave.0010.exr', 'cave.0009.exr', 'broken.0001.png', 'notes.txt', 'cave.0011.exr.part'])
    writeFileSync(join(folder, name), name)
  // The first look only remembers: a file may still be growing.
  expect(await watch.look()).toBe(0)
  writeFileSync(join(folder, 'cave.0010.exr'), 'grown while it was looked at')
  expect(await watch.look()).toBe(2)
  expect(came).toEqual(['broken.0001.png', 'cave.0009.exr'])
  expect(await watch.look()).toBe(1)
  expect(await watch.look()).toBe(0)
  // Another watcher, after a new start, takes nothing twice.
  const again = new FolderWatch(getPool(), watched, bring)
  await again.look()
  expect(await again.look()).toBe(0)
  expect(came).toEqual(['broken.0001.png', 'cave.0009.exr', 'cave.0010.exr'])
  // A folder that is gone is no reason to stop.
  expect(await new FolderWatch(getPool(), { shotId, path: '/nowhere' }, bring).look()).toBe(0)
})
