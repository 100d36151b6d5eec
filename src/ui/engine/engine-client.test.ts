import { afterEach, beforeEach, describe, expect, test, vi } from 'vitest'
import { emptyComp } from '../../core/comp/edits.ts'
import { EngineClient, type EngineListener, type Wanted } from './engine-client.ts'
import type { EngineReply, EngineRequest, Shown } from './messages.ts'

/** A thread that only notes what it is sent; the test says what it answers, and when it dies. */
class Thread {
  static all: Thread[] = []
  readonly sent: EngineRequest[] = []
  onmessage: ((event: { data: EngineReply }) => void) | null = null
  onerror: ((event: { message: string; preventDefault(): void }) => void) | null = null
  isEnded = false
  constructor(readonly url: URL) {
    Thread.all.push(this)
  }
  postMessage(request: EngineRequest): void {
    this.sent.push(request)
  }
  terminate(): void {
    this.isEnded = true
  }
  die(): void {
    this.onerror?.({ message: 'out of bounds', preventDefault: () => undefined })
  }
  get shows() {
    return this.sent.filter((r) => r.type === 'show')
  }
  answer(reply: Partial<Shown> | { type: 'failed'; isMemory: boolean; message: string }): void {
    const { serial, reduction } = this.shows.at(-1)!
    const shown = { width: 1, height: 1, problems: [], warnings: undefined, tookMs: 900 }
    this.onmessage?.({ data: { ...shown, serial, reduction, ...reply } as EngineReply })
  }
}
const engines = () => Thread.all.filter((t) => t.url.pathname.includes('engine.worker'))

const wanted: Wanted = {
  comp: emptyComp(4, 4),
  media: {},
  frame: 1,
  target: { type: 'picture' },
  view: { gain: 1, channel: 'colour', checker: 0 },
}
const listener = {
  onShown: vi.fn(),
  onThumbs: vi.fn(),
  onBusy: vi.fn(),
  onFailed: vi.fn(),
} satisfies EngineListener

beforeEach(() => {
  Thread.all = []
  vi.clearAllMocks()
  vi.stubGlobal('Worker', Thread)
  vi.stubGlobal('navigator', { hardwareConcurrency: 2 })
})
afterEach(() => {
  vi.unstubAllGlobals()
})

describe('an engine that dies', () => {
  test('is replaced with its helpers, and the work is asked for once more', async () => {
    const client = new EngineClient(listener)
    client.show(wanted)
    const asked = client.probe(wanted, 1, 1)
    engines()[0]!.die()
    expect(engines()).toHaveLength(2)
    expect(Thread.all.filter((t) => t.isEnded)).toHaveLength(2)
    expect(engines()[1]!.sent[0]?.type).toBe('start')
    expect(engines()[1]!.shows).toHaveLength(1)
    expect(listener.onFailed).not.toHaveBeenCalled()
    // What was asked of the dead one is answered with nothing, so that nobody waits for ever.
    expect(await asked).toBeUndefined()
  })
  test('twice in a row is not started a third time, and this is said', () => {
    new EngineClient(listener).show(wanted)
    engines()[0]!.die()
    engines()[1]!.die()
    expect(engines()).toHaveLength(2)
    expect(listener.onFailed).toHaveBeenCalledWith(expect.stringContaining('stopped twice (out of bounds)'))
  })
})

describe('memory that runs out', () => {
  const failure = { type: 'failed', isMemory: true, message: 'no memory' } as const
  test('gives a smaller picture and says so, once', () => {
    new EngineClient(listener).show(wanted)
    const engine = engines()[0]!
    engine.answer({ type: 'shown', reduction: 4 })
    expect(engine.shows.at(-1)).toMatchObject({ reduction: 1 })
    engine.answer(failure)
    expect(engine.shows.at(-1)).toMatchObject({ reduction: 2 })
    expect(listener.onFailed).not.toHaveBeenCalled()
    engine.answer({ type: 'shown', reduction: 2 })
    expect(listener.onFailed).toHaveBeenCalledOnce()
    expect(listener.onFailed).toHaveBeenCalledWith(expect.stringContaining('shown at 1/2'))
    expect(listener.onBusy).toHaveBeenLastCalledWith(false)
  })
  test('at every size is said in the words of what failed', () => {
    new EngineClient(listener).show(wanted)
    for (let i = 0; i < 3; i++) engines()[0]!.answer(failure)
    expect(listener.onFailed).toHaveBeenCalledWith('no memory')
  })
})

test('a proxy is never given up, full size is for anything newer, and only the newest wish counts', () => {
  const client = new EngineClient(listener)
  for (const frame of [1, 2, 3]) client.show({ ...wanted, frame })
  const engine = engines()[0]!
  expect(engine.shows.map((s) => [s.frame, s.reduction, s.isGivenUp])).toEqual([[1, 4, false]])
  engine.answer({ type: 'shown' })
  engine.answer({ type: 'shown' })
  expect(engine.shows.map((s) => [s.frame, s.reduction, s.isGivenUp])).toEqual([
    [1, 4, false],
    [3, 4, false],
    [3, 1, true],
  ])
  engine.answer({ type: 'shown' })
  expect(engine.sent.at(-1)?.type).toBe('thumbs')
})
