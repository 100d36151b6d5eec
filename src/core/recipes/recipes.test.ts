import { describe, expect, test } from 'vitest'
import { dropLane, joinBus } from '../comp/buses.ts'
import {
  addLane,
  addStep,
  editLane,
  editStep,
  emptyComp,
  masterId,
  removeStep,
  setFeed,
} from '../comp/edits.ts'
import { duplicateLane, insertSteps } from '../comp/fragment.ts'
import type { MediaTable } from '../comp/media.ts'
import { partShown } from '../comp/recipe.ts'
import { findLoop } from '../comp/references.ts'
import { allSteps, findStep, parseComp, type Comp, type Link, type Setting } from '../comp/schema.ts'
import { listSettings, putDial, putSetting, settingOf } from '../comp/settings.ts'
import { plan, type Planned } from '../engine/plan/plan.ts'
import type { Target } from '../engine/plan/plan-targets.ts'
import { dialProblems, storeProblems } from '../comp/check.ts'
import { defaultDials } from '../effects/registry.ts'
import { effectOf, movedStep } from './effect-of.ts'
import { parseRecipeFile, recipeFileOf, takeVersion } from './recipe-file.ts'
import { expanded, movedTo } from './expand.ts'
import { makeOneStep, makeOneStepOfLanes, makeProblem, type NewInput, type NewRecipe } from './make.ts'
import { allApart, takeApart } from './take-apart.ts'

const hash = (n: number) => n.toString(16).padStart(64, '0')
const media: MediaTable = {
  m1: {
    name: 'grotto',
    frames: Object.fromEntries([1, 2, 3, 4, 5, 6, 7, 8].map((n) => [n, hash(n)])),
    passes: [
      { name: 'beauty', kind: 'colour', channels: ['R', 'G', 'B', 'A'], type: 'half' },
      { name: 'depth', kind: 'depth', channels: ['depth.Z'], type: 'float' },
    ],
  },
}
const beauty = { type: 'pass', media: 'm1', pass: 'beauty' } as const
const depth = { type: 'pass', media: 'm1', pass: 'depth' } as const

/** Numbers that look random and are the same each time. */
function random(seed: number): (below: number) => number {
  let state = seed * 2654435761
  return (below) => {
    state = (Math.imul(state ^ (state >>> 15), 2246822507) + 0x9e3779b9) | 0
    return ((state ^ (state >>> 13)) >>> 0) % below
  }
}

const track = (from: number, to: number): Setting => ({
  keys: [
    { frame: 1, value: from, go: 'curve' },
    { frame: 8, value: to },
  ],
  riders: [{ type: 'flicker', on: true, amount: 0.1, rate: 6, roughness: 0.5, seed: 3 }],
})

/** A desk of steps that move, mattes, buses, taps of points and of lanes, and a master. */
function randomComp(seed: number): Comp {
  const next = random(seed)
  const drawing = (id: string) => ({ id, name: `Shape ${id}`, time: 'keyed' as const, shapes: [] })
  let comp: Comp = { ...emptyComp(64, 36), drawings: [drawing('drawing1')] }
  const effects = ['bloom', 'exposure', 'blur', 'place', 'matte-glow', 'vignette', 'noise-warp'] as const
  for (let i = 0; i < 4; i++) {
    const earlier = comp.lanes[next(Math.max(1, comp.lanes.length))]
    const after = earlier?.steps[next(Math.max(1, earlier.steps.length))]?.id
    const links: Link[] = [
      beauty,
      ...(earlier
        ? [{ type: 'tap' as const, lane: earlier.id, ...(after && next(2) ? { after } : {}) }]
        : []),
    ]
    const mattes: Link[] = [...links, { type: 'drawing', drawing: 'drawing1' }, depth]
    comp = addLane(comp, `Lane ${i}`, links[next(links.length)]!)
    const lane = comp.lanes.at(-1)!.id
    for (let s = 0; s < 3; s++) {
      const effect = effects[next(effects.length)]!
      const [stepped, id] = addStep(comp, lane, s, effect)
      comp = stepped
      if (effect === 'matte-glow' || next(3) === 0)
        comp = setFeed(comp, id, effect === 'matte-glow' ? 'shape' : 'matte', {
          from: mattes[next(mattes.length)]!,
          spread: next(5),
        })
      if (effect === 'exposure') comp = putDial(comp, id, 'stops', next(2) ? track(-1, 2) : next(3) - 1)
    }
    if (next(2)) comp = editLane(comp, lane, (l) => (l.join.opacity = 0.5))
  }
  comp = joinBus(comp, comp.lanes[1]!.id, comp.lanes[2]!.id)[0]
  return addStep(addStep(comp, masterId, 0, 'exposure')[0], masterId, 1, 'vignette')[0]
}

