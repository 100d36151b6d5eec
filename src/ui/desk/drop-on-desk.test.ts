import type { CollisionDetection, DroppableContainer } from '@dnd-kit/core'
import { beforeEach, describe, expect, test } from 'vitest'
import { addLane, addStep, emptyComp } from '../../core/comp/edits.ts'
import type { MediaTable, Pass } from '../../core/comp/media.ts'
import type { Link } from '../../core/comp/schema.ts'
import { createShotStore, type ShotStore } from '../shot/shot-store.ts'
import { deskCollisions, dropEdge, type Dragged, type Dropped } from './drop-edge.ts'
import { dropOnDesk } from './drop-on-desk.ts'
import { feedFor } from './feed-for.ts'
import { adviceOn } from './order-advice.ts'

let store: ShotStore
const now = () => store.getState()
const names = () => now().comp.lanes.map((l) => l.name)
const lane = (name: string) => now().comp.lanes.find((l) => l.name === name)!
const effects = (name: string) => lane(name).steps.map((s) => s.effect)
const pass = (name: string, kind: Pass['kind'], channels: string[]): Pass => ({
  name,
  kind,
  channels,
  type: 'half',
})
const media: MediaTable = {
  m1: {
    name: 'grotto',
    frames: { 1: 'a'.repeat(64) },
    passes: [
      pass('beauty', 'colour', ['R', 'G', 'B']),
      pass('depth', 'depth', ['Z']),
      pass('rock', 'matte', ['A']),
      pass('normal', 'normal', ['X', 'Y', 'Z']),
    ],
  },
}

beforeEach(() => {
  let comp = emptyComp(40, 30)
  for (const name of ['Cave', 'Bell', 'Seahorse'])
    comp = addLane(comp, name, { type: 'colour', colour: [1, 1, 1], alpha: 1 })
  for (const effect of ['bloom', 'exposure', 'blur'])
    comp = addStep(comp, comp.lanes[0]!.id, comp.lanes[0]!.steps.length, effect)[0]
  store = createShotStore({ comp, media })
})
const stepOf = (name: string, effect: string) => lane(name).steps.find((s) => s.effect === effect)!.id
const drop = (
  dragged: Dragged,
  onto: Dropped | undefined,
  edge: 'front' | 'back' | 'onto' = 'onto',
  isCopy = false,
) => {
  dropOnDesk(store, dragged, onto, edge, isCopy)
}
const step = (name: string, effect: string): Dragged => ({
  type: 'step',
  step: stepOf(name, effect),
  title: effect,
})
const slot = (name: string, at: number): Dropped => ({ type: 'slot', lane: lane(name).id, at })

describe('a step that is let go', () => {
  test('goes to the slot that was seen, earlier or later in its lane, and stays itself', () => {
    const id = stepOf('Cave', 'bloom')
    drop(step('Cave', 'bloom'), slot('Cave', 3))
    expect(effects('Cave')).toEqual(['exposure', 'blur', 'bloom'])
    drop(step('Cave', 'bloom'), slot('Cave', 1))
    expect(effects('Cave')).toEqual(['exposure', 'bloom', 'blur'])
    expect([stepOf('Cave', 'bloom'), now().selection]).toEqual([id, { lane: lane('Cave').id, step: id }])
  })
  test.each([0, 1])('at its own place, before or behind it (slot %i), is no edit', (at) => {
    const { comp } = now()
    drop(step('Cave', 'bloom'), slot('Cave', at))
    expect(now().comp).toBe(comp)
  })
  test('goes to another lane, or is copied there with an id of its own, named for undo', () => {
    drop(step('Cave', 'blur'), slot('Bell', 0))
    expect([effects('Cave'), effects('Bell'), now().editName]).toEqual([
      ['bloom', 'exposure'],
      ['blur'],
      'Move Blur to Bell',
    ])
    drop(step('Cave', 'bloom'), slot('Bell', 1), 'onto', true)
    expect([effects('Cave'), effects('Bell'), now().editName]).toEqual([
      ['bloom', 'exposure'],
      ['blur', 'bloom'],
      'Copy Bloom to Bell',
    ])
    expect(stepOf('Bell', 'bloom')).not.toBe(stepOf('Cave', 'bloom'))
    expect(now().selection?.step).toBe(stepOf('Bell', 'bloom'))
  })
  test('beside the desk changes nothing', () => {
    const { comp } = now()
    drop(step('Cave', 'bloom'), undefined)
    drop(step('Cave', 'bloom'), { type: 'lane', lane: lane('Bell').id })
    expect(now().comp).toBe(comp)
  })
})

