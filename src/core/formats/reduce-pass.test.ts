import { expect, test } from 'vitest'
import { halfToNumber, numberToHalf } from '../picture/half.ts'
import type { PassBlock } from './pass-block.ts'
import { objectMatte } from './object-masks.ts'
import { passFilter } from '../passes/passes.ts'
import { reducePass, reducePasses } from './reduce-pass.ts'

const [width, height] = [11, 7]
const floats = (channels: number, value: (x: number, y: number) => readonly number[]): PassBlock => {
  const data = new Float32Array(width * height * channels)
  for (let i = 0; i < width * height; i++) data.set(value(i % width, Math.floor(i / width)), i * channels)
  return { width, height, x: 0, y: 0, channels, data }
}

test('colour is the mean of the pixels that are there, half stays half', () => {
  const block = floats(1, (x, y) => [x + 100 * y])
  const small = reducePass(block, 'mean', 4, block)
  expect([small.width, small.height]).toEqual([3, 2])
  // First cell: x 0–3, y 0–3. Last: x 8–10, y 4–6 at the frame's edge, where what is beyond is not counted.
  expect(small.data[0]).toBeCloseTo(1.5 + 150, 4)
  expect(small.data[5]).toBeCloseTo(9 + 500, 3)
  const halves = { ...block, data: Uint16Array.from(block.data, numberToHalf) }
  const half = reducePass(halves, 'mean', 4, block)
  expect(half.data).toBeInstanceOf(Uint16Array)
  expect(halfToNumber(half.data[0]!)).toBe(halfToNumber(numberToHalf(151.5)))
})

test('a data window off the frame’s grid keeps its place, and empty surroundings count as 0', () => {
  const block = { ...floats(1, () => [1]), x: 3, y: -2 }
  const small = reducePass(block, 'mean', 4, { width: 40, height: 40 })
  expect([small.x, small.y, small.width, small.height]).toEqual([0, -1, 4, 3])
  // One column and two rows of the first cell lie inside.
  expect(small.data[0]).toBeCloseTo(2 / 16, 6)
  expect(small.data[5]).toBe(1)
})

test('several sizes in one way through the rows are what each is alone, off the grid and at odd sizes', () => {
  const data = Float32Array.from({ length: 37 * 29 * 3 }, (_, i) => (i % 50 === 7 ? NaN : Math.sin(i) * 9))
  const block = { width: 37, height: 29, x: -5, y: 3, channels: 3, data }
  const frame = { width: 31, height: 33 }
  for (const filter of ['mean', 'normal', 'pick'] as const)
    expect(reducePasses(block, filter, [2, 4], frame)).toEqual(
      ([2, 4] as const).map((factor) => reducePass(block, filter, factor, frame)),
    )
})

test('IDs are picked with all their bits, never averaged', () => {
  const words = Uint32Array.from({ length: width * height }, (_, i) => 0x7fc00001 + i * 65_537)
  const block: PassBlock = { width, height, x: 0, y: 0, channels: 1, data: new Float32Array(words.buffer) }
  const small = reducePass(block, passFilter({ kind: 'ids' }), 2, block)
  const found = new Uint32Array(small.data.buffer)
  expect([...found].every((w) => words.includes(w))).toBe(true)
  expect(found[0]).toBe(words[width + 1])
})

test('averaged normals have length 1 again, packed ones too; nothing stays nothing', () => {
  const at = (x: number) => [Math.sin(x / 9), 0, Math.cos(x / 9)] as const
  const signed = floats(3, (x, y) => (y < 4 ? at(x) : [0, 0, 0]))
  const packed = floats(3, (x) => at(x).map((v) => v / 2 + 0.5))
  for (const [block, filter] of [
    [signed, 'normal'],
    [packed, 'packed'],
  ] as const) {
    const small = reducePass(block, filter, 4, block)
    const vector = [0, 1, 2].map((c) => (filter === 'packed' ? small.data[c]! * 2 - 1 : small.data[c]!))
    expect(Math.hypot(...vector)).toBeCloseTo(1, 5)
    expect(vector[0]! / vector[2]!).toBeCloseTo(Math.tan(1.5 / 9), 3)
  }
  expect([...reducePass(signed, 'normal', 4, signed).data.slice(-3)]).toEqual([0, 0, 0])
  expect(
    ['depth', 'position', 'motion', 'ids', 'other'].map((kind) => passFilter({ kind: kind as 'depth' })),
  ).toEqual(Array(5).fill('pick'))
})

test('ranked objects are joined: the coverage of each is the mean of its coverage, at odd sizes and windows too', () => {
  const names = [11, 0x7fc00001, 0x3f800000, 99]
  let state = 7
  const chance = () => (state = (state * 48271) % 2147483647) / 2147483647
  const block = floats(6, () => {
    const covers = [chance(), chance(), chance()].map((c) => c / 3)
    return covers.flatMap((c) => [0, c])
  })
  const ids = new Uint32Array(block.data.buffer)
  for (let i = 0; i < ids.length; i += 6) {
    const from = Math.floor(chance() * 4)
    for (let k = 0; k < 3; k++) ids[i + k * 2] = names[(from + k) % 4]!
  }
  const placed = { ...block, x: -1, y: 3 }
  const frame = { width: 10, height: 10 }
  for (const factor of [2, 4] as const) {
    const joined = reducePass(placed, 'ranks', factor, frame)
    for (const id of names) {
      const matte = objectMatte(placed, 'ranked', new Set([id]))
      const mean = reducePass({ ...placed, channels: 1, data: matte }, 'mean', factor, frame)
      const got = objectMatte(joined, 'ranked', new Set([id]))
      expect([joined.x, joined.y, joined.width]).toEqual([mean.x, mean.y, mean.width])
      got.forEach((v, i) => {
        expect(v).toBeCloseTo(mean.data[i]!, 5)
      })
    }
  }
})
