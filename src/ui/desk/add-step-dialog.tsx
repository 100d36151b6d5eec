'use client'

import { useEffect, useRef, useState, type KeyboardEvent } from 'react'
import { masterId } from '../../core/comp/edits.ts'
import type { Effect } from '../../core/effects/effect.ts'
import { orderAdvice, recommendedSlot, searchEffects } from '../../core/effects/suggest.ts'
import { searchRecipes } from '../../core/recipes/search-recipes.ts'
import { useRecipes, type KnownRecipe } from '../recipes/use-recipes.ts'
import { useShot } from '../shot/shot-context.tsx'
import { stepTitle } from './step-title.ts'

interface Place {
  readonly lane: string
  readonly at: number
}

/** Recipes that are listed below what fits. */
const mostKept = 6

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
  const [text, setText] = useState('')
  const [index, setIndex] = useState(0)
  const lane = useShot((s) => s.comp.lanes.find((l) => l.id === place.lane))
  const master = useShot((s) => s.comp.master)
  const steps = place.lane === masterId ? master : (lane?.steps ?? [])
  const { recipes } = useRecipes()
  const found = searchEffects(text)
  // What was kept as one step stands below what it is made of.
  const kept = searchRecipes(recipes, text).slice(0, text.trim() === '' ? undefined : mostKept)
  const count = found.length + kept.length
  const at = Math.min(index, count - 1)
  const chosen = found[at]
  const chosenRecipe = kept[at - found.length]
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

  const keys = (event: KeyboardEvent) => {
    if (event.key === 'ArrowDown') setIndex((i) => Math.min(count - 1, i + 1))
    else if (event.key === 'ArrowUp') setIndex((i) => Math.max(0, i - 1))
    else if (event.key === 'Enter' && chosenRecipe) onAddRecipe(chosenRecipe, place)
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
            }}
          />
        </div>
        <ul role="listbox" aria-label="Effects" className="max-h-72 overflow-y-auto p-1.5">
          {found.map((effect) => (
            <li key={effect.id} role="option" aria-selected={effect === chosen}>
              <button
                type="button"
                tabIndex={-1}
                className={`block w-full rounded px-3 py-2 text-left ${effect === chosen ? 'bg-primary/35' : 'hover:bg-neutral'}`}
                onMouseEnter={() => {
                  setIndex(found.indexOf(effect))
                }}
                onClick={() => {
                  onAdd(effect, place)
                }}
              >
                <span className="flex items-baseline justify-between">
                  <span className="font-semibold">{effect.title}</span>
                  <span className="text-xs text-base-content/55">{effect.family}</span>
                </span>
                <span className="block text-xs text-base-content/70">{effect.purpose}</span>
              </button>
            </li>
          ))}
          {kept.length > 0 && <li className="px-3 pb-1 pt-2 text-xs text-base-content/55">Recipes</li>}
          {kept.map((known, i) => {
            const recipe = known.file.step.recipe!
            const isChosen = known === chosenRecipe
            return (
              <li key={known.id} role="option" aria-selected={isChosen}>
                <button
                  type="button"
                  tabIndex={-1}
                  className={`block w-full rounded px-3 py-2 text-left ${isChosen ? 'bg-primary/35' : 'hover:bg-neutral'}`}
                  onMouseEnter={() => {
                    setIndex(found.length + i)
                  }}
                  onClick={() => {
                    onAddRecipe(known, place)
                  }}
                >
                  <span className="flex items-baseline justify-between">
                    <span className="font-semibold">{recipe.name}</span>
                    <span className="text-xs text-base-content/55">recipe · {recipe.family}</span>
                  </span>
                  <span className="block text-xs text-base-content/70">{recipe.about}</span>
                </button>
              </li>
            )
          })}
          {count === 0 && (
            <li className="px-3 py-4 text-base-content/60">Nothing does that yet. Try other words.</li>
          )}
        </ul>
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
