import { describe, expect, test } from 'vitest'
import { addLane, emptyComp } from '../comp/edits.ts'
import type { MediaTable } from '../comp/media.ts'
import { ProblemError } from '../comp/problem.ts'
import { findLoop } from '../comp/references.ts'
import { allSteps, findStep, parseComp, type Comp } from '../comp/schema.ts'
import { putDial } from '../comp/settings.ts'
import { plan } from '../engine/plan/plan.ts'
import { drawer } from './drawer.ts'
import { expanded } from './expand.ts'
import { takeApart } from './take-apart.ts'
import {
  parseRecipeFile,
  putRecipe,
  recipeFileOf,
  takeVersion,
  unknownEffects,
  type RecipeFile,
} from './recipe-file.ts'

const passes = [
  { name: 'beauty', kind: 'colour', channels: ['R', 'G', 'B', 'A'], type: 'half' },
  { name: 'depth', kind: 'depth', channels: ['depth.Z'], type: 'float' },
  { name: 'normal', kind: 'normal', channels: ['normal.X', 'normal.Y', 'normal.Z'], type: 'half' },
  { name: 'position', kind: 'position', channels: ['P.X', 'P.Y', 'P.Z'], type: 'float' },
] as const
const media = {
  m1: {
    name: 'grotto',
    frames: Object.fromEntries(
      Array.from({ length: 24 }, (_, i) => [i + 1, (i + 1).toString(16).padStart(64, '0')]),
    ),
    passes,
  },
} as unknown as MediaTable
const beauty = { type: 'pass', media: 'm1', pass: 'beauty' } as const
const desk = (width = 1920) =>
  addLane({ ...emptyComp(width, (width * 9) / 16), frames: { first: 1, last: 24, rate: 24 } }, 'Back', beauty)
const keyOf = (comp: Comp) => plan(comp, media, 16, 1, { type: 'picture' }).node.key

describe.each([...drawer()])('%s', (_, file) => {
  test('is a sound recipe that comes back from its document as it was', () => {
    expect(parseRecipeFile(JSON.parse(JSON.stringify(file)))).toEqual(file)
    expect(unknownEffects(file)).toEqual([])
    const { recipe } = file.step
    expect(recipe!.about.length).toBeGreaterThan(40)
    expect(recipe!.dials.length).toBeGreaterThanOrEqual(5)
    for (const dial of recipe!.dials) expect(dial.moves.length).toBeGreaterThan(0)
  })
  test('stands on a lane with its passes connected, does something, and what its dials say at first is what is inside', () => {
    const [comp, id] = putRecipe(desk(), media, file, 'lane1', 0)
    expect(parseComp(JSON.parse(JSON.stringify(comp)))).toEqual(comp)
    expect(findLoop(comp)).toBeUndefined()
    const step = findStep(comp, id)!
    const open = step.recipe!.inputs.filter((i) => i.required && !step.feeds[i.key]).map((i) => i.name)
    expect(open.filter((name) => name !== 'reflection')).toEqual([])
    const fed =
      open.length > 0
        ? {
            ...comp,
            lanes: comp.lanes.map((l) => ({
              ...l,
              steps: l.steps.map((s) =>
                s.id === id ? { ...s, feeds: { ...s.feeds, reflection: { from: beauty } } } : s,
              ),
            })),
          }
        : comp
    const { problems, node } = plan(fed, media, 16, 1, { type: 'picture' })
    expect(problems).toEqual([])
    expect(node.key).not.toBe(keyOf(desk()))
    // Every dial does something.
    for (const dial of step.recipe!.dials) {
      const now = step.dials[dial.key]
      const other =
        dial.type === 'number'
          ? now === dial.range![0]
            ? dial.range![1]
            : dial.range![0]
          : dial.type === 'choice'
            ? 'light'
            : dial.type === 'flag'
              ? !now
              : [0.11, 0.12, 0.13].slice(0, dial.type === 'point' ? 2 : 3)
      expect(
        plan(putDial(fed, id, dial.key, other), media, 16, 1, { type: 'picture' }).node.key,
        dial.name,
      ).not.toBe(node.key)
    }
    expect(plan(takeApart(fed, id), media, 16, 1, { type: 'picture' }).node.key).toBe(node.key)
  })
  test('is taken out of a shot and put into another as it is, twice as large on twice the width', () => {
    const [comp, id] = putRecipe(desk(), media, file, 'lane1', 0)
    const again = recipeFileOf(comp, id)!
    const [back, backId] = putRecipe(desk(), media, again, 'lane1', 0)
    expect(keyOf(back)).toBe(keyOf(comp))
    expect(findStep(back, backId)!.recipe).toEqual(findStep(comp, id)!.recipe)
    const [large] = putRecipe(desk(3840), media, file, 'lane1', 0)
    const px = (c: Comp) =>
      allSteps(expanded(c)).flatMap((s) =>
        ['reach', 'radius', 'length'].flatMap((key) =>
          s.recipe || typeof s.dials[key] !== 'number' ? [] : [s.dials[key]],
        ),
      )
    const [one, two] = [px(comp), px(large)]
    two.forEach((v, i) => {
      expect(v / one[i]!).toBeCloseTo(2, 6)
    })
  })
})

