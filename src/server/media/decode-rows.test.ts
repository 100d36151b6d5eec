import { createHash } from 'node:crypto'
import { existsSync, mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { dirname, join } from 'node:path'
import { afterAll, beforeAll, expect, test, vi } from 'vitest'
import { readExrHeader } from '../../core/formats/exr-header.ts'
import { readExrPart } from '../../core/formats/exr-read.ts'
import { writeExr, type WrittenCompression } from '../../core/formats/exr-write.ts'
import { decodePassBlock, joinedRows, type PassBlock } from '../../core/formats/pass-block.ts'
import { openSparseExr } from './media-file.ts'
import { nodeZlib } from './node-zlib.ts'
import { openSparse } from './sparse-file.ts'

const home = mkdtempSync(join(tmpdir(), 'zafiro-rows-'))
vi.stubEnv('ZAFIRO_HOME', home)
const { DecodePool } = await import('./decode-pool.ts')
const { damagedPath, readWhole, storedPath, storeFile } = await import('./store.ts')
const pool = new DecodePool(undefined, { processes: 3 })
afterAll(() => {
  pool.close()
  vi.unstubAllEnvs()
  rmSync(home, { recursive: true })
})

// Lies 5 pixels right of the canvas and 9 above it; its bottom is below it.
const [width, height, left, top] = [37, 420, 5, -9]
const value = (x: number, y: number, c: number) => (x - left + 40 * (y - top)) * 4 + c
const planes = (names: readonly string[]) =>
  names.map((name, c) => ({
    name,
    type: 'float' as const,
    values: Float32Array.from({ length: width * height }, (_, i) =>
      value((i % width) + left, Math.floor(i / width) + top, c),
    ),
  }))
const bytesOf = (compression: WrittenCompression) =>
  writeExr(
    {
      dataWindow: [left, top, left + width - 1, top + height - 1],
      displayWindow: [0, 0, 49, 399],
      compression,
      channels: [...planes(['R', 'G', 'B', 'A']), ...planes(['Z'])],
    },
    nodeZlib,
  )
const stored: Record<string, string> = {}
beforeAll(async () => {
  for (const compression of ['zip', 'piz', 'none'] as const) {
    const path = join(home, `${compression}.exr`)
    writeFileSync(path, bytesOf(compression))
    stored[compression] = await storeFile(path)
  }
})

const form = (pass: string) => ({ pass, as: '', reduction: 1 as const, filter: 'mean' as const })

test.each(['zip', 'piz', 'none'])(
  'any window of any pass is what lies there, however its rows were shared out: %s',
  async (compression) => {
    const windows = [
      [[0, 400], undefined],
      [
        [120, 260],
        [10, 30],
      ],
      [
        [127, 129],
        [0, 50],
      ],
      [
        [300, 301],
        [41, 42],
      ],
      [
        [-9, 411],
        [-50, 900],
      ],
      // Beyond it: its nearest row, and column.
      [
        [-700, -600],
        [5, 6],
      ],
      [
        [900, 1400],
        [900, 901],
      ],
    ] as const
    const asked = windows.flatMap((window) => ['beauty', 'depth'].map((pass) => [window, pass] as const))
    // At once, as a page does.
    const got = await Promise.all(
      asked.map(([[rows, columns], pass]) =>
        pool.window(stored[compression]!, form(pass), { rows, ...(columns && { columns }) }),
      ),
    )
    for (const [i, [[rows, columns = [left, left + width]], pass]] of asked.entries()) {
      const block = decodePassBlock(got[i]!.slice().buffer)
      const clamp = (v: number, from: number, to: number) => Math.min(to, Math.max(from, v))
      const y = clamp(rows[0], top, top + height - 1)
      const x = clamp(columns[0], left, left + width - 1)
      const [rowCount, columnCount] = [
        clamp(rows[1], y + 1, top + height) - y,
        clamp(columns[1], x + 1, left + width) - x,
      ]
      const channels = pass === 'beauty' ? 4 : 1
      expect([block.x, block.y, block.width, block.height, block.channels]).toEqual([
        x,
        y,
        columnCount,
        rowCount,
        channels,
      ])
      const wanted = Float32Array.from({ length: rowCount * columnCount * channels }, (_, k) => {
        const pixel = Math.floor(k / channels)
        return value(x + (pixel % columnCount), y + Math.floor(pixel / columnCount), k % channels)
      })
      expect(block.data, `${pass} ${rows.join()} ${columns.join()}`).toEqual(wanted)
    }
  },
)

test('an eighth is the mean of 2 × 2 of the quarter, which is made first where it is not there', async () => {
  const eighth = async (pass: string, filter: 'mean' | 'pick') =>
    decodePassBlock(
      (await readWhole(await pool.form(stored['zip']!, { ...form(pass), reduction: 8, filter }))).buffer,
    )
  const { width: w, height: h, x, y, data } = await eighth('beauty', 'mean')
  // Cells of 8 × 8 pixels of the canvas.
  expect([x, y, w, h]).toEqual([0, -2, 6, 54])
  const [cellX, cellY] = [2, 10]
  let sum = 0
  for (let v = 0; v < 8; v++) for (let u = 0; u < 8; u++) sum += value(cellX * 8 + u, cellY * 8 + v, 0)
  expect(data[((cellY - y) * w + cellX) * 4]).toBeCloseTo(sum / 64, 1)
  const picked = await eighth('depth', 'pick')
  expect(picked.data[(cellY - y) * w + cellX]).toBe(value(cellX * 8 + 6, cellY * 8 + 6, 0))
})

test('what was unpacked for one pass is not unpacked again for another', () => {
  const bytes = bytesOf('zip')
  const file = readExrHeader(bytes)
  let count = 0
  const zlib = {
    ...nodeZlib,
    inflate: (packed: Uint8Array, size: number) => {
      count++
      return nodeZlib.inflate(packed, size)
    },
  }
  const chunks = new Map<number, Uint8Array>()
  const kept = {
    get: (offset: number) => chunks.get(offset),
    put: (offset: number, chunk: Uint8Array) => chunks.set(offset, chunk.slice()),
  }
  const read = (names: string[], rows: readonly [number, number]) =>
    readExrPart(bytes, file, 0, { names, rows, zlib, kept }).planes.get(names[0]!)!.values
  read(['R'], [20, 100])
  // Chunks of 16 rows from −9 on: those that begin at 7, 23, …, 87.
  expect(count).toBe(6)
  const depth = read(['Z'], [30, 120])
  expect(count).toBe(8)
  for (const y of [30, 99, 119])
    for (const x of [5, 41]) expect(depth[(y - top) * width + x - left]).toBe(value(x, y, 0))
})

test('rows are joined in their order, each once', () => {
  const block = (y: number, rows: number[]): PassBlock => ({
    width: 1,
    height: rows.length,
    x: 3,
    y,
    channels: 1,
    data: Uint16Array.from(rows),
  })
  expect(joinedRows([block(4, [5, 6]), block(0, [1, 2, 3]), block(2, [3, 4]), block(4, [5])])).toEqual(
    block(0, [1, 2, 3, 4, 5, 6]),
  )
})

test('of an EXR no more is read than is looked at, however long its header is', () => {
  const path = join(home, 'long.exr')
  const [across, down] = [3000, 200]
  const plain = Buffer.from(
    writeExr(
      {
        dataWindow: [0, 0, across - 1, down - 1],
        displayWindow: [0, 0, across - 1, down - 1],
        compression: 'none',
        channels: [
          { name: 'Z', type: 'float', values: Float32Array.from({ length: across * down }, (_, i) => i + 1) },
        ],
      },
      nodeZlib,
    ),
  )
  // A long attribute before all others, behind magic and version: name, type, length and value.
  const words = Buffer.alloc(4)
  words.writeUInt32LE(600_000)
  const note = Buffer.concat([Buffer.from('aNote\0string\0'), words, Buffer.alloc(600_000, 'n')])
  const bytes = Buffer.concat([plain.subarray(0, 8), note, plain.subarray(8)])
  // The chunks lie as much later.
  const { tablesAt } = readExrHeader(bytes)
  for (let i = 0; i < down; i++) {
    const at = tablesAt + 8 * i
    bytes.writeBigUInt64LE(bytes.readBigUInt64LE(at) + BigInt(note.length), at)
  }
  writeFileSync(path, bytes)
  const file = openSparse(path)
  const opened = openSparseExr(file)
  const [pass] = opened.info.passes
  const block = opened.readRows!(pass!.name, { isData: true }, [130, 132])!
  expect(block).toMatchObject({ x: 0, y: 130, width: across, height: 2 })
  expect([block.data[0], block.data.at(-1)]).toEqual([130 * across + 1, 132 * across])
  // In the middle of the values of a row.
  const isThere = (y: number) => {
    const at = Number(bytes.readBigUInt64LE(tablesAt + 8 * y)) + 8 + 5500
    return file.bytes.subarray(at, at + 64).every((v, i) => v === bytes[at + i])
  }
  expect([80, 129, 130, 131, 132, 199].map(isThere)).toEqual([false, false, true, true, false, false])
  const whole = opened.readPass(pass!.name)
  expect([whole.data.length, whole.data[0], whole.data.at(-1)]).toEqual([across * down, 1, across * down])
  file.close()
})

test('rows of a file that has changed on the disk are seen, and the next who asks is told', async () => {
  const good = bytesOf('none')
  const hash = createHash('sha256').update(good).digest('hex')
  const changed = Buffer.from(good)
  changed[good.length - 20]! ^= 8
  mkdirSync(dirname(storedPath(hash)), { recursive: true })
  writeFileSync(storedPath(hash), changed)
  const lanes = new DecodePool(undefined, { processes: 1 })
  try {
    const rows = await lanes.window(hash, form('depth'), { rows: [0, 8] })
    expect(decodePassBlock(rows.slice().buffer).data[0]).toBe(value(left, 0, 0))
    await vi.waitFor(() => {
      expect(existsSync(damagedPath(hash))).toBe(true)
    }, 8000)
    await expect(lanes.form(hash, form('depth'))).rejects.toThrow(/found damaged and put aside/)
  } finally {
    lanes.close()
  }
})