describe('a lane that is let go', () => {
  const dragged = (name: string): Dragged => ({ type: 'lane', lane: lane(name).id, title: name })
  const onto = (name: string): Dropped => ({ type: 'lane', lane: lane(name).id })
  test('stands in front of another or behind it, and one undo takes it back', () => {
    drop(dragged('Cave'), onto('Seahorse'), 'front')
    expect([names(), now().editName]).toEqual([['Bell', 'Seahorse', 'Cave'], 'Put Cave in front of Seahorse'])
    drop(dragged('Cave'), onto('Seahorse'), 'back')
    expect(names()).toEqual(['Bell', 'Cave', 'Seahorse'])
    store.temporal.getState().undo()
    store.temporal.getState().undo()
    expect(names()).toEqual(['Cave', 'Bell', 'Seahorse'])
  })
  test('onto another joins both in a bus; onto itself it is left', () => {
    const { comp } = now()
    drop(dragged('Cave'), onto('Cave'), 'front')
    expect(now().comp).toBe(comp)
    drop(dragged('Bell'), onto('Seahorse'), 'onto')
    const bus = lane('Bell').in
    expect(bus).toBeDefined()
    expect(lane('Seahorse').in).toBe(bus)
    expect(now().editName).toBe('Join Bell and Seahorse in a bus')
  })
  test('onto a feed is what it takes its picture from; a pass too, a step not', () => {
    const given: Link[] = []
    const chip: Dropped = { type: 'chip', connect: (link) => given.push(link) }
    const { comp } = now()
    drop(dragged('Bell'), chip)
    drop({ type: 'pass', media: 'm1', pass: 'depth' }, chip)
    drop(step('Cave', 'bloom'), chip)
    expect(given).toEqual([
      { type: 'tap', lane: lane('Bell').id },
      { type: 'pass', media: 'm1', pass: 'depth' },
    ])
    expect(now().comp).toBe(comp)
  })
})

test('a pass becomes a lane before or behind the one that it is let go at, at the front elsewhere; mattes become matte lanes', () => {
  const passed = (name: string): Dragged => ({ type: 'pass', media: 'm1', pass: name })
  drop(passed('beauty'), { type: 'lane', lane: lane('Bell').id }, 'front')
  expect(names()).toEqual(['Cave', 'Bell', 'grotto beauty', 'Seahorse'])
  drop(passed('rock'), { type: 'lane', lane: lane('Cave').id }, 'back')
  expect(names()[0]).toBe('grotto rock')
  expect([lane('grotto rock').kind, lane('grotto beauty').kind]).toEqual(['matte', 'picture'])
  expect(now().selection).toEqual({ lane: lane('grotto rock').id })
  drop(passed('normal'), { type: 'lane', lane: 'not there' })
  expect(names().at(-1)).toBe('grotto normal')
})

test('what is dropped on a step goes to the feed of its kind, to its matte where it says where, else to the first', () => {
  const { comp } = now()
  const [mist, id] = addStep(comp, comp.lanes[0]!.id, 0, 'depth-mist')
  const made = mist.lanes[0]!.steps.find((s) => s.id === id)!
  const bloom = comp.lanes[0]!.steps[0]!
  const of = (name: string): Link => ({ type: 'pass', media: 'm1', pass: name })
  expect(feedFor(made, of('depth'), mist, media)).toBe('depth')
  expect(feedFor(made, of('rock'), mist, media)).toBe('matte')
  expect(feedFor(bloom, of('depth'), mist, media)).toBe('matte')
  expect(feedFor(bloom, of('beauty'), mist, media)).toBe('light')
  expect(feedFor(bloom, { type: 'tap', lane: comp.lanes[1]!.id }, mist, media)).toBe('light')
})

