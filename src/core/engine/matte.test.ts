import { expect, test } from 'vitest'
import { plainPicture } from '../picture/picture.ts'
import { pickNearest } from './matte.ts'

test('data are made smaller by picking, so that no value arises that was not there', () => {
  const ids = plainPicture(7, 5, 1)
  ids.data.forEach((_, i) => {
    ids.data[i] = i % 2 ? 1000 : -3
  })
  const out = plainPicture(4, 3, 1)
  pickNearest(out, ids, 2)
  expect(new Set(out.data)).toEqual(new Set([1000, -3]))
})
