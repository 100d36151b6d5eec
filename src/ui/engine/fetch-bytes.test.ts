import { afterEach, expect, test, vi } from 'vitest'
import { Cancelled } from '../../core/cancelled.ts'
import { bytesBy, requestedBytes } from './fetch-bytes.ts'
import type { BytesReply, BytesWanted } from './messages.ts'

afterEach(() => {
  vi.unstubAllGlobals()
})

test('each who asks gets what it asked for, in whatever order it comes, and hears what fails', async () => {
  const asked: BytesWanted[] = []
  const port: {
    onmessage: ((event: MessageEvent<BytesReply>) => void) | null
    postMessage(message: BytesWanted): void
  } = { onmessage: null, postMessage: (message) => asked.push(message) }
  const bytesOf = bytesBy(port)
  const answers = [bytesOf('/a'), bytesOf('/b'), bytesOf('/c')]
  expect(asked).toEqual(['/a', '/b', '/c'].map((url, i) => ({ id: i + 1, url })))
  const say = (data: BytesReply) => {
    port.onmessage!({ data } as MessageEvent<BytesReply>)
  }
  const [a, b, c] = asked.map(({ id }) => id) as [number, number, number]
  say({ id: c, bytes: new ArrayBuffer(3) })
  say({ id: b, error: 'The file is gone.' })
  say({ id: a, bytes: new ArrayBuffer(1) })
  await expect(answers[0]).resolves.toHaveProperty('byteLength', 1)
  await expect(answers[1]).rejects.toThrow('The file is gone.')
  await expect(answers[2]).resolves.toHaveProperty('byteLength', 3)
  // One that is not waited for any more disturbs nobody.
  say({ id: a, bytes: new ArrayBuffer(9) })
  // Whoever gives up is told so at once, and the one who fetches too; once it is there there is nothing to give up.
  const left = new AbortController()
  const lost = bytesOf('/d', left.signal)
  const kept = bytesOf('/e', left.signal)
  const [d, e] = asked.slice(3).map(({ id }) => id) as [number, number]
  say({ id: e, bytes: new ArrayBuffer(5) })
  left.abort()
  await expect(lost).rejects.toBeInstanceOf(Cancelled)
  await expect(kept).resolves.toHaveProperty('byteLength', 5)
  expect(asked.slice(5)).toEqual([{ id: d, isGivenUp: true }])
  say({ id: d, bytes: new ArrayBuffer(4) })
})

test('what the service says is passed on, and where it says nothing, its number', async () => {
  const respond = (body: BodyInit, status: number) => {
    vi.stubGlobal('fetch', () => Promise.resolve(new Response(body, { status })))
  }
  respond(Uint8Array.of(1, 2), 200)
  expect(new Uint8Array(await requestedBytes('/x'))).toEqual(Uint8Array.of(1, 2))
  respond(JSON.stringify({ error: { message: 'Frame 7 is damaged.' } }), 422)
  await expect(requestedBytes('/x')).rejects.toThrow('Frame 7 is damaged.')
  respond('<html>', 502)
  await expect(requestedBytes('/x')).rejects.toThrow('502')
})
