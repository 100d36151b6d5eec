import { expect, test } from 'vitest'
import { plainPicture } from '../picture/picture.ts'
import { extractMatte, pickNearest } from './matte.ts'

test('a matte is the chosen channel held in 0–1, or 1 less it', () => {
  const picture = plainPicture(2, 1)
  picture.data.set([0.5, 0.25, 2, 0.75, -1, 0, 0, 1.5])
  const out = plainPicture(2, 1, 1)
  const of = (use: Parameters<typeof extractMatte>[2], invert = false) => {
    extractMatte(out, picture, use, invert)
    return Array.from(out.data)
  }
  expect(of('alpha')).toEqual([0.75, 1])
  expect(of('alpha', true)).toEqual([0.25, 0])
  expect(of('red')).toEqual([0.5, 0])
  expect(of('blue')).toEqual([1, 0])
  expect(of('luminance')[0]).toBeCloseTo(0.2126 * 0.5 + 0.7152 * 0.25 + 0.0722 * 2, 6)
})

test('data are made smaller by picking, so that no value arises that was not there', () => {
  const ids = plainPicture(7, 5, 1)
  ids.data.forEach((_, i) => {
    ids.data[i] = i % 2 ? 1000 : -3
  })
  const out = plainPicture(4, 3, 1)
  pickNearest(out, ids, 2)
  expect(new Set(out.data)).toEqual(new Set([1000, -3]))
})
