import { mkdtemp, rm, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, expect, test } from 'vitest'
import { fileResponse } from './file-response.ts'

let folder: string
beforeAll(async () => {
  folder = await mkdtemp(join(tmpdir(), 'zafiro-file-'))
  await writeFile(join(folder, 'f'), 'abcdefghij')
})
afterAll(() => rm(folder, { recursive: true }))

// RFC 9110, 14: a range that can not be understood, or begins beyond the end, may be answered with the whole.
test.each([
  [undefined, 200, 'abcdefghij', null],
  ['bytes=2-4', 206, 'cde', 'bytes 2-4/10'],
  ['bytes=7-', 206, 'hij', 'bytes 7-9/10'],
  ['bytes=8-99', 206, 'ij', 'bytes 8-9/10'],
  ['bytes=4-2', 200, 'abcdefghij', null],
  ['bytes=40-50', 200, 'abcdefghij', null],
  ['bytes=0-1,4-5', 200, 'abcdefghij', null],
] as const)('a file by %s', async (range, status, text, said) => {
  const request = new Request('http://here/f', range ? { headers: { range } } : {})
  const answer = (await fileResponse(request, join(folder, 'f'), { 'content-type': 'text/plain' }))!
  expect([answer.status, await answer.text(), answer.headers.get('content-range')]).toEqual([status, text, said]) // prettier-ignore
  expect(answer.headers.get('content-length')).toBe(String(text.length))
})
