import { createHash } from 'node:crypto'
import {
  existsSync,
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  symlinkSync,
  writeFileSync,
} from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeEach, describe, expect, test, vi } from 'vitest'

// Where it keeps things is read from the environment when it is imported.
const { folder } = vi.hoisted(() => {
  const folder = `${process.env['TMPDIR'] ?? '/tmp'}/zafiro-incoming-${process.pid}`
  process.env['ZAFIRO_HOME'] = folder
  process.env['ZAFIRO_INTAKE'] = `${folder}/intake`
  return { folder }
})
const { intakePath, withIncoming } = await import('./incoming.ts')
const { IntakeError } = await import('./media/intake.ts')

const uploads = join(folder, 'uploads')
const bytes = Buffer.from('light of a lamp')
const hash = createHash('sha256').update(bytes).digest('hex')
const outside = mkdtempSync(join(tmpdir(), 'zafiro-outside-'))

beforeEach(() => {
  rmSync(folder, { recursive: true, force: true })
  mkdirSync(join(folder, 'intake', 'day one'), { recursive: true })
  writeFileSync(join(folder, 'intake', 'day one', 'lamp.exr'), bytes)
  writeFileSync(join(outside, 'secret.exr'), 'no')
  symlinkSync(outside, join(folder, 'intake', 'way out'))
})
afterAll(() => {
  for (const path of [folder, outside]) rmSync(path, { recursive: true, force: true })
})

const send = (headers: Record<string, string>, body: Buffer | string | null = bytes) =>
  new Request('http://here/', {
    method: 'POST',
    headers,
    body: body === null ? null : new Uint8Array(Buffer.from(body)),
  })
const pick = (intake: string) => send({ 'content-type': 'application/json' }, JSON.stringify({ intake }))
const read = (request: Request) =>
  withIncoming(request, ({ path, ...rest }) => Promise.resolve({ text: readFileSync(path, 'utf8'), ...rest }))
const left = () => (existsSync(uploads) ? readdirSync(uploads) : [])

describe('a file of the intake folder', () => {
  test('is taken where it lies, and stays there', async () => {
    const taken = await read(pick('day one/lamp.exr'))
    expect(taken).toMatchObject({ text: 'light of a lamp', fileName: 'lamp.exr', isInPlace: true })
    expect(existsSync(join(folder, 'intake', 'day one', 'lamp.exr'))).toBe(true)
  })
  test.each([
    ['../intake/day one/lamp.exr', true],
    ['day one/../../../etc/passwd', false],
    ['way out/secret.exr', false],
    ['/etc/passwd', false],
    ['a\0b', false],
    ['gone.exr', false],
  ])('%j leads out of it or is not there: refused unless it comes back', async (path, isInside) => {
    const asked = intakePath(path)
    if (isInside) expect(await asked).toBe(join(folder, 'intake', 'day one', 'lamp.exr'))
    else await expect(asked).rejects.toMatchObject({ status: expect.toBeOneOf([400, 404]) as number })
  })
  test('that is a folder is told as one', async () => {
    await expect(read(pick('day one'))).rejects.toThrow('day one is a folder. Choose a file.')
  })
})

describe('a file that is sent', () => {
  test('comes with its name, without folders, and when it was changed; nothing of it stays', async () => {
    const headers = {
      'x-file-name': encodeURIComponent('C:\\shot\\Lampe größer.exr'),
      'x-file-modified': '1764000000000',
      'x-content-hash': hash,
    }
    const taken = await read(send(headers))
    expect(taken).toEqual({
      text: 'light of a lamp',
      fileName: 'Lampe größer.exr',
      modifiedMs: 1764000000000,
      isInPlace: false,
    })
    expect(left()).toEqual([])
  })
  test.each([
    [{}, bytes, /does not say its name/],
    [{ 'x-file-name': 'lamp.exr' }, null, /holds no file/],
    [{ 'x-file-name': '100%.exr' }, bytes, /begins no character/],
    [{ 'x-file-name': 'lamp.exr', 'x-content-hash': 'abc' }, bytes, /64 hexadecimal digits/],
    [
      { 'x-file-name': 'lamp.exr', 'x-content-hash': hash },
      Buffer.from('cut'),
      /did not arrive as it was sent/,
    ],
    [{ 'x-file-name': 'lamp.exr', 'x-upload': 'f'.repeat(32) }, null, /with its SHA-256/],
    [
      { 'x-file-name': 'lamp.exr', 'x-upload': '../x', 'x-content-hash': hash },
      null,
      /32 hexadecimal digits/,
    ],
    [
      { 'x-file-name': 'lamp.exr', 'x-upload': 'f'.repeat(32), 'x-content-hash': hash },
      null,
      /not there any more/,
    ],
    [{ 'x-file-name': 'lamp.exr', 'content-length': '999999999' }, bytes, /by the tus protocol/],
  ])('%j is refused in words, and leaves nothing behind', async (headers, body, words) => {
    await expect(read(send(headers as Record<string, string>, body))).rejects.toThrow(words)
    expect(left()).toEqual([])
  })
  test.each(['Infinity', '9e15', 'yesterday'])(
    'changed %s was changed at no time that is known',
    async (text) => {
      const taken = await read(send({ 'x-file-name': 'lamp.exr', 'x-file-modified': text }))
      expect(taken.modifiedMs).toBeUndefined()
    },
  )
})

describe('an upload', () => {
  const id = 'a'.repeat(32)
  const upload = (size: number) => {
    mkdirSync(uploads, { recursive: true })
    writeFileSync(join(uploads, id), bytes)
    writeFileSync(join(uploads, `${id}.json`), JSON.stringify({ id, size, offset: 0, metadata: {} }))
  }
  const request = () => send({ 'x-file-name': 'lamp.exr', 'x-upload': id, 'x-content-hash': hash }, null)
  test('is taken once it is whole, and then gone', async () => {
    upload(bytes.length)
    expect((await read(request())).text).toBe('light of a lamp')
    expect(left()).toEqual([])
  })
  test('that is not whole says how much there is, and stays', async () => {
    upload(100)
    await expect(read(request())).rejects.toThrow('The upload has 15 of 100 bytes. Send the rest first.')
    expect(left()).toHaveLength(2)
  })
  test('stays where it can not be taken for now, and goes where it never can', async () => {
    upload(bytes.length)
    const failing = (error: Error) => withIncoming(request(), () => Promise.reject(error))
    await expect(failing(new Error('The disk is full'))).rejects.toThrow('full')
    expect(left()).toHaveLength(2)
    await expect(failing(new IntakeError('lamp.exr', 'no picture'))).rejects.toThrow('no picture')
    expect(left()).toEqual([])
  })
})