const recipe = (more: Partial<NewRecipe> = {}): NewRecipe => ({
  name: 'Lamp glow',
  about: 'For tests.',
  family: 'light',
  dials: [],
  ...more,
})
const planned = (
  comp: Comp,
  frame = 3,
  target: Target = { type: 'picture' },
  reduction: 1 | 2 | 4 = 1,
): Planned => plan(comp, media, frame, reduction, target)
/** Everything that the pixels depend on. */
const keyOf = (...args: Parameters<typeof planned>) => planned(...args).node.key
const keysOf = (comp: Comp) =>
  [1, 3, 8].flatMap((frame) => ([1, 2, 4] as const).map((r) => keyOf(comp, frame, { type: 'picture' }, r)))
/** It can be saved, opened and is whole. */
const isSound = (comp: Comp) => {
  expect(parseComp(JSON.parse(JSON.stringify(comp)))).toEqual(comp)
  expect([...storeProblems(comp), ...dialProblems(comp)]).toEqual([])
  expect(findLoop(comp)).toBeUndefined()
}

describe.each([1, 2, 3, 4, 5, 6, 7, 8, 9, 10])('one step of a random desk (%d)', (seed) => {
  const next = random(seed + 100)
  const comp = randomComp(seed)
  const places = [...comp.lanes.filter((l) => l.steps.length > 1), { id: masterId, steps: comp.master }]
  const { steps } = places[next(places.length)]!
  const from = next(steps.length)
  const ids = steps.slice(from, from + 1 + next(steps.length - from)).map((s) => s.id)
  const numbers = listSettings(comp).filter((ref) => {
    const isIn = 'step' in ref && ids.includes(ref.step)
    return isIn && (ref.of === 'amount' || (ref.of === 'dial' && typeof settingOf(comp, ref) === 'number'))
  })
  const dials = numbers.slice(0, 3).map((ref, i) => ({ name: `Dial ${i}`, settings: [{ ref }] }))
  const [made, stepId] = makeOneStep(comp, media, ids, recipe({ dials }))

  test('has the same picture at every frame and size, can be saved, and is the same again taken apart', () => {
    isSound(made)
    expect(findStep(made, stepId)?.recipe?.dials).toHaveLength(dials.length)
    expect(keysOf(made)).toEqual(keysOf(comp))
    const apart = takeApart(made, stepId)
    isSound(apart)
    expect(apart.lanes.length).toBe(comp.lanes.length)
    expect(keysOf(apart)).toEqual(keysOf(comp))
    // Steps have their ids, so every setting is where it was.
    expect(
      allSteps(apart)
        .map((s) => s.id)
        .sort(),
    ).toEqual(
      allSteps(comp)
        .map((s) => s.id)
        .sort(),
    )
  })
  test('less than all of it, in a matte, and off: as the same taken apart', () => {
    const part = editStep(made, stepId, (s) => {
      s.amount = 0.3
      s.matte = { from: depth, invert: true }
    })
    const apart = takeApart(part, stepId)
    isSound(apart)
    expect(keysOf(apart)).toEqual(keysOf(part))
    expect(keyOf(part)).not.toBe(keyOf(made))
    const off = editStep(made, stepId, (s) => (s.on = false))
    expect(keyOf(off)).toBe(keyOf(ids.reduce((c, id) => editStep(c, id, (s) => (s.on = false)), comp)))
  })
  test('its dials move what is inside, as the settings themselves do, when they move over time too', () => {
    for (const [i, ref] of numbers.slice(0, 3).entries())
      for (const value of [0.25, track(0.1, 0.9)]) {
        const { key } = findStep(made, stepId)!.recipe!.dials[i]!
        expect(keysOf(putDial(made, stepId, key, value))).toEqual(keysOf(putSetting(comp, ref, value)))
      }
  })
  test('one dial over several settings leaves the picture as it is, and moves all of them in proportion', () => {
    const still = numbers.filter((ref) => ref.of === 'dial' && settingOf(comp, ref) !== 0).slice(0, 3)
    if (still.length < 2) return
    const one = { name: 'All', settings: still.map((ref) => ({ ref })) }
    const [joined, id] = makeOneStep(comp, media, ids, recipe({ dials: [one] }))
    const inside = (c: Comp) => still.map((ref) => settingOf(expanded(c), ref) as number)
    const was = still.map((ref) => settingOf(comp, ref) as number)
    inside(joined).forEach((v, i) => {
      expect(v).toBeCloseTo(was[i]!, 9)
    })
    const half = inside(putDial(joined, id, 'all', was[0]! / 2))
    // As far as each of them can be moved.
    half.forEach((v, i) => {
      expect(Math.abs(v - was[i]! / 2) < 1e-9 || v !== was[i]).toBe(true)
    })
  })
  test('a copy of it, and of its lane, is a whole one of its own; removing leaves nothing behind', () => {
    const lane = [...made.lanes, { id: masterId, steps: made.master }].find((l) =>
      l.steps.some((s) => s.id === stepId),
    )!.id
    const step = findStep(made, stepId)!
    const [twice, [copy]] = insertSteps(made, lane, 0, [step], made.lanes)
    isSound(twice)
    const count = (c: Comp) => c.lanes.length
    expect(count(twice)).toBe(count(made) + 1)
    expect(keyOf(removeStep(twice, copy!))).toBe(keyOf(made))
    expect(count(removeStep(twice, copy!))).toBe(count(made))
    // What the copy's dials move is the copy.
    const dial = findStep(twice, copy)!.recipe!.dials[0]
    if (dial) {
      const moved = putDial(twice, copy!, dial.key, 0.123)
      const own = expanded(moved)
      expect(settingOf(own, dial.moves[0]!.setting)).toBe(0.123)
      expect(settingOf(own, numbers[0]!)).toEqual(settingOf(expanded(twice), numbers[0]!))
    }
    if (lane !== masterId) {
      const [doubled, id] = duplicateLane(made, lane)
      isSound(doubled)
      isSound(dropLane(doubled, id))
      expect(count(dropLane(doubled, id))).toBe(count(made))
    }
  })
  test('one in one works, and all taken apart is what it was', () => {
    const [outer, outerId] = makeOneStep(made, media, [stepId], recipe({ name: 'Outer' }))
    isSound(outer)
    expect(keysOf(outer)).toEqual(keysOf(comp))
    expect(keysOf(allApart(outer))).toEqual(keysOf(comp))
    expect(allApart(outer).lanes.length).toBe(comp.lanes.length)
    expect(
      removeStep(outer, outerId).lanes.every(
        (l) => l.in === undefined || comp.lanes.some((o) => o.id === l.id),
      ),
    ).toBe(true)
  })
})

