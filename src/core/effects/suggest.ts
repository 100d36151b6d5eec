import MiniSearch, { type Options } from 'minisearch'
import { stemmer } from 'stemmer'
import type { Step } from '../comp/schema.ts'
import type { Effect } from './effect.ts'
import { effects, findEffect } from './registry.ts'
import { effectOf } from '../recipes/effect-of.ts'

/** Words that say nothing of what is wanted. */
const idle = new Set(
  'a an and are as at be but by can do does for from get give go had has have how i in into is it its just like make makes me my of off on one only or other out over please put so some that the them then there this to too up use used using want was way with would you your more less very little bit'.split(
    ' ',
  ),
)

/** One way of writing a word: American spelling, its stem (Porter 1980). */
function termOf(word: string): string | null {
  const plain = word.toLowerCase()
  if (idle.has(plain)) return null
  const american = plain
    .replace(/colour/, 'color')
    .replace(/grey/, 'gray')
    .replace(/centre/, 'center')
    .replace(/is(e|es|ed|ing|ation)$/, 'iz$1')
  return stemmer(american) || null
}

/** How words are found, in whatever describes what something does. */
export const searchWords = {
  tokenize: (text) => text.split(/[^\p{L}\p{N}]+/u).filter(Boolean),
  processTerm: termOf,
  searchOptions: {
    boost: { title: 4, search: 3, purpose: 1, family: 0.5 },
    prefix: (term) => term.length > 2,
    fuzzy: (term) => (term.length > 3 ? 0.25 : false),
    weights: { prefix: 0.5, fuzzy: 0.25 },
  },
} as const satisfies Partial<Options>

let index: MiniSearch<Effect> | undefined
/** Made at the first search; the registry does not change. */
function searchIndex(): MiniSearch<Effect> {
  if (index) return index
  index = new MiniSearch<Effect>({
    fields: ['title', 'search', 'purpose', 'family'],
    ...searchWords,
  })
  index.addAll(effects)
  return index
}

/**
 * The effects that fit what someone types, best first: by name, by what they do, by the words that people have for it, begun or
 * misspelt too. The more of the words fit, the better. Where nothing fits what comes nearest in letters is given. An empty search gives all.
 */
export function searchEffects(text: string): Effect[] {
  const wanted = text.slice(0, 200)
  if (wanted.trim() === '') return [...effects]
  const search = searchIndex()
  const words = wanted.split(/[^\p{L}\p{N}]+/u).flatMap((w) => termOf(w) ?? [])
  const found = search.search(wanted).map(({ id, score, queryTerms }) => ({
    effect: findEffect(String(id))!,
    // One that fits two words is better than one that fits one of them twice.
    score: (score * new Set(queryTerms).size) / Math.max(1, words.length),
  }))
  // Who types a name means it.
  const named = (title: string) => title.toLowerCase() === wanted.trim().toLowerCase()
  for (const one of found) if (named(one.effect.title)) one.score = Infinity
  if (found.length > 0) return found.sort((a, b) => b.score - a.score).map((f) => f.effect)
  const near = search.search(wanted, { fuzzy: 0.6, prefix: true }).map(({ id }) => findEffect(String(id))!)
  return near.length > 0 ? near : [...effects]
}

/** Where in a lane an effect is best placed: after the last step it wants before it, else before the first it wants after it. */
export function recommendedSlot(effect: Effect, steps: readonly Step[]): number {
  const family = (step: Step) => effectOf(step)?.family
  const is = (list: readonly string[], step: Step) => list.includes(family(step) ?? '')
  const firstLater = steps.findIndex((s) => is(effect.belongs.before, s))
  const end = firstLater < 0 ? steps.length : firstLater
  const lastEarlier = steps.findLastIndex((s) => is(effect.belongs.after, s))
  return Math.max(lastEarlier + 1, end)
}

/** Two steps of a lane that stand the wrong way round, most likely. */
export interface OrderAdvice {
  readonly step: string
  /** The one before it that it should stand before. */
  readonly before: string
  readonly reason: string
}

/**
 * Steps that stand after one that belongs after them: light after motion blur, light or mist after grain. Said only of effects whose place
 * matters to the picture, and where the other one does not want it so itself.
 */
export function orderAdvice(steps: readonly Pick<Step, 'id' | 'effect'>[]): OrderAdvice[] {
  const known = steps.flatMap(({ id, effect }) => {
    const found = findEffect(effect)
    return found ? [{ id, effect: found }] : []
  })
  return known.flatMap(({ id, effect }, i) => {
    const wrong = known.slice(0, i).find(({ effect: early }) => {
      if (!early.belongs.isFirm && !effect.belongs.isFirm) return false
      const wants =
        early.belongs.after.includes(effect.family) || effect.belongs.before.includes(early.family)
      const mayBe =
        early.belongs.before.includes(effect.family) || effect.belongs.after.includes(early.family)
      return wants && !mayBe
    })
    if (!wrong) return []
    const firm = wrong.effect.belongs.isFirm ? wrong.effect : effect
    return [{ step: id, before: wrong.id, reason: firm.belongs.reason }]
  })
}
