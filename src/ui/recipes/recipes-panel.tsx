'use client'

import { Upload } from 'lucide-react'
import { useEffect, useRef, useState } from 'react'
import { recipeSavedAnswer } from '../../contracts/answers.ts'
import { masterId } from '../../core/comp/edits.ts'
import { allSteps } from '../../core/comp/schema.ts'
import { searchRecipes } from '../../core/recipes/search-recipes.ts'
import {
  mostRecipeBytes,
  parseRecipeFile,
  unknownEffects,
  type RecipeFile,
} from '../../core/recipes/recipe-file.ts'
import { requestJson } from '../request-json.ts'
import { useShot, useShotContext } from '../shot/shot-context.tsx'
import { lanesHere } from '../desk/desk-lanes.ts'
import { addRecipe } from './add-recipe.ts'
import { likedFirst, useLiked } from './liked.ts'
import { ManyShotsDialog } from './many-shots-dialog.tsx'
import { dragType, RecipeCard, type Place } from './recipe-card.tsx'
import { useRecipes, type KnownRecipe } from './use-recipes.ts'

/** Cards that are drawn before more are asked for. */
const shownAtOnce = 60

/** All recipes: found by what they do, put onto a lane, taken away as files and brought in. */
export function RecipesPanel() {
  const { store } = useShotContext()
  const { recipes, broken, failure, renew } = useRecipes()
  const [text, setText] = useState('')
  const [said, setSaid] = useState<string>()
  const [problem, setProblem] = useState<string>()
  const chooser = useRef<HTMLInputElement>(null)
  const comp = useShot((s) => s.comp)
  const steps = allSteps(comp)
  const liked = useLiked()
  const matching = searchRecipes(recipes, text)
  const found = text.trim() === '' ? likedFirst(matching, liked) : matching
  const selection = useShot((s) => s.selection)
  const opened = useShot((s) => s.opened)
  /** For many shots: a recipe, or the whole look. */
  const [many, setMany] = useState<RecipeFile | 'look'>()
  const [over, setOver] = useState<string>()
  const lanes = [
    ...lanesHere(comp, opened)
      .toReversed()
      .map((l) => [l.id, l.name] as const),
    ...(opened.length === 0 ? [[masterId, 'the whole picture'] as const] : []),
  ]
  /** Behind what is selected on a lane, or at its end. */
  const placeOn = (lane: string): Place => {
    const list = lane === masterId ? comp.master : (comp.lanes.find((l) => l.id === lane)?.steps ?? [])
    const index = list.findIndex((s) => s.id === selection?.step)
    return { lane, at: index < 0 ? list.length : index + 1 }
  }
  const here = placeOn(selection?.lane ?? lanesHere(comp, opened).at(-1)?.id ?? masterId)

  const [shown, setShown] = useState(shownAtOnce)
  const hereButton = useRef<HTMLButtonElement>(null)
  useEffect(() => {
    hereButton.current?.scrollIntoView({ block: 'nearest' })
  }, [here.lane])

  const add = (known: KnownRecipe, { lane, at }: Place = here) => {
    addRecipe(store, known, lane, at)
    const where = comp.lanes.find((l) => l.id === lane)?.name ?? 'the whole picture'
    setSaid(`${known.file.step.recipe!.name} is on ${where} now.`)
  }
  const take = async (files: FileList | null) => {
    setProblem(undefined)
    setSaid(undefined)
    const names: string[] = []
    for (const file of files ?? [])
      try {
        if (file.size > mostRecipeBytes)
          throw new Error(`is larger than the ${mostRecipeBytes / 1e6} MB of a recipe`)
        let data: unknown
        try {
          data = JSON.parse(await file.text())
        } catch {
          throw new Error('is no JSON; it may be damaged')
        }
        const read = parseRecipeFile(data)
        // In this library it is a new one.
        const head = { ...read.step.recipe! }
        delete head.from
        const doc = { ...read, step: { ...read.step, recipe: head } }
        await requestJson(recipeSavedAnswer, '/api/recipes', 'POST', { doc })
        const unknown = unknownEffects(read)
        names.push(
          `${head.name}${unknown.length > 0 ? ` (with effects that are not known here: ${unknown.join(', ')})` : ''}`,
        )
      } catch (error) {
        setProblem(
          `${file.name}: ${error instanceof Error ? error.message : String(error)}. Nothing was taken from it.`,
        )
      }
    if (names.length > 0) setSaid(`${names.join(', ')} came into the library.`)
    renew()
  }
  return (
    <section
      aria-label="Recipes"
      className="flex h-full flex-col gap-2 bg-base-200 p-3 text-xs"
      onDragOver={(event) => {
        if (event.dataTransfer.types.includes('Files')) event.preventDefault()
      }}
      onDrop={(event) => {
        event.preventDefault()
        event.stopPropagation()
        void take(event.dataTransfer.files)
      }}
    >
      <div className="flex shrink-0 items-center gap-2">
        <input
          aria-label="Find a recipe"
          className="input input-xs w-72"
          placeholder="What should it look like? Try: lantern in fog"
          value={text}
          onChange={(event) => {
            setText(event.target.value)
          }}
        />
        <button
          type="button"
          className="btn btn-ghost btn-xs px-1.5"
          title="*.zafiro-recipe.json; or drop them here"
          onClick={() => chooser.current?.click()}
        >
          <Upload size={12} aria-hidden /> Bring in a file
        </button>
        <input
          ref={chooser}
          type="file"
          accept=".json"
          multiple
          className="hidden"
          aria-label="Recipe files"
          onChange={(event) => {
            void take(event.target.files).then(() => {
              event.target.value = ''
            })
          }}
        />
        <button
          type="button"
          className="btn btn-ghost btn-xs px-1.5"
          title="Lanes, steps, drawings and viewing of this shot onto others"
          onClick={() => {
            setMany('look')
          }}
        >
          This look for many shots …
        </button>
        <span className="text-base-content/55">Make your own: select a step, then Make one step.</span>
        {said !== undefined && (
          <span role="status" className="ml-auto">
            {said}
          </span>
        )}
      </div>
      {[problem, failure].map(
        (words) =>
          words !== undefined && (
            <p key={words} role="alert" className="text-error">
              {words}
            </p>
          ),
      )}
      {broken.map(({ id, why }) => (
        <p key={id} className="text-warning">
          A recipe of the library can not be used here: {why}
        </p>
      ))}
      {many !== undefined && (
        <ManyShotsDialog
          file={many === 'look' ? undefined : many}
          onClose={(words) => {
            setMany(undefined)
            if (words !== undefined) setSaid(words)
          }}
        />
      )}
      <div className="flex min-h-0 flex-1 gap-3">
        <ul aria-label="Onto" className="w-36 shrink-0 space-y-px overflow-y-auto">
          <li className="px-2 pb-1 text-base-content/55">onto</li>
          {lanes.map(([lane, name]) => (
            <li key={lane}>
              <button
                type="button"
                aria-pressed={here.lane === lane}
                ref={here.lane === lane ? hereButton : undefined}
                title="Recipes come here; or drag one onto it"
                className={`block w-full truncate rounded px-2 py-1 text-left ${over === lane ? 'outline-2 outline-accent' : ''} ${here.lane === lane ? 'bg-primary/40' : 'bg-base-300 hover:bg-neutral'}`}
                onClick={() => {
                  store.getState().set({ selection: { lane } })
                }}
                onDragOver={(event) => {
                  if (!event.dataTransfer.types.includes(dragType)) return
                  event.preventDefault()
                  setOver(lane)
                }}
                onDragLeave={() => {
                  setOver(undefined)
                }}
                onDrop={(event) => {
                  const known = recipes.find((r) => r.id === event.dataTransfer.getData(dragType))
                  setOver(undefined)
                  if (!known) return
                  event.preventDefault()
                  event.stopPropagation()
                  add(known, placeOn(lane))
                }}
              >
                {name}
              </button>
            </li>
          ))}
        </ul>
        <ul className="grid min-h-0 flex-1 auto-rows-min grid-cols-[repeat(auto-fill,minmax(20rem,1fr))] gap-2 overflow-y-auto">
          {found.slice(0, shown).map((known) => (
            <RecipeCard
              key={known.id}
              known={known}
              uses={steps.filter((s) => s.recipe?.from?.id === known.id).length}
              place={here}
              isFavourite={liked.favourites.includes(known.id)}
              onAdd={() => {
                add(known)
              }}
              onMany={() => {
                setMany(known.file)
              }}
              onGone={renew}
            />
          ))}
          {found.length > shown && (
            <li className="self-center">
              <button
                type="button"
                className="btn btn-sm"
                onClick={() => {
                  setShown(shown + shownAtOnce)
                }}
              >
                {found.length - shown} more
              </button>
            </li>
          )}
          {found.length === 0 && (
            <li className="text-base-content/55">No recipe does that yet. Try other words.</li>
          )}
        </ul>
      </div>
    </section>
  )
}