describe('lanes as one step', () => {
  const two = () => {
    let comp = addLane(addLane(emptyComp(64, 36), 'Back', beauty), 'Glow', beauty)
    comp = addStep(comp, 'lane2', 0, 'bloom')[0]
    return editLane(comp, 'lane2', (l) => (l.join.mode = 'plus'))
  }
  test('look the same, and come into a bus when they are taken apart', () => {
    const comp = two()
    const [made, laneId, stepId] = makeOneStepOfLanes(comp, media, ['lane1', 'lane2'], recipe())
    isSound(made)
    expect(made.lanes.filter((l) => l.in === undefined).map((l) => l.id)).toEqual([laneId])
    const inside = (c: Comp, id: string) => keyOf(c, 3, { type: 'lane', lane: id })
    expect(inside(made, laneId)).toBe(keyOf(comp))
    const apart = takeApart(made, stepId)
    isSound(apart)
    expect(inside(apart, laneId)).toBe(keyOf(comp))
    expect(findStep(apart, stepId)!.effect).toBe('other-picture')
  })
  test('solo counts among the lanes of one step, and a solo outside does not empty it', () => {
    const comp = addLane(two(), 'Front', { type: 'colour', colour: [1, 0, 0], alpha: 0.5 })
    const [made, laneId] = makeOneStepOfLanes(comp, media, ['lane1', 'lane2'], recipe())
    const whole = keyOf(made, 3, { type: 'lane', lane: laneId })
    const solo = editLane(made, laneId, (l) => (l.solo = true))
    expect(keyOf(solo, 3, { type: 'lane', lane: laneId })).toBe(whole)
    const inner = editLane(made, 'lane1', (l) => (l.solo = true))
    expect(keyOf(inner, 3, { type: 'lane', lane: laneId })).not.toBe(whole)
  })
})

