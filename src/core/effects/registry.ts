import { defaultOn, type Dial, type DialValue } from '../dials/dials.ts'
import type { Effect } from './effect.ts'
import { effectList } from './index.gen.ts'

const byId = new Map<string, Effect>(effectList.map((effect) => [effect.id, effect as unknown as Effect]))

/** Every effect there is, by title. */
export const effects: readonly Effect[] = [...byId.values()].sort((a, b) => a.title.localeCompare(b.title))

export function findEffect(id: string): Effect | undefined {
  return byId.get(id)
}

/** The default of every dial, by its key; of points on a canvas of the given size. */
export function defaultDials(
  effect: Effect,
  canvas: { readonly width: number; readonly height: number } = { width: 1, height: 1 },
): Record<string, DialValue> {
  return Object.fromEntries(
    Object.entries<Dial>(effect.dials).map(([key, dial]) => [key, defaultOn(dial, canvas)]),
  )
}
