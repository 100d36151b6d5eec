import { expect, test } from 'vitest'
import { plainPicture } from '../picture/picture.ts'
import { isThumbnail, smallPicture, thumbnailName, thumbnailWidth } from './thumbnail.ts'

test('a small picture holds the mean of the squares that its pixels stand for, at odd sizes too', () => {
  const picture = plainPicture(403, 5)
  for (let i = 0; i < picture.data.length; i++) picture.data[i] = ((i * 7919) % 1013) / 100 - 2
  const small = smallPicture(picture)
  // Three by three, the last column and the last row cut.
  expect([small.width, small.height]).toEqual([135, 2])
  expect(small.width).toBeLessThanOrEqual(thumbnailWidth)
  const mean = (xs: readonly number[], ys: readonly number[], c: number) => {
    const values = ys.flatMap((y) => xs.map((x) => picture.data[(y * 403 + x) * 4 + c]!))
    return values.reduce((a, b) => a + b, 0) / values.length
  }
  const at = (x: number, y: number, c: number) => small.data[(y * 135 + x) * 4 + c]!
  expect(at(0, 0, 0)).toBeCloseTo(mean([0, 1, 2], [0, 1, 2], 0), 5)
  expect(at(134, 1, 3)).toBeCloseTo(mean([402], [3, 4], 3), 5)
  expect(smallPicture(plainPicture(192, 3)).width).toBe(192)
  expect([isThumbnail(thumbnailName('look.0001')), isThumbnail('look.0001.review.png')]).toEqual([
    true,
    false,
  ])
})
