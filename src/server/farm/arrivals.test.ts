import { expect, test } from 'vitest'
import { addLane, emptyComp } from '../../core/comp/edits.ts'
import type { Media, MediaTable } from '../../core/comp/media.ts'
import { wholeFrames } from './arrivals.ts'

const lane = (media: string) => ({ type: 'pass', media, pass: 'beauty' }) as const
const empty = emptyComp(8, 8)
const range = (first: number, last: number) => ({
  ...addLane(addLane(empty, 'Cave', lane('cave')), 'Paint', lane('paint')),
  frames: { ...empty.frames, first, last },
})
const files = (name: string, frames: readonly number[], more: Partial<Media> = {}): Media => ({
  name,
  passes: [],
  frames: Object.fromEntries(frames.map((n) => [n, `${name}${n}`])),
  ...more,
})

test('a frame is whole when every sequence in use has its file; stills serve all', () => {
  const whole = (media: MediaTable, comp = range(1, 9)) => [...wholeFrames(comp, media).keys()]
  expect(whole({ cave: files('c', [1, 2, 4]), paint: files('p', [2, 3, 4]) })).toEqual([2, 4])
  expect(whole({ cave: files('c', [1, 2, 4]), paint: files('p', [1]) })).toEqual([1, 2, 4])
  // What no lane uses is not waited for.
  expect(whole({ cave: files('c', [1, 2]), paint: files('p', [1, 2]), other: files('o', [7, 8]) })).toEqual([
    1, 2,
  ])
  // Passes in files of their own are waited for.
  const beside = { depth: { 1: 'd1', 3: 'd3' } }
  expect(whole({ cave: files('c', [1, 2, 3], { beside }), paint: files('p', [1]) })).toEqual([1, 3])
  expect(whole({ cave: files('c', [0, 1, 2, 3, 4]), paint: files('p', [0]) }, range(2, 3))).toEqual([2, 3])
  expect(whole({})).toEqual([])
  expect(whole({ cave: files('c', [5]) })).toEqual([5])
})

test('a frame that is delivered again is told by its content, and no other is', () => {
  const before = wholeFrames(range(1, 9), { cave: files('c', [1, 2, 3]) })
  const cave = files('c', [1, 2, 3])
  const after = wholeFrames(range(1, 9), { cave: { ...cave, frames: { ...cave.frames, 2: 'again' } } })
  expect([1, 2, 3].map((n) => before.get(n) === after.get(n))).toEqual([true, false, true])
})
