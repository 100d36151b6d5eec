import { lanesOfStep, ordered, placedIn, withInside } from './buses.ts'
import { cutName } from './cut-name.ts'
import { freshId, masterId } from './edits.ts'
import { linksOfLane, linksOfStep, mapLaneLinks, mapStepLinks, type ChangeLink } from './references.ts'
import type { RecipeHead, RecipeMove } from './recipe.ts'
import type { Comp, Drawing, Lane, Link, Step } from './schema.ts'

/**
 * A piece of a comp, cut along its links: lanes with what is in their buses, or steps. Links from one of its parts to another are inside;
 * all others leave it and are its inputs. Plain data, with ids of its own comp until it is put into another.
 */
export interface Fragment {
  readonly lanes: readonly Lane[]
  readonly steps: readonly Step[]
  /** Drawings that go along; a link to any other leaves the piece. */
  readonly drawings: readonly Drawing[]
  /** What it takes from outside, each once. */
  readonly inputs: readonly Link[]
}

/** What is taken out: lanes (a bus with all that is in it) or steps, by id; drawings only where they are to go along. */
export interface Cut {
  readonly lanes?: readonly string[]
  readonly steps?: readonly string[]
  readonly withDrawings?: boolean
}

const same = (a: Link, b: Link) => JSON.stringify(a) === JSON.stringify(b)

/** Whether a link ends at a part of the piece. A tap of a step counts where the step is in it; one of a lane where the whole lane is. */
function isInside(link: Link, { lanes, steps, drawings }: Omit<Fragment, 'inputs'>): boolean {
  switch (link.type) {
    case 'pass':
    case 'input':
      return false
    case 'drawing':
      return drawings.some((d) => d.id === link.drawing)
    case 'tap':
      return lanes.some((l) => l.id === link.lane) || steps.some((s) => s.id === link.after)
  }
}

/** Takes a piece out of a comp, which stays as it is. Ids that are not there are left out. */
export function takeOut(comp: Comp, { lanes = [], steps = [], withDrawings = false }: Cut): Fragment {
  // What a step is made of goes along with it.
  const wanted = new Set([
    ...lanes.flatMap((id) => withInside(comp, id)),
    ...steps.flatMap((id) => lanesOfStep(comp, id)),
  ])
  const lists = [...comp.lanes, { id: masterId, steps: comp.master }]
  const piece = {
    lanes: comp.lanes.filter((l) => wanted.has(l.id)),
    steps: steps.flatMap((id) => lists.flatMap((l) => l.steps.filter((s) => s.id === id))),
  }
  const links = [
    ...piece.lanes.flatMap(linksOfLane),
    ...piece.steps.flatMap((step) => linksOfStep(step, lists.find((l) => l.steps.includes(step))!.id)),
  ].map(({ link }) => link)
  const drawn = new Set(links.flatMap((link) => (link.type === 'drawing' ? [link.drawing] : [])))
  const drawings = withDrawings ? comp.drawings.filter((d) => drawn.has(d.id)) : []
  const leaving = links.filter((link) => !isInside(link, { ...piece, drawings }))
  const inputs = leaving.filter((link, i) => leaving.findIndex((other) => same(other, link)) === i)
  return { ...piece, drawings, inputs }
}

/** Where a piece is put: its lanes in front of a lane (undefined: in front of all), its steps before the one at `at`. */
export interface Target {
  readonly inFrontOf?: string | undefined
  /** The bus that its outermost lanes come into; undefined for none. */
  readonly bus?: string | undefined
  readonly laneId?: string
  readonly at?: number
}

/** The ids that parts of a piece have in the comp that it was put into, by those they had in it. */
export type NewIds = ReadonlyMap<string, string>

/**
 * Puts a piece into a comp under ids of its own, links inside it remapped. `input` says what stands for each of its inputs: another
 * link, or undefined to leave it open; without it they stay what they are.
 */
