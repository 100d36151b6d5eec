'use client'

import { Download, Plus, Trash2, Upload } from 'lucide-react'
import { useRef, useState } from 'react'
import { doneAnswer, recipeSavedAnswer } from '../../contracts/answers.ts'
import { masterId } from '../../core/comp/edits.ts'
import { allSteps } from '../../core/comp/schema.ts'
import { searchRecipes } from '../../core/recipes/search-recipes.ts'
import { mostRecipeBytes, parseRecipeFile, unknownEffects } from '../../core/recipes/recipe-file.ts'
import { requestJson } from '../request-json.ts'
import { saveFile } from '../save-file.ts'
import { useShot, useShotContext } from '../shot/shot-context.tsx'
import { lanesHere } from '../desk/desk-lanes.ts'
import { addRecipe } from './add-recipe.ts'
import { recipeFileName } from './recipe-box.tsx'
import { useRecipes, type KnownRecipe } from './use-recipes.ts'

function Card({
  known,
  uses,
  onAdd,
  onGone,
}: {
  known: KnownRecipe
  uses: number
  onAdd: () => void
  onGone: () => void
}) {
  const [isSure, setIsSure] = useState(false)
  const [failure, setFailure] = useState<string>()
  const recipe = known.file.step.recipe!
  const remove = async () => {
    try {
      await requestJson(doneAnswer, `/api/recipes/${known.id}`, 'DELETE')
      onGone()
    } catch (error) {
      setFailure(error instanceof Error ? error.message : String(error))
    }
  }
  return (
    <li
      className="flex flex-col gap-1 rounded bg-base-100 px-3 py-2 text-xs"
      data-testid="recipe-card"
      aria-label={recipe.name}
    >
      <div className="flex items-baseline gap-2">
        <span className="font-semibold">{recipe.name}</span>
        <span className="text-base-content/55">{recipe.family}</span>
        <span className="ml-auto text-base-content/55">
          {known.isOwn ? `version ${known.version}` : 'from the drawer'}
        </span>
      </div>
      <p className="flex-1 text-base-content/70">{recipe.about}</p>
      <p className="truncate text-base-content/50" title={recipe.dials.map((d) => d.name).join(', ')}>
        {recipe.dials.map((d) => d.name).join(' · ')}
      </p>
      <div className="flex items-center gap-1">
        <button
          type="button"
          className="btn btn-xs"
          onClick={onAdd}
          title="Puts it onto the selected lane, after what is selected"
        >
          <Plus size={12} aria-hidden /> Add
        </button>
        <button
          type="button"
          className="btn btn-ghost btn-xs"
          title="As a file to send to someone"
          onClick={() => {
            saveFile(
              recipeFileName(recipe.name),
              new TextEncoder().encode(JSON.stringify(known.file, undefined, 1)),
              'application/json',
            )
          }}
        >
          <Download size={12} aria-hidden /> File
        </button>
        {known.isOwn && (
          <button
            type="button"
            className="btn btn-ghost btn-xs"
            aria-label={`Delete ${recipe.name}`}
            title="Takes it out of the library"
            onClick={() => {
              setIsSure(true)
            }}
          >
            <Trash2 size={12} aria-hidden />
          </button>
        )}
        {uses > 0 && (
          <span className="ml-auto text-accent">{uses === 1 ? 'used here' : `used here ${uses} times`}</span>
        )}
      </div>
      {isSure && (
        <p role="alert" className="flex flex-wrap items-center gap-2 text-warning">
          It goes from the library with all its versions. Shots that use it keep their own.
          <button type="button" className="btn btn-xs btn-warning" onClick={() => void remove()}>
            Delete
          </button>
          <button
            type="button"
            className="btn btn-xs"
            onClick={() => {
              setIsSure(false)
            }}
          >
            Keep
          </button>
        </p>
      )}
      {failure !== undefined && (
        <p role="alert" className="text-error">
          {failure}
        </p>
      )}
    </li>
  )
}

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
  const found = searchRecipes(recipes, text)

  const add = (known: KnownRecipe) => {
    const { selection } = store.getState()
    const lane = selection?.lane ?? lanesHere(comp, store.getState().opened).at(-1)?.id ?? masterId
    const list = lane === masterId ? comp.master : (comp.lanes.find((l) => l.id === lane)?.steps ?? [])
    const index = list.findIndex((s) => s.id === selection?.step)
    addRecipe(store, known, lane, selection?.step === undefined ? list.length : index + 1)
    const where = comp.lanes.find((l) => l.id === lane)?.name ?? 'the whole picture'
    setSaid(`${known.file.step.recipe!.name} is on ${where} now.`)
  }
  const take = async (files: FileList | null) => {
    setProblem(undefined)
    setSaid(undefined)
    const names: string[] = []
    for (const file of files ?? [])
      try {
        if (file.size > mostRecipeBytes) throw new Error(`is larger than the ${mostRecipeBytes / 1e6} MB of a recipe`)
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
        names.push(`${head.name}${unknown.length > 0 ? ` (with effects that are not known here: ${unknown.join(', ')})` : ''}`)
      } catch (error) {
        setProblem(`${file.name}: ${error instanceof Error ? error.message : String(error)}. Nothing was taken from it.`)
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
        <button type="button" className="btn btn-ghost btn-xs" title="*.zafiro-recipe.json; or drop them here" onClick={() => chooser.current?.click()}>
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
        <span className="text-base-content/55">Make your own: select a step, then Make one step.</span>
        {said !== undefined && (
          <span role="status" className="ml-auto">
            {said}
          </span>
        )}
      </div>
      {[problem, failure].map((words) => words !== undefined && <p key={words} role="alert" className="text-error">{words}</p>)}
      {broken.map(({ id, why }) => (
        <p key={id} className="text-warning">
          A recipe of the library can not be used here: {why}
        </p>
      ))}
      <ul className="grid min-h-0 flex-1 auto-rows-min grid-cols-[repeat(auto-fill,minmax(17rem,1fr))] gap-2 overflow-y-auto">
        {found.map((known) => (
          <Card
            key={known.id}
            known={known}
            uses={steps.filter((s) => s.recipe?.from?.id === known.id).length}
            onAdd={() => {
              add(known)
            }}
            onGone={renew}
          />
        ))}
        {found.length === 0 && <li className="text-base-content/55">No recipe does that yet. Try other words.</li>}
      </ul>
    </section>
  )
} // prettier-ignore
