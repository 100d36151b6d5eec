import type { KeyboardEvent } from 'react'
import { beforeEach, describe, expect, test } from 'vitest'
import { addLane, addStep, emptyComp } from '../../core/comp/edits.ts'
import { isTrack } from '../../core/comp/schema.ts'
import { putSetting, readSetting, settingOf, type SettingRef } from '../../core/comp/settings.ts'
import type { Track } from '../../core/tracks/track.ts'
import { createShotStore, type ShotStore } from '../shot/shot-store.ts'
import { countOf, setTiming } from './edit-keys.ts'
import { pressOnStrip } from './strip-keys.ts'
import { refKey, spanOf, zoomedSpan } from './timing-state.ts'

let store: ShotStore
let bloom = ''
const strength = (): SettingRef => ({ of: 'dial', step: bloom, key: 'strength' })
const reach = (): SettingRef => ({ of: 'dial', step: bloom, key: 'reach' })
const tint = (): SettingRef => ({ of: 'dial', step: bloom, key: 'tint' })
const now = () => store.getState()
const trackOf = (ref: SettingRef): Track => {
  const setting = settingOf(now().comp, ref)
  if (setting === undefined || !isTrack(setting)) throw new Error('it does not move')
  return setting
}
const places = (ref = strength()) => trackOf(ref).keys.map((k) => [k.frame, k.value])
const called: string[] = []

/** A key pressed on a strip, as the page hands it on; whether it was taken, and kept from the rest of the page. */
function press(text: string, ref = strength()): boolean {
  const names = text.split(' ')
  const has = (name: string) => names.includes(name)
  let isKept = false
  const event = {
    key: names.at(-1),
    ctrlKey: has('Ctrl'),
    metaKey: has('Meta'),
    altKey: has('Alt'),
    shiftKey: has('Shift'),
    preventDefault: () => (isKept = true),
    stopPropagation: () => undefined,
  } as unknown as KeyboardEvent
  const isTaken = pressOnStrip(event, store, refKey(ref), 'Strength', {
    strip: (by) => called.push(`strip ${by}`),
    field: () => called.push('field'),
    riders: () => called.push('riders'),
  })
  expect(isKept).toBe(isTaken)
  return isTaken
}
const choose = (...frames: number[]) => {
  setTiming(store, { chosen: new Map([[refKey(strength()), frames]]) })
}

beforeEach(() => {
  const made = addStep(
    addLane(emptyComp(40, 30), 'Back', { type: 'colour', colour: [1, 1, 1], alpha: 1 }),
    'lane1',
    0,
    'bloom',
  )
  bloom = made[1]
  const comp = { ...made[0], frames: { first: 1, last: 48, rate: 24 } }
  const keys = [
    { frame: 5, value: 0 },
    { frame: 10, value: 2 },
    { frame: 20, value: 1 },
  ]
  store = createShotStore({ comp: putSetting(comp, strength(), { keys }), media: {} })
  called.length = 0
})

