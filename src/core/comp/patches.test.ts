import { produce } from 'immer'
import { describe, expect, test } from 'vitest'
import { readFileSync } from 'node:fs'
import { addLane, addStep, removeStep } from './edits.ts'
import { patched, patchesBetween } from './patches.ts'
import { parseComp, type Comp } from './schema.ts'
import { listSettings, setSetting } from './settings.ts'

const start = parseComp(
  JSON.parse(readFileSync(new URL('./upgrades/fixtures/version-1.json', import.meta.url), 'utf8')),
)
/** As a message carries it: no reference is shared. */
const sent = <T>(value: T): T => structuredClone(value)

describe('patches from one comp to another', () => {
  test('make the other of the one, over any edits and back, and share what they do not touch', () => {
    let here: Comp = start
    let there: Comp = sent(start)
    const settings = listSettings(start).filter(({ of }) => of === 'amount' || of === 'opacity')
    const edits: ((c: Comp, i: number) => Comp)[] = [
      (c, i) =>
        setSetting(c, settings[i % settings.length]!, (i % 10) / 10, { frame: 1, autoKey: i % 3 === 0 }),
      (c, i) => addLane(c, `Lane ${i}`, { type: 'colour', colour: [i, 0, 0], alpha: 1 }, i % 3),
      (c, i) => addStep(c, c.lanes[i % c.lanes.length]!.id, 0, 'bloom')[0],
      (c, i) => removeStep(c, c.lanes.flatMap((l) => l.steps)[i % 5]!.id),
      (c) => ({ ...c, lanes: c.lanes.toReversed() }),
      (c) => ({ ...c, lanes: c.lanes.slice(1) }),
      (c) => ({ ...c, viewing: { type: 'shoulder', white: 4 } }),
      (c) =>
        produce(c, (draft) => {
          delete draft.viewing
        }),
    ]
    const past = [here]
    for (let i = 0; i < 120; i++) {
      const next: Comp = i % 7 === 6 ? past[(i * 5) % past.length]! : edits[(i * 11) % edits.length]!(here, i)
      there = patched(there, sent(patchesBetween(here, next)))
      expect(there).toEqual(next)
      past.push((here = next))
    }
    const one = setSetting(here, { of: 'opacity', lane: here.lanes[0]!.id }, 0.123, { frame: 1 })
    const moved = patched(there, patchesBetween(here, one))
    expect(moved.lanes.slice(1).every((lane, i) => lane === there.lanes[i + 1])).toBe(true)
  })
  test('are as small as the change', () => {
    const next = produce(start, (draft) => {
      draft.lanes[1]!.name = 'Renamed'
    })
    expect(patchesBetween(start, next)).toEqual([
      { op: 'replace', path: ['lanes', 1, 'name'], value: 'Renamed' },
    ])
    expect(patchesBetween(start, start)).toEqual([])
  })
})
