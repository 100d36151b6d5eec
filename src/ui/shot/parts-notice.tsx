'use client'

import { useQuery } from '@tanstack/react-query'
import { healthAnswer } from '../../contracts/answers.ts'
import { requestJson } from '../request-json.ts'

const everyMs = 15_000
/** What each part is for, in words for someone who waits for it. */
const without: Readonly<Record<string, string>> = {
  'render worker': 'Renders wait until it stays up.',
  'folder watcher': 'Frames that arrive in watched folders wait until it stays up.',
  'stand-in renderer': 'Further frames of the demo wait until it stays up.',
}

/** Says when a part of the application stops again and again. */
export function PartsNotice() {
  const { data } = useQuery({
    queryKey: ['health'],
    queryFn: () => requestJson(healthAnswer, '/api/health'),
    refetchInterval: everyMs,
  })
  return data?.parts.map(({ name, crashes }) => (
    <p key={name} role="status" className="bg-warning/15 px-4 py-1.5 text-xs">
      The {name} stopped {crashes} times in the last minute and is started again with growing pauses.{' '}
      {without[name] ?? ''} The output of npm start says why.
    </p>
  ))
}