describe('keys on a strip that moves', () => {
  test('arrows go from key to key and choose it; at the ends, and on a strip that stands still, from frame to frame within the shot', () => {
    now().set({ frame: 7 })
    press('ArrowRight')
    expect([now().frame, [...now().timing.chosen.values()]]).toEqual([10, [[10]]])
    press('ArrowRight')
    press('ArrowRight')
    expect(now().frame).toBe(20)
    press('ArrowLeft')
    press('ArrowLeft')
    press('ArrowLeft')
    expect(now().frame).toBe(5)
    now().set({ frame: 2 })
    for (let i = 0; i < 3; i++) press('ArrowLeft', reach())
    expect(now().frame).toBe(1)
    press('ArrowRight', reach())
    expect(now().frame).toBe(2)
  })
  test('Shift moves what is chosen, by a frame, finely with Alt, or by a hundredth of its height; the choice goes along, and one undo each takes it back', () => {
    choose(10)
    press('Shift ArrowRight')
    expect(places()).toEqual([
      [5, 0],
      [11, 2],
      [20, 1],
    ])
    press('Shift ArrowUp')
    expect(trackOf(strength()).keys[1]!.value).toBeCloseTo(2.02, 9)
    press('Alt Shift ArrowLeft')
    expect(trackOf(strength()).keys[1]!.frame).toBeCloseTo(10.9, 9)
    expect([...now().timing.chosen.values()][0]![0]).toBeCloseTo(10.9, 9)
    expect(now().editName).toBe('Nudge a key')
    for (let i = 0; i < 3; i++) store.temporal.getState().undo()
    expect(places()).toEqual([
      [5, 0],
      [10, 2],
      [20, 1],
    ])
  })
  test('keys of several strips are moved in time together, in value only on the strip that has the focus', () => {
    store = createShotStore({
      comp: putSetting(now().comp, reach(), {
        keys: [
          { frame: 10, value: 100 },
          { frame: 12, value: 80 },
        ],
      }),
      media: {},
    })
    setTiming(store, {
      chosen: new Map([
        [refKey(strength()), [10]],
        [refKey(reach()), [10, 12]],
      ]),
    })
    press('Shift ArrowRight')
    press('Shift ArrowDown')
    expect(places(reach())).toEqual([
      [11, 100],
      [13, 80],
    ])
    expect(trackOf(strength()).keys[1]!.value).toBeCloseTo(1.98, 9)
    expect(now().editName).toBe('Nudge 3 keys')
  })
  test('n sets a key where there is none without changing anything, takes one away where there is one, and lets a still setting move', () => {
    now().set({ frame: 15 })
    const before = readSetting(now().comp, strength(), 13)
    press('n')
    expect(places()).toHaveLength(4)
    expect(readSetting(now().comp, strength(), 13)).toBeCloseTo(before as number, 9)
    expect(now().editName).toBe('Set a key: Strength')
    press('n')
    expect(places()).toHaveLength(3)
    const still = readSetting(now().comp, reach(), 15)
    press('n', reach())
    expect(places(reach())).toEqual([[15, still]])
  })
  test('c goes through the ways to the next key, a and Enter to riders and field, Delete takes chosen keys away', () => {
    choose(5)
    const goes: unknown[] = []
    for (let i = 0; i < 3; i++) {
      press('c')
      goes.push(trackOf(strength()).keys[0]!.go)
    }
    expect(goes.slice(0, 2)).toEqual(['curve', 'hold'])
    expect([undefined, 'straight']).toContain(goes[2])
    press('a')
    press('Enter')
    press('ArrowDown')
    expect(called).toEqual(['riders', 'field', 'strip 1'])
    press('Ctrl a')
    expect(countOf(now().timing.chosen)).toBe(3)
    choose(10, 20)
    press('Delete')
    expect(places()).toEqual([[5, 0]])
    expect(now().timing.chosen.size).toBe(0)
  })
  test('r reverses what is chosen; what no strip knows is left to the page', () => {
    choose(5, 10, 20)
    press('r')
    expect(places().map(([, value]) => value)).toEqual([1, 2, 0])
    for (const other of ['v', 'F5', 'Tab', 'Ctrl z']) expect(press(other)).toBe(false)
  })
})

describe('keys that are copied', () => {
  test('come in at the frame that is looked at, also in another setting of the same kind, and are chosen then', () => {
    choose(10, 20)
    press('Ctrl c')
    now().set({ frame: 30 })
    setTiming(store, { open: undefined })
    press('Ctrl v')
    expect(places()).toEqual([
      [5, 0],
      [10, 2],
      [20, 1],
      [30, 2],
      [40, 1],
    ])
    expect([...now().timing.chosen.values()]).toEqual([[30, 40]])
    now().set({ frame: 2 })
    setTiming(store, { open: refKey(reach()) })
    press('Meta v')
    expect(places(reach())).toEqual([
      [2, 2],
      [12, 1],
    ])
  })
  test('are refused with words where the setting holds another kind of value', () => {
    choose(10)
    press('Ctrl c')
    const { comp } = now()
    setTiming(store, { open: refKey(tint()) })
    press('Ctrl v', tint())
    expect(now().comp).toBe(comp)
    expect(now().refusal).toMatch(/another kind/)
  })
})

test('strips are zoomed about a frame that stays, never farther out than twice the shot, and kept near it', () => {
  const shot = { first: 1, last: 48 }
  expect(spanOf(now().timing, shot)).toEqual([0.5, 48.5])
  expect(spanOf(now().timing, { first: 7, last: 7 })).toEqual([6.5, 8.5])
  const [from, to] = zoomedSpan([0.5, 48.5], 0.5, 12.5, 0, shot)
  expect([from, to]).toEqual([6.5, 30.5])
  expect((12.5 - from) / (to - from)).toBeCloseTo(12 / 48, 9)
  for (let seed = 1; seed < 400; seed++) {
    const random = (n: number) => (Math.imul(seed * 13 + n, 0x9e3779b1) >>> 0) / 2 ** 32
    const begin = 100 * random(1) - 30
    const span = [begin, begin + 0.5 + 80 * random(2)] as const
    const [a, b] = zoomedSpan(span, 4 ** (2 * random(3) - 1), begin + 10, 60 * random(4) - 30, shot)
    expect(b - a).toBeGreaterThanOrEqual(1)
    expect(b - a).toBeLessThanOrEqual(96)
    // A tenth of what is seen is of the shot, or next to it.
    expect(Math.min(b, 49) - Math.max(a, 0)).toBeGreaterThan(0.09 * (b - a))
  }
})
