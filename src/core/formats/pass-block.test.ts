import { expect, test } from 'vitest'
import {
  columnsOfBlock,
  encodePassBlock,
  decodePassBlock,
  passHeaderBytes,
  rowsOfBlock,
} from './pass-block.ts'

test('rows of a block are found by its beginning alone, at least one wherever they are asked for', () => {
  const data = Uint16Array.from({ length: 5 * 7 * 3 }, (_, i) => i)
  const bytes = encodePassBlock({ width: 5, height: 7, x: -2, y: 10, channels: 3, data })
  const whole = decodePassBlock(bytes.slice().buffer)
  const header = bytes.slice(0, passHeaderBytes).buffer
  for (const [from, to, first, count] of [
    [12, 15, 2, 3],
    [-50, 12, 0, 2],
    [16, 99, 6, 1],
    [-9, -4, 0, 1],
    [40, 60, 6, 1],
  ] as const) {
    const { start, end, read } = rowsOfBlock(header, [from, to])
    const block = read(bytes.slice(start, end).buffer)
    expect([block.x, block.y, block.width, block.height]).toEqual([-2, 10 + first, 5, count])
    expect([...block.data]).toEqual([...whole.data.slice(first * 15, (first + count) * 15)])
    expect(() => read(bytes.slice(start, end - 1).buffer)).toThrow('data are missing')
  }
  expect(() => rowsOfBlock(new ArrayBuffer(32), [0, 1])).toThrow('does not begin')
})

test('columns of a block, at least one wherever they are asked for; all of them are the block itself', () => {
  for (const values of [Uint16Array, Float32Array]) {
    const data = new values(30).map((_, i) => i)
    const block = { width: 5, height: 3, x: -2, y: 10, channels: 2, data }
    for (const [from, to, first, count] of [
      [0, 2, 2, 2],
      [-50, -1, 0, 1],
      [2, 99, 4, 1],
      [-99, -40, 0, 1],
      [40, 60, 4, 1],
    ] as const) {
      const { data: cut, ...place } = columnsOfBlock(block, [from, to])
      expect(place).toEqual({ width: count, height: 3, x: -2 + first, y: 10, channels: 2 })
      const expected = [0, 1, 2].flatMap((y) =>
        Array.from({ length: count * 2 }, (_, i) => y * 10 + first * 2 + i),
      )
      expect([...cut]).toEqual(expected)
    }
    expect(columnsOfBlock(block, [-2, 3])).toBe(block)
  }
})