describe('inputs', () => {
  const glow = () => {
    const [comp, id] = addStep(addLane(emptyComp(64, 36), 'Back', beauty), 'lane1', 0, 'matte-glow')
    return setFeed(comp, id, 'shape', { from: depth, spread: 3 })
  }
  test('are named for what is connected, with its kind; one that is needed is asked for', () => {
    const [begun, mist] = addStep(glow(), 'lane1', 1, 'depth-mist')
    const [made, id] = makeOneStep(setFeed(begun, mist, 'depth', { from: depth }), media, [mist], recipe())
    const step = findStep(made, id)!
    expect(step.recipe!.inputs).toMatchObject([{ key: 'depth', kind: 'depth', required: true }])
    const { key } = step.recipe!.inputs[0]!
    expect(step.feeds).toEqual({ [key]: { from: depth } })
    expect(Object.keys(effectOf(step)!.feeds)).toEqual([key])
    const open = planned(setFeed(made, id, key, undefined))
    expect(open.problems).toMatchObject([
      { stepId: id, message: expect.stringContaining('Lamp glow needs its') },
    ])
  })
  test('what is connected is grown by both, and turned around by one of them', () => {
    const comp = glow()
    const [made, id] = makeOneStep(comp, media, ['step1'], recipe())
    const { key } = findStep(made, id)!.recipe!.inputs[0]!
    const more = setFeed(made, id, key, { from: beauty, use: 'red', spread: 2, invert: true })
    const same = setFeed(comp, 'step1', 'shape', { from: beauty, use: 'red', spread: 5, invert: true })
    expect(keyOf(more)).toBe(keyOf(same))
  })
  test('what comes in has a name that is asked for; a drawing goes along, and what is not needed is left out, where that is wished', () => {
    const from = { type: 'drawing', drawing: 'drawing1' } as const
    const drawn = setFeed(
      { ...glow(), drawings: [{ id: 'drawing1', name: 'Window', time: 'keyed', shapes: [] }] },
      'step1',
      'shape',
      { from },
    )
    const comp = editStep(drawn, 'step1', (s) => {
      s.matte = { from: depth, also: [{ from: beauty, by: 'intersect' }] }
    })
    const made = (inputs: NewInput[]) => {
      const [next, id] = makeOneStep(comp, media, ['step1'], recipe({ inputs }))
      const step = findStep(next, id)!
      expect(Object.keys(step.feeds)).toEqual(step.recipe!.inputs.map((i) => i.key))
      return { key: keyOf(next), inputs: step.recipe!.inputs.map((i) => [i.name, i.without]) }
    }
    const usual = made([])
    expect(usual.key).toBe(keyOf(comp))
    expect(usual.inputs).toEqual([
      ['Window', 'its own alpha'],
      ['depth', 'everywhere'],
      ['beauty', 'everywhere'],
    ])
    const along = made([
      { link: from, goes: 'along' },
      { link: depth, name: ' Where ' },
    ])
    expect(along.key).toBe(keyOf(comp))
    expect(along.inputs).toEqual([
      ['Where', 'everywhere'],
      ['beauty', 'everywhere'],
    ])
    const out = made([{ link: depth, goes: 'out' }])
    expect(out.inputs.map(([name]) => name)).toEqual(['Window', 'beauty'])
    const cut = editStep(comp, 'step1', (s) => {
      s.matte = { from: beauty }
    })
    expect(out.key).toBe(keyOf(cut))
    // What it can not do without comes in all the same.
    const mist = addStep(comp, 'lane1', 1, 'facing-matte')
    const needed = setFeed(mist[0], mist[1], 'normal', { from: depth })
    const [next, id] = makeOneStep(
      needed,
      media,
      [mist[1]],
      recipe({ inputs: [{ link: depth, goes: 'out' }] }),
    )
    expect(findStep(next, id)!.recipe!.inputs).toMatchObject([{ required: true }])
  })
  test('steps that do not stand side by side, or on one lane, are refused in words', () => {
    let comp = addLane(addLane(emptyComp(8, 8), 'A', beauty), 'B', beauty)
    for (const lane of ['lane1', 'lane1', 'lane1', 'lane2']) comp = addStep(comp, lane, 0, 'blur')[0]
    expect(makeProblem(comp, ['step1', 'step3'])).toMatch(/side by side/)
    expect(makeProblem(comp, ['step1', 'step4'])).toMatch(/several lanes/)
    expect(makeProblem(comp, ['none'])).toMatch(/no such/)
    expect(makeOneStep(comp, media, ['step1', 'step3'], recipe())).toEqual([comp, ''])
  })
})

