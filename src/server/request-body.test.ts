import * as v from 'valibot'
import { expect, test } from 'vitest'
import { nesting, readBody, readBytes, readJson } from './request-body.ts'

const json = (text: string, type = 'application/json') =>
  new Request('http://zafiro/', { method: 'POST', body: text, headers: { 'content-type': type } })
const status = (work: Promise<unknown>) =>
  work.then(
    () => 200,
    (error: unknown) => (error as { status: number }).status,
  )

test('a body is given up as soon as it is too long, whether it says its length or not', async () => {
  let given = 0
  const endless = new ReadableStream<Uint8Array>({
    pull(controller) {
      given++
      controller.enqueue(new Uint8Array(1000))
    },
  })
  const request = new Request('http://zafiro/', {
    method: 'POST',
    body: endless,
    duplex: 'half',
  } as RequestInit)
  expect(await status(readBytes(request, 5000))).toBe(413)
  expect(given).toBeLessThan(12)
  expect(await status(readBytes(json('x'.repeat(100)), 99))).toBe(413)
  expect((await readBytes(json('abc'), 3)).length).toBe(3)
})

test('only what says that it is JSON is taken as JSON', async () => {
  expect(await readJson(json('{"a":1}'))).toEqual({ a: 1 })
  expect(await readJson(json('{}', 'application/json; charset=utf-8'))).toEqual({})
  for (const type of ['text/plain', '', 'application/jsonp', 'multipart/form-data'])
    expect(await status(readJson(json('{}', type))), type).toBe(415)
  expect(await status(readJson(json('{')))).toBe(400)
})

test('lists are not nested for ever; braces in texts do not count', async () => {
  expect(nesting('{"a":"[[[{{{\\"[["}', 10)).toBe(1)
  expect(nesting('[[[1],2]]', 10)).toBe(3)
  expect(await status(readJson(json(`${'['.repeat(41)}${']'.repeat(41)}`)))).toBe(400)
  expect(await status(readJson(json(`${'['.repeat(40)}${']'.repeat(40)}`)))).toBe(200)
  expect(await status(readJson(json('['.repeat(500_000))))).toBe(400)
})

test('what does not fit is told with its place', async () => {
  const schema = v.object({ first: v.pipe(v.number(), v.integer('wants a whole number')) })
  await expect(readBody(json('{"first":1.5}'), schema)).rejects.toThrow('first: wants a whole number')
})
