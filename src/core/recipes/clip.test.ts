import { expect, test } from 'vitest'
import { addLane, addStep, emptyComp, setFeed } from '../comp/edits.ts'
import { ProblemError } from '../comp/problem.ts'
import { allSteps, parseComp, type Comp } from '../comp/schema.ts'
import type { MediaTable } from '../comp/media.ts'
import { putDial } from '../comp/settings.ts'
import type { PassKind } from '../passes/passes.ts'
import { likePass, lookOnto } from './other-shot.ts'
import { clipText, isClip, pasteClip, readClip } from './clip.ts'
import { makeOneStep } from './make.ts'

const beauty = { type: 'pass', media: 'm1', pass: 'beauty' } as const
const window = { id: 'drawing1', name: 'Window', time: 'keyed' as const, shapes: [] }

function desk(): Comp {
  let comp: Comp = addLane(
    addLane({ ...emptyComp(64, 36), drawings: [window] }, 'Back', beauty),
    'Lamp',
    beauty,
  )
  comp = addStep(addStep(comp, 'lane1', 0, 'bloom')[0], 'lane1', 1, 'matte-glow')[0]
  comp = setFeed(comp, 'step1', 'light', { from: { type: 'tap', lane: 'lane2' } })
  return setFeed(comp, 'step2', 'shape', { from: { type: 'drawing', drawing: 'drawing1' } })
}

test('steps come into another shot with their drawings; what they take from lanes that are not there is told', () => {
  const text = clipText(desk(), {}, { steps: ['step1', 'step2'] })
  expect([isClip(text), isClip('{"a": 1}'), isClip('')]).toEqual([true, false, false])
  const other = addLane(emptyComp(64, 36), 'Other', beauty)
  const { comp, ids, lost } = pasteClip(other, {}, readClip(text), 'lane1', 0)
  expect(parseComp(JSON.parse(JSON.stringify(comp)))).toEqual(comp)
  expect(comp.lanes[0]!.steps.map((s) => [s.id, s.effect])).toEqual([
    [ids[0], 'bloom'],
    [ids[1], 'matte-glow'],
  ])
  expect([comp.drawings.map((d) => d.name), lost]).toEqual([['Window'], ['lane lane2']])
})
test('in their own shot they keep to the drawings and lanes that are there', () => {
  const own = desk()
  const { comp, lost } = pasteClip(
    own,
    {},
    readClip(clipText(own, {}, { steps: ['step1', 'step2'] })),
    'lane2',
    0,
  )
  expect([comp.drawings.length, lost]).toEqual([1, []])
  expect(comp.lanes[1]!.steps[1]!.feeds['shape']!.from).toEqual({ type: 'drawing', drawing: 'drawing1' })
})
test('a step that is made of others brings them along, in as many copies as it is pasted', () => {
  const [made, id] = makeOneStep(desk(), {}, ['step1', 'step2'], {
    name: 'Glow',
    about: 'x',
    family: 'light',
    dials: [],
  })
  const clip = readClip(clipText(made, {}, { steps: [id] }))
  const other = addLane(emptyComp(64, 36), 'Other', beauty)
  const once = pasteClip(other, {}, clip, 'lane1', 0).comp
  const twice = pasteClip(once, {}, clip, 'lane1', 1).comp
  expect(parseComp(JSON.parse(JSON.stringify(twice)))).toEqual(twice)
  expect([once.lanes.length, twice.lanes.length, allSteps(twice).length]).toEqual([2, 3, 6])
})
test('a text that is damaged or of something else is refused in words', () => {
  const text = clipText(desk(), {}, { steps: ['step1'] })
  for (const wrong of [
    text.slice(0, 300),
    '[]',
    JSON.stringify({ format: 'zafiro-steps', comp: 2, steps: [], lanes: [], drawings: [] }),
    text.replace('"on":true', '"on":"yes"'),
  ])
    expect(() => readClip(wrong)).toThrow(ProblemError)
})

const passes = (...names: (readonly [string, PassKind])[]) =>
  names.map(([name, kind]) => ({ name, kind, channels: ['R'], type: 'half' as const }))
const table = (media: Record<string, readonly [string, ReturnType<typeof passes>]>): MediaTable =>
  Object.fromEntries(
    Object.entries(media).map(([ref, [name, of]]) => [ref, { name, frames: { 1: 'h' }, passes: of }]),
  )
