'use client'

import { useQuery } from '@tanstack/react-query'
import { useEffect, useRef } from 'react'
import { renderAnswer, rendersAnswer, type ShownRender } from '../../contracts/answers.ts'
import { requestJson } from '../request-json.ts'
import { useShotContext } from '../shot/shot-context.tsx'
import { toasts } from '../shot/toasts.tsx'

const everyMs = 5000
const isOpen = ({ frames, follows }: ShownRender) =>
  !follows && frames.some((f) => f.state === 'waiting' || f.state === 'working')

/** What became of a render, in a line. */
export function throughWords({ version, frames }: Pick<ShownRender, 'version' | 'frames'>): string {
  const count = (is: (f: ShownRender['frames'][number]) => boolean) => frames.filter(is).length
  const [made, failed, half] = [
    count((f) => f.state === 'done'),
    count((f) => f.state === 'failed'),
    count((f) => f.state === 'done' && f.problem !== null),
  ]
  const parts = [`${made} ${made === 1 ? 'frame' : 'frames'}`]
  if (half > 0) parts.push(`${half} of them not whole`)
  if (failed > 0) parts.push(`${failed} failed`)
  return `Render ${version} is through: ${parts.join(', ')}.`
}

/** Says when a render of the shot is through, in the page, and beside it when another window is looked at. */
export function ThroughNotice() {
  const { id } = useShotContext()
  const { data } = useQuery({
    queryKey: ['renders', id],
    queryFn: () => requestJson(rendersAnswer, `/api/shots/${id}/renders`),
  })
  const open = (data?.renders ?? []).filter(isOpen).map((r) => r.id)
  const watched = useRef(new Set<string>())
  const wanted = open.join(' ')
  useEffect(() => {
    for (const one of wanted.split(' ').filter(Boolean)) watched.current.add(one)
    if (watched.current.size === 0) return
    const timer = setInterval(() => {
      if (watched.current.size === 0) clearInterval(timer)
      for (const one of watched.current)
        requestJson(renderAnswer, `/api/renders/${one}`).then(
          (render) => {
            if (isOpen(render) || !watched.current.delete(one)) return
            if (render.frames.every((f) => f.state === 'cancelled')) return
            toasts.add({ description: throughWords(render), timeout: 0 })
            if (document.hidden && 'Notification' in window && Notification.permission === 'granted')
              new Notification(throughWords(render), { tag: one })
          },
          () => {
            // It has been deleted, or the server is away for a moment.
          },
        )
    }, everyMs)
    return () => {
      clearInterval(timer)
    }
  }, [wanted])
  return null
}