describe('what a dial makes of its value', () => {
  const dial = { key: 'd', name: 'D', type: 'number', default: 0, range: [2, 6], moves: [] } as const
  const move = { setting: { of: 'amount', step: 's' }, at: [10, -10] } as const
  test('is exact at both ends and straight between and beyond', () => {
    for (const [value, wanted] of [
      [2, 10],
      [6, -10],
      [4, 0],
      [3, 5],
      [7, -15],
    ] as const)
      expect(movedTo(move as never, dial as never, value)).toBeCloseTo(wanted, 12)
    expect([movedTo(move as never, dial as never, 2), movedTo(move as never, dial as never, 6)]).toEqual([
      10, -10,
    ])
    // A dial without a range.
    expect(movedTo(move as never, { ...dial, range: [3, 3] } as never, 3)).toBe(10)
  })
  test('a switch has a value for each side, a choice for each choice; what is not said stays', () => {
    const values = { true: 0.2, false: 0.9 }
    const flag = { ...dial, type: 'flag' } as never
    expect([true, false].map((v) => movedTo({ ...move, values } as never, flag, v))).toEqual([0.2, 0.9])
    const keys = [
      { frame: 1, value: true },
      { frame: 5, value: false },
    ]
    expect(movedTo({ ...move, values } as never, flag, { keys })).toEqual({
      keys: [
        { frame: 1, value: 0.2, go: 'hold' },
        { frame: 5, value: 0.9, go: 'hold' },
      ],
    })
  })
})

