import { existsSync, mkdirSync, mkdtempSync, rmSync, utimesSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { expect, test } from 'vitest'
import { trimDerived } from './trim-derived.ts'

test('beyond its size, what has not been used longest goes first; below it nothing does', async () => {
  const folder = mkdtempSync(join(tmpdir(), 'zafiro-trim-'))
  mkdirSync(join(folder, 'aa/bb'), { recursive: true })
  const path = (i: number) => join(folder, i % 2 ? 'aa' : 'aa/bb', `${i}.pass`)
  for (let i = 0; i < 10; i++) {
    writeFileSync(path(i), new Uint8Array(100))
    utimesSync(path(i), 1000 + i, 1000 + i)
  }
  expect(await trimDerived(folder, 1000)).toBe(0)
  utimesSync(path(0), 5000, 1000)
  expect(await trimDerived(folder, 900)).toBe(300)
  expect(Array.from({ length: 10 }, (_, i) => existsSync(path(i)))).toEqual([
    true,
    false,
    false,
    false,
    true,
    true,
    true,
    true,
    true,
    true,
  ])
  expect(await trimDerived(join(folder, 'nowhere'), 1)).toBe(0)
  rmSync(folder, { recursive: true })
})
