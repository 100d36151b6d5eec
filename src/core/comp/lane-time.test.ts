import { describe, expect, test } from 'vitest'
import { frameOfMedia, mediaFrame, type LaneTime } from './lane-time.ts'
import type { Media } from './media.ts'

const range = { first: 10, last: 14 }
const shown = (time: LaneTime, frames: readonly number[]) => frames.map((f) => mediaFrame(time, f, range))

describe('which frame of its media a lane shows', () => {
  test('shifted, faster, slower, backwards, held on frames, frozen', () => {
    expect(shown({ shift: 3 }, [12, 13, 14, 17, 18])).toEqual([10, 10, 11, 14, 14])
    expect(shown({ speed: 2 }, [10, 11, 12, 13])).toEqual([10, 12, 14, 14])
    expect(shown({ speed: 0.5 }, [10, 11, 12, 13, 19])).toEqual([10, 10, 11, 11, 14])
    expect(shown({ speed: 0.1 }, [19, 20, 40, 50])).toEqual([10, 11, 13, 14])
    expect(shown({ speed: -1, shift: 4 }, [10, 11, 14, 15])).toEqual([14, 13, 10, 10])
    expect(shown({ every: 2 }, [10, 11, 12, 13, 14])).toEqual([10, 10, 12, 12, 14])
    expect(shown({ frozen: 12, shift: 99 }, [1, 12, 50])).toEqual([12, 12, 12])
  })
  test('beyond its ends: held, begun anew, there and back, nothing', () => {
    expect(shown({}, [1, 9, 15, 99])).toEqual([10, 10, 14, 14])
    expect(shown({ before: 'loop', after: 'loop' }, [8, 9, 15, 16, 20])).toEqual([13, 14, 10, 11, 10])
    expect(shown({ before: 'swing', after: 'swing' }, [8, 9, 15, 16, 18, 19, 22])).toEqual([
      12, 11, 13, 12, 10, 11, 14,
    ])
    expect(shown({ before: 'nothing', after: 'hold' }, [9, 15])).toEqual([undefined, 14])
    expect(mediaFrame({ after: 'swing' }, 9, { first: 5, last: 5 })).toBe(5)
  })
  test('a still has no time', () => {
    const still: Media = { name: 'paper', frames: { 7: 'a' }, passes: [] }
    expect(frameOfMedia({ shift: 5, before: 'nothing' }, 1, still, undefined)).toBe(1)
  })
})
