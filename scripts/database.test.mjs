import { execFileSync } from 'node:child_process'
import { existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import mysql from 'mysql2/promise'
import { afterAll, afterEach, beforeAll, expect, test, vi } from 'vitest'
import { plainPath, startDatabase, stopDatabase } from './database.mjs'
import { endProcess, isRunning } from './processes.mjs'

// A path that the tools stumble over, and longer than a socket's may be.
const base = mkdtempSync(join(tmpdir(), 'zafiro-db-'))
const folder = join(base, `home # of ümläut "${'x'.repeat(90)}`, 'db')
const said = vi.spyOn(console, 'error').mockImplementation(() => undefined)

const query = async (uri, sql) => {
  const db = await mysql.createConnection(uri)
  try {
    return (await db.query(sql))[0]
  } finally {
    await db.end()
  }
}
beforeAll(async () => {
  mkdirSync(folder, { recursive: true })
  const { uri } = await startDatabase(folder)
  await query(uri, 'create table kept (n int)')
  await query(uri, 'insert into kept values (7)')
}, 60_000)
afterEach(() => stopDatabase(folder))
afterAll(() => {
  rmSync(base, { recursive: true })
})

test.each([
  ['is missing', undefined],
  ['is empty', ''],
  ['is odd', '{"password":{}}'],
  ['has another password', JSON.stringify({ password: 'ab'.repeat(18) })],
])('when settings.json %s, everything is still there', async (_, text) => {
  const settings = join(folder, 'settings.json')
  if (text === undefined) rmSync(settings)
  else writeFileSync(settings, text)
  const { uri } = await startDatabase(folder)
  expect(await query(uri, 'select n from kept')).toEqual([{ n: 7 }])
  // Also while it runs already.
  rmSync(settings)
  const again = await startDatabase(folder)
  expect(await query(again.uri, 'select n from kept')).toEqual([{ n: 7 }])
})

test('it listens on no port, and its password opens nothing for others', async () => {
  const { uri, note } = await startDatabase(folder)
  expect(await query(uri, 'select @@skip_networking as isClosed')).toEqual([{ isClosed: 1 }])
  await expect(query(uri.replace(/zafiro:[0-9a-f]+@/, 'zafiro:wrong@'), 'select 1')).rejects.toThrow(
    /Access denied/,
  )
})

test('one that was found running is watched, and comes back after it was killed', async () => {
  const first = await startDatabase(folder)
  const found = await startDatabase(folder)
  expect(found.note).toEqual(first.note)
  const ended = new Promise((resolve) => found.onEnd(resolve))
  process.kill(found.note.pid, 'SIGKILL')
  await ended
  expect(isRunning(found.note)).toBe(false)
  const again = await startDatabase(folder)
  expect(again.note.pid).not.toBe(first.note.pid)
  expect(await query(again.uri, 'select n from kept')).toEqual([{ n: 7 }])
})

test('a data folder that was begun and never finished is moved aside; one with tables is left as it is', async () => {
  const other = join(base, 'other')
  mkdirSync(join(other, 'data'), { recursive: true })
  writeFileSync(join(other, 'data', 'aria_log_control'), '')
  mkdirSync(join(other, 'data.new'))
  const log = vi.spyOn(console, 'log').mockImplementation(() => undefined)
  const { uri, note } = await startDatabase(other)
  expect(await query(uri, 'select 1 as one')).toEqual([{ one: 1 }])
  expect(execFileSync('ls', [other], { encoding: 'utf8' })).toMatch(/data\.unusable-\d+/)
  await stopDatabase(other)
  await endProcess(note)
  log.mockRestore()
  rmSync(join(other, 'data', 'ibdata1'))
  mkdirSync(join(other, 'data', 'zafiro'), { recursive: true })
  await expect(startDatabase(other)).rejects.toThrow(/left as it is/)
  expect(existsSync(join(other, 'data', 'zafiro'))).toBe(true)
})

test('the tools are given a plain path to any folder, in a place of its owner alone', () => {
  expect(plainPath(base)).toBe(base)
  const plain = plainPath(folder)
  expect(plain).toMatch(/^[\w./-]+$/)
  expect(plain.length).toBeLessThan(90)
  expect(readFileSync(join(plain, 'settings.json'), 'utf8')).toContain('password')
  expect(said).toHaveBeenCalled()
})
