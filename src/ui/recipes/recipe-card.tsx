import { Download, Plus, Star, Trash2 } from 'lucide-react'
import { useQuery } from '@tanstack/react-query'
import Link from 'next/link'
import { useState } from 'react'
import { doneAnswer, shotsAnswer } from '../../contracts/answers.ts'
import { putRecipe } from '../../core/recipes/recipe-file.ts'
import { requestJson } from '../request-json.ts'
import { saveFile } from '../save-file.ts'
import { useShotContext } from '../shot/shot-context.tsx'
import { toggleFavourite } from './liked.ts'
import { OwnPicture } from './own-picture.tsx'
import { recipeFileName } from './recipe-box.tsx'
import type { KnownRecipe } from './use-recipes.ts'

/** Where a recipe is put: a list of steps, and the place in it. */
export interface Place {
  readonly lane: string
  readonly at: number
}

/** Type under which a recipe is dragged. */
export const dragType = 'application/x-zafiro-recipe'

/** The shots that use a recipe. */
function Uses({ id }: { id: string }) {
  const { data, error } = useQuery({
    queryKey: ['recipe uses', id],
    queryFn: () => requestJson(shotsAnswer, `/api/recipes/${id}/uses`),
  })
  if (error)
    return (
      <p role="alert" className="text-error">
        {error.message}
      </p>
    )
  if (!data) return null
  if (data.shots.length === 0) return <p className="text-base-content/60">No shot uses it.</p>
  return (
    <p className="text-base-content/75">
      Used in{' '}
      {data.shots.map((shot, i) => (
        <span key={shot.id}>
          {i > 0 && ', '}
          <Link className="link link-accent" href={`/shots/${shot.id}`}>
            {shot.name}
          </Link>
        </span>
      ))}
    </p>
  )
}

/** A recipe with what can be done with it. */
export function RecipeCard({
  known,
  uses,
  place,
  isFavourite,
  onAdd,
  onMany,
  onGone,
}: {
  known: KnownRecipe
  uses: number
  place: Place
  isFavourite: boolean
  onAdd: () => void
  onMany: () => void
  onGone: () => void
}) {
  const { store } = useShotContext()
  const [isSure, setIsSure] = useState(false)
  const [hasUses, setHasUses] = useState(false)
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
      draggable
      onDragStart={(event) => {
        event.dataTransfer.effectAllowed = 'copy'
        event.dataTransfer.setData(dragType, known.id)
      }}
    >
      <div className="flex items-baseline gap-2">
        <button
          type="button"
          className={`self-center ${isFavourite ? 'text-accent' : 'text-base-content/40 hover:text-base-content'}`}
          aria-label={`Favourite: ${recipe.name}`}
          aria-pressed={isFavourite}
          title="Favourites come first"
          onClick={() => {
            toggleFavourite(known.id)
          }}
        >
          <Star size={13} fill={isFavourite ? 'currentColor' : 'none'} aria-hidden />
        </button>
        <span className="font-semibold">{recipe.name}</span>
        <span className="text-base-content/55">{recipe.family}</span>
        <span className="ml-auto text-base-content/55">
          {known.isOwn ? `version ${known.version}` : 'drawer'}
        </span>
      </div>
      <div className="flex gap-2.5">
        <OwnPicture
          name={`recipe ${known.id} ${known.version} on ${place.lane} at ${place.at}`}
          change={(comp) => putRecipe(comp, store.getState().media, known.file, place.lane, place.at)[0]}
          className="h-[4.25rem] w-30 shrink-0"
        />
        <div className="flex min-w-0 flex-1 flex-col gap-0.5">
          <p className="flex-1 text-base-content/70">{recipe.about}</p>
          <p className="truncate text-base-content/50" title={recipe.dials.map((d) => d.name).join(', ')}>
            {recipe.dials.map((d) => d.name).join(' · ')}
          </p>
        </div>
      </div>
      <div className="flex flex-wrap items-center">
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
          className="btn btn-ghost btn-xs px-1.5"
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
            className="btn btn-ghost btn-xs px-1.5"
            aria-label={`Delete ${recipe.name}`}
            title="Takes it out of the library"
            onClick={() => {
              setIsSure(true)
            }}
          >
            <Trash2 size={12} aria-hidden />
          </button>
        )}
        <button
          type="button"
          className="btn btn-ghost btn-xs px-1.5"
          title="Puts it onto other shots"
          onClick={onMany}
        >
          For many shots …
        </button>
        <button
          type="button"
          className={`btn btn-ghost btn-xs ml-auto px-1.5 ${uses > 0 ? 'text-accent' : ''}`}
          aria-expanded={hasUses}
          title="The shots that use it"
          onClick={() => {
            setHasUses(!hasUses)
          }}
        >
          {uses === 0 ? 'Used where' : uses === 1 ? 'Used here' : `Used here ${uses} times`}
        </button>
      </div>
      {(hasUses || isSure) && <Uses id={known.id} />}
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
