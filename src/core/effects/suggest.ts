import type { Step } from '../comp/schema.ts'
import type { Effect } from './effect.ts'
import { effects, findEffect } from './registry.ts'

/**
 * The effects that fit a search, best first: every word must begin some word of the title, the purpose, the family
 * or the search words; words of the title count most, then the search words. An empty search gives all.
 */
export function searchEffects(text: string): Effect[] {
  const words = text.toLowerCase().split(/\s+/).filter(Boolean)
  const starts = (where: string, word: string) =>
    where
      .toLowerCase()
      .split(/[^\p{L}\p{N}]+/u)
      .some((w) => w.startsWith(word))
  const score = (effect: Effect) => {
    let sum = 0
    for (const word of words) {
      if (starts(effect.title, word)) sum += 4
      else if (starts(effect.search, word)) sum += 2
      else if (starts(`${effect.purpose} ${effect.family}`, word)) sum += 1
      else return -1
    }
    return sum
  }
  return effects
    .map((effect) => ({ effect, score: score(effect) }))
    .filter((found) => found.score >= 0)
    .sort((a, b) => b.score - a.score)
    .map((found) => found.effect)
}

/** Where in a lane an effect is best placed: after the last step it wants before it, else before the first it wants after it. */
export function recommendedSlot(effect: Effect, steps: readonly Step[]): number {
  const family = (step: Step) => findEffect(step.effect)?.family
  const is = (list: readonly string[], step: Step) => list.includes(family(step) ?? '')
  const firstLater = steps.findIndex((s) => is(effect.belongs.before, s))
  const end = firstLater < 0 ? steps.length : firstLater
  const lastEarlier = steps.findLastIndex((s) => is(effect.belongs.after, s))
  return Math.max(lastEarlier + 1, end)
}
