import {
  chmodSync,
  existsSync,
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  writeFileSync,
} from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, expect, test, vi } from 'vitest'

// Roots are read from the environment when the server starts.
const folder = mkdtempSync(join(tmpdir(), 'zafiro-deliver-'))
const [root, gone] = [join(folder, 'out'), join(folder, 'gone')]
mkdirSync(root)
vi.stubEnv('ZAFIRO_OUTPUT', [root, gone].join('\n'))
const { besideWhatIsThere, checkPlace, undelivered } = await import('./deliver.ts')
afterAll(() => {
  rmSync(folder, { recursive: true })
})

const place = (more: object = {}) => ({ root, folder: 'sh010/final', there: 'replace' as const, ...more })
const named = {
  pattern: '{shot}.{frame}',
  shot: 'grotto',
  frames: [1, 2, 3],
  formats: ['exr', 'png8'] as const,
}

test('only folders below a root that is open take files, and what keeps them is said', async () => {
  expect(await checkPlace(place())).toBe(join(root, 'sh010/final'))
  await expect(checkPlace(place({ folder: '../gone' }))).rejects.toThrow(/leads out of/)
  await expect(checkPlace(place({ folder: '/etc' }))).rejects.toThrow(/leads out of/)
  await expect(checkPlace(place({ root: '/etc' }))).rejects.toThrow(/not open for files\. Open are: /)
  // A disk that is away is not made.
  await expect(checkPlace(place({ root: gone }))).rejects.toThrow(/it is gone/)
  expect(existsSync(gone)).toBe(false)
  writeFileSync(join(root, 'file'), 'in the way')
  await expect(checkPlace(place({ folder: 'file/below' }))).rejects.toThrow(/a file is in the way/)
})

test.skipIf(process.getuid?.() === 0)('a folder that can only be read is said', async () => {
  const closed = join(root, 'closed')
  mkdirSync(closed)
  chmodSync(closed, 0o555)
  await expect(checkPlace(place({ folder: 'closed' }))).rejects.toThrow(/may not write there/)
})

test('what is there is replaced, left, or kept beside a new version', async () => {
  const there = join(root, 'sh010/final')
  const write = (name: string) => {
    writeFileSync(join(there, name), 'old')
  }
  for (const name of ['grotto.0001.exr', 'grotto.0001.8bit.png', 'grotto.0002.exr']) write(name)
  const asked = (kind: 'replace' | 'skip' | 'version', pattern = named.pattern) =>
    besideWhatIsThere(place({ there: kind }), { ...named, pattern }, 5)
  expect(await asked('replace')).toEqual({ pattern: named.pattern, frames: [1, 2, 3] })
  // Of frame 2 one of two files is there.
  expect((await asked('skip')).frames).toEqual([2, 3])
  expect(await asked('version')).toEqual({ pattern: '{shot}-v002.{frame}', frames: [1, 2, 3] })
  write('grotto-v002.0003.exr')
  expect((await asked('version')).pattern).toBe('{shot}-v003.{frame}')
  // The number of the render is in the name already, and there is nothing of 5.
  expect((await asked('version', '{shot}_{version}_{frame}')).pattern).toBe('{shot}_{version}_{frame}')
})

test('files arrive whole, small pictures stay behind, and what fails is told without losing them', async () => {
  const from = join(folder, 'render')
  mkdirSync(from)
  for (const name of ['grotto.0001.exr', 'grotto.0009.exr', 'grotto.0001.thumb.webp'])
    writeFileSync(join(from, name), 'new')
  const files = readdirSync(from)
  expect(await undelivered(place({ there: 'skip' }), from, files)).toBeNull()
  const text = (name: string) => readFileSync(join(root, 'sh010/final', name), 'utf8')
  expect([text('grotto.0001.exr'), text('grotto.0009.exr')]).toEqual(['old', 'new'])
  expect(await undelivered(place(), from, files)).toBeNull()
  expect(text('grotto.0001.exr')).toBe('new')
  expect(
    readdirSync(join(root, 'sh010/final')).filter((n) => n.includes('part') || n.includes('thumb')),
  ).toEqual([])
  expect(await undelivered(place(), from, ['absent.exr'])).toMatch(
    /absent\.exr could not be put into .*sh010\/final: it is gone\. They are kept with the render/,
  )
  expect(await undelivered(place({ root: gone }), from, files)).toMatch(
    /gone\/sh010\/final: it is gone\. They are kept/,
  )
  expect(readdirSync(from)).toEqual(files)
})
