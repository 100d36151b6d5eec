import { afterEach, beforeEach, describe, expect, test, vi } from 'vitest'
import { addLane, emptyComp } from '../../core/comp/edits.ts'
import { patched } from '../../core/comp/patches.ts'
import type { Comp } from '../../core/comp/schema.ts'
import type { Kind, Wish } from '../../core/engine/session/requests.ts'
import { EngineClient, type EngineListener, type Wanted } from './engine-client.ts'
import { SharedFlags, type EngineMessage, type EngineReply, type RequestMessage } from './messages.ts'

type Outcome =
  | { type: 'answer'; value?: object }
  | { type: 'failed'; isMemory: boolean; message: string }
  | { type: 'given-up' }

/** A thread that only notes what it is sent; the test says what it answers, and when it dies. */
class Thread {
  static all: Thread[] = []
  readonly sent: EngineMessage[] = []
  onmessage: ((event: { data: EngineReply }) => void) | null = null
  onerror: ((event: { message: string; preventDefault(): void }) => void) | null = null
  isEnded = false
  constructor(readonly url: URL) {
    Thread.all.push(this)
  }
  postMessage(message: EngineMessage, transfer: Transferable[] = []): void {
    this.sent.push(structuredClone(message, { transfer }))
  }
  terminate(): void {
    this.isEnded = true
  }
  die(): void {
    this.onerror?.({ message: 'out of bounds', preventDefault: () => undefined })
  }
  get requests() {
    return this.sent.filter((m): m is RequestMessage => m.type === 'request')
  }
  get shows() {
    return this.requests.filter((r) => r.kind === 'show').map((r) => ({ ...r, wish: r.wish as Wish<'show'> }))
  }
  get flags() {
    const start = this.sent.find((m) => m.type === 'start')!
    return new SharedFlags(start.flags)
  }
  /** The comp as the engine has it, out of all messages. */
  get comp(): Comp | undefined {
    let comp: Comp | undefined
    for (const message of this.sent)
      if (message.type === 'comp') comp = message.comp
      else if (message.type === 'patches') comp = patched(comp!, message.patches)
    return comp
  }
  /** Answers the newest request of a kind, and lets the page go on. */
  async answer(outcome: Outcome, kind: Kind = 'show'): Promise<void> {
    const { id, wish } = this.requests.findLast((r) => r.kind === kind)!
    const { reduction } = wish as Wish<'show'>
    const shown = {
      width: 1,
      height: 1,
      problems: [],
      warnings: undefined,
      tookMs: 900,
      reduction,
      thumbs: [],
      meters: {},
    }
    const data =
      outcome.type === 'answer'
        ? { type: 'answer', id, value: { ...shown, ...outcome.value } }
        : { id, ...outcome }
    this.onmessage?.({ data: data as unknown as EngineReply })
    await new Promise((resolve) => setTimeout(resolve))
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
  // Ports that are open keep the process from ending.
  for (const thread of Thread.all)
    for (const message of thread.sent) if (message.type === 'start') message.files.close()
  vi.unstubAllGlobals()
})

