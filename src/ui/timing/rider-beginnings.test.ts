import { expect, test } from 'vitest'
import { addLane, addStep, emptyComp } from '../../core/comp/edits.ts'
import { findLoop } from '../../core/comp/references.ts'
import type { Comp } from '../../core/comp/schema.ts'
import { editTrack, type SettingRef } from '../../core/comp/settings.ts'
import { beginnings } from './rider-beginnings.ts'

const grey = { type: 'colour', colour: [0.2, 0.2, 0.2], alpha: 1 } as const
/** Lanes by their names, the last in front, each a colour. */
const lanes = (...names: string[]): Comp =>
  names.reduce((comp, name) => addLane(comp, name, { ...grey, colour: [...grey.colour] }), emptyComp(40, 30))
const idOf = (comp: Comp, name: string) => comp.lanes.find((l) => l.name === name)!.id
/** Light rays on a lane, and their origin. */
function withRays(comp: Comp, name: string): [Comp, SettingRef] {
  const [next, step] = addStep(comp, idOf(comp, name), 0, 'light-rays')
  return [next, { of: 'dial', step, key: 'origin' }]
}
const words = (found: ReturnType<typeof beginnings>) => found.map(([name]) => name)
const followed = (found: ReturnType<typeof beginnings>) => {
  const rider = found.find(([name]) => name === 'Follow')?.[2]
  return rider?.type === 'follow' && rider.of.type === 'matte' ? rider.of.matte.from : undefined
}

test('in a bus the bus is not what is followed first: it is made of the lane itself', () => {
  const plain = lanes('cave', 'paint', 'seahorse')
  const bus = idOf(plain, 'seahorse')
  const inBus: Comp = {
    ...plain,
    lanes: plain.lanes.map((l) =>
      l.name === 'seahorse'
        ? { ...l, source: { type: 'lanes' } }
        : l.name === 'paint'
          ? { ...l, in: bus }
          : l,
    ),
  }
  const [comp, origin] = withRays(inBus, 'paint')
  const found = beginnings(comp, origin, 'point', [0, 0])
  expect(followed(found)).toEqual({ type: 'tap', lane: idOf(comp, 'cave') })
  for (const [, , rider] of found)
    expect(findLoop(editTrack(comp, origin, 0, (t) => ({ ...t, riders: [rider] })))).toBeUndefined()
})

test('the front lane is followed where nothing is in the way; alone, a drawing, and nothing where there is none', () => {
  const [comp, origin] = withRays(lanes('cave', 'paint', 'glow'), 'paint')
  expect(followed(beginnings(comp, origin, 'point', [0, 0]))).toEqual({
    type: 'tap',
    lane: idOf(comp, 'glow'),
  })
  const [alone, its] = withRays(lanes('cave'), 'cave')
  expect(words(beginnings(alone, its, 'point', [0, 0]))).not.toContain('Follow')
  const drawing = {
    id: 'd1',
    name: 'bell',
    time: 'keyed',
    shapes: [],
    keys: [],
  } as unknown as Comp['drawings'][number]
  const drawn = { ...alone, drawings: [drawing] }
  expect(followed(beginnings(drawn, its, 'point', [0, 0]))).toEqual({ type: 'drawing', drawing: 'd1' })
})

test('each type of setting is offered what fits it', () => {
  const [comp, origin] = withRays(lanes('cave', 'paint'), 'paint')
  const step = comp.lanes.find((l) => l.name === 'paint')!.steps[0]!.id
  const at = (key: string): SettingRef => ({ of: 'dial', step, key })
  expect(words(beginnings(comp, at('strength'), 'number', 0.5))).toEqual([
    'Flicker',
    'Hold on frames',
    'Shift and scale',
    'Measure',
  ])
  expect(words(beginnings(comp, origin, 'point', [1, 2]))).toEqual([
    'Flicker',
    'Hold on frames',
    'Shift and scale',
    'Follow',
  ])
  expect(words(beginnings(comp, { of: 'on', step }, 'flag', true))).toEqual([
    'Hold on frames',
    'Shift and scale',
  ])
})
