import { setTimeout as sleep } from 'node:timers/promises'
import * as v from 'valibot'
import { askedAnswer, outputRootsAnswer, renderAnswer, shotsAnswer } from '../contracts/answers.ts'
import { durationWords, paceOf } from '../core/renders/pace.ts'
import { ifThere, type Delivery } from '../core/renders/render-options.ts'
import {
  parseCompression,
  parseFormat,
  parseFrames,
  parseLayers,
  parseSize,
  parseSpace,
} from './render-words.ts'
import { UsageError } from './usage-error.ts'
import { serverAddress } from './worker.ts'

export interface SubmitChoice {
  readonly frames: string
  readonly format: readonly string[]
  readonly only: string
  readonly key?: string | undefined
  readonly scale?: string | undefined
  readonly name?: string | undefined
  readonly layers?: string | undefined
  readonly compression?: string | undefined
  readonly space?: string | undefined
  /** A folder on the server, below one that it allows, that files are put into. */
  readonly into?: string | undefined
  /** What is done where files are there. */
  readonly existing?: string | undefined
  readonly follow?: boolean | undefined
  readonly json?: boolean | undefined
}

const refusal = v.object({ error: v.object({ message: v.string() }) })

/** Asks a server; throws UsageError with what it says. */
async function ask<S extends v.GenericSchema>(
  schema: S,
  address: string,
  key: string | undefined,
  method: string,
  path: string,
  value?: unknown,
): Promise<v.InferOutput<S>> {
  let answer
  try {
    answer = await fetch(`${address}${path}`, {
      method,
      headers: {
        ...(value === undefined ? {} : { 'content-type': 'application/json' }),
        ...(key === undefined ? {} : { authorization: `Bearer ${key}` }),
      },
      ...(value === undefined ? {} : { body: JSON.stringify(value) }),
    })
  } catch {
    throw new UsageError('unreachable', `${address} does not answer`)
  }
  if (answer.status === 401)
    throw new UsageError('key', `${address} wants a valid key: --key …, made there by zafiro key new`)
  const told = (await answer.json().catch(() => undefined)) as unknown
  if (answer.ok) return v.parse(schema, told)
  const found = v.safeParse(refusal, told)
  throw new UsageError(
    'refused',
    found.success ? found.output.error.message : `${address} answered ${answer.status}`,
  )
}

const everyMs = 1000

/** A folder on the server as a root that it allows and what is below that. Throws UsageError. */
async function placeOn(
  address: string,
  key: string | undefined,
  into: string,
  existing = 'replace',
): Promise<Delivery> {
  const there = ifThere.find((one) => one === existing)
  if (!there)
    throw new UsageError('usage', `--existing wants one of ${ifThere.join(', ')}, but met ${existing}`)
  const { roots } = await ask(outputRootsAnswer, address, key, 'GET', '/api/output-roots')
  const root = roots.find((r) => into === r || into.startsWith(`${r}/`))
  if (root === undefined)
    throw new UsageError(
      'usage',
      roots.length === 0
        ? `--into: no folders are open for files on ${address}; it is started with --output-root FOLDER for that`
        : `--into wants a folder in one of ${roots.join(', ')}, but met ${into}`,
    )
  return { root, folder: into.slice(root.length + 1), there }
}

/**
 * `zafiro submit`: has a server render frames of a shot of its own. Gives back how many failed, where it is followed to its end. Throws UsageError.
 */
export async function submit(
  given: string,
  shot: string,
  {
    frames,
    format,
    only,
    key,
    scale,
    name,
    layers,
    compression,
    space,
    into,
    existing,
    follow,
    json,
  }: SubmitChoice,
  say: (line: string) => void,
): Promise<number> {
  const address = serverAddress(given)
  parseFrames(frames)
  const formats = format.map(parseFormat)
  const size = scale === undefined ? 1 : parseSize(scale)
  const { shots } = await ask(shotsAnswer, address, key, 'GET', '/api/shots')
  const found = shots.filter((s) => s.id === shot || s.name === shot)
  if (found.length !== 1)
    throw new UsageError(
      'no-shot',
      found.length === 0
        ? `there is no shot ${shot} on ${address}; there are ${
            shots
              .slice(0, 20)
              .map((s) => s.name)
              .join(', ') || 'none'
          }`
        : `${found.length} shots are named ${shot}; give the id of one: ${found.map((s) => s.id).join(', ')}`,
    )
  const wanted = parseLayers(layers)
  const packed = compression === undefined ? {} : { compression: parseCompression(compression) }
  const deliver = into === undefined ? {} : { deliver: await placeOn(address, key, into, existing) }
  const options = {
    ...(size === 1 ? {} : { size }),
    ...(Object.keys(wanted).length > 0 ? { layers: wanted } : {}),
    ...(name === undefined ? {} : { name }),
    ...packed,
    ...(space === undefined ? {} : { space: parseSpace(space) }),
    ...deliver,
  }
  const asked = await ask(askedAnswer, address, key, 'POST', `/api/shots/${found[0]!.id}/renders`, {
    frames,
    only,
    formats,
    options,
  })
  if (json) say(JSON.stringify({ event: 'submitted', render: asked.id, frames: asked.frames }))
  else
    say(
      asked.id === null
        ? 'Nothing to do: all of these frames are there.'
        : `${asked.id}: ${asked.frames} frames`,
    )
  if (!follow || asked.id === null) return 0
  for (let told = ''; ;) {
    const render = await ask(renderAnswer, address, key, 'GET', `/api/renders/${asked.id}`)
    const count = (...states: string[]) => render.frames.filter((f) => states.includes(f.state)).length
    const [done, failed, left] = [count('done'), count('failed', 'cancelled'), count('waiting', 'working')]
    const times = render.frames
      .flatMap((f) => (f.finishedAt ? [Date.parse(f.finishedAt)] : []))
      .sort((a, b) => a - b)
    const pace = paceOf(times, left)
    const words = json
      ? JSON.stringify({ event: 'progress', done, failed, left })
      : `${done} of ${render.frames.length} frames${failed > 0 ? `, ${failed} failed` : ''}${left > 0 && pace ? `, about ${durationWords(pace.leftMs)} left` : ''}`
    if (words !== told) say(words)
    told = words
    if (left > 0) {
      await sleep(everyMs)
      continue
    }
    for (const { frame, state, problem } of render.frames)
      if (problem !== null && !json) say(`frame ${frame} ${state}: ${problem}`)
    return failed
  }
}
