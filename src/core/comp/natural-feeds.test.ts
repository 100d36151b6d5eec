import { expect, test } from 'vitest'
import { findEffect } from '../effects/registry.ts'
import { addLane, editLane, emptyComp, masterId } from './edits.ts'
import type { MediaTable, Pass } from './media.ts'
import { mediaBehind, naturalFeeds } from './natural-feeds.ts'

const pass = (name: string, kind: Pass['kind']): Pass => ({ name, kind, channels: ['Z'], type: 'float' })
const media: MediaTable = {
  cave: {
    name: 'cave',
    frames: { 1: 'a' },
    passes: [pass('beauty', 'colour'), pass('far', 'depth'), pass('P', 'position')],
  },
  drawn: { name: 'drawn', frames: { 1: 'b' }, passes: [pass('beauty', 'colour')] },
  look: { name: 'look', frames: { 1: 'c' }, passes: [pass('table', 'table')] },
}
const beauty = (of: string) => ({ type: 'pass', media: of, pass: 'beauty' }) as const

/** A bus of a drawn lane before a tap of the cave, and the cave itself. */
function desk() {
  let comp = addLane(emptyComp(64, 36), 'Cave', beauty('cave'))
  const cave = comp.lanes[0]!.id
  comp = addLane(comp, 'Bus', { type: 'lanes' })
  const bus = comp.lanes[1]!.id
  comp = addLane(comp, 'Tap', { type: 'tap', lane: cave })
  comp = addLane(comp, 'Drawn', beauty('drawn'))
  for (const { id } of comp.lanes.slice(2))
    comp = editLane(comp, id, (l) => {
      l.in = bus
    })
  return { comp, cave, bus, tap: comp.lanes[2]!.id, drawn: comp.lanes[3]!.id }
}

test('the media behind a lane is that of its source, of what it taps, of the hindmost lane in it', () => {
  const { comp, cave, bus, tap, drawn } = desk()
  expect([cave, bus, tap, drawn, masterId].map((id) => mediaBehind(comp, id))).toEqual([
    'cave',
    'cave',
    'cave',
    'drawn',
    'cave',
  ])
  // A loop, which only a comp from elsewhere can hold, ends.
  const looped = editLane(comp, cave, (l) => {
    l.source = { type: 'tap', lane: tap }
  })
  expect(mediaBehind(looped, tap)).toBeUndefined()
})

test('a new step is fed by passes of the kinds it wants, beside its own picture, and by the table there is', () => {
  const { comp, cave, drawn } = desk()
  const feeds = (lane: string, effect: string) => naturalFeeds(comp, media, lane, findEffect(effect)!)
  expect(feeds(cave, 'depth-mist')).toEqual({
    depth: { from: { type: 'pass', media: 'cave', pass: 'far' } },
    position: { from: { type: 'pass', media: 'cave', pass: 'P' } },
  })
  expect(feeds(drawn, 'depth-mist')).toEqual({})
  expect(feeds(drawn, 'look-table')).toEqual({
    table: { from: { type: 'pass', media: 'look', pass: 'table' } },
  })
  // Light and mattes are the finisher's to choose.
  expect(feeds(cave, 'bloom')).toEqual({})
})
