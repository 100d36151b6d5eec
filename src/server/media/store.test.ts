import { createHash } from 'node:crypto'
import { mkdtempSync, readdirSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, expect, test, vi } from 'vitest'

const home = mkdtempSync(join(tmpdir(), 'zafiro-store-'))
vi.stubEnv('ZAFIRO_HOME', home)
const { passPath, readStored, storedPath, storeFile } = await import('./store.ts')
const { writeWhole } = await import('../whole-file.ts')
afterAll(() => {
  vi.unstubAllEnvs()
  rmSync(home, { recursive: true })
})

test('the same content is stored once, under its SHA-256, whatever its name', async () => {
  const paths = ['a.exr', 'b.exr'].map((name) => join(home, name))
  for (const path of paths) writeFileSync(path, 'light')
  const hashes = await Promise.all(paths.map(storeFile))
  const expected = createHash('sha256').update('light').digest('hex')
  expect(hashes).toEqual([expected, expected])
  expect(readdirSync(join(home, 'store', expected.slice(0, 2)))).toEqual([expected])
  expect(new TextDecoder().decode(await readStored(expected))).toBe('light')
})

test('names from outside lead nowhere else', () => {
  expect(() => storedPath('../../etc/passwd')).toThrow(/not a content hash/)
  const pass = passPath('a'.repeat(64), {
    pass: '../../../etc/passwd',
    as: '../x',
    reduction: 1,
    filter: 'mean',
  })
  expect(pass.startsWith(join(home, 'store', 'passes', 'aa', 'a'.repeat(64)))).toBe(true)
})

test('a write that fails leaves nothing behind', async () => {
  writeFileSync(join(home, 'blocker'), '')
  await expect(writeWhole(join(home, 'blocker', 'x'), Uint8Array.of(1))).rejects.toThrow()
  const target = join(home, 'whole')
  await writeWhole(target, Uint8Array.of(1, 2))
  await writeWhole(target, Uint8Array.of(3))
  expect(readdirSync(home).filter((name) => name.endsWith('.part'))).toEqual([])
})
