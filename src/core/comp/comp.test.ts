import { findEffect } from '../effects/registry.ts'
import { withinDials } from './guard.ts'
import { describe, expect, test } from 'vitest'
import { easeBetween } from '../tracks/bezier.ts'
import { dialProblems } from './check.ts'
import {
  addLane,
  addPassLane,
  addStep,
  editStep,
  emptyComp,
  freshId,
  moveStep,
  placeOfStep,
  removeStep,
  setFeed,
  setFrames,
  withoutSteps,
} from './edits.ts'
import { putDial, readSetting } from './settings.ts'
import { fileAt, framesOf, missingFrames, numberRanges, servingFrame } from './media.ts'
import { intakeOrder, splitPassName } from './file-names.ts'
import { passStats } from '../formats/pass-stats.ts'
import { guessPass } from '../passes/guess-pass.ts'
import type { PassKind } from '../passes/passes.ts'
import { ProblemError } from './problem.ts'
import { parseComp, type Comp, type Setting } from './schema.ts'
import { parseShotFile } from './shot-file.ts'

const letters = ['R', 'G', 'B', 'A'] as const

const base = () =>
  addLane(addLane(emptyComp(64, 36), 'Back', { type: 'colour', colour: [0, 0, 1], alpha: 1 }), 'Cave', {
    type: 'pass',
    media: 'm1',
    pass: 'beauty',
  })
const problemsOf = (data: unknown) => {
  try {
    parseComp(data)
    return []
  } catch (error) {
    return (error as ProblemError).problems
  }
}

describe('edits', () => {
  test('are pure, and what they make parses', () => {
    const before = base()
    const text = JSON.stringify(before)
    let [comp, bloom] = addStep(before, 'lane2', 0, 'bloom')
    comp = setFeed(comp, bloom, 'light', { from: { type: 'pass', media: 'm1', pass: 'emission' } })
    comp = setFeed(comp, bloom, 'matte', { from: { type: 'tap', lane: 'lane1' }, use: 'alpha', invert: true })
    comp = putDial(comp, bloom, 'threshold', {
      keys: [
        { frame: 1, value: 0 },
        { frame: 9, value: 2, go: 'hold' },
      ],
    })
    expect(JSON.stringify(before)).toBe(text)
    expect(parseComp(JSON.parse(JSON.stringify(comp)))).toEqual(comp)
    expect(comp.lanes[0]).toBe(before.lanes[0])
    expect(
      setFeed(setFeed(comp, bloom, 'light', undefined), bloom, 'matte', undefined).lanes[1]!.steps[0],
    ).toMatchObject({ feeds: {} })
  })
  test('move steps within and between lanes and lanes among each other', () => {
    let [comp, a] = addStep(base(), 'lane1', 0, 'exposure')
    const [next, b] = addStep(comp, 'lane1', 1, 'channel-gains')
    comp = moveStep(next, a, 'lane1', 1)
    expect(comp.lanes[0]!.steps.map((s) => s.id)).toEqual([b, a])
    comp = moveStep(comp, b, 'master', 0)
    expect(placeOfStep(comp, b)).toMatchObject({ laneId: 'master', index: 0 })
    expect(removeStep(comp, a).lanes[0]!.steps).toEqual([])
    expect(withoutSteps(comp).master[0]!.on).toBe(false)
  })
  test('never give an id twice', () => {
    const [comp, id] = addStep(base(), 'lane1', 0, 'exposure')
    expect(freshId(comp, 'step')).not.toBe(id)
    expect(editStep(comp, 'none', () => undefined)).toBe(comp)
  })
})

test('a shot has the frames that were said: whole, never none, and no more than can be kept', () => {
  const comp = { ...emptyComp(4, 4), frames: { first: 5, last: 20, rate: 24 } }
  const frames = (to: Parameters<typeof setFrames>[1]) => Object.values(setFrames(comp, to).frames)
  expect(frames({ last: 48.4 })).toEqual([5, 48, 24])
  // What was set counts; the other end gives way.
  expect(frames({ first: 30 })).toEqual([30, 30, 24])
  expect(frames({ last: 2 })).toEqual([2, 2, 24])
  expect(frames({ rate: 23.976 })).toEqual([5, 20, 23.976])
  for (const to of [{ last: 1e12 }, { first: -1e12 }, { first: 1e12 }]) parseComp(setFrames(comp, to))
})