export function putIn(
  comp: Comp,
  piece: Fragment,
  target: Target,
  input: (link: Link) => Link | undefined = (link) => link,
): [Comp, NewIds] {
  const ids = new Map<string, string>()
  let taken = comp
  const fresh = (id: string, prefix: 'lane' | 'step' | 'drawing') => {
    const made = freshId(taken, prefix)
    ids.set(id, made)
    // Only the id counts for those that follow.
    taken = { ...taken, drawings: [...taken.drawings, { id: made } as Drawing] }
  }
  for (const { id } of piece.drawings) fresh(id, 'drawing')
  for (const lane of piece.lanes) {
    fresh(lane.id, 'lane')
    for (const step of lane.steps) fresh(step.id, 'step')
  }
  for (const { id } of piece.steps) fresh(id, 'step')

  const change: ChangeLink = (link) => {
    if (!isInside(link, piece)) return input(link)
    if (link.type === 'drawing') return { ...link, drawing: ids.get(link.drawing)! }
    if (link.type !== 'tap') return link
    // Steps that are taken out alone are tapped in the lane that they come into.
    const lane = ids.get(link.lane) ?? target.laneId ?? link.lane
    return {
      ...link,
      lane,
      ...(link.after === undefined ? {} : { after: ids.get(link.after) ?? link.after }),
    }
  }
  const renamed = (step: Step): Step => ({
    ...step,
    id: ids.get(step.id)!,
    ...(step.recipe ? { recipe: renamedRecipe(step.recipe, ids) } : {}),
  })
  const lanes = piece.lanes.map((lane): Lane => {
    const parent = lane.in === undefined ? undefined : ids.get(lane.in)
    const linkedLane = mapLaneLinks(lane, change)
    return {
      ...placedIn(linkedLane, parent ?? target.bus),
      id: ids.get(lane.id)!,
      steps: linkedLane.steps.map(renamed),
    }
  })
  const steps = piece.steps.map((step) => renamed(mapStepLinks(step, target.laneId ?? masterId, change)))

  const before = comp.lanes.findIndex((l) => l.id === target.inFrontOf)
  const at = before < 0 ? comp.lanes.length : before + 1
  const inserted = (list: readonly Step[]) => list.toSpliced(target.at ?? list.length, 0, ...steps)
  const next: Comp = {
    ...comp,
    drawings: [...comp.drawings, ...piece.drawings.map((d) => ({ ...d, id: ids.get(d.id)! }))],
    lanes: ordered(
      (lanes.length > 0 ? comp.lanes.toSpliced(at, 0, ...lanes) : comp.lanes).map((lane) =>
        steps.length > 0 && lane.id === target.laneId ? { ...lane, steps: inserted(lane.steps) } : lane,
      ),
    ),
    master: steps.length > 0 && target.laneId === masterId ? inserted(comp.master) : comp.master,
  }
  return [next, ids]
}

/** A recipe whose dials move what has other ids now. */
export function renamedRecipe(recipe: RecipeHead, ids: NewIds): RecipeHead {
  const setting = (one: RecipeMove['setting']): RecipeMove['setting'] =>
    'lane' in one
      ? { ...one, lane: ids.get(one.lane) ?? one.lane }
      : { ...one, step: ids.get(one.step) ?? one.step }
  const dials = recipe.dials.map((dial) => ({
    ...dial,
    moves: dial.moves.map((move) => ({ ...move, setting: setting(move.setting) })),
  }))
  return { ...recipe, dials }
}

/** A copy of a lane in front of it, steps with ids of their own; of a bus, with all that is in it. Gives back the copy's id. */
export function duplicateLane(comp: Comp, laneId: string): [Comp, string] {
  const lane = comp.lanes.find((l) => l.id === laneId)
  if (!lane) return [comp, laneId]
  const [next, ids] = putIn(comp, takeOut(comp, { lanes: [laneId] }), { inFrontOf: laneId, bus: lane.in })
  const id = ids.get(laneId)!
  const named = (l: Lane) => (l.id === id ? { ...l, name: cutName(`${lane.name} copy`) } : l)
  return [{ ...next, lanes: next.lanes.map(named) }, id]
}

/** Copies of steps, with fresh ids, before the step now at `at` of a lane; `lanes` hold what they are made of. Gives back the ids. */
export function insertSteps(
  comp: Comp,
  laneId: string,
  at: number,
  steps: readonly Step[],
  lanes: readonly Lane[] = [],
): [Comp, string[]] {
  const isOnce = new Set(steps.map((s) => s.id)).size === steps.length
  // Together, so that they take from each other what they took; the same step twice can only be put in one after the other.
  const groups = isOnce ? [steps] : steps.map((step) => [step])
  const made: string[] = []
  const next = groups.reduce((c, group) => {
    const own = new Set(group.flatMap((step) => lanesOfStep({ lanes: [...lanes] }, step.id)))
    const piece = {
      lanes: structuredClone(lanes.filter((l) => own.has(l.id))),
      steps: structuredClone(group) as Step[],
      drawings: [],
      inputs: [],
    }
    const [put, ids] = putIn(c, piece, { laneId, at: at + made.length })
    made.push(...group.map((step) => ids.get(step.id)!))
    return put
  }, comp)
  return [next, made]
}
