import { expect, test } from 'vitest'
import { addLane, addStep, emptyComp, setFeed } from '../comp/edits.ts'
import { ProblemError } from '../comp/problem.ts'
import { allSteps, parseComp, type Comp } from '../comp/schema.ts'
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
  const text = clipText(desk(), ['step1', 'step2'])
  expect([isClip(text), isClip('{"a": 1}'), isClip('')]).toEqual([true, false, false])
  const other = addLane(emptyComp(64, 36), 'Other', beauty)
  const { comp, ids, lost } = pasteClip(other, readClip(text), 'lane1', 0)
  expect(parseComp(JSON.parse(JSON.stringify(comp)))).toEqual(comp)
  expect(comp.lanes[0]!.steps.map((s) => [s.id, s.effect])).toEqual([[ids[0], 'bloom'], [ids[1], 'matte-glow']]) // prettier-ignore
  expect([comp.drawings.map((d) => d.name), lost]).toEqual([['Window'], ['lane2']])
})
test('in their own shot they keep to the drawings and lanes that are there', () => {
  const own = desk()
  const { comp, lost } = pasteClip(own, readClip(clipText(own, ['step1', 'step2'])), 'lane2', 0)
  expect([comp.drawings.length, lost]).toEqual([1, []])
  expect(comp.lanes[1]!.steps[1]!.feeds['shape']!.from).toEqual({ type: 'drawing', drawing: 'drawing1' })
})
test('a step that is made of others brings them along, in as many copies as it is pasted', () => {
  const [made, id] = makeOneStep(desk(), {}, ['step1', 'step2'], { name: 'Glow', about: 'x', family: 'light', dials: [] }) // prettier-ignore
  const clip = readClip(clipText(made, [id]))
  const other = addLane(emptyComp(64, 36), 'Other', beauty)
  const once = pasteClip(other, clip, 'lane1', 0).comp
  const twice = pasteClip(once, clip, 'lane1', 1).comp
  expect(parseComp(JSON.parse(JSON.stringify(twice)))).toEqual(twice)
  expect([once.lanes.length, twice.lanes.length, allSteps(twice).length]).toEqual([2, 3, 6])
})
test('a text that is damaged or of something else is refused in words', () => {
  const text = clipText(desk(), ['step1'])
  for (const wrong of [text.slice(0, 300), '[]', JSON.stringify({ format: 'zafiro-steps', comp: 2, steps: [], lanes: [], drawings: [] }), text.replace('"on":true', '"on":"yes"')])
    expect(() => readClip(wrong)).toThrow(ProblemError) // prettier-ignore
})
