import * as v from 'valibot'
import { emptyComp } from '../comp/edits.ts'
import { putIn, takeOut, type Fragment } from '../comp/fragment.ts'
import { ProblemError } from '../comp/problem.ts'
import { issuesToProblems, parseComp, type Comp } from '../comp/schema.ts'
import { compVersion } from '../comp/upgrades/upgrade.ts'

// Steps that are carried from one shot to another, as plain text.

export const clipFormat = 'zafiro-steps'

const clipSchema = v.object({
  format: v.literal(clipFormat, 'is not the format of copied steps'),
  comp: v.pipe(v.number(), v.integer()),
  steps: v.pipe(v.array(v.unknown()), v.minLength(1, 'holds no step')),
  lanes: v.array(v.unknown()),
  drawings: v.array(v.unknown()),
})

/** Steps of a comp as text, with what they are made of and the drawings that they take from. */
export function clipText(comp: Comp, stepIds: readonly string[]): string {
  const { steps, lanes, drawings } = takeOut(comp, { steps: stepIds, withDrawings: true })
  return JSON.stringify({ format: clipFormat, comp: compVersion, steps, lanes, drawings })
}

/** Whether a text looks like copied steps. */
export const isClip = (text: string): boolean => text.slice(0, 200).includes(`"format":"${clipFormat}"`)

/** Reads copied steps. Throws ProblemError with what does not fit. */
export function readClip(text: string): Fragment {
  let data: unknown
  try {
    data = JSON.parse(text)
  } catch {
    throw new ProblemError('These steps can not be pasted', [{ path: '', message: 'the text is no JSON' }])
  }
  const read = v.safeParse(clipSchema, data)
  if (!read.success) throw new ProblemError('These steps can not be pasted', issuesToProblems(read.issues))
  const { comp: version, steps, lanes, drawings } = read.output
  const holder = {
    id: 'holder', name: 'Holder', kind: 'picture', source: { type: 'colour', colour: [0, 0, 0], alpha: 0 }, steps,
    join: { mode: 'over', opacity: 1 }, muted: false, solo: false, locked: false,
  } // prettier-ignore
  const comp = parseComp({ ...emptyComp(1, 1), version, lanes: [holder, ...lanes], drawings })
  return {
    lanes: comp.lanes.slice(1),
    steps: comp.lanes[0]!.steps,
    drawings: comp.drawings,
    inputs: [],
  }
}

/**
 * Puts copied steps onto a lane (or the master) before the step now at `at`. Drawings that the comp has already stay one with those; others come along.
 * Gives back the ids of the steps, and what they take from that is not there.
 */
export function pasteClip(
  comp: Comp,
  clip: Fragment,
  laneId: string,
  at: number,
): { readonly comp: Comp; readonly ids: readonly string[]; readonly lost: readonly string[] } {
  const isSame = (drawing: Comp['drawings'][number]) => {
    const own = comp.drawings.find((d) => d.id === drawing.id)
    return own !== undefined && JSON.stringify(own) === JSON.stringify(drawing)
  }
  const piece = { ...clip, drawings: clip.drawings.filter((d) => !isSame(d)) }
  const [next, ids] = putIn(comp, piece, { laneId, at })
  const made = clip.steps.map((s) => ids.get(s.id) ?? '')
  const lanes = new Set(next.lanes.map((l) => l.id))
  const fresh = takeOut(next, { steps: made }).inputs
  const lost = fresh.flatMap((link) => (link.type === 'tap' && link.lane !== 'master' && !lanes.has(link.lane) ? [link.lane] : []))
  return { comp: next, ids: made, lost: [...new Set(lost)] }
} // prettier-ignore
