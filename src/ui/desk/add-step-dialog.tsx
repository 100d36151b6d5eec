'use client'

import { useVirtualizer } from '@tanstack/react-virtual'
import { useEffect, useRef, useState, type KeyboardEvent } from 'react'
import { masterId } from '../../core/comp/edits.ts'
import { addFedStep } from '../../core/comp/natural-feeds.ts'
import type { Effect } from '../../core/effects/effect.ts'
import { orderAdvice, recommendedSlot, searchEffects } from '../../core/effects/suggest.ts'
import { putRecipe } from '../../core/recipes/recipe-file.ts'
import { searchRecipes } from '../../core/recipes/search-recipes.ts'
import { likedFirst, useLiked, type Liked } from '../recipes/liked.ts'
import { OwnPicture } from '../recipes/own-picture.tsx'
import { useRecipes, type KnownRecipe } from '../recipes/use-recipes.ts'
import { useShot, useShotContext } from '../shot/shot-context.tsx'
import { stepTitle } from './step-title.ts'

interface Place {
  readonly lane: string
  readonly at: number
}

/** What can be added: an effect or a recipe, with what is said of it. */
type Entry = {
  readonly key: string
  readonly title: string
  readonly family: string
  readonly purpose: string
} & (
  | { readonly effect: Effect; readonly known?: never }
  | { readonly known: KnownRecipe; readonly effect?: never }
)

/** Height of an entry before it is measured, and how many Page Down goes on. */
const [rowPx, pageRows] = [52, 5]

/** Effects that stand before recipes that fit as well. */
const firstEffects = 3

/** What fits: the best effects, then recipes, then all other effects; without a search, effects and then recipes. */
function entriesOf(text: string, recipes: readonly KnownRecipe[], liked: Liked): Entry[] {
  const effects = searchEffects(text).map((effect): Entry => {
    const { id: key, title, family, purpose } = effect
    return { key, title, family, purpose, effect }
  })
  const isAll = text.trim() === ''
  const found = searchRecipes(recipes, text)
  const kept = (isAll ? likedFirst(found, liked) : found).map((known): Entry => {
    const { name: title, family, about: purpose } = known.file.step.recipe!
    return { key: `recipe ${known.id}`, title, family: `recipe · ${family}`, purpose, known }
  })
  const first = isAll ? effects.length : firstEffects
  // Without a search what someone likes, or has just used, is at hand.
  const count = isAll ? liked.favourites.length + Math.min(3, liked.lately.length) : 0
  const near = kept
    .slice(0, count)
    .filter(({ known }) => known && [...liked.favourites, ...liked.lately].includes(known.id))
  const all = [...near, ...effects.slice(0, first), ...kept.slice(near.length), ...effects.slice(first)]
  // Who types a name means what has it.
  const typed = text.trim().toLowerCase()
  const isNamed = ({ title }: Entry) => typed.length > 2 && title.toLowerCase().startsWith(typed)
  return [...all.filter(isNamed), ...all.filter((entry) => !isNamed(entry))]
}

