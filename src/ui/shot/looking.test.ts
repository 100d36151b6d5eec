import { beforeEach, describe, expect, test, vi } from 'vitest'
import { addLane, addStep, emptyComp, masterId, setFeed } from '../../core/comp/edits.ts'
import type { MediaTable } from '../../core/comp/media.ts'
import { allSteps, isTrack, type Comp } from '../../core/comp/schema.ts'
import { readSetting, settingOf, type SettingRef } from '../../core/comp/settings.ts'
import { clipText } from '../../core/recipes/clip.ts'
import { fitSpan, quantile } from '../dials/fit-span.ts'
import type { EngineClient } from '../engine/engine-client.ts'
import { sidesOf, sideTarget } from '../picture/compare.ts'
import { followRides, rideInto } from '../timing/ride.ts'
import { pasteText } from './clipboard.ts'
import { createShotStore, type ShotStore } from './shot-store.ts'
import { compBefore, lightStep, viewTarget } from './view-target.ts'

let store: ShotStore
const ids: Record<string, string> = {}
const now = () => store.getState()
const media: MediaTable = {
  m1: {
    name: 'grotto',
    frames: { 1: 'a'.repeat(64) },
    passes: [{ name: 'depth', kind: 'depth', channels: ['Z'], type: 'float' }],
  },
}

beforeEach(() => {
  let comp: Comp = { ...emptyComp(40, 30), frames: { first: 1, last: 48, rate: 24 } }
  for (const name of ['Cave', 'Bell'])
    comp = addLane(comp, name, { type: 'colour', colour: [1, 1, 1], alpha: 1 })
  for (const [lane, effect] of [
    ['lane1', 'bloom'],
    ['lane1', 'blur'],
    ['lane2', 'depth-mist'],
    [masterId, 'star-glare'],
    [masterId, 'grain'],
  ] as const) {
    const steps = lane === masterId ? comp.master : comp.lanes.find((l) => l.id === lane)!.steps
    ;[comp, ids[effect]] = addStep(comp, lane, steps.length, effect)
  }
  store = createShotStore({ comp, media })
})
const on = (comp: Comp) =>
  allSteps(comp)
    .filter((s) => s.on !== false)
    .map((s) => s.effect)

describe('what is looked at', () => {
  test('light alone is that of the selected step, of the last that gives light where it gives none, and the picture where none does', () => {
    const { comp } = now()
    const light = (selection?: { lane: string; step?: string }) => lightStep(comp, selection)
    expect(light({ lane: 'lane1', step: ids['bloom']! })).toBe(ids['bloom'])
    expect(light({ lane: 'lane1', step: ids['blur']! })).toBe(ids['star-glare'])
    expect(light()).toBe(ids['star-glare'])
    const bare = emptyComp(4, 4)
    expect(viewTarget(bare, 'light', undefined)).toEqual({ comp: bare, target: { type: 'picture' } })
    expect(viewTarget(comp, 'light', undefined).target).toEqual({ type: 'light', step: ids['star-glare'] })
  })
  test('before is without the selected step, without the steps of the lane, or without any', () => {
    const { comp } = now()
    expect(on(compBefore(comp, { lane: 'lane1', step: ids['bloom']! }))).toEqual([
      'blur',
      'depth-mist',
      'star-glare',
      'grain',
    ])
    expect(on(compBefore(comp, { lane: 'lane1' }))).toEqual(['depth-mist', 'star-glare', 'grain'])
    expect(on(compBefore(comp, { lane: masterId }))).toEqual([])
    expect(on(compBefore(comp, undefined))).toEqual([])
    expect(on(comp)).toHaveLength(5)
  })
  test('every side that can be chosen has words of its own and something that is asked for', () => {
    const other = { words: 'a recipe', change: (c: Comp) => compBefore(c, undefined) }
    const sides = sidesOf(now().comp, other)
    expect(new Set(sides.map(([, words]) => words)).size).toBe(sides.length)
    for (const [side] of sides) expect(sideTarget({ ...now(), otherLook: other }, side)?.target).toBeDefined()
    const [, words] = sides.find(([side]) => side === `step lane1 ${ids['blur']}`)!
    expect(words).toBe('Cave after Blur')
    expect(sideTarget(now(), 'frame 7')).toMatchObject({ frame: 7, target: { type: 'picture' } })
    expect(sideTarget(now(), 'still 1')).toBeUndefined()
    expect(on(sideTarget({ ...now(), otherLook: other }, 'other')!.comp)).toEqual([])
  })
})

describe('copied steps', () => {
  test('come in behind the selected step, or at the end of the selected lane, and are selected', () => {
    const text = clipText(now().comp, media, { steps: [ids['blur']!] })
    now().set({ selection: { lane: masterId, step: ids['star-glare']! } })
    expect(pasteText(store, text)).toBe(true)
    expect(now().comp.master.map((s) => s.effect)).toEqual(['star-glare', 'blur', 'grain'])
    expect([now().selection?.step, now().editName]).toEqual([now().comp.master[1]!.id, 'Paste Blur'])
    now().set({ selection: { lane: 'lane2' } })
    pasteText(store, text)
    expect(now().comp.lanes[1]!.steps.map((s) => s.effect)).toEqual(['depth-mist', 'blur'])
  })
  test('that take from what is not there say so; words that are no steps are left to others; broken ones are refused', () => {
    const fed = setFeed(now().comp, ids['depth-mist']!, 'depth', {
      from: { type: 'pass', media: 'm1', pass: 'depth' },
    })
    const text = clipText(fed, media, { steps: [ids['depth-mist']!] })
    store = createShotStore({ comp: now().comp, media: {} })
    now().set({ selection: { lane: 'lane1' } })
    expect(pasteText(store, text)).toBe(true)
    expect(now().refusal).toMatch(
      /^What was pasted takes from what is not in this shot \(.*depth.*\)\. Connect it anew/,
    )
    const { comp } = now()
    expect(pasteText(store, 'a line from a mail')).toBe(false)
    expect(pasteText(store, text.replace('"steps":[{', '"steps":[{{'))).toBe(true)
    expect(now().refusal).toMatch(/can not be pasted/)
    expect(now().comp).toBe(comp)
    now().set({ selection: undefined })
    expect(pasteText(store, text)).toBe(false)
  })
})

