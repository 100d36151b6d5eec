import { mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, expect, test, vi } from 'vitest'
import type { Pass } from '../../core/comp/media.ts'
import { writeExrParts, type ExrPartPicture } from '../../core/formats/exr-write.ts'
import { nodeZlib } from './node-zlib.ts'

const home = mkdtempSync(join(tmpdir(), 'zafiro-shares-'))
vi.stubEnv('ZAFIRO_HOME', home)
const { takeStored } = await import('./decode-file.ts')
const { sharesOf } = await import('./take-shares.ts')
const { doShare, shareWork, ShareFailed } = await import('./shared-work.ts')
const { DecodePool } = await import('./decode-pool.ts')
const { derivedFolder, storeFile } = await import('./store.ts')
afterAll(() => {
  vi.unstubAllEnvs()
  rmSync(home, { recursive: true })
})

// Three spans of rows for threads to share.
const [width, height] = [67, 641]
const window = [0, 0, width - 1, height - 1] as const
const plane = (name: string, value: (i: number) => number) => ({
  name,
  type: 'float' as const,
  values: Float32Array.from({ length: width * height }, (_, i) => value(i)),
})
// A disc that was hit, before nothing; its depth says so by no value that is known.
const cover = (i: number) => (Math.hypot((i % width) - 30, (Math.floor(i / width) - 320) / 16) < 15 ? 1 : 0)
const wave = (layer: string, names: string, k: number) =>
  Array.from(names, (c, n) => plane(`${layer}${c}`, (i) => cover(i) * (0.4 + 0.3 * Math.sin(i / (k + n)))))
const parts: ExrPartPicture[] = [
  {
    name: 'first',
    channels: [
      ...wave('', 'RGB', 5),
      plane('A', cover),
      plane('Z', (i) => (cover(i) ? 3 + i / 999 : 777)),
      ...wave('diffuse.', 'RGB', 7),
      ...wave('N.', 'XYZ', 11),
    ],
  },
  { name: 'second', channels: [...wave('glossy.', 'RGB', 3), plane('glow.R', (i) => (i === 9 ? NaN : 1))] },
].map((part) => ({ ...part, dataWindow: window, displayWindow: window, compression: 'zip' }))

let hash: string
beforeAll(async () => {
  const path = join(home, 'lamp.exr')
  writeFileSync(path, writeExrParts(parts, nodeZlib))
  hash = await storeFile(path)
})
const made = () =>
  Object.fromEntries(
    readdirSync(derivedFolder(hash))
      .sort()
      .map((name) => [name, readFileSync(join(derivedFolder(hash), name)).toString('base64')]),
  )

test('two threads say and make of a file what one does, byte for byte', async () => {
  const { info: whole, order } = await takeStored(hash)
  const wanted = made()
  expect(whole.passes.length).toBeGreaterThan(5)
  expect(whole.passes.find((p) => p.kind === 'depth')?.detail?.miss).toBe(777)
  expect(whole.warnings.join()).toMatch(/not numbers/)
  rmSync(derivedFolder(hash), { recursive: true })
  expect(await takeStored(hash, { threads: 2 })).toEqual({ info: whole, order })
  expect(made()).toEqual(wanted)
})

test('what is broken is said by two threads as by one, wherever it lies, and neither waits for the other for ever', async () => {
  const good = writeExrParts(parts, nodeZlib)
  for (const at of [0.55, 0.75, 0.97]) {
    const bad = good.slice()
    bad.fill(0x55, Math.floor(bad.length * at), Math.floor(bad.length * at) + 60)
    const path = join(home, 'broken.exr')
    writeFileSync(path, bad)
    const broken = await storeFile(path)
    const say = (threads: 1 | 2) =>
      takeStored(broken, { threads }).then(
        () => 'nothing',
        (error: unknown) => (error as Error).message,
      )
    const alone = await say(1)
    expect(alone).toMatch(/chunk/)
    expect(await say(2)).toMatch(/chunk/)
  }
})

test('shared work is done once each, by however many', () => {
  const work = shareWork()
  const did: number[] = []
  const begin = (name: number) => {
    doShare(work, 20, (i) => did.push(i * 100 + name))
  }
  begin(1)
  begin(2)
  expect(did).toEqual(Array.from({ length: 20 }, (_, i) => i * 100 + 1))
  // One that took a piece and was ended.
  const lost = shareWork()
  Atomics.add(new Int32Array(lost), 0, 1)
  expect(() => {
    doShare(lost, 4, () => undefined, 120)
  }).toThrow(ShareFailed)
  const broken = shareWork()
  expect(() => {
    doShare(broken, 5, (i) => {
      if (i === 2) throw new Error('piece 2')
    })
  }).toThrow('piece 2')
  expect(() => {
    doShare(broken, 5, () => undefined)
  }).toThrow(ShareFailed)
})

test('every pass is in one share, none has much more to do than another, and depth is where alpha may explain it', () => {
  const pass = (name: string, kind: Pass['kind'], channels: number): Pass => ({
    name,
    kind,
    channels: ['R', 'G', 'B', 'A'].slice(0, channels),
    type: 'half',
  })
  const passes = [
    pass('normal', 'normal', 3),
    pass('depth', 'depth', 1),
    pass('beauty', 'colour', 4),
    ...['diffuse', 'glossy', 'emission', 'volume'].map((name) => pass(name, 'light', 3)),
  ]
  const shares = sharesOf(passes, 2)
  expect(shares.flatMap((s) => [...s]).sort()).toEqual(passes.map((p) => p.name).sort())
  expect(shares[0]).toContain('depth')
  expect(shares[0]).toContain('beauty')
  const loads = shares.map((s) => passes.reduce((sum, p) => sum + (s.has(p.name) ? p.channels.length : 0), 0))
  expect(Math.abs(loads[0]! - loads[1]!)).toBeLessThan(4)
  expect(sharesOf(passes.slice(1, 2), 2).map((s) => s.size)).toEqual([1, 0])
})

test('a large EXR is taken by two threads where nothing else is done; a small one or one that is none is not, nor while others wait', async () => {
  const program = join(home, 'decoder.mjs')
  writeFileSync(
    program,
    `process.on('message', ({ options }) => setTimeout(() => process.send({ result: {
       info: { passes: [], warnings: [], width: options.threads }, order: [] } }), 200))
     process.on('disconnect', () => process.exit(0))`,
  )
  const pool = new DecodePool(program, { processes: 2 })
  const stored = async (name: string, bytes: number, magic: readonly number[]) => {
    const content = new Uint8Array(bytes)
    content.set(magic)
    writeFileSync(join(home, name), content)
    return storeFile(join(home, name))
  }
  const exr = [0x76, 0x2f, 0x31, 0x01]
  const [large, small, other] = [
    await stored('large', 25e6, exr),
    await stored('small', 1e6, exr),
    await stored('other', 25e6, [0x89, 0x50]),
  ]
  const threads = async (one: string) => (await pool.take(one)).width
  try {
    expect(await threads(large)).toBe(2)
    expect(await threads(small)).toBe(1)
    expect(await threads(other)).toBe(1)
    expect(await Promise.all([threads(small), threads(large)])).toEqual([1, 1])
  } finally {
    pool.close()
  }
})