describe('an engine that dies', () => {
  test('is replaced with its helpers, and the work is asked for once more', async () => {
    const client = new EngineClient(listener)
    client.show(wanted)
    const asked = client.probe(wanted, 1, 1)
    engines()[0]!.die()
    expect(engines()).toHaveLength(2)
    // The engine, its helper, and the thread that fetches.
    expect(Thread.all.filter((t) => t.isEnded)).toHaveLength(3)
    expect(engines()[1]!.sent[0]?.type).toBe('start')
    expect(engines()[1]!.shows).toHaveLength(1)
    expect(engines()[1]!.comp).toEqual(wanted.comp)
    expect(listener.onFailed).not.toHaveBeenCalled()
    // What was asked of the dead one is answered with nothing, so that nobody waits for ever.
    expect(await asked).toBeUndefined()
    expect(engines()[1]!.shows).toHaveLength(1)
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
  test('gives a smaller picture and says so, once', async () => {
    new EngineClient(listener).show(wanted)
    const engine = engines()[0]!
    await engine.answer({ type: 'answer' })
    expect(engine.shows.at(-1)!.wish).toMatchObject({ reduction: 1 })
    await engine.answer(failure)
    expect(engine.shows.at(-1)!.wish).toMatchObject({ reduction: 2 })
    expect(listener.onFailed).not.toHaveBeenCalled()
    await engine.answer({ type: 'answer' })
    expect(listener.onFailed).toHaveBeenCalledOnce()
    expect(listener.onFailed).toHaveBeenCalledWith(expect.stringContaining('shown at 1/2'))
    expect(listener.onBusy).toHaveBeenLastCalledWith(false, 1)
  })
  test('at every size is said in the words of what failed', async () => {
    new EngineClient(listener).show(wanted)
    for (let i = 0; i < 3; i++) await engines()[0]!.answer(failure)
    expect(listener.onFailed).toHaveBeenCalledWith('no memory')
  })
})

describe('what the engine is told', () => {
  test('is the comp once, then what changed in it, and the media when they are others', () => {
    const client = new EngineClient(listener)
    const engine = engines()[0]!
    client.show(wanted)
    const edited = addLane(wanted.comp, 'Grey', { type: 'colour', colour: [1, 2, 3], alpha: 1 })
    client.show({ ...wanted, comp: edited })
    void client.values({ ...wanted, comp: edited, frame: 2 }, wanted.target)
    void client.probe({ ...wanted, comp: edited }, 1, 1)
    expect(engine.comp).toEqual(edited)
    const told = engine.sent.map((m) => m.type).filter((t) => t !== 'request')
    expect(told).toEqual(['start', 'media', 'comp', 'patches'])
    void client.probe({ ...wanted, comp: edited, media: {} }, 1, 1)
    expect(engine.sent.filter((m) => m.type === 'media')).toHaveLength(2)
  })
  test('of other comps is what makes them of the shot’s', () => {
    const client = new EngineClient(listener)
    const other = addLane(wanted.comp, 'Grey', { type: 'colour', colour: [1, 2, 3], alpha: 1 })
    void client.previews(wanted, [wanted.comp, other], wanted.target, 9)
    const { comps } = engines()[0]!.requests.at(-1)!.wish
    expect(comps!.map((patches) => patched(engines()[0]!.comp!, patches))).toEqual([wanted.comp, other])
  })
})

test('a chart that can not be made is answered with nothing, and so is one that is given up', async () => {
  const warn = vi.spyOn(console, 'warn').mockImplementation(() => undefined)
  const client = new EngineClient(listener)
  for (const outcome of [
    { type: 'failed', isMemory: false, message: 'gone' },
    { type: 'given-up' },
  ] as const) {
    const asked = client.values(wanted, wanted.target)
    await engines()[0]!.answer(outcome, 'values')
    expect(await asked).toBeUndefined()
  }
  expect(warn).toHaveBeenCalledOnce()
  warn.mockRestore()
})

test('a proxy is never given up, full size is for anything newer, and only the newest wish counts', async () => {
  const client = new EngineClient(listener)
  for (const frame of [1, 2, 3]) client.show({ ...wanted, frame })
  const engine = engines()[0]!
  const seen = () => engine.shows.map((s) => [s.wish.frame, s.wish.reduction, s.class])
  expect(seen()).toEqual([[1, 4, 'drag']])
  await engine.answer({ type: 'answer' })
  await engine.answer({ type: 'answer' })
  expect(seen()).toEqual([
    [1, 4, 'drag'],
    [3, 4, 'drag'],
    [3, 1, 'picture'],
  ])
  const settling = engine.shows.at(-1)!.id
  expect(engine.flags.isGivenUp(settling)).toBe(false)
  client.show({ ...wanted, frame: 4 })
  expect(engine.flags.isGivenUp(settling)).toBe(true)
  expect(engine.flags.isGivenUp(engine.shows[0]!.id)).toBe(false)
  await engine.answer({ type: 'given-up' })
  expect(seen().at(-1)).toEqual([4, 4, 'drag'])
  await engine.answer({ type: 'answer' })
  await engine.answer({ type: 'answer' })
  expect(engine.requests.at(-1)?.kind).toBe('thumbs')
  expect(listener.onShown.mock.calls.map(([, serial]) => serial as number)).toEqual([1, 3, 4, 4])
})

test('a large frame that is seen small settles at that size, moves at one that is fast enough, and is made finer when it is looked at closely', async () => {
  const client = new EngineClient(listener)
  const [comp, engine] = [emptyComp(3840, 2160), engines()[0]!]
  const seen = () => engine.shows.map((s) => [s.wish.reduction, s.wish.isProxy, s.class])
  const show = async (finest: 1 | 4, tookMs: readonly number[], isThere = false) => {
    const before = engine.shows.length
    client.show({ ...wanted, comp, finest }, isThere)
    for (const ms of tookMs) await engine.answer({ type: 'answer', value: { tookMs: ms } })
    return seen().slice(before)
  }
  expect(await show(4, [3, 80])).toEqual([
    [16, true, 'drag'],
    [4, false, 'picture'],
  ])
  expect(engine.requests.at(-1)?.kind).toBe('thumbs')
  // An eighth is expected to take 80 / 8^½ ms, too long; after a faster picture it is shown first.
  expect(await show(4, [3, 40])).toEqual([
    [16, true, 'drag'],
    [4, false, 'picture'],
  ])
  expect(await show(4, [10, 20])).toEqual([
    [8, true, 'drag'],
    [4, false, 'picture'],
  ])
  expect(await show(4, [10, 20])).toEqual([
    [8, true, 'drag'],
    [4, false, 'picture'],
  ])
  // It is fast enough by now to need no proxy.
  expect(await show(4, [20])).toEqual([[4, false, 'picture']])
  // Looked at closely: what is there stays until the whole is there, and a change goes through a size that is fast.
  expect(await show(1, [700], true)).toEqual([[1, false, 'picture']])
  expect(await show(1, [20, 700])).toEqual([
    [8, true, 'drag'],
    [1, false, 'picture'],
  ])
  expect(listener.onBusy).toHaveBeenLastCalledWith(false, 7)
})

test('before a picture that takes long, one between is shown, which is given up for anything newer', async () => {
  const client = new EngineClient(listener)
  const [comp, engine] = [emptyComp(3840, 2160), engines()[0]!]
  const show = () => {
    client.show({ ...wanted, comp })
  }
  const seen = () => engine.shows.map((s) => s.wish.reduction)
  show()
  // A half is expected to take 1300 ms, too long as well, a quarter 320.
  for (const tookMs of [20, 250, 4000]) await engine.answer({ type: 'answer', value: { tookMs } })
  expect(seen().slice(-3)).toEqual([16, 4, 1])
  expect(engine.shows.map((s) => s.class).slice(-3)).toEqual(['drag', 'drag', 'picture'])
  show()
  await engine.answer({ type: 'answer', value: { tookMs: 20 } })
  const between = engine.shows.at(-1)!
  expect(between.wish.reduction).toBe(4)
  show()
  expect(engine.flags.isGivenUp(between.id)).toBe(true)
})

describe('a frame that is looked at closely', () => {
  const part = (x: number) => ({ x, y: 200, width: 900, height: 400 })
  const asked = (engine: Thread) =>
    engine.shows.map(({ wish }) => [wish.reduction, wish.seen?.x, wish.isLast] as const)
  test('shows what is seen before the whole, and nothing is asked while that is looked over', async () => {
    const client = new EngineClient(listener)
    const engine = engines()[0]!
    client.show({ ...wanted, comp: emptyComp(3840, 2160), seen: part(100) })
    await engine.answer({ type: 'answer' })
    expect(asked(engine).slice(1)).toEqual([[1, 100, false]])
    await engine.answer({ type: 'answer', value: { part: part(100), isSettled: false, tookMs: 300 } })
    expect(asked(engine).slice(2)).toEqual([[1, undefined, undefined]])
    expect(listener.onBusy).toHaveBeenLastCalledWith(true, 1)
    await engine.answer({ type: 'answer', value: { isSettled: true } })
    expect(listener.onBusy).toHaveBeenLastCalledWith(false, 1)
    client.lookAt(part(2000))
    expect(asked(engine)).toHaveLength(3)
  })
  test('another part is made while the whole is on its way, which waits', async () => {
    const client = new EngineClient(listener)
    const engine = engines()[0]!
    client.show({ ...wanted, comp: emptyComp(3840, 2160), seen: part(100) }, true)
    await engine.answer({ type: 'answer', value: { part: part(100), isSettled: false } })
    const whole = engine.shows.at(-1)!.id
    client.lookAt(part(2000))
    expect(engine.flags.isGivenUp(whole)).toBe(true)
    await engine.answer({ type: 'given-up' })
    expect(asked(engine).at(-1)).toEqual([1, 2000, false])
  })
  test('of one too large to be made whole, what is seen follows with finer light from far away', async () => {
    const client = new EngineClient(listener)
    const engine = engines()[0]!
    client.show({ ...wanted, comp: emptyComp(8192, 4320), seen: part(100) }, true)
    await engine.answer({ type: 'answer', value: { part: part(100), isSettled: false } })
    const inside = { x: 150, y: 250, width: 100, height: 90 }
    client.lookAt(inside)
    expect(asked(engine)).toEqual([
      [1, 100, false],
      [1, 100, true],
    ])
    await engine.answer({ type: 'answer', value: { part: part(100), isSettled: true } })
    expect(listener.onBusy).toHaveBeenLastCalledWith(false, 1)
    client.lookAt(inside)
    expect(asked(engine)).toHaveLength(2)
    client.lookAt(part(4000))
    expect(asked(engine).at(-1)).toEqual([1, 4000, false])
  })
  test('the other side of a comparison is given up for a newer picture, and for a newer other side', async () => {
    const client = new EngineClient(listener)
    const engine = engines()[0]!
    const { comp, media, frame, target, view } = wanted
    client.show(wanted, true)
    await engine.answer({ type: 'answer' })
    const side = () => client.side({ comp, media, frame }, target, view, { seen: part(100) })
    const sides = () =>
      engine.requests.filter((r) => r.kind === 'side').map(({ id }) => engine.flags.isGivenUp(id))
    void side()
    const second = side()
    expect(sides()).toEqual([true, false])
    client.show(wanted)
    expect(sides()).toEqual([true, true])
    await engine.answer({ type: 'given-up' }, 'side')
    expect(await second).toBeUndefined()
  })
  test('without memory for the whole, what is seen stays', async () => {
    const client = new EngineClient(listener)
    const engine = engines()[0]!
    client.show({ ...wanted, comp: emptyComp(3840, 2160), seen: part(100) }, true)
    await engine.answer({ type: 'answer', value: { part: part(100), isSettled: false } })
    await engine.answer({ type: 'failed', isMemory: true, message: 'no memory' })
    expect(asked(engine)).toHaveLength(2)
    expect(listener.onFailed).not.toHaveBeenCalled()
    expect(listener.onBusy).toHaveBeenLastCalledWith(false, 1)
  })

  test('it takes the largest memory that the browser allows, and says how much that is', () => {
    const Memory = WebAssembly.Memory
    const asked: number[] = []
    vi.stubGlobal('WebAssembly', {
      ...WebAssembly,
      Memory: class extends Memory {
        constructor(wish: WebAssembly.MemoryDescriptor) {
          asked.push(wish.maximum! / 16)
          if (wish.maximum! > 2048 * 16) throw new RangeError('could not allocate memory')
          super(wish)
        }
      },
    })
    const client = new EngineClient(listener)
    expect(asked).toEqual([4096, 2048])
    expect(client.memoryUse).toEqual({ bytes: 256 * 65536, mostBytes: 2 ** 31 })
    const start = Thread.all.flatMap((t) => t.sent).find((m) => m.type === 'start')!
    expect(start.budgetBytes).toBeLessThan(2 ** 31)
  })
})
