import { expect, test } from 'vitest'
import { linearToHex } from '../picture/colour.ts'
import { workingSpace } from '../colour/working.ts'
import { putRecipe, recipeFileOf } from '../recipes/recipe-file.ts'
import { makeOneStep } from '../recipes/make.ts'
import { clipText, pasteClip, readClip } from '../recipes/clip.ts'
import { changeSpace } from './change-space.ts'
import { addLane, addStep, emptyComp } from './edits.ts'
import { allSteps, findStep, parseComp, type Comp } from './schema.ts'
import { putDial, readSetting } from './settings.ts'

// Published matrix of linear Rec.709 under D65 to ACEScg, adapted by Bradford (Academy S-2014-004 with ITU-R BT.709; six digits).
const published = [
  [0.613097, 0.339523, 0.047379],
  [0.070194, 0.916354, 0.013452],
  [0.020616, 0.10957, 0.869815],
]
const through = (c: readonly number[]) =>
  published.map((row) => row.reduce((sum, m, i) => sum + m * c[i]!, 0))
const expectNear = (found: readonly number[], wanted: readonly number[]) => {
  wanted.forEach((w, i) => {
    expect(Math.abs(found[i]! - w), `${String(found)} for ${String(wanted)}`).toBeLessThan(2e-5)
  })
}

/** Colours of every kind: a source, a dial set by hand and one left alone, keys, gradients, picks. */
function colourful(): Comp {
  let comp = addLane(emptyComp(64, 36), 'Warm', { type: 'colour', colour: [0.9, 0.3, 0.05], alpha: 1 })
  for (const effect of ['tint', 'gradient-map', 'colour-key', 'tint', 'blur', 'depth-mist'])
    comp = addStep(comp, 'lane1', allSteps(comp).length, effect)[0]
  comp = putDial(comp, 'step3', 'picked', [
    [0.02, 0.1, 0.7, 1],
    [0.5, 0.5, 0.5, -1],
  ])
  comp = putDial(comp, 'step4', 'colour', {
    keys: [
      { frame: 1, value: [1, 0, 0] },
      { frame: 9, value: [0, 0, 1] },
    ],
    mix: 'oklab',
  })
  return comp
}

test('colours keep their look when the space of a shot is changed, and come back as they were', () => {
  const comp = colourful()
  const wide = changeSpace(comp, 'acescg')
  expect(parseComp(JSON.parse(JSON.stringify(wide)))).toEqual(wide)
  expect(wide.space).toBe('acescg')
  const source = (c: Comp) => (c.lanes[0]!.source as { colour: number[] }).colour
  expectNear(source(wide), through([0.9, 0.3, 0.05]))
  expect(linearToHex(workingSpace('acescg'), source(wide) as [number, number, number])).toBe(
    linearToHex(workingSpace(undefined), [0.9, 0.3, 0.05]),
  )
  const dial = (c: Comp, step: string, key: string, at = 1) => readSetting(c, { of: 'dial', step, key }, at)
  // Tint begins with a colour of its own, which nobody has set.
  expectNear(dial(wide, 'step1', 'colour') as number[], through(dial(comp, 'step1', 'colour') as number[]))
  const stops = (c: Comp) => dial(c, 'step2', 'gradient') as number[][]
  stops(wide).forEach(([at, ...rgb], i) => {
    expect(at).toBe(stops(comp)[i]![0])
    expectNear(rgb, through(stops(comp)[i]!.slice(1)))
  })
  const picks = dial(wide, 'step3', 'picked') as number[][]
  expectNear(picks[0]!, [...through([0.02, 0.1, 0.7]), 1])
  // A grey is a grey everywhere.
  expect(picks[1]).toEqual([0.5, 0.5, 0.5, -1])
  // Between two keys the way through OKLab is the same way.
  for (const at of [1, 3.5, 9])
    expectNear(
      dial(wide, 'step4', 'colour', at) as number[],
      through(dial(comp, 'step4', 'colour', at) as number[]),
    )
  const back = changeSpace(wide, 'rec709')
  expect('space' in back).toBe(false)
  expectNear(source(back), [0.9, 0.3, 0.05])
  expect(changeSpace(back, 'rec709')).toBe(back)
})

test('recipes and copied steps bring their colours into the space of the shot that they come to', () => {
  const comp = colourful()
  const [made, id] = makeOneStep(comp, {}, ['step1'], {
    name: 'Warm',
    about: 'x',
    family: 'colour',
    dials: [{ name: 'Colour', settings: [{ ref: { of: 'dial', step: 'step1', key: 'colour' } }] }],
  })
  const file = recipeFileOf(made, id)!
  const wide = changeSpace(
    addLane(emptyComp(64, 36), 'Here', { type: 'colour', colour: [0, 0, 0], alpha: 0 }),
    'acescg',
  )
  const [put, step] = putRecipe(wide, {}, file, 'lane1', 0)
  const own = readSetting(comp, { of: 'dial', step: 'step1', key: 'colour' }, 1) as number[]
  const found = findStep(put, step)!
  expectNear(found.dials['colour'] as number[], through(own))
  expectNear(found.recipe!.dials[0]!.default as number[], through(own))
  // And the other way round.
  const again = recipeFileOf(put, step)!
  expect(again.space).toBe('acescg')
  const [there, last] = putRecipe(comp, {}, again, 'lane1', 0)
  expectNear(findStep(there, last)!.dials['colour'] as number[], own)
  const clip = readClip(clipText(changeSpace(comp, 'acescg'), {}, { steps: ['step1'] }))
  const { comp: pasted, ids } = pasteClip(comp, {}, clip, 'lane1', 0)
  expectNear(allSteps(pasted).find((s) => s.id === ids[0])!.dials['colour'] as number[], own)
})
