import { expect, test } from 'vitest'
import type { Shown } from '../../core/engine/session/requests.ts'
import { askWhenSettled } from './ask-when-settled.ts'

test('asks at once and with settled pictures, not with proxies nor while paused, and no answer is wanted after its end', () => {
  const listeners = new Set<(shown: Shown, serial: number) => void>()
  const show = (isSettled: boolean) => {
    for (const listener of listeners) listener({ isSettled } as Shown, 1)
  }
  const wanted: (() => boolean)[] = []
  let isPaused = false
  const end = askWhenSettled(
    (listener) => {
      listeners.add(listener)
      return () => listeners.delete(listener)
    },
    (isWanted) => wanted.push(isWanted),
    () => isPaused,
  )
  expect(wanted).toHaveLength(1)
  show(false)
  expect(wanted).toHaveLength(1)
  show(true)
  expect(wanted).toHaveLength(2)
  isPaused = true
  show(true)
  expect(wanted).toHaveLength(2)
  expect(wanted.map((is) => is())).toEqual([true, true])
  end()
  isPaused = false
  show(true)
  expect(wanted.map((is) => is())).toEqual([false, false])
  expect(listeners.size).toBe(0)
})
