import * as v from 'valibot'
import { piecesIn } from '../comp/change-space.ts'
import { emptyComp } from '../comp/edits.ts'
import { putIn, takeOut, type Fragment } from '../comp/fragment.ts'
import { ProblemError } from '../comp/problem.ts'
import { issuesToProblems, parseComp, type Comp } from '../comp/schema.ts'
import type { MediaTable } from '../comp/media.ts'
import { passKinds } from '../passes/passes.ts'
import { knownMedia, withMediaOf, type KnownMedia } from './other-shot.ts'
import { compVersion } from '../comp/upgrades/upgrade.ts'

// Steps that are carried from one shot to another, as plain text.

export const clipFormat = 'zafiro-steps'

const clipSchema = v.object({
  format: v.literal(clipFormat, 'is not the format of copied steps'),
  comp: v.pipe(v.number(), v.integer()),
  /** What colours are of; linear Rec.709 where left out. */
  space: v.optional(v.picklist(['acescg'])),
  steps: v.array(v.unknown()),
  lanes: v.array(v.unknown()),
  drawings: v.array(v.unknown()),
  /** Names of the media that it takes from, so that another shot's can stand for them. */
  media: v.optional(
    v.record(
      v.string(),
      v.object({
        name: v.string(),
        passes: v.array(v.object({ name: v.string(), kind: v.picklist(passKinds) })),
      }),
    ),
    {},
  ),
})

/** Copied steps or lanes, with what is known of their media. */
export interface Clip extends Fragment {
  readonly space?: 'acescg' | undefined
  readonly media: KnownMedia
}

/** Steps or lanes of a comp as text, with what they are made of and the drawings that they take from. */
export function clipText(
  comp: Comp,
  media: MediaTable,
  what: { readonly steps?: readonly string[]; readonly lanes?: readonly string[] },
): string {
  const { steps, lanes, drawings } = takeOut(comp, { ...what, withDrawings: true })
  const text = JSON.stringify([steps, lanes])
  const used = Object.entries(knownMedia(media)).filter(([ref]) =>
    text.includes(`"media":${JSON.stringify(ref)}`),
  )
  return JSON.stringify({
    format: clipFormat,
    comp: compVersion,
    space: comp.space,
    steps,
    lanes,
    drawings,
    media: Object.fromEntries(used),
  })
}

/** Whether a text looks like copied steps. */
export const isClip = (text: string): boolean => text.slice(0, 200).includes(`"format":"${clipFormat}"`)

/** Reads copied steps or lanes. Throws ProblemError with what does not fit. */
export function readClip(text: string): Clip {
  let data: unknown
  try {
    data = JSON.parse(text)
  } catch {
    throw new ProblemError('These steps can not be pasted', [{ path: '', message: 'the text is no JSON' }])
  }
  const read = v.safeParse(clipSchema, data)
  if (!read.success) throw new ProblemError('These steps can not be pasted', issuesToProblems(read.issues))
  const { comp: version, space, steps, lanes, drawings, media } = read.output
  if (steps.length + lanes.length === 0)
    throw new ProblemError('These steps can not be pasted', [{ path: '', message: 'the text holds no step' }])
  const holder = {
    id: 'holder',
    name: 'Holder',
    kind: 'picture',
    source: { type: 'colour', colour: [0, 0, 0], alpha: 0 },
    steps,
    join: { mode: 'over', opacity: 1 },
    muted: false,
    solo: false,
    locked: false,
  }
  const comp = parseComp({ ...emptyComp(1, 1), version, lanes: [holder, ...lanes], drawings })
  return {
    lanes: comp.lanes.slice(1),
    steps: comp.lanes[0]!.steps,
    drawings: comp.drawings,
    inputs: [],
    media,
    space,
  }
}

/**
 * Puts copied steps onto a lane (or the master) before the step now at `at`; copied lanes in front of that lane. Drawings that the comp has already stay one with those; others come along; passes are
 * found in the media that is there. Gives back the ids of the steps or lanes, and in words what they take from that is not there.
 */
export function pasteClip(
  comp: Comp,
  media: MediaTable,
  clip: Clip,
  laneId: string,
  at: number,
): { readonly comp: Comp; readonly ids: readonly string[]; readonly lost: readonly string[] } {
  const isSame = (drawing: Comp['drawings'][number]) => {
    const own = comp.drawings.find((d) => d.id === drawing.id)
    return own !== undefined && JSON.stringify(own) === JSON.stringify(drawing)
  }
  const isLanes = clip.steps.length === 0
  // Passes are found while the piece still has the ids that its links speak of.
  const holder = { ...emptyComp(1, 1), lanes: [...clip.lanes], master: [...clip.steps], drawings: [] }
  const known = Object.keys(clip.media).length > 0
  const { comp: fit, lost: cut } = known ? withMediaOf(holder, clip.media, media) : { comp: holder, lost: [] }
  const own = {
    lanes: fit.lanes,
    steps: fit.master,
    inputs: [],
    drawings: clip.drawings.filter((d) => !isSame(d)),
  }
  const piece = piecesIn(own, clip.space, comp.space)
  const [next, ids] = isLanes ? putIn(comp, piece, { inFrontOf: laneId }) : putIn(comp, piece, { laneId, at })
  const outer = clip.lanes.filter((l) => l.in === undefined || !ids.has(l.in))
  const made = (isLanes ? outer : clip.steps).map((one) => ids.get(one.id) ?? '')
  const lanes = new Set(next.lanes.map((l) => l.id))
  const fresh = takeOut(next, isLanes ? { lanes: made } : { steps: made }).inputs
  const away = fresh.flatMap((link) =>
    link.type === 'tap' && link.lane !== 'master' && !lanes.has(link.lane) ? [`lane ${link.lane}`] : [],
  )
  return { comp: next, ids: made, lost: [...new Set([...cut.map((l) => l.words), ...away])] }
}
