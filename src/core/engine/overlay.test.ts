import { expect, test } from 'vitest'
import { plainPicture } from '../picture/picture.ts'
import { markWarnings, overlayMatte } from './overlay.ts'

test('what a display hides is counted and marked; the rest is left as it is shown', () => {
  const picture = plainPicture(4, 1)
  picture.data.set([0.5, 0.5, 0.5, 1, 3, 0.2, 0, 1, -0.1, 0, 0, 1, 0, 0, 0, 1.5])
  const codes = new Uint8Array(16).fill(100)
  expect(markWarnings(codes, picture)).toEqual({ bright: 1, negative: 1, alpha: 1 })
  expect([...codes.slice(0, 4)]).toEqual([100, 100, 100, 100])
  expect(codes[8 + 2]! > codes[8]!).toBe(true)
  expect(codes[12]! > codes[12 + 2]!).toBe(true)
})

test('a matte tints where it is, by how much it is', () => {
  const matte = plainPicture(3, 1, 1)
  matte.data.set([0, 0.5, 7])
  const codes = new Uint8Array(12)
  overlayMatte(codes, matte)
  expect(codes[2]).toBe(0)
  expect(codes[6]! * 2 - codes[10]!).toBeLessThanOrEqual(2)
  expect(codes[10]).toBe(153)
})
