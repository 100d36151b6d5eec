import { createHash } from 'node:crypto'
import { existsSync, mkdirSync, mkdtempSync, readdirSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, describe, expect, test, vi } from 'vitest'
import { encodePassBlock } from '../../core/formats/pass-block.ts'

const home = mkdtempSync(join(tmpdir(), 'zafiro-store-'))
vi.stubEnv('ZAFIRO_HOME', home)
const { DamagedError, damagedPath, isKept, isSound, passPath, readStored, storedPath, storeFile } =
  await import('./store.ts')
const { isWholeForm } = await import('./whole-form.ts')
const { clearParts } = await import('./clear-parts.ts')
const { clearUploads } = await import('../web/uploads.ts')
const { checkStore } = await import('./check-store.ts')
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

describe('the store heals', () => {
  const take = async (text: string) => {
    writeFileSync(join(home, 'in.exr'), text)
    return storeFile(join(home, 'in.exr'))
  }
  test.each([
    ['emptied', ''],
    ['cut', 'lig'],
    ['changed', 'lighx'],
  ])(
    'a stored file that was %s is found on reading, put aside, and whole once the same file comes in again',
    async (what, damaged) => {
      const text = `light of ${what}`
      const hash = await take(text)
      writeFileSync(storedPath(hash), damaged)
      await expect(readStored(hash)).rejects.toThrow(DamagedError)
      await expect(readStored(hash)).rejects.toThrow(/Bring the same file in again/)
      expect([existsSync(storedPath(hash)), existsSync(damagedPath(hash))]).toEqual([false, true])
      expect(await isKept(hash, text.length)).toBe(false)
      expect(await take(text)).toBe(hash)
      expect(new TextDecoder().decode(await readStored(hash))).toBe(text)
      expect(existsSync(damagedPath(hash))).toBe(false)
    },
  )
  test('one that was damaged and not read yet is replaced when the same file comes in', async () => {
    const hash = await take('rim')
    writeFileSync(storedPath(hash), '')
    await take('rim')
    expect(await isSound(hash)).toBe(true)
  })
  test('a form counts only when it is as long as it says', async () => {
    const block = encodePassBlock({ width: 3, height: 2, x: 0, y: 0, channels: 1, data: new Float32Array(6) })
    const path = join(home, 'form.pass')
    for (const [bytes, isWhole] of [
      [block, true],
      [block.subarray(0, 40), false],
      [block.subarray(0, 10), false],
      [new Uint8Array(), false],
      [new Uint8Array(block.length), false],
    ] as const) {
      writeFileSync(path, bytes)
      expect(await isWholeForm(path)).toBe(isWhole)
    }
    expect(await isWholeForm(join(home, 'absent'))).toBe(false)
  })
  test('a check finds what is damaged, and repairs by putting it aside', async () => {
    const own = mkdtempSync(join(tmpdir(), 'zafiro-check-'))
    const hash = createHash('sha256').update('good').digest('hex')
    const other = createHash('sha256').update('other').digest('hex')
    for (const [name, text] of [
      [hash, 'good'],
      [other, 'otter'],
    ] as const) {
      mkdirSync(join(own, 'store', name.slice(0, 2)), { recursive: true })
      writeFileSync(join(own, 'store', name.slice(0, 2), name), text)
    }
    const lines: string[] = []
    const say = (line: string) => lines.push(line)
    expect(await checkStore(own, { repair: false }, say)).toMatchObject({ checked: 2, damaged: [other] })
    expect(await checkStore(own, { repair: true }, say)).toMatchObject({ damaged: [other] })
    expect(await checkStore(own, { repair: false }, say)).toMatchObject({ checked: 1, damaged: [] })
    expect(lines[0]).toContain(other)
    rmSync(own, { recursive: true })
  })
})

test('parts of writers that are gone are cleared away; those of living ones stay', async () => {
  const own = mkdtempSync(join(tmpdir(), 'zafiro-parts-'))
  mkdirSync(join(own, 'ab'))
  const names = [`x.999999999.abc.part`, `ab/y.${process.pid}.abc.part`, 'ab/z.exr', 'not.a.part']
  for (const name of names) writeFileSync(join(own, name), '')
  expect(await clearParts(own)).toBe(1)
  expect(readdirSync(own, { recursive: true }).sort()).toEqual(
    ['ab', names[1], 'ab/z.exr', 'not.a.part'].sort(),
  )
  // A day later nobody writes it any more.
  expect(await clearParts(own, Date.now() + 25 * 3600e3)).toBe(1)
  rmSync(own, { recursive: true })
})

test('uploads that nobody went on with expire', async () => {
  const own = mkdtempSync(join(tmpdir(), 'zafiro-uploads-'))
  for (const name of ['a', 'a.json', 'file.1.x.part']) writeFileSync(join(own, name), '')
  expect(await clearUploads(own, Date.now() + 2 * 3600e3)).toBe(1)
  expect(await clearUploads(own, Date.now() + 4 * 24 * 3600e3)).toBe(2)
  rmSync(own, { recursive: true })
})
