import * as v from 'valibot'
import { RequestError } from './request-error.ts'

const megabyte = 1e6
/** JSON of most routes is small; what is larger says so. */
const usualBytes = megabyte
/** Deeper than any document that is taken here. */
const deepest = 40

const sizeText = (bytes: number) => (bytes >= megabyte ? `${bytes / megabyte} MB` : `${bytes / 1e3} kB`)

/** A body, given up as soon as it is longer than `most`. Throws RequestError 413. */
export async function readBytes(request: Request, most: number): Promise<Uint8Array<ArrayBuffer>> {
  const tooLong = () =>
    new RequestError(413, `The request is longer than the ${sizeText(most)} that are taken here.`)
  const told = Number(request.headers.get('content-length') ?? 0)
  if (told > most) throw tooLong()
  const parts: Uint8Array[] = []
  let length = 0
  const reader = request.body?.getReader() as ReadableStreamDefaultReader<Uint8Array> | undefined
  for (;;) {
    const next = await reader?.read()
    if (!next || next.done) break
    length += next.value.byteLength
    if (length > most) {
      await reader?.cancel().catch(() => undefined)
      throw tooLong()
    }
    parts.push(next.value)
  }
  const bytes = new Uint8Array(length)
  let at = 0
  for (const part of parts) {
    bytes.set(part, at)
    at += part.byteLength
  }
  return bytes
}

/** How deep lists and objects lie in each other in JSON text, up to where it is too deep. */
export function nesting(text: string, most: number): number {
  let [depth, found] = [0, 0]
  let isText = false
  for (let i = 0; i < text.length; i++) {
    const c = text.charCodeAt(i)
    if (isText) {
      if (c === 0x5c) i++
      else if (c === 0x22) isText = false
    } else if (c === 0x22) isText = true
    else if (c === 0x7b || c === 0x5b) {
      found = Math.max(found, ++depth)
      if (found > most) return found
    } else if (c === 0x7d || c === 0x5d) depth--
  }
  return found
}

/**
 * JSON from a request body. A page of a stranger can send plain text without being asked, so the kind must be said.
 * Throws RequestError.
 */
export async function readJson(request: Request, mostBytes = usualBytes): Promise<unknown> {
  const type = request.headers.get('content-type') ?? ''
  if (!/^application\/json\s*(?:;|$)/i.test(type))
    throw new RequestError(
      415,
      `This wants JSON with the content type application/json, but met ${type || 'none'}.`,
    )
  const bytes = await readBytes(request, mostBytes)
  let text
  try {
    text = new TextDecoder('utf-8', { fatal: true }).decode(bytes)
  } catch {
    throw new RequestError(400, 'The request does not hold text in UTF-8.')
  }
  if (nesting(text, deepest) > deepest)
    throw new RequestError(400, `The JSON of the request is nested more than ${deepest} deep.`)
  try {
    return JSON.parse(text) as unknown
  } catch {
    throw new RequestError(400, 'The request does not hold JSON.')
  }
}

/** A body that fits a contract. Throws RequestError that says what does not fit, and where. */
export async function readBody<T extends v.GenericSchema>(
  request: Request,
  schema: T,
  mostBytes = usualBytes,
): Promise<v.InferOutput<T>> {
  return fitting(schema, await readJson(request, mostBytes))
}

/** A value that fits a contract; of an address, its query as an object of texts. Throws RequestError. */
export function fitting<T extends v.GenericSchema>(schema: T, value: unknown): v.InferOutput<T> {
  const result = v.safeParse(schema, value)
  if (result.success) return result.output
  const said = result.issues.slice(0, 3).map((issue) => {
    const path = v.getDotPath(issue)
    return path === null ? issue.message : `${path}: ${issue.message}`
  })
  throw new RequestError(400, `The request does not fit: ${said.join('; ')}.`)
}

/** The query of a request as an object. */
export const queryOf = (request: Request): Record<string, string> =>
  Object.fromEntries(new URL(request.url).searchParams)
