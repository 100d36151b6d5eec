import { createHash } from 'node:crypto'
import { setTimeout as sleep } from 'node:timers/promises'

/** What was answered to requests of people at work, by status; 0 where there was no answer. */
export class Tally {
  readonly statuses = new Map<number, number>()
  /** Answers that must never be given, with what was asked. */
  readonly wrong: string[] = []
  /** Requests that were not answered within their limit. */
  hung = 0

  note(status: number, asked: string, body: unknown): void {
    this.statuses.set(status, (this.statuses.get(status) ?? 0) + 1)
    if (status === 500 && this.wrong.length < 50)
      this.wrong.push(`500 to ${asked}: ${JSON.stringify(body).slice(0, 300)}`)
    const message = (body as { error?: { message?: unknown } } | undefined)?.error?.message
    if (
      status >= 400 &&
      typeof message !== 'string' &&
      !asked.includes('/api/uploads') &&
      this.wrong.length < 50
    )
      this.wrong.push(`${status} without words to ${asked}`)
  }
}

export interface Answer {
  readonly status: number
  readonly data: unknown
  readonly headers: Headers
}

const limitMs = 60_000

/** A client that asks as the page does, and notes every answer. */
export class Client {
  constructor(
    readonly address: string,
    private readonly tally: Tally,
  ) {}

  async ask(
    method: string,
    path: string,
    body?: unknown,
    headers: Record<string, string> = {},
  ): Promise<Answer> {
    const isRaw = body instanceof Uint8Array || typeof body === 'string'
    const began = performance.now()
    try {
      const answer = await fetch(this.address + path, {
        method,
        headers: body === undefined || isRaw ? headers : { 'content-type': 'application/json', ...headers },
        ...(body === undefined ? {} : { body: (isRaw ? body : JSON.stringify(body)) as BodyInit }),
        signal: AbortSignal.timeout(limitMs),
      })
      const bytes = new Uint8Array(await answer.arrayBuffer())
      const type = answer.headers.get('content-type') ?? ''
      const data: unknown = type.includes('json') ? JSON.parse(new TextDecoder().decode(bytes)) : bytes
      this.tally.note(answer.status, `${method} ${path}`, data)
      return { status: answer.status, data, headers: answer.headers }
    } catch {
      if (performance.now() - began > limitMs - 1000) this.tally.hung++
      this.tally.note(0, `${method} ${path}`, { error: { message: '' } })
      return { status: 0, data: undefined, headers: new Headers() }
    }
  }

  /** Sends a file by the upload protocol, in pieces, going on where it broke off; gives back its id, or undefined. */
  async upload(bytes: Uint8Array, piece: number, isOver: () => boolean): Promise<string | undefined> {
    const protocol = { 'tus-resumable': '1.0.0' }
    let url: string | undefined
    let offset = 0
    while (!isOver()) {
      if (url === undefined) {
        const made = await this.ask('POST', '/api/uploads', undefined, {
          ...protocol,
          'upload-length': String(bytes.length),
        })
        if (made.status === 201) [url, offset] = [made.headers.get('location') ?? '', 0]
        else await sleep(300)
        continue
      }
      if (offset >= bytes.length) return url.split('/').at(-1)
      const sent = await this.ask('PATCH', url, bytes.subarray(offset, offset + piece), {
        ...protocol,
        'upload-offset': String(offset),
        'content-type': 'application/offset+octet-stream',
      })
      if (sent.status === 204) {
        offset = Number(sent.headers.get('upload-offset'))
        continue
      }
      await sleep(300)
      const there = await this.ask('HEAD', url, undefined, protocol)
      if (there.status === 200) offset = Number(there.headers.get('upload-offset'))
      else if (there.status === 404 || there.status === 410) url = undefined
    }
    return undefined
  }
}

export const hashOf = (bytes: Uint8Array): string => createHash('sha256').update(bytes).digest('hex')
