'use client'

import { Boxes, Download, FolderOpen, Save, Split } from 'lucide-react'
import { useState } from 'react'
import { recipeSavedAnswer } from '../../contracts/answers.ts'
import { editStep } from '../../core/comp/edits.ts'
import { partShown } from '../../core/comp/recipe.ts'
import type { Step } from '../../core/comp/schema.ts'
import { plainWords } from '../../core/plain-words.ts'
import { takeApart } from '../../core/recipes/take-apart.ts'
import { recipeFileOf, takeVersion } from '../../core/recipes/recipe-file.ts'
import { AnswerError, requestJson } from '../request-json.ts'
import { saveFile } from '../save-file.ts'
import { useShotContext } from '../shot/shot-context.tsx'
import { openStep } from './open-step.ts'
import { useRecipes } from './use-recipes.ts'

/** 'Lamp glow' → 'lamp-glow.zafiro-recipe.json'. */
export const recipeFileName = (name: string): string =>
  `${plainWords(name, '-', 'recipe')}.zafiro-recipe.json`

/** What can be done with a step that is made of others: open it, take it apart, keep it, take a newer version of it. */
export function RecipeBox({ step }: { step: Step }) {
  const { store } = useShotContext()
  const { recipes, renew } = useRecipes()
  const [said, setSaid] = useState<string>()
  const [failure, setFailure] = useState<string>()
  const { edit, set } = store.getState()
  const recipe = step.recipe!
  const known = recipes.find((r) => r.id === recipe.from?.id)
  const isNewer = known !== undefined && known.version > recipe.from!.version

  const isPart = recipe.parts === true && (step.dials[partShown] ?? 'all') !== 'all'

  const open = () => {
    openStep(store, step.id)
  }
  const save = async (isNew: boolean) => {
    const doc = recipeFileOf(store.getState().comp, step.id)
    const base = isNew || !known?.isOwn ? undefined : { id: recipe.from!.id, base: recipe.from!.version }
    setFailure(undefined)
    try {
      const saved = await requestJson(recipeSavedAnswer, '/api/recipes', 'POST', { doc, ...base })
      edit(`Save ${recipe.name}`, (c) =>
        editStep(c, step.id, (s) => {
          s.recipe = { ...recipe, from: saved }
        }),
      )
      setSaid(
        `Saved as version ${saved.version} in the library${saved.version > 1 ? '; other shots keep theirs until they take it' : ''}.`,
      )
      renew()
    } catch (error) {
      setFailure(error instanceof AnswerError || error instanceof Error ? error.message : String(error))
    }
  }
  return (
    <div className="space-y-1 rounded bg-base-300 p-2 text-xs" data-testid="recipe-box">
      <div className="flex flex-wrap gap-1">
        <button
          type="button"
          className="btn btn-xs btn-primary"
          title="Shows the lanes that it is made of (O)"
          onClick={open}
        >
          <FolderOpen size={12} aria-hidden /> Open
        </button>
        <button
          type="button"
          className="btn btn-xs"
          title="Puts what is in it on the desk; the picture stays the same"
          onClick={() => {
            edit(`Take ${recipe.name} apart`, (c) => takeApart(c, step.id))
          }}
        >
          <Split size={12} aria-hidden /> Take apart
        </button>
        <button
          type="button"
          className="btn btn-xs"
          title={
            known?.isOwn
              ? 'As the next version of the recipe in the library'
              : 'Into the library, for other shots'
          }
          onClick={() => void save(false)}
        >
          <Save size={12} aria-hidden />{' '}
          {known?.isOwn ? `Save version ${known.version + 1}` : 'Keep in the library'}
        </button>
        {known?.isOwn && (
          <button
            type="button"
            className="btn btn-xs"
            title="Under an id of its own"
            onClick={() => void save(true)}
          >
            <Boxes size={12} aria-hidden /> Keep as a new one
          </button>
        )}
        <button
          type="button"
          className="btn btn-xs"
          title="As a file to send to someone"
          onClick={() => {
            const doc = recipeFileOf(store.getState().comp, step.id)
            saveFile(
              recipeFileName(recipe.name),
              new TextEncoder().encode(JSON.stringify(doc, undefined, 1)),
              'application/json',
            )
          }}
        >
          <Download size={12} aria-hidden /> File
        </button>
      </div>
      {isNewer && (
        <p className="flex items-center gap-2 text-accent">
          Version {known.version} is there; this is {recipe.from!.version}.
          <button
            type="button"
            className="btn btn-xs"
            title="What you have set and connected stays, where that version has it; undo goes back"
            onClick={() => {
              edit(`Take version ${known.version} of ${recipe.name}`, (c) =>
                takeVersion(c, step.id, known.file),
              )
              setSaid(
                `Version ${known.version} is in this step now. Undo (Ctrl-Z) goes back to ${recipe.from!.version}.`,
              )
            }}
          >
            Take it
          </button>
          <button
            type="button"
            className="btn btn-ghost btn-xs"
            title="The picture with that version beside the one of now, with a line between them"
            onClick={() => {
              set({
                otherLook: {
                  words: `with version ${known.version} of ${recipe.name}`,
                  change: (c) => takeVersion(c, step.id, known.file),
                },
                compare: { left: 'picture', right: 'other', at: 0.5 },
              })
            }}
          >
            See both
          </button>
        </p>
      )}
      {isPart && <p>It shows a part of it. Taken apart, all of it shows again.</p>}
      {said !== undefined && <p role="status">{said}</p>}
      {failure !== undefined && (
        <p role="alert" className="text-error">
          {failure}
        </p>
      )}
    </div>
  )
}
