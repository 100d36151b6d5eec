import { mkdtempSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, describe, expect, test } from 'vitest'
import { hostName, hostsOf, isLoopback, protectiveHeaders, refusal } from './guard.ts'
import { Door, keysFile, makeKey, readKeys, startLabel, withdrawKey } from './keys.ts'

const home = mkdtempSync(join(tmpdir(), 'zafiro-keys-'))
afterAll(() => {
  rmSync(home, { recursive: true })
})

describe('the guard', () => {
  const settings = { hosts: hostsOf('127.0.0.1'), isTls: false }
  const ask = (method: string, headers: Record<string, string>, url = '/api/shots') =>
    refusal({ method, url, headers: { host: '127.0.0.1:4310', ...headers } }, settings)?.status

  test('answers to its own names only: a name that was pointed here (DNS rebinding) is a stranger’s', () => {
    for (const host of ['127.0.0.1', 'localhost:4310', 'LOCALHOST', '[::1]:80'])
      expect(ask('GET', { host })).toBeUndefined()
    for (const host of [
      'evil.example',
      '127.0.0.1.evil.example',
      'localhost@evil',
      '',
      '127.0.0.1:80:80',
      '[::1',
      '10.0.0.1',
    ])
      expect(ask('GET', { host }), host).toBe(421)
    expect(hostsOf('studio.example').has('studio.example')).toBe(true)
    expect(hostsOf('0.0.0.0').has('evil.example')).toBe(false)
    expect([isLoopback('::1'), isLoopback('0.0.0.0')]).toEqual([true, false])
    expect(hostName('Example.com:1')).toBe('example.com')
  })
  test('lets nobody’s page but its own write (RFC 6454 Origin, W3C Fetch Metadata)', () => {
    const own = { origin: 'http://127.0.0.1:4310', 'sec-fetch-site': 'same-origin' }
    expect(ask('POST', own)).toBeUndefined()
    // A program that is no browser sends neither.
    expect(ask('DELETE', {})).toBeUndefined()
    for (const method of ['POST', 'PUT', 'PATCH', 'DELETE', 'OPTIONS'])
      for (const headers of [
        { origin: 'http://evil.example' },
        { origin: 'null' },
        { origin: 'https://127.0.0.1:4310' },
        { origin: 'http://127.0.0.1:9999' },
        { 'sec-fetch-site': 'cross-site' },
        { 'sec-fetch-site': 'same-site' },
      ])
        expect(ask(method, headers), `${method} ${JSON.stringify(headers)}`).toBe(403)
  })
  test('lets other pages lead here, but neither read nor frame anything', () => {
    const cross = { 'sec-fetch-site': 'cross-site' }
    const opened = { ...cross, 'sec-fetch-mode': 'navigate', 'sec-fetch-dest': 'document' }
    expect(ask('GET', opened, '/shots/a')).toBeUndefined()
    expect(ask('GET', opened, '/api/shots/a')).toBe(403)
    expect(
      ask('GET', { ...cross, 'sec-fetch-mode': 'no-cors', 'sec-fetch-dest': 'image' }, '/icon.svg'),
    ).toBe(403)
    expect(ask('GET', { ...opened, 'sec-fetch-dest': 'iframe' }, '/shots/a')).toBe(403)
    expect(ask('GET', { 'sec-fetch-site': 'none' }, '/')).toBeUndefined()
  })
  test('says what is wrong with an address instead of failing on it', () => {
    expect(ask('GET', {}, '/api/shots/%E0%A4%A')).toBe(400)
  })
  test('gives headers that keep scripts, frames and foreign eyes out, and the page isolated', () => {
    const headers = protectiveHeaders('abc')
    expect(headers['content-security-policy']).toContain("script-src 'self' 'nonce-abc'")
    expect(headers['content-security-policy']).toContain("frame-ancestors 'none'")
    expect(headers['content-security-policy']).not.toContain("'unsafe-eval'")
    expect(headers).toMatchObject({
      'x-content-type-options': 'nosniff',
      'cross-origin-opener-policy': 'same-origin',
      'cross-origin-embedder-policy': 'require-corp',
      'cross-origin-resource-policy': 'same-origin',
    })
  })
})

describe('keys', () => {
  const path = keysFile(home)
  test('are kept as hashes for their owner alone, found, and withdrawn at once', () => {
    const { key, id } = makeKey(path, 'comp room')
    expect(readFileSync(path, 'utf8')).not.toContain(key)
    expect(statSync(path).mode & 0o077).toBe(0)
    const door = new Door(path)
    expect(door.find(key, 'a')?.label).toBe('comp room')
    door.noteUse(id)
    expect(readKeys(path)[0]!.usedAt).toBeDefined()
    expect(withdrawKey(path, 'nothing')).toBe(false)
    expect(withdrawKey(path, id)).toBe(true)
    expect(door.find(key, 'a')).toBeUndefined()
  })
  test('that a start printed and nobody used go with the next start; used ones stay', () => {
    const first = makeKey(path, startLabel)
    new Door(path).noteUse(first.id)
    makeKey(path, startLabel)
    const third = makeKey(path, startLabel)
    expect(readKeys(path).map((k) => k.id)).toEqual([first.id, third.id])
  })
  test('are not tried for ever: ten wrong tries a minute from one place, and the right one waits too', () => {
    const { key } = makeKey(path, 'x')
    const clock = { now: 0 }
    const door = new Door(path, () => clock.now)
    for (let i = 0; i < 10; i++) expect(door.find(`wrong ${i}`, 'mallory')).toBeUndefined()
    expect([door.isTired('mallory'), door.isTired('alice')]).toEqual([true, false])
    expect(door.find(key, 'mallory')).toBeUndefined()
    expect(door.find(key, 'alice')).toBeDefined()
    clock.now = 61_000
    expect(door.find(key, 'mallory')).toBeDefined()
  })
  test('keep everyone out when their file can not be understood', () => {
    writeFileSync(path, '{')
    expect(() => new Door(path).find('x', 'a')).toThrow()
  })
})
