'use client'

import { useQuery, useQueryClient } from '@tanstack/react-query'
import { X } from 'lucide-react'
import { useState } from 'react'
import { doneAnswer, intakeAnswer, watchedAnswer } from '../../contracts/answers.ts'
import { requestJson } from '../request-json.ts'

const everyMs = 3000
/** As many as the server tells. */
const mostTold = 50

/** Where frames come from by themselves: folders that are watched, one to add, and what was refused of them. */
export function Watched({ shotId }: { shotId: string }) {
  const queries = useQueryClient()
  const queryKey = ['watched', shotId]
  const [failure, setFailure] = useState<string>()
  const { data } = useQuery({
    queryKey,
    queryFn: () => requestJson(watchedAnswer, `/api/shots/${shotId}/watched`),
    refetchInterval: everyMs,
  })
  const { data: intake } = useQuery({
    queryKey: ['intake', ''],
    queryFn: () => requestJson(intakeAnswer, '/api/intake?path='),
  })
  const change = async (path: string, isWatched: boolean) => {
    try {
      await requestJson(doneAnswer, `/api/shots/${shotId}/watched`, 'POST', { path, isWatched })
      setFailure(undefined)
    } catch (error) {
      setFailure(error instanceof Error ? error.message : String(error))
    }
    await queries.invalidateQueries({ queryKey })
  }
  return (
    <div className="space-y-1.5">
      <p className="text-base-content/65">
        Each whole frame is finished when it comes, and again when it comes anew, with the look that the shot
        has then.
      </p>
      {data?.folders.map(({ path, name }) => (
        <p key={path} className="flex items-center gap-1.5">
          <span className="text-base-content/75">from</span>
          <span className="min-w-0 truncate" title={path}>
            {name === '.' ? 'the intake folder' : name}
          </span>
          <button
            type="button"
            className="btn btn-ghost btn-xs ml-auto px-1"
            aria-label={`Watch ${name} no more`}
            title="Watch it no more; what came from it stays"
            onClick={() => void change(path, false)}
          >
            <X size={12} aria-hidden />
          </button>
        </p>
      ))}
      <select
        aria-label="Watch a folder"
        className="w-full rounded bg-base-300 px-1.5 py-1"
        value=""
        title={intake && `Folders of ${intake.root}`}
        onChange={(event) => {
          if (event.target.value !== '') void change(event.target.value, true)
        }}
      >
        <option value="">watch a folder …</option>
        <option value=".">the intake folder</option>
        {intake?.folders.map((name) => (
          <option key={name} value={name}>
            {name}
          </option>
        ))}
      </select>
      {data !== undefined && data.refused.length >= mostTold && (
        <p className="text-warning">The last {mostTold} files that were refused:</p>
      )}
      {data?.refused.map(({ name, problem }) => (
        <p key={name} className="text-warning">
          {name}: {problem}
        </p>
      ))}
      {failure !== undefined && (
        <p role="alert" className="text-error">
          {failure}
        </p>
      )}
    </div>
  )
}