describe('a comp from outside', () => {
  test('is refused with the path of every value that does not fit', () => {
    const [comp] = addStep(base(), 'lane2', 0, 'bloom')
    const broken = structuredClone(comp) as unknown as {
      canvas: { width: number }
      lanes: { join: { opacity: number }; steps: { on: unknown }[] }[]
    }
    broken.canvas.width = -5
    broken.lanes[1]!.join.opacity = 3
    broken.lanes[1]!.steps[0]!.on = 'yes'
    const paths = problemsOf(broken).map((p) => p.path)
    expect(paths).toEqual(
      expect.arrayContaining(['canvas.width', 'lanes.1.join.opacity', 'lanes.1.steps.0.on']),
    )
  })
  test('of a newer version is refused by naming the version', () => {
    expect(problemsOf({ ...base(), version: 9 })[0]).toMatchObject({
      path: 'version',
      message: expect.stringContaining('is 9'),
    })
  })
  test('may not use an id twice, nor keys out of order', () => {
    const comp = base()
    expect(problemsOf({ ...comp, lanes: [comp.lanes[0], comp.lanes[0]] })[0]?.message).toContain('used twice')
    const [stepped, id] = addStep(comp, 'lane1', 0, 'exposure')
    const keys = [
      { frame: 5, value: 0 },
      { frame: 5, value: 1 },
    ]
    expect(problemsOf(putDial(stepped, id, 'stops', { keys }))).not.toEqual([])
  })
  test('has its dials checked by their effects; an unknown effect is kept', () => {
    const [comp, id] = addStep(base(), 'lane2', 0, 'bloom')
    const wrong = putDial(putDial(putDial(comp, id, 'threshold', -1), id, 'tint', 'red'), id, 'glitter', 1)
    expect(dialProblems(wrong).map((p) => p.path)).toEqual(
      ['threshold', 'tint', 'glitter'].map((k) => `lanes.1.steps.0.dials.${k}`),
    )
    const unknown: Comp = editStep(comp, id, (step) => {
      step.effect = 'from-the-future'
    })
    expect(dialProblems(parseComp(JSON.parse(JSON.stringify(unknown))))).toEqual([])
  })
  test('as a shot file names what it lacks', () => {
    expect(() =>
      parseShotFile({
        format: 'zafiro-shot',
        version: 1,
        name: 'x',
        comp: base(),
        media: { m1: { name: 'm', files: { one: 'a.exr' } } },
      }),
    ).toThrow(/media/)
    expect(() => parseShotFile([])).toThrow(ProblemError)
  })
})

describe('dials over time', () => {
  test('follow cubic Béziers: CSS ease at one half is 0.8024 (W3C CSS Easing Level 1)', () => {
    expect(easeBetween(0.5, [0.25, 0.1, 0.25, 1])).toBeCloseTo(0.8024, 4)
    expect(easeBetween(0.5, 'smooth')).toBeCloseTo(0.5, 6)
  })
})

test('a pass becomes a lane as its kind is used: light is added, shadow multiplies, data is for others to feed from (common practice)', () => {
  const link = { type: 'pass', media: 'm1', pass: 'p' } as const
  const first = addPassLane(emptyComp(8, 8), 'Depth', link, 'depth')
  expect(first.lanes[0]).toMatchObject({ kind: 'picture', join: { mode: 'over' } })
  const used = (kind: PassKind) => {
    const { kind: use, join } = addPassLane(first, 'Next', link, kind, 0).lanes[0]!
    return `${use} ${join.mode}`
  }
  expect(['colour', 'light', 'shadow', 'occlusion', 'other'].map((k) => used(k as PassKind))).toEqual([
    'picture over',
    'picture plus',
    'picture multiply',
    'picture multiply',
    'picture over',
  ])
  for (const kind of ['depth', 'normal', 'ids', 'matte'] as const) expect(used(kind)).toBe('matte over')
})

test('a frame without a file of its own is held from the last before it', () => {
  const media = { name: 'x', passes: [], frames: { 3: 'c', 7: 'g' } }
  expect([1, 3, 6, 7, 50].map((f) => fileAt(media, f))).toEqual(['c', 'c', 'c', 'g', 'g'])
})

test('gaps of a sequence are listed, and a shot spans its sequences', () => {
  const media = { name: 'x', passes: [], frames: { [-1]: 'a', 0: 'b', 3: 'c', 5: 'd', 6: 'e' } }
  expect(numberRanges(missingFrames(media.frames))).toBe('1–2, 4')
  expect(missingFrames({})).toEqual([])
  expect(framesOf({ m1: media, still: { ...media, frames: { 900: 'z' } } })).toEqual({ first: -1, last: 6 })
  expect(framesOf({ still: { ...media, frames: { 1: 'z' } } })).toBeUndefined()
})

