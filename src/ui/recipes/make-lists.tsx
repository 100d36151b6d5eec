'use client'

import { ArrowUp } from 'lucide-react'
import type { RecipeInput } from '../../core/comp/recipe.ts'
import type { Link } from '../../core/comp/schema.ts'
import type { SettingRef } from '../../core/comp/settings.ts'
import type { NewInput } from '../../core/recipes/make.ts'

/** A setting that can be a dial. */
export interface DialRow {
  readonly key: string
  readonly ref: SettingRef
  /** The step or lane that it is of. */
  readonly of: string
  readonly label: string
}

/** Names of ticked settings by their keys, in the order in which they show. */
export type DialNames = Readonly<Record<string, string>>

/** Which settings show as dials, under which names and in which order. */
export function DialList({
  rows,
  names,
  onChange,
}: {
  rows: readonly DialRow[]
  names: DialNames
  onChange: (to: DialNames) => void
}) {
  const keys = Object.keys(names).filter((key) => rows.some((r) => r.key === key))
  const sooner = (key: string) => {
    const at = keys.indexOf(key)
    const order = keys.with(at, keys[at - 1]!).with(at - 1, key)
    onChange(Object.fromEntries(order.map((one) => [one, names[one]!])))
  }
  const tick = (row: DialRow) => {
    const rest = Object.fromEntries(Object.entries(names).filter(([one]) => one !== row.key))
    onChange(row.key in names ? rest : { ...names, [row.key]: row.label })
  }
  return (
    <ul aria-label="Dials" className="space-y-0.5">
      {rows.map((row) => (
        <li key={row.key} className="grid grid-cols-2 items-center gap-2">
          <label className="flex min-w-0 cursor-pointer items-center gap-2">
            <input
              type="checkbox"
              className="checkbox checkbox-xs checkbox-primary"
              checked={row.key in names}
              onChange={() => {
                tick(row)
              }}
            />
            <span className="shrink-0">{row.label}</span>
            <span className="truncate text-base-content/55">{row.of}</span>
          </label>
          {row.key in names && (
            <span className="flex items-center gap-1">
              <input
                aria-label={`Name of ${row.label} of ${row.of}`}
                className="input input-xs w-full"
                maxLength={120}
                value={names[row.key]}
                onChange={(e) => {
                  onChange({ ...names, [row.key]: e.target.value })
                }}
              />
              <button
                type="button"
                className="btn btn-ghost btn-xs px-1"
                aria-label={`${row.label} of ${row.of} sooner`}
                title={`Place ${keys.indexOf(row.key) + 1} of ${keys.length}: one place sooner`}
                disabled={keys[0] === row.key}
                onClick={() => {
                  sooner(row.key)
                }}
              >
                <span className="w-3 text-base-content/65">{keys.indexOf(row.key) + 1}</span>
                <ArrowUp size={12} aria-hidden />
              </button>
            </span>
          )}
        </li>
      ))}
      {rows.length === 0 && (
        <li className="text-base-content/55">None of these steps has a dial that could show.</li>
      )}
    </ul>
  )
}

/** Something that is connected from outside: what it is as an input, and what is connected. */
export interface InputRow {
  readonly link: Link
  readonly input: RecipeInput
}

/** What becomes of what is connected from outside: it comes in under a name, goes along, or is left out. */
export function InputList({
  rows,
  wanted,
  onChange,
}: {
  rows: readonly InputRow[]
  wanted: readonly NewInput[]
  onChange: (to: NewInput[]) => void
}) {
  return (
    <ul aria-label="Inputs" className="space-y-0.5">
      {rows.map(({ link, input }) => {
        const id = JSON.stringify(link)
        const wish = wanted.find((w) => JSON.stringify(w.link) === id) ?? { link }
        const goes = wish.goes ?? 'in'
        const put = (to: Partial<NewInput>) => {
          onChange([...wanted.filter((w) => w !== wish), { ...wish, ...to }])
        }
        return (
          <li key={id} className="grid grid-cols-2 items-center gap-2">
            <span className="flex min-w-0 items-center gap-2">
              <select
                aria-label={`What becomes of ${input.name}`}
                className="w-24 shrink-0 rounded bg-base-300 px-1"
                value={goes}
                onChange={(e) => {
                  put({ goes: e.target.value as 'in' | 'along' | 'out' })
                }}
              >
                <option value="in">comes in</option>
                {link.type === 'drawing' && <option value="along">goes along</option>}
                {!input.required && <option value="out">is left out</option>}
              </select>
              <span className="truncate">{input.name}</span>
              <span className="shrink-0 text-base-content/55">
                {input.kind}
                {input.required ? ', needed' : ''}
              </span>
            </span>
            {goes === 'in' ? (
              <input
                aria-label={`Name of input ${input.name}`}
                className="input input-xs w-full"
                maxLength={120}
                placeholder={input.name}
                value={wish.name ?? ''}
                onChange={(e) => {
                  put({ name: e.target.value })
                }}
              />
            ) : (
              <span className="text-base-content/55">
                {goes === 'along'
                  ? 'a part of the recipe, as it is drawn'
                  : `without it: ${input.without ?? 'nothing'}`}
              </span>
            )}
          </li>
        )
      })}
      {rows.length === 0 && <li className="text-base-content/55">Nothing comes in but the picture.</li>}
    </ul>
  )
}
