import { beforeEach, describe, expect, test } from 'vitest'
import { addDrawing } from '../../core/comp/drawing-edits.ts'
import { addLane, addStep, editLane, emptyComp, setFeed } from '../../core/comp/edits.ts'
import type { MediaTable } from '../../core/comp/media.ts'
import type { Comp } from '../../core/comp/schema.ts'
import { putDial, readSetting, type SettingRef } from '../../core/comp/settings.ts'
import { removeLaneOf } from '../desk/remove-lane.tsx'
import { createShotStore, mostUndone, type ShotStore } from './shot-store.ts'

let store: ShotStore
let bloom = ''
const media: MediaTable = {
  one: { name: 'one', frames: { 1: 'a' }, passes: [] },
  two: {
    name: 'two',
    frames: { 1: 'b' },
    passes: [{ name: 'beauty', kind: 'colour', channels: ['R'], type: 'half' }],
  },
}
const strength = (): SettingRef => ({ of: 'dial', step: bloom, key: 'strength' })
const now = () => store.getState()
const value = (ref: SettingRef) => readSetting(now().comp, ref, now().frame)
const past = () => store.temporal.getState().pastStates.length

beforeEach(() => {
  let comp: Comp = addLane(emptyComp(40, 30), 'Back', { type: 'pass', media: 'one', pass: 'beauty' })
  comp = addLane(comp, 'Front', { type: 'pass', media: 'two', pass: 'beauty' })
  ;[comp, bloom] = addStep(comp, comp.lanes[1]!.id, 0, 'bloom')
  store = createShotStore({ comp, media })
})

describe('a shot that is opened', () => {
  test('begins with the lane that has the most passes, at its first frame, with nothing to undo', () => {
    expect(now().selection).toEqual({ lane: now().comp.lanes[1]!.id })
    expect(now().frame).toBe(now().comp.frames.first)
    expect(past()).toBe(0)
  })
  test('without any lane has nothing selected', () => {
    expect(createShotStore({ comp: emptyComp(4, 4), media: {} }).getState().selection).toBeUndefined()
  })
})

describe('an edit', () => {
  test('is undone and done again by name, and what is looked at stays', () => {
    const before = now().comp
    now().write('Bloom: strength', [[strength(), 2]])
    now().set({ exposure: 1.5 })
    expect([value(strength()), now().editName, past()]).toEqual([2, 'Bloom: strength', 1])
    store.temporal.getState().undo()
    expect(now().comp).toBe(before)
    expect(now().exposure).toBe(1.5)
    store.temporal.getState().redo()
    expect([value(strength()), now().editName]).toEqual([2, 'Bloom: strength'])
  })
  test('of one gesture is undone with the others of it, and another begins anew', () => {
    for (const v of [1, 2, 3]) now().write('Strength', [[strength(), v]], 'drag 1')
    for (const v of [4, 5]) now().write('Strength', [[strength(), v]], 'drag 2')
    expect(past()).toBe(2)
    store.temporal.getState().undo()
    expect(value(strength())).toBe(3)
    store.temporal.getState().undo()
    expect(past()).toBe(0)
  })
  test('that changes nothing is no edit', () => {
    now().edit('Nothing', (c) => c)
    now().write('The same', [[{ of: 'dial', step: 'nobody', key: 'x' }, 1]])
    expect(past()).toBe(0)
  })
  test('that makes a loop, or touches what is locked, is refused with words and changes nothing', () => {
    const [back, front] = now().comp.lanes.map((l) => l.id) as [string, string]
    const before = now().comp
    now().edit('Loop', (c) => setFeed(c, bloom, 'light', { from: { type: 'tap', lane: front } }))
    expect(now().refusal).toMatch(/^That would make Front take its picture from itself: Front → Front/)
    expect(now().comp).toBe(before)
    now().edit('Lock', (c) =>
      editLane(c, front, (l) => {
        l.locked = true
      }),
    )
    expect(now().refusal).toBeUndefined()
    now().write('Strength', [[strength(), 7]])
    expect(now().refusal).toBe('Front is locked. Unlock it to change it.')
    expect(value(strength())).not.toBe(7)
    now().write('Opacity', [[{ of: 'opacity', lane: back }, 0.5]])
    expect(now().refusal).toBeUndefined()
    // It is not removed, and stays chosen; unlocked it goes.
    now().set({ selection: { lane: front } })
    removeLaneOf(store, front)
    expect(now().refusal).toBe('Front is locked. Unlock it to remove it.')
    expect(now().selection).toEqual({ lane: front })
    now().edit('Unlock', (c) =>
      editLane(c, front, (l) => {
        l.locked = false
      }),
    )
    removeLaneOf(store, front)
    expect(now().comp.lanes.map((l) => l.id)).toEqual([back])
    expect(now().selection).toBeUndefined()
  })
  test('never puts in what can not be saved', () => {
    now().write('Far', [[strength(), 1e300]])
    expect(value(strength())).toBeLessThan(1e300)
    const before = value(strength())
    now().write('No number', [[strength(), NaN]])
    expect(value(strength())).toBe(before)
  })
  test('of what moves shifts it at the frame that is looked at', () => {
    now().edit('Keys', (c) =>
      putDial(c, bloom, 'strength', {
        keys: [
          { frame: 1, value: 1 },
          { frame: 11, value: 2 },
        ],
      }),
    )
    now().set({ frame: 6 })
    expect(value(strength())).toBe(1.5)
    now().write('Strength', [[strength(), 2.5]])
    expect([1, 6, 11].map((f) => readSetting(now().comp, strength(), f))).toEqual([2, 2.5, 3])
  })
  test('is kept as often as is said, and no more', () => {
    for (let i = 0; i <= mostUndone + 5; i++) now().write('Strength', [[strength(), i / 1000]])
    expect(past()).toBe(mostUndone)
  })
})

describe('what is selected', () => {
  test('is found by step, wherever it is', () => {
    now().selectStep(bloom)
    expect(now().selection).toEqual({ lane: now().comp.lanes[1]!.id, step: bloom })
    now().selectStep('nobody')
    expect(now().selection?.step).toBe(bloom)
  })
  test('opens the drawing that a lane begins with, keeps it while it stays, and closes it for others', () => {
    let drawing = ''
    now().edit('Shapes', (c) => {
      const [next, id] = addDrawing(c, 'Shapes')
      drawing = id
      return addLane(next, 'Shapes', { type: 'drawing', drawing: id })
    })
    const lane = now().comp.lanes.at(-1)!.id
    now().set({ selection: { lane } })
    expect(now().draw).toMatchObject({ drawing, tool: 'choose', points: [] })
    now().set({ draw: { ...now().draw!, tool: 'pen' } })
    now().set({ selection: { lane } })
    expect(now().draw?.tool).toBe('pen')
    now().set({ selection: { lane: now().comp.lanes[0]!.id } })
    expect(now().draw).toBeUndefined()
  })
})