test('curves, gradients and picked colours show as dials of one step, of one in another too, and a document keeps them', () => {
  let comp = addLane(emptyComp(64, 36), 'Back', beauty)
  for (const effect of ['colour-key', 'gradient-map', 'curves']) comp = addStep(comp, 'lane1', 0, effect)[0]
  const own: Record<string, Setting> = {
    luminance: [
      [0, 0.1],
      [0.5, 0.7],
      [1, 1],
    ],
    gradient: [
      [0, 0, 0, 0.2],
      [1, 4, 1, 0],
    ],
    picked: [
      [0.2, 0.3, 0.4, 1],
      [0.9, 0.1, 0.1, -1],
    ],
  }
  const refs = listSettings(comp).filter((ref) => ref.of === 'dial' && ref.key in own)
  const keyed = (ref: (typeof refs)[number]) => (ref.of === 'dial' ? ref.key : '')
  expect(refs.map(keyed)).toEqual(['luminance', 'gradient', 'picked'])
  for (const ref of refs) comp = putSetting(comp, ref, own[keyed(ref)]!)
  const ids = comp.lanes[0]!.steps.map((s) => s.id)
  const dials = refs.map((ref) => ({ name: keyed(ref), settings: [{ ref }] }))
  const [made, id] = makeOneStep(comp, media, ids, recipe({ dials }))
  const again = refs.map((ref) => ({
    name: keyed(ref),
    settings: [{ ref: { of: 'dial' as const, step: id, key: keyed(ref) } }],
  }))
  const [outer, outerId] = makeOneStep(made, media, [id], recipe({ name: 'Outer', dials: again }))
  for (const [one, stepId] of [
    [made, id],
    [outer, outerId],
  ] as const) {
    isSound(one)
    expect(keysOf(one)).toEqual(keysOf(comp))
    // Its own defaults are what they were made of.
    expect(defaultDials(effectOf(findStep(one, stepId))!, comp.canvas)).toEqual(own)
    const other: Record<string, Setting> = {
      luminance: [
        [0, 0],
        [1, 0.5],
      ],
      gradient: [[0.5, 1, 1, 1]],
      picked: [],
    }
    for (const ref of refs) {
      const moved = putDial(one, stepId, keyed(ref), other[keyed(ref)]!)
      expect(keysOf(moved)).toEqual(keysOf(putSetting(comp, ref, other[keyed(ref)]!)))
      expect(keysOf(moved)).not.toEqual(keysOf(comp))
    }
    // Colours are picked where they come to the step that keys them.
    expect(movedStep(one, stepId, 'picked')).toBe(refs[2]!.of === 'dial' && refs[2]!.step)
    const file = recipeFileOf(one, stepId)!
    expect(parseRecipeFile(JSON.parse(JSON.stringify(file)))).toEqual(file)
  }
  // One that is no curve is told.
  const wrong = putDial(made, id, 'luminance', [[1, 2, 3]])
  expect(dialProblems(wrong)).not.toEqual([])
})

test('one that offers its parts shows all of it, what it adds alone, or what comes in', () => {
  let comp = addLane(emptyComp(64, 36), 'Back', beauty)
  for (const effect of ['exposure', 'bloom']) comp = addStep(comp, 'lane1', 0, effect)[0]
  const [made, id] = makeOneStep(comp, media, ['step2', 'step1'], recipe({ parts: true, dials: [] }))
  isSound(made)
  const shown = (part: string) => putDial(made, id, partShown, part)
  expect(keysOf(made)).toEqual(keysOf(comp))
  expect(keysOf(shown('all'))).toEqual(keysOf(comp))
  expect(keyOf(shown('thing'))).toBe(keyOf(editStep(made, id, (s) => (s.on = false))))
  expect(keyOf(shown('light'), 3, { type: 'lane', lane: 'lane1' })).toBe(
    keyOf(made, 3, { type: 'light', step: id }),
  )
  // Taken apart, or in another version, it is whole again or what it was.
  expect(keysOf(takeApart(shown('light'), id))).toEqual(keysOf(comp))
  const other = takeVersion(shown('thing'), id, recipeFileOf(made, id)!)
  expect(settingOf(other, { of: 'dial', step: id, key: partShown })).toBe('thing')
  const plain = makeOneStep(comp, media, ['step2', 'step1'], recipe())[0]
  expect(Object.keys(effectOf(allSteps(plain).find((s) => s.recipe))!.dials)).toEqual([])
})
