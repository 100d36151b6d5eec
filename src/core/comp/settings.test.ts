import { describe, expect, test } from 'vitest'
import type { DialValue } from '../dials/dials.ts'
import { effects, findEffect } from '../effects/registry.ts'
import { settingAt } from '../tracks/track-at.ts'
import { dialProblems } from './check.ts'
import { addLane, addStep, editLane, emptyComp, masterId, setFeed } from './edits.ts'
import { withinDials } from './guard.ts'
import { allSteps, parseComp, type Comp } from './schema.ts'
import {
  listSettings,
  moves,
  putDial,
  readSetting,
  setSetting,
  settingOf,
  type SettingRef,
  keyFrames,
  toggleKey,
  timeOf,
} from './settings.ts'

/** A lane of each source with settings, and a step of every effect. */
function everything(): Comp {
  const end = {
    at: [3, 4] as [number, number],
    colour: [0.1, 0.2, 0.3] as [number, number, number],
    alpha: 1,
  }
  let comp = addLane(emptyComp(320, 180), 'Flat', { type: 'colour', colour: [0.1, 0.2, 0.3], alpha: 0.5 })
  comp = addLane(comp, 'Sky', { type: 'gradient', shape: 'line', from: end, to: { ...end, at: [9, 9] } })
  comp = addLane(comp, 'Tap', { type: 'tap', lane: 'lane1' })
  for (const { id } of effects) comp = addStep(comp, 'lane2', 0, id)[0]
  const [mastered, id] = addStep(comp, masterId, 0, 'exposure')
  const matte = {
    from: { type: 'tap', lane: 'lane1' },
    also: [{ from: { type: 'tap', lane: 'lane3' }, by: 'union' }],
  } as const
  return editLane(setFeed(mastered, id, 'matte', matte), 'lane3', (lane) => {
    lane.join.matte = structuredClone(matte) as never
  })
}
const comp = everything()

/** Every number, text and flag of the comp by its path, ids and links aside. */
function leaves(value: unknown, path = ''): [string, unknown][] {
  if (typeof value !== 'object' || value === null) return [[path, value]]
  return Object.entries(value).flatMap(([key, inner]) => leaves(inner, `${path}.${key}`))
}

/** Another value of the same type that the setting may have. */
function other(value: DialValue): DialValue {
  if (typeof value === 'number') return value === 0.25 ? 0.5 : 0.25
  if (typeof value === 'boolean') return !value
  if (typeof value === 'string') return `${value}x`
  if (value.length === 0) return [[0.5, 0.5, 0.5, 1]]
  return value.map((v) => (typeof v === 'number' ? v + 0.125 : v.map((n) => n + 0.125))) as DialValue
}

describe('settings of a comp with everything', () => {
  const refs = listSettings(comp)
  test('each is listed once, and its value is the one in the document', () => {
    expect(new Set(refs.map((ref) => JSON.stringify(ref))).size).toBe(refs.length)
    for (const ref of refs) expect(readSetting(comp, ref, 3), JSON.stringify(ref)).not.toBeUndefined()
    const steps = allSteps(comp)
    const dials = steps.reduce((sum, s) => sum + Object.keys(findEffect(s.effect)!.dials).length, 0)
    expect(refs.filter((r) => r.of === 'dial')).toHaveLength(dials)
    expect(refs.filter((r) => r.of === 'amount')).toHaveLength(steps.length)
    expect(refs.filter((r) => r.of === 'opacity')).toHaveLength(comp.lanes.length)
  })
  test('writing one changes that value in the document and no other', () => {
    const before = new Map(leaves(comp))
    for (const ref of refs) {
      const value = other(readSetting(comp, ref, 1)!)
      const after = setSetting(comp, ref, value, { frame: 1 })
      expect(readSetting(after, ref, 1), JSON.stringify(ref)).toEqual(value)
      const changed = leaves(after).filter(([path, v]) => !Object.is(before.get(path), v))
      const roots = new Set(changed.map(([path]) => path.replace(/(\.\d+)+$/, '')))
      expect(roots.size, `${JSON.stringify(ref)}: ${[...roots].join(' ')}`).toBe(1)
      // What was not touched is shared, not copied.
      const lane = 'lane' in ref ? ref.lane : undefined
      comp.lanes.forEach((l, i) => {
        if (lane !== undefined && l.id !== lane) expect(after.lanes[i]).toBe(l)
      })
    }
  })
})

