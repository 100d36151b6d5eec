'use client'

import { useQuery, useQueryClient } from '@tanstack/react-query'
import { Pause, Play } from 'lucide-react'
import Link from 'next/link'
import { useState } from 'react'
import { doneAnswer, workersAnswer, type ShownWorker } from '../../contracts/answers.ts'
import { requestJson } from '../request-json.ts'

const everyMs = 2000
const queryKey = ['workers']

/** How fast a machine is, in words. */
function paceWords({ paceMs }: ShownWorker): string {
  if (paceMs === null || paceMs <= 0) return 'no frame yet'
  const perMinute = 60_000 / paceMs
  return `${perMinute < 10 ? perMinute.toFixed(1) : Math.round(perMinute)} frames a minute`
}

const stateWords: Readonly<Record<ShownWorker['state'], string>> = {
  working: 'renders',
  idle: 'has nothing to do',
  paused: 'rests',
  silent: 'does not answer',
}
const stateTone: Readonly<Record<ShownWorker['state'], string>> = {
  working: 'bg-accent',
  idle: 'bg-base-content/40',
  paused: 'bg-warning',
  silent: 'bg-error',
}

function Machine({ worker, onChanged }: { worker: ShownWorker; onChanged: () => void }) {
  const [failure, setFailure] = useState<string>()
  const isHere = worker.seat === 'here'
  const name = isHere ? 'this machine' : worker.machine
  const isResting = worker.state === 'paused'
  const change = async (value: { paused?: boolean; most?: number | null }) => {
    try {
      await requestJson(doneAnswer, `/api/workers/${encodeURIComponent(worker.seat)}`, 'PATCH', value)
      setFailure(undefined)
      onChanged()
    } catch (error) {
      setFailure(error instanceof Error ? error.message : String(error))
    }
  }
  return (
    <li
      className="flex items-center gap-2.5 rounded bg-base-100 py-1 pl-3 pr-1.5"
      data-testid="machine"
      data-state={worker.state}
    >
      <span className={`size-2 shrink-0 rounded-full ${stateTone[worker.state]}`} aria-hidden />
      <span className="min-w-0 shrink truncate" title={worker.machine}>
        {name}
      </span>
      <span className="shrink-0 text-base-content/65">
        {stateWords[worker.state]}
        {worker.holds > 0 && ` ${worker.holds}`}
      </span>
      <span className="ml-auto shrink-0 text-base-content/65">{paceWords(worker)}</span>
      <span
        role="meter"
        aria-label={`Load of ${name}`}
        aria-valuenow={Math.round(worker.busy * 100)}
        aria-valuemin={0}
        aria-valuemax={100}
        className="h-1.5 w-10 shrink-0 overflow-hidden rounded bg-base-300"
        title={`${worker.cores} cores, ${Math.round(worker.busy * 100)} % busy · ${worker.framesMade} frames made`}
      >
        <span className="block h-full bg-primary" style={{ width: `${worker.busy * 100}%` }} />
      </span>
      <select
        aria-label={`Frames at once on ${name}`}
        title="Frames that it is given at once"
        className="shrink-0 rounded bg-base-300 px-1 py-0.5"
        value={worker.most ?? 0}
        onChange={(event) => {
          const most = Number(event.target.value)
          void change({ most: most === 0 ? null : most })
        }}
      >
        <option value={0}>no limit</option>
        {[1, 2, 4, 8].map((n) => (
          <option key={n} value={n}>
            {n} at once
          </option>
        ))}
      </select>
      <button
        type="button"
        className="btn btn-ghost btn-xs px-1"
        aria-pressed={isResting}
        aria-label={isResting ? `Let ${name} go on` : `Let ${name} rest`}
        title={isResting ? 'Go on' : 'Rest: what it has begun it ends'}
        onClick={() => void change({ paused: !isResting })}
      >
        {isResting ? <Play size={12} aria-hidden /> : <Pause size={12} aria-hidden />}
      </button>
      {failure !== undefined && (
        <span role="alert" className="text-error">
          {failure}
        </span>
      )}
    </li>
  )
}

/** Who renders: this machine and others, with what they do. */
export function Machines({ isInShot = false }: { isInShot?: boolean }) {
  const queries = useQueryClient()
  const { data } = useQuery({
    queryKey,
    queryFn: () => requestJson(workersAnswer, '/api/workers'),
    refetchInterval: everyMs,
  })
  if (!data) return null
  return (
    <section aria-label="Machines" className="shrink-0 space-y-1 text-xs">
      {data.problem !== null && (
        <p role="alert" className="text-warning">
          {data.problem}
        </p>
      )}
      {data.workers.length === 0 && (
        <p className="text-base-content/65">
          No machine renders now. What is asked for waits until one is there.
        </p>
      )}
      {isInShot && (
        <p className="flex justify-end">
          <Link href="/renders" className="link-hover link text-base-content/65">
            Renders of all shots
          </Link>
        </p>
      )}
      <ul className="max-h-32 space-y-1 overflow-y-auto">
        {data.workers.map((worker) => (
          <Machine
            key={worker.seat}
            worker={worker}
            onChanged={() => void queries.invalidateQueries({ queryKey })}
          />
        ))}
      </ul>
    </section>
  )
}