/** *Add a step*: finds an effect by name or by what it does, and says where it is best placed and why. */
export function AddStepDialog({
  place,
  onAdd,
  onAddRecipe,
  onClose,
}: {
  place: Place
  onAdd: (effect: Effect, place: Place) => void
  onAddRecipe: (known: KnownRecipe, place: Place) => void
  onClose: () => void
}) {
  const dialog = useRef<HTMLDialogElement>(null)
  const list = useRef<HTMLDivElement>(null)
  const [text, setText] = useState('')
  const [index, setIndex] = useState(0)
  const lane = useShot((s) => s.comp.lanes.find((l) => l.id === place.lane))
  const master = useShot((s) => s.comp.master)
  const steps = place.lane === masterId ? master : (lane?.steps ?? [])
  const { recipes } = useRecipes()
  const { store } = useShotContext()
  const liked = useLiked()
  const entries = entriesOf(text, recipes, liked)
  // A library may hold hundreds: those in sight are drawn.
  // eslint-disable-next-line react-hooks/incompatible-library -- its functions are used while rendering, and in what keys do
  const rows = useVirtualizer({
    count: entries.length,
    getScrollElement: () => list.current,
    estimateSize: () => rowPx,
    getItemKey: (i) => entries[i]!.key,
    overscan: 4,
  })
  const entry = entries[Math.min(index, entries.length - 1)]
  const chosen = entry?.effect
  const best = chosen && recommendedSlot(chosen, steps)
  /** What would stand wrongly if it were put here. */
  const wrong = chosen
    ? orderAdvice([
        ...steps.slice(0, place.at),
        { id: '', effect: chosen.id },
        ...steps.slice(place.at),
      ]).find((a) => a.step === '' || a.before === '')
    : undefined
  const other = steps.find((s) => s.id === (wrong?.step === '' ? wrong.before : wrong?.step))
  const name = (at: number) => (at === 0 ? 'right after the source' : `after ${stepTitle(steps[at - 1]!)}`)

  useEffect(() => {
    dialog.current?.showModal()
  }, [])

  const go = (to: number) => {
    const next = Math.max(0, Math.min(entries.length - 1, to))
    setIndex(next)
    rows.scrollToIndex(next)
  }
  const keys = (event: KeyboardEvent) => {
    if (event.key === 'ArrowDown') go(index + 1)
    else if (event.key === 'ArrowUp') go(index - 1)
    else if (event.key === 'PageDown') go(index + pageRows)
    else if (event.key === 'PageUp') go(index - pageRows)
    else if (event.key === 'Enter' && entry?.known) onAddRecipe(entry.known, place)
    else if (event.key === 'Enter' && chosen)
      onAdd(chosen, event.shiftKey && best !== undefined ? { ...place, at: best } : place)
    else return
    event.preventDefault()
  }

  return (
    <dialog ref={dialog} className="modal" aria-label="Add a step" onClose={onClose}>
      <div className="modal-box max-w-lg border border-base-content/15 bg-base-100 p-0" onKeyDown={keys}>
        <div className="border-b border-base-300 p-3">
          <div className="mb-2 text-xs text-base-content/60">
            Add a step to {lane?.name ?? 'the whole picture'}, {name(place.at)}
          </div>
          <input
            autoFocus
            aria-label="Find an effect"
            className="input input-sm w-full"
            placeholder="What should it do? Try: soft light around bright things"
            value={text}
            onChange={(e) => {
              setText(e.target.value)
              setIndex(0)
              rows.scrollToOffset(0)
            }}
          />
        </div>
        <div ref={list} className="max-h-72 overflow-y-auto p-1.5">
          <ul
            role="listbox"
            aria-label="Effects"
            className="relative"
            style={{ height: rows.getTotalSize() }}
          >
            {rows.getVirtualItems().map((row) => {
              const one = entries[row.index]!
              return (
                <li
                  key={one.key}
                  ref={rows.measureElement}
                  data-index={row.index}
                  role="option"
                  aria-selected={one === entry}
                  aria-setsize={entries.length}
                  aria-posinset={row.index + 1}
                  className="absolute inset-x-0 top-0"
                  style={{ transform: `translateY(${row.start}px)` }}
                >
                  <button
                    type="button"
                    tabIndex={-1}
                    className={`flex w-full items-center gap-3 rounded px-3 py-1.5 text-left ${one === entry ? 'bg-primary/35' : 'hover:bg-neutral'}`}
                    onMouseMove={() => {
                      setIndex(row.index)
                    }}
                    onClick={() => {
                      if (one.known) onAddRecipe(one.known, place)
                      else onAdd(one.effect, place)
                    }}
                  >
                    <OwnPicture
                      name={`${one.key} on ${place.lane} at ${place.at}`}
                      change={(comp) =>
                        one.known
                          ? putRecipe(comp, store.getState().media, one.known.file, place.lane, place.at)[0]
                          : addFedStep(comp, store.getState().media, place.lane, place.at, one.effect)[0]
                      }
                      className="h-10 w-[4.5rem] shrink-0"
                    />
                    <span className="min-w-0 flex-1">
                      <span className="flex items-baseline justify-between">
                        <span className="font-semibold">{one.title}</span>
                        <span className="text-xs text-base-content/55">{one.family}</span>
                      </span>
                      <span className="block text-xs text-base-content/70">{one.purpose}</span>
                    </span>
                  </button>
                </li>
              )
            })}
          </ul>
          {entries.length === 0 && (
            <p className="px-3 py-4 text-base-content/60">Nothing does that yet. Try other words.</p>
          )}
        </div>
        {chosen && best !== undefined && (
          <div className="flex items-center gap-3 border-t border-base-300 p-3 text-xs">
            <p className="flex-1 text-base-content/75">
              {wrong && other ? (
                <span className="text-warning">
                  {wrong.step === ''
                    ? `It would stand after ${stepTitle(other)}. `
                    : `It would stand before ${stepTitle(other)}. `}
                </span>
              ) : best === place.at ? (
                'A good place. '
              ) : (
                `Best placed ${name(best)}. `
              )}
              {wrong?.reason ?? chosen.belongs.reason}
            </p>
            {best !== place.at && (
              <button
                type="button"
                className="btn btn-xs"
                onClick={() => {
                  onAdd(chosen, { ...place, at: best })
                }}
              >
                Put it there (Shift+Enter)
              </button>
            )}
          </div>
        )}
      </div>
      <form method="dialog" className="modal-backdrop">
        <button aria-label="Close">close</button>
      </form>
    </dialog>
  )
}