describe('a setting that moves', () => {
  const [start, id] = addStep(
    addLane(emptyComp(8, 8), 'Back', { type: 'colour', colour: [0, 0, 0], alpha: 1 }),
    'lane1',
    0,
    'light-rays',
  )
  const ref = (key: string): SettingRef => ({ of: 'dial', step: id, key })
  const number = putDial(start, id, 'length', {
    keys: [
      { frame: 1, value: 100, go: 'curve', out: [[2, 0]] },
      { frame: 9, value: 300, in: [[-2, 0]] },
    ],
  })
  const at = (c: Comp, key: string, frame: number) => readSetting(c, ref(key), frame)
  test('is shifted as a whole by a change, and stays a track', () => {
    const now = at(number, 'length', 4) as number
    const after = setSetting(number, ref('length'), now + 50, { frame: 4 })
    expect(moves(after, ref('length'))).toBe(true)
    for (const frame of [0, 1, 2.5, 4, 9, 20])
      expect(at(after, 'length', frame)).toBeCloseTo((at(number, 'length', frame) as number) + 50, 9)
  })
  test('takes a key at the frame with auto key; elsewhere keys stay as they are', () => {
    const keyed = setSetting(number, ref('length'), 777, { frame: 4, autoKey: true })
    expect([1, 4, 9].map((frame) => at(keyed, 'length', frame))).toEqual([100, 777, 300])
    expect(keyFrames(keyed, ref('length'))).toEqual([1, 4, 9])
    const again = setSetting(keyed, ref('length'), 5, { frame: 4, autoKey: true })
    expect([1, 4, 9].map((frame) => at(again, 'length', frame))).toEqual([100, 5, 300])
    // Before the first and after the last.
    const ends = [0, 12].reduce(
      (c, frame) => setSetting(c, ref('length'), frame, { frame, autoKey: true }),
      number,
    )
    expect(
      (settingOf(ends, ref('length')) as { keys: { frame: number }[] }).keys.map((k) => k.frame),
    ).toEqual([0, 1, 9, 12])
    expect(parseComp(JSON.parse(JSON.stringify(ends)))).toEqual(ends)
  })
  test('what stood still begins to move with auto key, where a track may stand', () => {
    const keyed = setSetting(start, { of: 'amount', step: id }, 0.5, { frame: 3, autoKey: true })
    expect(settingOf(keyed, { of: 'amount', step: id })).toEqual({ keys: [{ frame: 3, value: 0.5 }] })
    const on: SettingRef = { of: 'on', step: id }
    const off = setSetting(setSetting(start, on, true, { frame: 1, autoKey: true }), on, false, {
      frame: 3,
      autoKey: true,
    })
    expect([1, 2, 3, 9].map((f) => readSetting(off, on, f))).toEqual([true, true, false, false])
  })
  test('points are shifted by both numbers; a choice changes in the key that rules', () => {
    const point = putDial(start, id, 'origin', {
      keys: [
        { frame: 1, value: [1, 2] },
        { frame: 3, value: [5, 2] },
      ],
    })
    const after = setSetting(point, ref('origin'), [3, 7], { frame: 2 })
    expect([at(after, 'origin', 1), at(after, 'origin', 3)]).toEqual([
      [1, 7],
      [5, 7],
    ])
    const choice = putDial(start, id, 'colour', {
      keys: [
        { frame: 1, value: 'light' },
        { frame: 5, value: 'own' },
      ],
    })
    const changed = setSetting(choice, ref('colour'), 'own', { frame: 4 })
    expect([1, 4, 5].map((f) => at(changed, 'colour', f))).toEqual(['own', 'own', 'own'])
  })
  test('keys that a shift would take beyond the hard range draw the curve together, so that the comp can be saved and the value is there', () => {
    const after = setSetting(number, ref('length'), -1e9, { frame: 4 })
    expect(dialProblems(after)).toEqual([])
    const { hard } = findEffect('light-rays')!.dials['length'] as { hard: readonly [number, number] }
    const wild = putDial(number, id, 'length', {
      keys: [
        { frame: 1, value: 1e300 },
        { frame: 2, value: 50 },
      ],
    })
    const mended = withinDials(number, wild)
    expect(dialProblems(mended)).toEqual([])
    expect(settingAt(settingOf(mended, ref('length'))!, 1, timeOf(mended))).toBe(hard[1])
    const lost = putDial(number, id, 'length', { keys: [{ frame: 1, value: NaN }] })
    expect(settingOf(withinDials(number, lost), ref('length'))).toEqual(settingOf(number, ref('length')))
    const opacity: SettingRef = { of: 'opacity', lane: 'lane1' }
    const fade = setSetting(setSetting(start, opacity, 0, { frame: 1, autoKey: true }), opacity, 1, {
      frame: 9,
      autoKey: true,
    })
    expect(readSetting(fade, opacity, 5)).toBe(0.5)
    const dimmed = setSetting(fade, opacity, 0.25, { frame: 5 })
    expect([1, 5, 9].map((f) => readSetting(dimmed, opacity, f))).toEqual([0, 0.25, 0.5])
    expect(parseComp(JSON.parse(JSON.stringify(dimmed)))).toEqual(dimmed)
  })
  test('an unknown setting changes nothing', () => {
    for (const lost of [
      ref('no'),
      { of: 'dial', step: 'x', key: 'length' },
      { of: 'opacity', lane: 'x' },
      { of: 'source', lane: 'lane1', key: 'from.at' },
      { of: 'soft', link: { lane: 'lane1' } },
    ] as const) {
      if (lost.of !== 'dial' || lost.step !== id) expect(readSetting(start, lost, 1)).toBeUndefined()
      if (lost.of !== 'dial' || lost.step !== id) expect(setSetting(start, lost, 1, { frame: 1 })).toBe(start)
    }
  })
})

