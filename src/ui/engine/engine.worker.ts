import { assertNever } from '../../core/assert.ts'
import { Cancelled } from '../../core/cancelled.ts'
import { readAsKey, type MediaTable } from '../../core/comp/media.ts'
import { patched } from '../../core/comp/patches.ts'
import type { Comp } from '../../core/comp/schema.ts'
import type { LoadPass } from '../../core/engine/evaluator.ts'
import { givesWay, RequestQueue, type Waiting } from '../../core/engine/session/request-queue.ts'
import type { Kind, Wish, Work } from '../../core/engine/session/requests.ts'
import type { ReadingStore } from '../../core/engine/readings.ts'
import { Session } from '../../core/engine/session/session.ts'
import { decodePassBlock } from '../../core/formats/pass-block.ts'
import { createKernels } from '../../core/kernels/wasm-kernels.ts'
import { passFilter } from '../../core/passes/passes.ts'
import { OutOfMemoryError } from '../../core/picture/picture.ts'
import { readingsAnswer } from '../../contracts/answers.ts'
import { requestJson } from '../request-json.ts'
import { bytesBy } from './fetch-bytes.ts'
import { SharedFlags, type EngineMessage, type EngineReply, type RequestMessage } from './messages.ts'

// The engine of a page: one thread that plans and leads, with workers on other threads.

const loadPassBy = (files: MessagePort): LoadPass => {
  const bytesOf = bytesBy(files)
  return async ({ hash, pass, as, reduction, rows, columns, filter = passFilter(pass) }, signal) => {
    const query = new URLSearchParams({ as: readAsKey(as), size: String(reduction), filter })
    if (rows) query.set('rows', rows.join(','))
    if (columns) query.set('columns', columns.join(','))
    const address = `/api/passes/${hash}/${encodeURIComponent(pass.inFile ?? pass.name)}?${query}`
    return decodePassBlock(await bytesOf(new URL(address, self.location.origin).href, signal))
  }
}

/** Readings that the server keeps; without it they are made anew. */
const pageReadings: ReadingStore = {
  async fetch(keys) {
    try {
      const { readings } = await requestJson(readingsAnswer, '/api/readings', 'POST', { keys })
      return new Map(Object.entries(readings))
    } catch {
      return new Map()
    }
  },
  async keep(readings) {
    await requestJson(readingsAnswer, '/api/readings', 'PUT', {
      readings: Object.fromEntries(readings),
    }).catch(() => undefined)
  },
}

interface Queued extends Waiting {
  readonly kind: Kind
  readonly wish: Wish<Kind>
  readonly work: Work
}

let session: Session | undefined
let flags = new SharedFlags()
let comp: Comp | undefined
let media: MediaTable = {}
const queue = new RequestQueue<Queued>()
let isAnswering = false

/** Memory that an answer holds by itself, which goes to the page with it. */
function buffersIn(value: unknown, found = new Set<ArrayBuffer>()): Set<ArrayBuffer> {
  if (ArrayBuffer.isView(value)) {
    if (value.buffer instanceof ArrayBuffer) found.add(value.buffer)
  } else if (typeof value === 'object' && value !== null)
    for (const inner of Object.values(value)) buffersIn(inner, found)
  return found
}

const reply = (message: EngineReply) => {
  self.postMessage(message, { transfer: message.type === 'answer' ? [...buffersIn(message.value)] : [] })
}

async function answer(request: Queued): Promise<void> {
  const { id, kind, work, wish } = request
  const pictures = flags.pictures
  const canWait = givesWay(request, performance.now())
  const isStale = () => flags.isGivenUp(id) || (canWait && flags.pictures !== pictures)
  try {
    if (flags.isGivenUp(id)) throw new Cancelled()
    const value = await session!.answer(kind, work, wish, isStale)
    reply({ type: 'answer', id, value })
  } catch (error) {
    if (error instanceof Cancelled && !flags.isGivenUp(id)) queue.add(request)
    else if (error instanceof Cancelled) reply({ type: 'given-up', id })
    else {
      const message = error instanceof Error ? error.message : String(error)
      reply({ type: 'failed', id, message, isMemory: error instanceof OutOfMemoryError })
    }
  }
}

const turn = new MessageChannel()
/** Lets in what the page has sent meanwhile. */
const listen = () =>
  new Promise<void>((resolve) => {
    turn.port1.onmessage = () => {
      resolve()
    }
    turn.port2.postMessage(0)
  })

async function answerAll(): Promise<void> {
  if (isAnswering) return
  isAnswering = true
  for (let next = queue.take(performance.now()); next; next = queue.take(performance.now())) {
    await answer(next)
    await listen()
  }
  isAnswering = false
}

function enqueue({ id, kind, class: of, wish: { comps, ...wish } }: RequestMessage): void {
  const base = comp!
  const all = comps ? { ...wish, comps: comps.map((patches) => patched(base, patches)) } : wish
  queue.add({
    id,
    kind,
    class: of,
    since: performance.now(),
    wish: all as Wish<Kind>,
    work: { comp: base, media },
  })
  void answerAll()
}

self.onmessage = ({ data }: MessageEvent<EngineMessage>) => {
  switch (data.type) {
    case 'start': {
      const workshop = createKernels(data.memory, data.control, data.workers)
      session = new Session(workshop, loadPassBy(data.files), data.budgetBytes, pageReadings)
      flags = new SharedFlags(data.flags)
      break
    }
    case 'comp':
      comp = data.comp
      break
    case 'patches':
      comp = patched(comp!, data.patches)
      break
    case 'media':
      media = data.media
      break
    case 'request':
      enqueue(data)
      break
    default:
      assertNever(data)
  }
}
