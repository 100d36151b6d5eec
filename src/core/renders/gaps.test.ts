import { expect, test } from 'vitest'
import { addLane, emptyComp } from '../comp/edits.ts'
import type { Media, MediaTable } from '../comp/media.ts'
import { gapWords } from './gaps.ts'

const passes = [
  { name: 'beauty', kind: 'colour', channels: ['R', 'G', 'B'], type: 'half' },
  { name: 'depth', kind: 'depth', channels: ['Z'], type: 'float', beside: 'depth' },
] as const
const cave = (more: Partial<Media> = {}) =>
  ({
    m1: {
      name: 'cave',
      frames: { 1: 'a', 2: 'b', 5: 'c' },
      beside: { depth: { 1: 'd', 5: 'e' } },
      passes,
      ...more,
    },
  }) as unknown as MediaTable
const comp = addLane(emptyComp(4, 4), 'Cave', { type: 'pass', media: 'm1', pass: 'beauty' })
const deep = addLane(comp, 'Deep', { type: 'pass', media: 'm1', pass: 'depth' })

test('a missing frame is told with what stands for it; ends that are held, and media of their own time, are none', () => {
  expect(gapWords(comp, cave(), 2)).toEqual([])
  expect(gapWords(comp, cave(), 9)).toEqual([])
  expect(gapWords(comp, cave(), 3)).toEqual(['Frame 3 of cave is missing; frame 2 stands for it.'])
  expect(gapWords(comp, cave({ gaps: 'black' }), 4)).toEqual([
    'Frame 4 of cave is missing; nothing stands for it.',
  ])
  // Of a pass in files of its own, though the picture is there.
  expect(gapWords(deep, cave(), 2)).toEqual(['Frame 2 of cave is missing; frame 1 stands for it.'])
  const shifted = { ...comp, lanes: comp.lanes.map((l) => ({ ...l, time: { shift: 1 } })) }
  expect(gapWords(shifted, cave(), 3)).toEqual([])
  expect(gapWords(shifted, cave(), 4)).toEqual(['Frame 3 of cave is missing; frame 2 stands for it.'])
})
