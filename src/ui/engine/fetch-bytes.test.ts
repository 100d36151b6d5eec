import { afterEach, expect, test, vi } from 'vitest'
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
  expect(asked.map(({ url }) => url)).toEqual(['/a', '/b', '/c'])
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
