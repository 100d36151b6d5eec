import { describe, expect, test } from 'vitest'
import { eventStream } from './event-stream.ts'

const told = async (response: Response) => (await response.text()).split('\n\n').filter((t) => t !== '')
const request = (signal?: AbortSignal) => new Request('http://127.0.0.1/', signal ? { signal } : {})

describe('a stream of events', () => {
  test('tells a value at once and whenever it has changed, and ends with the last', async () => {
    const values = [1, 1, 2, 2, 2, 3]
    const stream = eventStream(request(), {
      everyMs: 1,
      look: () => Promise.resolve({ n: values.shift()! }),
      isLast: ({ n }) => n === 3,
    })
    expect(stream.headers.get('content-type')).toBe('text/event-stream')
    expect(await told(stream)).toEqual(['data: {"n":1}', 'data: {"n":2}', 'data: {"n":3}'])
    expect(values).toEqual([])
  })
  test('ends when a look fails, so that the page asks anew', async () => {
    let looks = 0
    const look = () => (++looks < 3 ? Promise.resolve(looks) : Promise.reject(new Error('gone')))
    const stream = eventStream(request(), { everyMs: 1, look, isLast: () => false })
    expect(await told(stream)).toEqual(['data: 1', 'data: 2'])
  })
  test('looks no more once the page has left', async () => {
    const leaving = new AbortController()
    let looks = 0
    const look = () => Promise.resolve(++looks)
    const stream = eventStream(request(leaving.signal), { everyMs: 20, look, isLast: () => false })
    const reading = told(stream)
    setTimeout(() => {
      leaving.abort()
    }, 50)
    await reading
    const then = looks
    await new Promise((resolve) => setTimeout(resolve, 80))
    expect(looks).toBe(then)
  })
})
