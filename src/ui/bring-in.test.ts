import { expect, test } from 'vitest'
import { addPassLane, emptyComp } from '../core/comp/edits.ts'
import type { Media, MediaTable } from '../core/comp/media.ts'
import { withNewMedia } from './bring-in.ts'

/** Media with these frames. */
const media = (...numbers: number[]): Media => ({
  name: 'quay',
  frames: Object.fromEntries(numbers.map((n) => [n, `hash of ${n}`])),
  passes: [{ name: 'beauty', kind: 'colour', channels: ['R', 'G', 'B'], type: 'half' }],
})
const comp = addPassLane(emptyComp(8, 8), 'Quay', { type: 'pass', media: 'm1', pass: 'beauty' }, 'colour')
const rangeOf = (before: MediaTable, after: MediaTable, frames = { first: 1, last: 1 }) => {
  const { frames: now, lanes } = withNewMedia(
    { ...comp, frames: { ...comp.frames, ...frames } },
    before,
    after,
  )
  return [now.first, now.last, lanes.length]
}

test('a shot grows with the sequence that it was begun from, and with what comes to it later', () => {
  expect(rangeOf({ m1: media(1001) }, { m1: media(1001, 1002, 1005) })).toEqual([1001, 1005, 1])
  const grown = { first: 1001, last: 1005 }
  expect(rangeOf({ m1: media(1001, 1005) }, { m1: media(1001, 1005, 1009) }, grown)).toEqual([1001, 1009, 1])
  expect(rangeOf({ m1: media(1) }, { m1: media(1), m2: media(3, 4) })).toEqual([3, 4, 2])
})

test('a range that was set by hand stays when only frames come, and nothing changes where nothing came', () => {
  expect(rangeOf({ m1: media(1, 9) }, { m1: media(1, 9, 12) }, { first: 2, last: 6 })).toEqual([2, 6, 1])
  expect(withNewMedia(comp, { m1: media(1) }, { m1: media(1) })).toBe(comp)
  const table: Media = { ...media(1), passes: [{ ...media().passes[0]!, kind: 'table' }] }
  expect(withNewMedia(comp, { m1: media(1) }, { m1: media(1), m2: table })).toBe(comp)
})
