import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import { addLane, emptyComp } from '../../core/comp/edits.ts'
import { Autosave } from './autosave.ts'
import type { SaveState } from './save-state.ts'
import { createShotStore } from './shot-store.ts'

interface Call {
  readonly method: string
  readonly body: { base: number } | undefined
}
const calls: Call[] = []
/** What the server answers next; the last one stays. */
let answers: (() => Response)[] = []
const saved = (revision: number) => () => Response.json({ revision })

beforeEach(() => {
  calls.length = 0
  vi.useFakeTimers()
  const listeners = { addEventListener: () => undefined, removeEventListener: () => undefined }
  vi.stubGlobal('window', listeners)
  vi.stubGlobal('document', { ...listeners, visibilityState: 'visible' })
  vi.stubGlobal('fetch', (_: string, init: { method: string; body?: string }) => {
    calls.push({
      method: init.method,
      body: init.body ? (JSON.parse(init.body) as { base: number }) : undefined,
    })
    return Promise.resolve().then(answers.length > 1 ? answers.shift()! : answers[0]!)
  })
})
afterEach(() => {
  vi.useRealTimers()
  vi.unstubAllGlobals()
})

function begin() {
  const store = createShotStore({ comp: emptyComp(4, 4), media: {} })
  const states: SaveState['type'][] = []
  store.subscribe((now, before) => {
    if (now.saving !== before.saving) states.push(now.saving.type)
  })
  const autosave = new Autosave('s', store, 7)
  const stop = autosave.start()
  const change = (gesture?: string) => {
    store
      .getState()
      .edit('Add', (c) => addLane(c, 'Lane', { type: 'colour', colour: [0, 0, 0], alpha: 1 }), gesture)
  }
  return { store, states, autosave, stop, change }
}

test('changes in a row are saved once they rest, each save on top of the one before', async () => {
  answers = [saved(8), saved(9)]
  const { change, states, stop } = begin()
  change()
  await vi.advanceTimersByTimeAsync(300)
  change()
  await vi.advanceTimersByTimeAsync(2000)
  expect(calls.map((c) => c.body!.base)).toEqual([7])
  change()
  await vi.advanceTimersByTimeAsync(2000)
  expect(calls.map((c) => c.body!.base)).toEqual([7, 8])
  expect(states.at(-1)).toBe('saved')
  stop()
})

test('while the server is away nothing is lost: it is tried again until it works', async () => {
  answers = [
    () => {
      throw new TypeError('fetch failed')
    },
    () => Response.json({ error: { message: 'The database does not answer.' } }, { status: 503 }),
    saved(8),
  ]
  const { change, states, stop } = begin()
  change()
  await vi.advanceTimersByTimeAsync(1000)
  expect(states.at(-1)).toBe('failed')
  await vi.advanceTimersByTimeAsync(10_000)
  expect(states.at(-1)).toBe('saved')
  expect(calls.map((c) => c.body!.base)).toEqual([7, 7, 7])
  stop()
})

test('what the server refuses is not sent again until it changes', async () => {
  const problems = [{ path: 'lanes.0.name', message: 'holds half a character' }]
  answers = [
    () => Response.json({ error: { message: 'This comp can not be saved', problems } }, { status: 400 }),
    () => Response.json({ error: { message: 'This comp can not be saved', problems } }, { status: 400 }),
    saved(8),
  ]
  const { change, store, states, stop } = begin()
  change()
  await vi.advanceTimersByTimeAsync(30_000)
  expect([calls.length, states.at(-1)]).toEqual([1, 'refused'])
  expect(store.getState().saving).toMatchObject({ problems: ['lanes.0.name holds half a character'] })
  change()
  await vi.advanceTimersByTimeAsync(2000)
  expect([calls.length, states.at(-1)]).toEqual([2, 'refused'])
  change()
  await vi.advanceTimersByTimeAsync(2000)
  expect([calls.length, states.at(-1)]).toEqual([3, 'saved'])
  stop()
})

test('a conflict stops saving until it is decided; keeping mine saves on top of theirs', async () => {
  answers = [
    () =>
      Response.json(
        { error: { message: 'changed', revision: 12, savedAt: '2026-01-01T00:00:00Z' } },
        { status: 409 },
      ),
    saved(13),
  ]
  const { change, autosave, store, states, stop } = begin()
  change()
  await vi.advanceTimersByTimeAsync(1000)
  expect(store.getState().saving).toMatchObject({ type: 'conflict', revision: 12 })
  change()
  await vi.advanceTimersByTimeAsync(10_000)
  expect(calls).toHaveLength(1)
  expect(await autosave.saveNow()).toBe(false)
  await autosave.keepMine()
  expect(calls.at(-1)!.body!.base).toBe(12)
  expect(states.at(-1)).toBe('saved')
  stop()
})

test('edits of one gesture are undone together, others one by one', () => {
  const { store, change, stop } = begin()
  change('drag 1')
  change('drag 1')
  change('drag 2')
  change()
  const counts = [store.getState().comp.lanes.length]
  for (let i = 0; i < 3; i++) {
    store.temporal.getState().undo()
    counts.push(store.getState().comp.lanes.length)
  }
  expect(counts).toEqual([4, 3, 2, 0])
  store.temporal.getState().redo()
  expect(store.getState().comp.lanes).toHaveLength(2)
  stop()
})