describe('keys of a setting', () => {
  const [start, id] = addStep(
    addLane(emptyComp(64, 48), 'Cave', { type: 'colour', colour: [1, 1, 1], alpha: 1 }),
    'lane1',
    0,
    'light-rays',
  )
  const values = (comp: Comp, which: SettingRef) => [1, 3, 5, 7, 9].map((f) => readSetting(comp, which, f))
  test('a first key holds what was there; one between two changes nothing; without the last it stands still', () => {
    const amount: SettingRef = { of: 'amount', step: id }
    const one = toggleKey(start, amount, 3)
    expect([keyFrames(one, amount), values(one, amount)]).toEqual([[3], [1, 1, 1, 1, 1]])
    const fade = setSetting(one, amount, 0, { frame: 7, autoKey: true })
    expect(values(fade, amount)).toEqual([1, 1, 0.5, 0, 0])
    const three = toggleKey(fade, amount, 5)
    expect([keyFrames(three, amount), values(three, amount)]).toEqual([
      [3, 5, 7],
      [1, 1, 0.5, 0, 0],
    ])
    const two = toggleKey(three, amount, 3)
    expect([keyFrames(two, amount), values(two, amount)]).toEqual([
      [5, 7],
      [0.5, 0.5, 0.5, 0, 0],
    ])
    const none = toggleKey(toggleKey(two, amount, 5), amount, 7)
    expect([keyFrames(none, amount), settingOf(none, amount)]).toEqual([[], 0])
  })
  test('are there for every setting that can move, and for no other', () => {
    for (const which of listSettings(start)) {
      const next = toggleKey(start, which, 4)
      expect(keyFrames(next, which)).toEqual([4])
      expect(readSetting(next, which, 4)).toEqual(readSetting(start, which, 4))
      expect(dialProblems(next)).toEqual([])
    }
    expect(toggleKey(start, { of: 'amount', step: 'nobody' }, 1)).toBe(start)
  })
})
