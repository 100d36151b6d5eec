import murmur from 'murmurhash'
import { expect, test } from 'vitest'
import { cryptomatteHeader, hashName, hashToFloat, parseManifest, readMaskHeaders } from './cryptomatte.ts'
import { textAttribute } from './exr-write.ts'
import { objectAt, objectMatte, objectsIn } from './object-masks.ts'
import type { PassBlock } from './pass-block.ts'

const bitsOf = (v: number) => new Uint32Array(Float32Array.of(v).buffer)[0]!

test('hashes are MurmurHash3 as its npm package computes them, and of UTF-8 beyond ASCII', () => {
  for (const name of ['', 'hello', 'cube', 'jelly_1', 'bell/glass.001', 'a'.repeat(77)])
    expect(hashName(name), name).toBe(murmur.v3(name, 0))
  // Worked values of the Cryptomatte specification.
  expect(hashName('hello')).toBe(0x248bfa47)
  expect(hashToFloat(hashName('hello'))).toBeCloseTo(6.0705627e-17, 23)
  expect(hashToFloat(hashName('cube')) / -4.0846191e15).toBeCloseTo(1, 6)
})

test('what a header is written to say is read back; a side file is named; nonsense is left out', () => {
  const attributes = new Map(
    cryptomatteHeader('objects', ['käse 🧀', 'bell']).map(([name, text]) => [
      name,
      textAttribute(name, text),
    ]),
  )
  const [found] = readMaskHeaders(attributes)
  expect(found!.layer).toBe('objects')
  expect([...found!.objects.values()].sort()).toEqual(['bell', 'käse 🧀'])
  expect(found!.objects.get(bitsOf(hashToFloat(hashName('bell'))))).toBe('bell')
  const beside = new Map(
    [
      ['cryptomatte/1234567/name', 'materials'],
      ['cryptomatte/1234567/manif_file', 'materials.json'],
      ['cryptomatte/7654321/manifest', '{}'],
    ].map(([name, text]) => [name!, textAttribute(name!, text!)]),
  )
  expect(readMaskHeaders(beside)).toEqual([
    { layer: 'materials', objects: new Map(), manifestFile: 'materials.json' },
  ])
  for (const text of ['', '[]', 'null', '{"a": 5}', '{"a": "xyz"}'])
    expect(parseManifest(text)?.size ?? 0).toBe(0)
})

const [bell, rock] = [hashToFloat(hashName('bell')), hashToFloat(hashName('rock'))]

test('ranked masks carry their own antialiasing and sum to the cover of the pixel', () => {
  // bell 0.75 and rock 0.25; rock alone; nothing.
  const data = Float32Array.of(bell, 0.75, rock, 0.25, rock, 1, 0, 0, 0, 0, 0, 0)
  const block: PassBlock = { width: 3, height: 1, x: 0, y: 0, channels: 4, data }
  expect([...objectMatte(block, 'ranked', new Set([bitsOf(bell)]))]).toEqual([0.75, 0, 0])
  expect([...objectMatte(block, 'ranked', new Set([bitsOf(bell), bitsOf(rock)]))]).toEqual([1, 1, 0])
  expect(objectsIn(block, 'ranked')).toEqual([
    { id: bitsOf(rock), pixels: 1.25 },
    { id: bitsOf(bell), pixels: 0.75 },
  ])
  expect([0, 1, 2].map((x) => objectAt(block, 'ranked', x, 0))).toEqual([bitsOf(bell), bitsOf(rock), 0])
})

test('plain IDs, of numbers or colours, give soft edges whose mattes still sum to 1', () => {
  const [width, height] = [23, 17]
  const which = (i: number) => (Math.hypot((i % width) - 11, Math.floor(i / width) - 8) < 6 ? 1 : 2)
  const count = width * height
  const numbers = Float32Array.from({ length: count }, (_, i) => which(i) * 1e6)
  // Half codes of two colours that share a channel.
  const colours = new Uint16Array(count * 3)
  for (let i = 0; i < count; i++)
    colours.set(which(i) === 1 ? [0x3c00, 0, 0x3800] : [0x3c00, 0x3800, 0], i * 3)
  for (const [channels, data] of [
    [1, numbers],
    [3, colours],
  ] as const) {
    const block: PassBlock = { width, height, x: 0, y: 0, channels, data }
    const ids = objectsIn(block, 'plain').map((o) => o.id)
    expect(ids).toHaveLength(2)
    const [back, disc] = ids.map((id) => objectMatte(block, 'plain', new Set([id])))
    expect(Math.max(...disc!.map((v, i) => Math.abs(v + back![i]! - 1)))).toBeLessThan(1e-6)
    expect(objectAt(block, 'plain', 11, 8)).toBe(ids[1])
    // The middle is full, far away is none, and the area is that of the disc (filters keep sums).
    expect(disc![8 * width + 11]).toBe(1)
    expect(disc![0]).toBe(0)
    const area = disc!.reduce((sum, v) => sum + v, 0)
    expect(area).toBeCloseTo(
      Array.from({ length: count }, (_, i) => which(i)).filter((w) => w === 1).length,
      3,
    )
    expect(disc!.some((v) => v > 0.1 && v < 0.9)).toBe(true)
  }
})