test('passes are guessed from the names renderers give them (common practice)', () => {
  const cases: [string, number, string][] = [
    ['depth', 1, 'depth'],
    ['Z', 1, 'depth'],
    ['N', 3, 'normal'],
    ['P', 3, 'position'],
    ['emission', 3, 'light'],
    ['CryptoObject00', 4, 'ids'],
    ['motion', 2, 'motion'],
    ['beauty', 4, 'colour'],
    ['IndexOB', 1, 'ids'],
    ['material_index', 1, 'ids'],
    ['pass_id', 1, 'ids'],
    ['GlossDir', 3, 'light'],
    ['transmit_indirect', 3, 'light'],
    ['SelfIllumination', 3, 'light'],
    ['bump_normals', 3, 'normal'],
    ['cam_n', 3, 'normal'],
    ['worldPoints', 3, 'position'],
    ['point_world', 3, 'position'],
    ['forward', 2, 'motion'],
    ['backward', 2, 'motion'],
    ['optical_flow', 2, 'motion'],
  ]
  for (const [name, channels, kind] of cases)
    expect(guessPass(name, letters.slice(0, channels), 'half').kind, name).toBe(kind)
})

test('a gap is held, filled by the nearest or black, as the media says; ends are held always', () => {
  const frames = { 1: 'a', 2: 'b', 8: 'h' }
  const at = (gaps: 'hold' | 'nearest' | 'black') =>
    [0, 2, 4, 6, 7, 9].map((f) => fileAt({ name: 'x', passes: [], frames, gaps }, f))
  expect(at('hold')).toEqual(['a', 'b', 'b', 'b', 'b', 'h'])
  expect(at('nearest')).toEqual(['a', 'b', 'b', 'h', 'h', 'h'])
  expect(at('black')).toEqual(['a', 'b', undefined, undefined, undefined, 'h'])
  const serving = (frame: number) => servingFrame({ name: 'x', passes: [], frames }, frame)
  expect([0, 2, 5, 9].map((f) => serving(f).isGap)).toEqual([false, false, true, false])
  expect(serving(5).frame).toBe(2)
})

test('values say what a pass is where its name does not', () => {
  const stats = (channels: number, value: (i: number) => number[]) => {
    const data = Float32Array.from(
      { length: 400 * channels },
      (_, i) => value(Math.floor(i / channels))[i % channels]!,
    )
    return passStats({ width: 20, height: 20, x: 0, y: 0, channels, data })
  }
  const unit = (i: number) => {
    const [a, b] = [i / 30, i / 77]
    return [Math.cos(a) * Math.cos(b), Math.sin(a) * Math.cos(b), Math.sin(b)]
  }
  const guess = (
    channels: number,
    value: (i: number) => number[],
    name = 'aov7',
    names?: readonly string[],
  ) => guessPass(name, names ?? letters.slice(0, channels), 'float', stats(channels, value))
  expect(guess(1, (i) => [3 + i / 9])).toMatchObject({ kind: 'depth', detail: { unit: 'scene units' } })
  expect(guess(1, (i) => [i % 7 ? 0.4 : Infinity]).kind).toBe('depth')
  expect(guess(1, (i) => [(i % 5) / 4.5]).kind).toBe('matte')
  expect(guess(1, (i) => [i % 9]).kind).toBe('ids')
  expect(guess(3, unit)).toMatchObject({ kind: 'normal', detail: { range: 'signed' } })
  expect(guess(3, (i) => unit(i).map((v) => v / 2 + 0.5), 'N').detail.range).toBe('packed')
  expect(guess(3, (i) => [i / 8 - 20, i / 9, -i / 7]).kind).toBe('position')
  // Channels that say x, y, z are no colour, even where nothing is below 0.
  const xyz = ['aov7.x', 'aov7.y', 'aov7.z']
  expect(guess(3, (i) => unit(i).map(Math.abs), 'aov7', xyz).kind).toBe('normal')
  expect(guess(3, (i) => [i / 8, i / 9, i / 7], 'aov7', xyz).kind).toBe('position')
  expect(guess(3, (i) => [i / 400, 0.3, 0.1])).toMatchObject({ kind: 'colour', reason: 'it has 3 channels' })
  expect(guess(1, () => [0.5], 'depth').reason).toContain('“depth”')
})

test('files named for a pass belong beside the others; drawn layers do not (common practice)', () => {
  expect(splitPassName('cave_depth')).toEqual({ base: 'cave', pass: 'depth', isSure: true })
  expect(splitPassName('cave.Normal')).toMatchObject({ base: 'cave', pass: 'normal' })
  expect(splitPassName('seahorse_shadow')?.isSure).toBe(false)
  for (const name of ['seahorse_line', 'plume', 'depth', 'v2_final'])
    expect(splitPassName(name)).toBeUndefined()
  const names = [
    'cave_shadow.1.exr',
    'cave_depth.0010.exr',
    'cave_depth.0009.exr',
    'cave.0001.exr',
    'cave.json',
  ]
  expect(intakeOrder(names, (n) => n)).toEqual([
    'cave.json',
    'cave.0001.exr',
    'cave_depth.0009.exr',
    'cave_depth.0010.exr',
    'cave_shadow.1.exr',
  ])
})