test('where a step would stand better is told with the step that it should stand before, and not of steps that are off', () => {
  const comp = addStep(now().comp, lane('Bell').id, 0, 'grain')[0]
  const bell = comp.lanes.find((l) => l.name === 'Bell')!
  const [next, bloom] = addStep(comp, bell.id, 1, 'bloom')
  const found = adviceOn(next, bloom)
  expect(found).toMatchObject({ at: 0, before: 'Grain' })
  expect(found!.words).toMatch(/^It would better stand before Grain\. \S/)
  const off = {
    ...next,
    lanes: next.lanes.map((l) =>
      l.id === bell.id
        ? { ...l, steps: l.steps.map((s) => (s.effect === 'grain' ? { ...s, on: false } : s)) }
        : l,
    ),
  }
  expect(adviceOn(off, bloom)).toBeUndefined()
  expect(adviceOn(next, 'nobody')).toBeUndefined()
})

describe('under the pointer', () => {
  const box = (left: number, top: number, width: number, height: number) => ({
    left,
    top,
    width,
    height,
    right: left + width,
    bottom: top + height,
  })
  const places: [string, Dropped, ReturnType<typeof box>][] = [
    ['a', { type: 'lane', lane: 'a' }, box(0, 0, 400, 50)],
    ['b', { type: 'lane', lane: 'b' }, box(0, 50, 400, 50)],
    ['a0', { type: 'slot', lane: 'a', at: 0 }, box(100, 0, 10, 50)],
    ['a1', { type: 'slot', lane: 'a', at: 1 }, box(200, 0, 10, 50)],
    ['b0', { type: 'slot', lane: 'b', at: 0 }, box(150, 50, 10, 50)],
    ['chip', { type: 'chip', connect: () => undefined }, box(300, 60, 40, 20)],
  ]
  const found = (dragged: Dragged, x: number, y: number) => {
    const droppableContainers = places.map(([id, dropped]) => ({
      id,
      data: { current: dropped },
    })) as unknown as DroppableContainer[]
    const args = {
      active: { data: { current: dragged } },
      droppableContainers,
      droppableRects: new Map(places.map(([id, , rect]) => [id, rect])),
      pointerCoordinates: { x, y },
      collisionRect: box(x, y, 1, 1),
    } as unknown as Parameters<CollisionDetection>[0]
    return deskCollisions(args)
  }
  const dragged = (type: 'lane' | 'step') => ({ type, [type]: 'x', title: 'X' }) as unknown as Dragged
  test('a step finds the nearest slot of the lane that it is over, a lane the lane, and a feed comes first', () => {
    expect(found(dragged('step'), 170, 20).map((c) => c.id)).toEqual(['a1'])
    expect(found(dragged('step'), 140, 20).map((c) => c.id)).toEqual(['a0'])
    expect(found(dragged('step'), 390, 99).map((c) => c.id)).toEqual(['b0'])
    expect(found(dragged('step'), 500, 500)).toEqual([])
    expect(found(dragged('lane'), 170, 20).map((c) => c.id)).toEqual(['a'])
    expect(found(dragged('lane'), 310, 70).map((c) => c.id)).toEqual(['chip'])
  })
  test('the part of a row says in front, behind or onto; passes know no onto', () => {
    const edgeAt = (y: number, hasOnto: boolean) =>
      dropEdge({ collisions: found(dragged('lane'), 20, y) }, hasOnto)
    expect([52, 75, 98].map((y) => edgeAt(y, true))).toEqual(['front', 'onto', 'back'])
    expect([52, 74, 76, 98].map((y) => edgeAt(y, false))).toEqual(['front', 'front', 'back', 'back'])
    expect(dropEdge({ collisions: null }, true)).toBe('onto')
  })
})
