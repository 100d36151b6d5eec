import { linked } from '../../core/comp/references.ts'
import type { Comp } from '../../core/comp/schema.ts'
import type { Selection, ShotState } from '../shot/shot-store.ts'

const none: ReadonlySet<string> = new Set()
let last: { comp: Comp; selection: Selection | undefined; found: ReadonlySet<string> } | undefined

/** Lanes and steps that what is selected takes from or gives to; computed once for all tiles of the desk. */
export function linkedTo({ comp, selection }: Pick<ShotState, 'comp' | 'selection'>): ReadonlySet<string> {
  if (last?.comp === comp && last.selection === selection) return last.found
  const found = selection ? linked(comp, selection.lane, selection.step) : none
  last = { comp, selection, found }
  return found
}