describe('no control, fit or pick makes a comp that can not be saved', () => {
  const [comp, id] = addStep(
    addLane(emptyComp(8, 8), 'Back', { type: 'colour', colour: [0, 0, 0], alpha: 1 }),
    'lane1',
    0,
    'depth-mist',
  )
  const after = (key: string, value: unknown) =>
    withinDials(comp, putDial(comp, id, key, value as number)).lanes[0]!.steps[0]!.dials[key]
  test('what goes beyond is brought back, what is no number is not taken, what fits stays the very same', () => {
    const { hard } = findEffect('depth-mist')!.dials['far'] as { hard: readonly [number, number] }
    expect(after('far', 9.99e12)).toBe(hard[1])
    expect(after('far', -1e300)).toBe(hard[0])
    expect(after('far', Infinity)).toBe(hard[1])
    expect(after('far', NaN)).toBe(
      comp.lanes[0]!.steps[0]!.dials['far'] ?? findEffect('depth-mist')!.dials['far']!.default,
    )
    const fits = putDial(comp, id, 'far', 40)
    expect(withinDials(comp, fits)).toBe(fits)
    expect(dialProblems(withinDials(comp, putDial(comp, id, 'lampColour', [NaN, 0, 0])))).toEqual([])
  })
})

describe('tracks from outside', () => {
  const [withRays, rays] = addStep(
    addLane(emptyComp(8, 8), 'Back', { type: 'colour', colour: [0, 0, 0], alpha: 1 }),
    'lane1',
    0,
    'light-rays',
  )
  const said = (key: string, track: unknown) => {
    const document = JSON.parse(JSON.stringify(withRays)) as {
      lanes: { steps: { dials: Record<string, unknown> }[] }[]
    }
    document.lanes[0]!.steps[0]!.dials[key] = track
    try {
      const problems = dialProblems(parseComp(document))
      return problems.map((p) => `${p.path} ${p.message}`).join('; ')
    } catch (error) {
      return (error as ProblemError).problems.map((p) => `${p.path} ${p.message}`).join('; ')
    }
  }
  const at = (frame: unknown, value: unknown, more = {}) => ({ frame, value, ...more })
  test.each([
    ['two keys on one frame', 'length', { keys: [at(1, 5), at(1, 6)] }, /length.*rising frame/],
    ['keys out of order', 'length', { keys: [at(9, 5), at(1, 6)] }, /length.*rising frame/],
    ['no keys', 'length', { keys: [] }, /at least one key/],
    ['a value that is no number', 'length', { keys: [at(1, null)] }, /length/],
    [
      'a handle that runs back',
      'length',
      { keys: [at(1, 5, { go: 'curve', out: [[-1, 0]] }), at(2, 6)] },
      /does not lie before its key/,
    ],
    [
      'a handle for a part that is not there',
      'length',
      {
        keys: [
          at(1, 5, {
            out: [
              [1, 0],
              [1, 0],
            ],
          }),
          at(2, 6),
        ],
      },
      /a handle for each of its 1 parts/,
    ],
    [
      'values of another kind',
      'length',
      { keys: [at(1, 'wide'), at(2, 6)] },
      /keys\.0\.value wants a number/,
    ],
    [
      'a number that follows',
      'length',
      {
        keys: [at(1, 5)],
        riders: [{ type: 'follow', on: true, of: { type: 'placement', lane: 'lane1' }, offset: [0, 0] }],
      },
      /riders\.0 follows, which only a point can/,
    ],
    [
      'a choice that flickers',
      'colour',
      {
        keys: [at(1, 'light')],
        riders: [{ type: 'flicker', on: true, amount: 1, rate: 1, roughness: 0, seed: 1 }],
      },
      /flicker on values that are no numbers/,
    ],
    [
      'a rider that is not known',
      'length',
      { keys: [at(1, 5)], riders: [{ type: 'wobble', on: true }] },
      /riders/,
    ],
    ['a number along a path', 'length', { keys: [at(1, 5)], along: 'even' }, /for points only/],
  ])('%s is refused, with its place', (_, key, track, words) => {
    expect(said(key, track)).toMatch(words)
  })
  test('keys beyond the shot, between frames and at odd rates are kept and read', () => {
    const track = { keys: [at(-40, 100), at(1.5, 200), at(9000, 50)] }
    expect(said('length', track)).toBe('')
    const comp = putDial(withRays, rays, 'length', track as Setting)
    for (const rate of [23.976, 29.97, 24]) {
      const odd = parseComp({ ...comp, frames: { first: 1, last: 1, rate } })
      expect(readSetting(odd, { of: 'dial', step: rays, key: 'length' }, 1.5)).toBe(200)
    }
  })
})
