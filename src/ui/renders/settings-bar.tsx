'use client'

import { useQuery, useQueryClient } from '@tanstack/react-query'
import { Trash2 } from 'lucide-react'
import { useState } from 'react'
import { settingsAnswer } from '../../contracts/answers.ts'
import { requestJson } from '../request-json.ts'
import { draftOf, settingsOf, type Draft } from './draft.ts'

const queryKey = ['render settings']
const address = '/api/render-settings'

/** Settings of renders that are kept by name: one is chosen, kept, or deleted. */
export function SettingsBar({ draft, onChoose }: { draft: Draft; onChoose: (draft: Draft) => void }) {
  const queries = useQueryClient()
  const [name, setName] = useState<string>()
  const [failure, setFailure] = useState<string>()
  const { data } = useQuery({ queryKey, queryFn: () => requestJson(settingsAnswer, address) })
  const kept = data?.settings ?? []
  const now = JSON.stringify(settingsOf(draft))
  const same = kept.find(
    ({ formats, options }) => JSON.stringify(settingsOf(draftOf({ formats, options }))) === now,
  )
  const change = (request: Promise<typeof data>) => {
    request.then(
      (answer) => {
        setFailure(undefined)
        setName(undefined)
        queries.setQueryData(queryKey, answer)
      },
      (error: unknown) => {
        setFailure(error instanceof Error ? error.message : String(error))
      },
    )
  }
  const keep = () => {
    if (name?.trim())
      change(requestJson(settingsAnswer, address, 'POST', { name: name.trim(), ...settingsOf(draft) }))
  }
  return (
    <div className="relative ml-auto min-w-0 flex-1 xl:max-w-72">
      <div className="flex items-center justify-end gap-1.5">
        <select
          aria-label="Kept settings"
          className="min-w-0 flex-1 rounded bg-base-300 px-1.5 py-1"
          value={same?.name ?? ''}
          onChange={(event) => {
            const found = kept.find((s) => s.name === event.target.value)
            if (found) onChoose(draftOf(found))
          }}
        >
          <option value="">{kept.length === 0 ? 'no settings kept yet' : 'settings …'}</option>
          {kept.map((s) => (
            <option key={s.name} value={s.name}>
              {s.name}
            </option>
          ))}
        </select>
        {same && (
          <button
            type="button"
            className="btn btn-ghost btn-xs btn-square"
            aria-label={`Delete the settings ${same.name}`}
            title="Delete these settings"
            onClick={() => {
              change(
                requestJson(settingsAnswer, `${address}?name=${encodeURIComponent(same.name)}`, 'DELETE'),
              )
            }}
          >
            <Trash2 size={12} aria-hidden />
          </button>
        )}
        {!same && name === undefined && (
          <button
            type="button"
            className="btn btn-xs"
            title="Keeps size, names, files and place under a name, for all shots"
            onClick={() => {
              setName('')
            }}
          >
            Keep as …
          </button>
        )}
      </div>
      {name !== undefined && (
        <div className="absolute bottom-full right-0 mb-1.5 flex w-64 gap-1.5 rounded border border-base-content/15 bg-base-100 p-1.5 shadow-lg">
          <input
            autoFocus
            aria-label="Name of the settings"
            className="input input-xs w-full"
            placeholder="dailies, final, for the edit"
            maxLength={80}
            value={name}
            onChange={(event) => {
              setName(event.target.value)
            }}
            onKeyDown={(event) => {
              if (event.key !== 'Enter' && event.key !== 'Escape') return
              event.preventDefault()
              event.stopPropagation()
              if (event.key === 'Escape') setName(undefined)
              else keep()
            }}
          />
          <button type="button" className="btn btn-xs" disabled={name.trim() === ''} onClick={keep}>
            {kept.some((s) => s.name === name.trim()) ? 'Replace' : 'Keep'}
          </button>
        </div>
      )}
      {failure !== undefined && (
        <p role="alert" className="absolute bottom-full right-0 mb-1 rounded bg-base-100 p-1.5 text-error">
          {failure}
        </p>
      )}
    </div>
  )
}