test('a choice shows the thing, its light, or both; both together are the whole', () => {
  const [comp, id] = putRecipe(desk(), media, drawer().get('neon')!, 'lane1', 0)
  const show = (what: string) =>
    expanded(putDial(comp, id, 'show', what)).lanes.flatMap((l) => (l.in === id ? [l.join.opacity] : []))
  expect([show('all'), show('light'), show('thing')]).toEqual([
    [1, 1, 1],
    [0, 1, 1],
    [1, 0, 0],
  ])
})

test('another version keeps what was set and connected, and who took from the step', () => {
  const file = drawer().get('neon')!
  const [comp, id] = putRecipe(desk(), media, file, 'lane1', 0)
  const set = putDial(comp, id, 'reach', 77)
  const tapped = addLane(set, 'Copy', { type: 'tap', lane: 'lane1', after: id })
  const next: RecipeFile = {
    ...file,
    step: {
      ...file.step,
      recipe: {
        ...file.step.recipe!,
        from: { id: 'neon', version: 2 },
        dials: file.step.recipe!.dials.slice(0, 4),
      },
    },
    lanes: file.lanes.slice(0, 2),
  }
  const cut = {
    ...next.step.recipe!,
    dials: next.step.recipe!.dials.map((d) => ({
      ...d,
      moves: d.moves.filter((m) => !('step' in m.setting) || m.setting.step === 'step1'),
    })),
  }
  const dials = Object.fromEntries(
    Object.entries(file.step.dials).filter(([key]) => key !== 'tube' && key !== 'show'),
  )
  const taken = takeVersion(tapped, id, { ...next, step: { ...next.step, dials, recipe: cut } })
  expect(parseComp(JSON.parse(JSON.stringify(taken)))).toEqual(taken)
  const step = findStep(taken, id)!
  expect([step.recipe!.from, step.dials['reach'], step.dials['tube']]).toEqual([
    { id: 'neon', version: 2 },
    77,
    undefined,
  ])
  expect(taken.lanes.filter((l) => l.in === id)).toHaveLength(2)
  expect(taken.lanes.find((l) => l.name === 'Copy')!.source).toMatchObject({ after: id })
})

interface Writable {
  lanes: object[]
  step: { recipe: { name: string } }
}

describe('a document that is no sound recipe', () => {
  const file = drawer().get('soft-print')!
  const spoilt = (change: (copy: Writable) => unknown) => {
    const copy = JSON.parse(JSON.stringify(file)) as Writable
    return () => parseRecipeFile(change(copy) ?? copy)
  }
  test('is refused in words that say what and where', () => {
    expect(spoilt(() => ({}))).toThrow(/This is no Zafiro recipe/)
    expect(spoilt(() => 'text')).toThrow(ProblemError)
    expect(spoilt((c) => ({ ...c, format: 'other' }))).toThrow(/format of a recipe/)
    expect(spoilt((c) => ({ ...c, version: 9 }))).toThrow(/newer Zafiro/)
    expect(spoilt((c) => ({ ...c, comp: 99 }))).toThrow(/newer Zafiro/)
    expect(spoilt((c) => ({ ...c, lanes: [] }))).not.toThrow()
    expect(spoilt((c) => ({ ...c, lanes: [{ ...c.lanes[0], in: 'nowhere' }] }))).toThrow(/no bus/)
    expect(spoilt((c) => ({ ...c, step: { ...c.step, id: '__proto__' } }))).toThrow(ProblemError)
    const loud = (name: string) =>
      spoilt((c) => {
        c.step.recipe.name = name
        return c
      })
    expect(loud('x'.repeat(500))).toThrow(/120 characters/)
    // A name that looks like a script is only a name.
    expect(loud('<script>alert(1)</script>')()).toMatchObject({
      step: { recipe: { name: '<script>alert(1)</script>' } },
    })
  })
  test('with an effect that is not known here is kept, and says which', () => {
    const copy = JSON.parse(JSON.stringify(file)) as RecipeFile
    Object.assign(copy.lanes[0]!.steps[0]!, { effect: 'time-travel' })
    expect(unknownEffects(parseRecipeFile(copy))).toEqual(['time-travel'])
  })
  test('that lies in itself a hundred deep is refused', () => {
    let lanes: unknown[] = []
    const recipe = { ...file.step.recipe!, dials: [], inputs: [] }
    for (let n = 0; n < 100; n++)
      lanes = [
        ...lanes,
        {
          ...file.lanes[0]!,
          id: `deep${n}`,
          in: n === 0 ? 'recipe' : `s${n - 1}`,
          steps: [{ ...file.step, id: `s${n}`, dials: {}, recipe }],
        },
      ]
    expect(() => parseRecipeFile({ ...file, step: { ...file.step, dials: {}, recipe }, lanes })).toThrow(
      /more than 12 deep/,
    )
  })
})
