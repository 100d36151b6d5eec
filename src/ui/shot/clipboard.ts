import { masterId, placeOfStep } from '../../core/comp/edits.ts'
import { isClip, pasteClip, readClip } from '../../core/recipes/clip.ts'
import { stepTitle } from '../desk/step-title.ts'
import type { ShotStore } from './shot-store.ts'

// What was copied is kept by the browser, so that it survives a reload and is there in other shots; and it is plain text for other programs.

const place = 'zafiro steps'

/** Keeps copied steps. */
export function keepClip(text: string): void {
  try {
    localStorage.setItem(place, text)
  } catch {
    /* Without room it is in the clipboard alone. */
  }
  // Not every page may write there; then it is kept here alone.
  void navigator.clipboard.writeText(text).catch(() => undefined)
}

/** The steps that were copied last, in whatever shot. */
export function keptClip(): string | undefined {
  return localStorage.getItem(place) ?? undefined
}

/** Pastes steps after what is selected; says what they take from that is not there. False where nothing is selected. */
export function pasteText(store: ShotStore, text: string): boolean {
  const { comp, media, selection, edit, set } = store.getState()
  if (!selection || !isClip(text)) return false
  const selected = selection.step === undefined ? undefined : placeOfStep(comp, selection.step)
  const list =
    selection.lane === masterId ? comp.master : (comp.lanes.find((l) => l.id === selection.lane)?.steps ?? [])
  const at = selected ? selected.index + 1 : list.length
  let ids: readonly string[] = []
  let lost: readonly string[] = []
  try {
    const clip = readClip(text)
    const names =
      clip.steps.length > 0
        ? clip.steps.map(stepTitle)
        : clip.lanes.filter((l) => l.in === undefined).map((l) => l.name)
    edit(`Paste ${names.join(', ')}`, (c) => {
      const pasted = pasteClip(c, media, clip, selection.lane, at)
      ;({ ids, lost } = pasted)
      return pasted.comp
    })
  } catch (error) {
    set({ refusal: error instanceof Error ? error.message : String(error) })
    return true
  }
  const last = ids.at(-1)
  const isLane = store.getState().comp.lanes.some((l) => l.id === last)
  if (last) set({ selection: isLane ? { lane: last } : { lane: selection.lane, step: last } })
  if (lost.length > 0)
    set({
      refusal: `What was pasted takes from what is not in this shot (${lost.join('; ')}). Connect it anew in its dials.`,
    })
  return true
}