const own = table({
  m1: ['grotto', passes(['beauty', 'colour'], ['depth', 'depth'], ['normal', 'normal'])],
  m2: ['seahorse', passes(['beauty', 'colour'])],
})

test('a lane comes whole into another shot, and its passes are found in the media there', () => {
  let comp = addLane(addLane(emptyComp(64, 36), 'Cave', beauty), 'Rider', { ...beauty, media: 'm2' })
  comp = addStep(comp, 'lane1', 0, 'matte-light')[0]
  comp = setFeed(comp, 'step1', 'matte', { from: { type: 'pass', media: 'm1', pass: 'depth' } })
  const clip = readClip(clipText(comp, own, { lanes: ['lane1'] }))
  // Other ids, another name, depth under another name, a second media with a beauty.
  const there = table({
    x: ['seahorse', passes(['beauty', 'colour'])],
    y: ['reef', passes(['beauty', 'colour'], ['Z', 'depth'], ['normal', 'normal'])],
  })
  const other = addLane(emptyComp(64, 36), 'Other', { type: 'pass', media: 'x', pass: 'beauty' })
  const { comp: made, ids, lost } = pasteClip(other, there, clip, 'lane1', 0)
  expect(parseComp(JSON.parse(JSON.stringify(made)))).toEqual(made)
  const lane = made.lanes.find((l) => l.id === ids[0])!
  expect([made.lanes.length, lane.name, lost]).toEqual([2, 'Cave', []])
  expect(lane.source).toEqual({ type: 'pass', media: 'y', pass: 'beauty' })
  expect(lane.steps[0]!.matte!.from).toEqual({ type: 'pass', media: 'y', pass: 'Z' })
  // In its own shot nothing is looked for.
  const back = pasteClip(comp, own, clip, 'lane2', 0)
  expect(back.comp.lanes.find((l) => l.id === back.ids[0])!.source).toEqual(beauty)
})

test('a whole look goes onto another shot: its frame and range stay, pixels follow, what has no place is told', () => {
  let comp = addLane({ ...emptyComp(960, 540), drawings: [window] }, 'Cave', beauty)
  comp = addStep(comp, 'lane1', 0, 'bloom')[0]
  comp = putDial(comp, 'step1', 'reach', 40)
  comp = addStep(comp, 'lane1', 1, 'depth-mist')[0]
  comp = setFeed(comp, 'step2', 'depth', { from: { type: 'pass', media: 'm1', pass: 'depth' } })
  const target = {
    comp: { ...addLane(emptyComp(1920, 1080), 'Old', beauty), frames: { first: 101, last: 140, rate: 25 } },
    media: table({ m7: ['grotto', passes(['beauty', 'colour'])] }),
  }
  const { comp: made, lost } = lookOnto({ comp, media: own }, target)
  expect(parseComp(JSON.parse(JSON.stringify(made)))).toEqual(made)
  expect([made.canvas, made.frames]).toEqual([target.comp.canvas, target.comp.frames])
  expect(made.lanes.map((l) => [l.name, l.source])).toEqual([
    ['Cave', { type: 'pass', media: 'm7', pass: 'beauty' }],
  ])
  expect(allSteps(made).find((s) => s.effect === 'bloom')!.dials['reach']).toBe(80)
  expect(allSteps(made).find((s) => s.effect === 'depth-mist')!.feeds).toEqual({})
  expect(lost).toEqual([expect.stringMatching(/^Cave, Depth mist: depth of grotto$/i)])
})

test('where two media fit as well none is guessed', () => {
  const two = table({ a: ['left', passes(['beauty', 'colour'])], b: ['right', passes(['beauty', 'colour'])] })
  expect(likePass({ type: 'pass', media: 'm2', pass: 'beauty' }, own, two)).toBeUndefined()
  const named = table({
    a: ['left', passes(['beauty', 'colour'])],
    b: ['seahorse', passes(['beauty', 'colour'])],
  })
  expect(likePass({ type: 'pass', media: 'm2', pass: 'beauty' }, own, named)).toMatchObject({ media: 'b' })
  expect(likePass({ type: 'pass', media: 'm1', pass: 'normal' }, own, two)).toBeUndefined()
})