describe('marks that are put where the values lie', () => {
  test('a share of the values lies below, as counted one by one', () => {
    const counts = [0, 3, 0, 10, 1, 0]
    const all = { low: 100, high: 160, counts, empty: 2, total: 16 }
    const listed = counts.flatMap((n, i) =>
      Array.from({ length: n }, (_, k) => 100 + (i + (k + 0.5) / n) * 10),
    )
    for (const share of [0.1, 0.25, 0.5, 0.9]) {
      const found = quantile(all, share)
      const below = listed.filter((v) => v < found).length / listed.length
      expect(Math.abs(below - share)).toBeLessThanOrEqual(1 / listed.length)
    }
    expect([quantile(all, 0), quantile(all, 1)]).toEqual([110, 150])
  })
  test('a mist gets its marks in one edit; without a feed, or where nothing was hit, nothing changes', async () => {
    const values = vi.fn(() =>
      Promise.resolve({
        low: 0,
        high: 100,
        counts: Array.from({ length: 100 }, () => 1),
        empty: 0,
        total: 100,
      }),
    )
    const engine = { values } as unknown as EngineClient
    const before = now().comp
    await fitSpan(store, engine, ids['depth-mist']!)
    expect([now().comp === before, values.mock.calls.length]).toEqual([true, 0])
    store = createShotStore({
      comp: setFeed(before, ids['depth-mist']!, 'depth', {
        from: { type: 'pass', media: 'm1', pass: 'depth' },
      }),
      media,
    })
    await fitSpan(store, engine, ids['depth-mist']!)
    const dial = (key: string) => readSetting(now().comp, { of: 'dial', step: ids['depth-mist']!, key }, 1)
    expect([dial('near'), dial('far')]).toEqual([25, 92])
    expect(store.temporal.getState().pastStates).toHaveLength(1)
    values.mockResolvedValueOnce({ low: 0, high: 0, counts: [], empty: 100, total: 100 })
    await fitSpan(store, engine, ids['depth-mist']!)
    expect([dial('near'), dial('far')]).toEqual([25, 92])
  })
})

describe('a ride', () => {
  const ref = (): SettingRef => ({ of: 'dial', step: ids['bloom']!, key: 'strength' })
  const hand = (frame: number) => 1 + Math.sin(frame / 6)
  const samples = Array.from({ length: 40 }, (_, i) => ({ frame: 5 + i, value: hand(5 + i) }))
  test('becomes few keys within the tolerance of the hand; a greater one takes fewer', () => {
    const made = (tolerance: number) => {
      const comp = rideInto(now().comp, [{ ref: ref(), name: 'Strength', value: 1, samples }], tolerance)
      const setting = settingOf(comp, ref())
      if (setting === undefined || !isTrack(setting)) throw new Error('it does not move')
      const off = Math.max(
        ...samples.map(({ frame, value }) => Math.abs((readSetting(comp, ref(), frame) as number) - value)),
      )
      return { keys: setting.keys.length, off }
    }
    const [fine, coarse] = [made(0.01), made(0.1)]
    expect(fine.keys).toBeLessThan(samples.length / 2)
    expect(coarse.keys).toBeLessThan(fine.keys)
    expect(fine.off).toBeLessThan(0.01 * 2 + 1e-6)
    expect(coarse.off).toBeLessThan(0.1 * 2 + 1e-6)
  })
  test('gathers where the hand is, frame by frame, and ends as one undo when it lets go or the shot begins anew', () => {
    const listeners = new Map<string, () => void>()
    vi.stubGlobal('window', {
      addEventListener: (name: string, listen: () => void) => listeners.set(name, listen),
      removeEventListener: (name: string) => listeners.delete(name),
    })
    const stop = followRides(store)
    const ride = () => {
      now().set({
        isPlaying: true,
        frame: 10,
        playhead: 10,
        riding: new Map([['one', { ref: ref(), name: 'Bloom: strength', value: 2, samples: [] }]]),
      })
      for (const frame of [11, 12, 15]) now().set({ playhead: frame })
    }
    ride()
    expect(
      now()
        .riding!.get('one')!
        .samples.map((s) => s.frame),
    ).toEqual([10, 11, 12, 15])
    listeners.get('pointerup')!()
    expect([now().riding, now().editName, store.temporal.getState().pastStates.length]).toEqual([
      undefined,
      'Ride Bloom: strength',
      1,
    ])
    ride()
    now().set({ playhead: 3 })
    expect(now().riding).toBeUndefined()
    stop()
    expect(listeners.size).toBe(0)
    vi.unstubAllGlobals()
  })
})
