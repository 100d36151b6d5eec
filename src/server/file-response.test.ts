import { readdirSync, readlinkSync } from 'node:fs'
import { mkdtemp, rm, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { gunzipSync } from 'node:zlib'
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
  expect([answer.status, await answer.text(), answer.headers.get('content-range')]).toEqual([
    status,
    text,
    said,
  ])
  expect(answer.headers.get('content-length')).toBe(String(text.length))
})

test('what shrinks well is sent packed to those who take it, whole and unchanged; light and small files are not', async () => {
  const objects = Buffer.alloc(3_000_001, 'grotto rock ')
  const light = Buffer.from(Float32Array.from({ length: 500_000 }, (_, i) => Math.sin(i * i)).buffer)
  await writeFile(join(folder, 'objects'), objects)
  await writeFile(join(folder, 'light'), light)
  const ask = async (name: string, headers: Record<string, string>, mayPack = true) => {
    const answer = (await fileResponse(
      new Request('http://here/', { headers }),
      join(folder, name),
      {},
      mayPack,
    ))!
    return {
      packed: answer.headers.get('content-encoding'),
      length: answer.headers.get('content-length'),
      bytes: Buffer.from(await answer.arrayBuffer()),
    }
  }
  const packed = await ask('objects', { 'accept-encoding': 'br, gzip' })
  expect([packed.packed, packed.length]).toEqual(['gzip', null])
  expect(packed.bytes.length).toBeLessThan(objects.length / 20)
  expect(gunzipSync(packed.bytes).equals(objects)).toBe(true)
  for (const [name, headers, bytes] of [
    ['objects', {}, objects],
    ['objects', { 'accept-encoding': 'br, gzip;q=0' }, objects],
    ['objects', { 'accept-encoding': 'gzip', range: 'bytes=0-1999999' }, objects.subarray(0, 2_000_000)],
    ['light', { 'accept-encoding': 'gzip' }, light],
    ['f', { 'accept-encoding': 'gzip' }, Buffer.from('abcdefghij')],
  ] as const) {
    const plain = await ask(name, headers)
    expect([plain.packed, plain.length]).toEqual([null, String(bytes.length)])
    expect(plain.bytes.equals(bytes)).toBe(true)
  }
  // Routes of Next.js, which loses the word that says so: files of a render come as they are.
  const unasked = await ask('objects', { 'accept-encoding': 'gzip' }, false)
  expect([unasked.packed, unasked.bytes.equals(objects)]).toEqual([null, true])
})

test('who has left before the file is open, or after, keeps nothing open', async () => {
  const open = () =>
    readdirSync('/proc/self/fd')
      .map((fd) => {
        try {
          return readlinkSync(`/proc/self/fd/${fd}`)
        } catch {
          return ''
        }
      })
      .filter((path) => path.startsWith(folder))
  await writeFile(join(folder, 'large'), Buffer.alloc(5_000_000))
  const gone = new Request('http://here/', { signal: AbortSignal.abort() })
  await expect(fileResponse(gone, join(folder, 'large'), {})).rejects.toThrow(/aborted/)
  expect(open()).toEqual([])
  const leaving = new AbortController()
  const asked = new Request('http://here/', { signal: leaving.signal })
  const answer = (await fileResponse(asked, join(folder, 'large'), {}))!
  expect(open()).toHaveLength(1)
  leaving.abort()
  await expect(answer.arrayBuffer()).rejects.toThrow()
  await expect.poll(open).toEqual([])
})
