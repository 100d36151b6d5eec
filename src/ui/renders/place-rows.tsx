'use client'

import { useQuery } from '@tanstack/react-query'
import { outputRootsAnswer } from '../../contracts/answers.ts'
import type { Delivery } from '../../core/renders/render-options.ts'
import { requestJson } from '../request-json.ts'

const thereWords: Readonly<Record<Delivery['there'], string>> = {
  replace: 'are replaced',
  skip: 'are left',
  version: 'stay, beside a new version',
}

/** Where files are put beside the data folder, where the start command allows any. */
export function PlaceRows({
  value,
  onChange,
}: {
  value: Delivery | undefined
  onChange: (value: Delivery | undefined) => void
}) {
  const { data } = useQuery({
    queryKey: ['output roots'],
    queryFn: () => requestJson(outputRootsAnswer, '/api/output-roots'),
  })
  const roots = data?.roots ?? []
  // A root that is open no more is still shown, as what the settings say.
  const shown = value && !roots.includes(value.root) ? [...roots, value.root] : roots
  if (shown.length === 0) return null
  return (
    <>
      <label className="grid grid-cols-[4rem_1fr] items-center gap-2">
        <span className="text-base-content/75">also into</span>
        <select
          aria-label="Also into"
          className="w-full rounded bg-base-300 px-1.5 py-1"
          value={value?.root ?? ''}
          onChange={(event) => {
            const root = event.target.value
            onChange(root === '' ? undefined : { folder: '', there: 'replace', ...value, root })
          }}
        >
          <option value="">the data folder alone</option>
          {shown.map((root) => (
            <option key={root} value={root}>
              {root}
            </option>
          ))}
        </select>
      </label>
      {value && (
        <>
          <label className="grid grid-cols-[4rem_1fr] items-center gap-2">
            <span className="text-base-content/75">folder</span>
            <input
              aria-label="Folder below it"
              className="input input-xs w-full"
              placeholder="sh010/finish"
              value={value.folder}
              onChange={(event) => {
                onChange({ ...value, folder: event.target.value })
              }}
            />
          </label>
          <label className="grid grid-cols-[4rem_1fr] items-center gap-2">
            <span className="text-base-content/75">old files</span>
            <select
              aria-label="What is done with files that are there"
              className="w-full rounded bg-base-300 px-1.5 py-1"
              value={value.there}
              onChange={(event) => {
                onChange({ ...value, there: event.target.value as Delivery['there'] })
              }}
            >
              {Object.entries(thereWords).map(([key, words]) => (
                <option key={key} value={key}>
                  {words}
                </option>
              ))}
            </select>
          </label>
        </>
      )}
    </>
  )
}
