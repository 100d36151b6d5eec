import { execFileSync, spawn } from 'node:child_process'
import { mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { join, resolve } from 'node:path'
import { setTimeout as sleep } from 'node:timers/promises'
import { By, type WebDriver } from 'selenium-webdriver'
import * as v from 'valibot'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { outputFormats } from '../src/core/formats/write-picture.ts'
import { routes } from '../src/server/contracts.ts'
import { Random } from '../trials/random.ts'
import { frameFile } from '../trials/workload.ts'
import { clickOn, find, home as otherHome, openBrowser, startApp, textOf, waitFor, type App } from './app.ts'
import { someJson, someQuery } from './odd-values.ts'

const home = `${otherHome}-trust`
let app: App
let driver: WebDriver
let shot = ''

beforeAll(async () => {
  rmSync(home, { recursive: true, force: true })
  app = await startApp(['--empty', '--home', home])
  driver = await openBrowser()
  const made = await fetch(`${app.address}/api/shots`, {
    method: 'POST',
    headers: { 'x-file-name': 'bell.0001.exr' },
    body: frameFile(64, 36, 5) as BodyInit,
  })
  shot = ((await made.json()) as { id: string }).id
})
afterAll(async () => {
  await driver.quit()
  await app.stop()
})
const countRenders = async () =>
  ((await (await fetch(`${app.address}/api/shots/${shot}/renders`)).json()) as { renders: unknown[] }).renders
    .length
const read = async () =>
  (await (await fetch(`${app.address}/api/shots/${shot}`)).json()) as Record<string, unknown>

test('no route fails on anything that fits its contract, or does not: it answers with words', async () => {
  const random = new Random(20261127)
  const render = (await (
    await fetch(`${app.address}/api/shots/${shot}/renders`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ frames: '1', formats: [outputFormats[0]] }),
    })
  ).json()) as { id: string }
  const hash = Object.values(
    (await read())['media'] as Record<string, { frames: Record<number, string> }>,
  )[0]!.frames[1]!
  const ids: Record<string, readonly string[]> = {
    shot: [shot, shot, 'nothing', '%00', 'x'.repeat(300), '%F0%9F%92%A1', "'", '..%2F..'],
    render: [render.id, 'nothing', '%00', "'; drop table shots"],
    hash: [hash, '0'.repeat(64), 'zz', '..%2f..%2fkeys.json'],
    pass: ['beauty', 'nothing', 'a%25b', '%00', '..%2F..%2Fx'],
    still: ['nothing', '%00'],
    frame: ['1', '-7', 'x', '%00'],
    recipe: ['nothing', '%00', '0'.repeat(12)],
    seat: ['here', 'nothing', '%00', '..%2F..'],
    name: ['x.exr', '..%2F..%2Frunning.json', '%00'],
  }
  const failures: string[] = []
  let count = 0
  let readByContract = 0
  for (let i = 0; i < 900; i++) {
    const route = routes[i % routes.length]!
    const path =
      route.path.replace(/\{(\w+)\}/g, (_, key: string) => random.pick(ids[key]!)) +
      someQuery(route.query, random)
    const isFile = route.takesFile && random.below(2) === 0
    const type = random.pick(['application/json', 'application/json', 'application/json', 'text/plain', ''])
    const headers: Record<string, string> = {
      ...(isFile
        ? {
            'x-file-name': random.pick([
              'a.exr',
              'x.20261127133552.png',
              '%',
              '%F0%9F%92%A1.png',
              'y'.repeat(300),
            ]),
          }
        : {}),
      ...(isFile && random.below(3) === 0
        ? { 'x-upload': random.pick(['zz', 'a'.repeat(32)]), 'x-content-hash': 'b'.repeat(64) }
        : {}),
      ...(!isFile && type !== '' ? { 'content-type': type } : {}),
    }
    const body =
      route.method === 'GET' || route.method === 'HEAD' || route.method === 'DELETE'
        ? undefined
        : isFile
          ? new Uint8Array(random.below(50))
          : someJson(route.body, random)
    const answer = await fetch(app.address + path, {
      method: route.method,
      headers,
      ...(body === undefined ? {} : { body }),
      signal: AbortSignal.timeout(20_000),
    })
    const text = route.isStream && answer.ok ? (await answer.body?.cancel(), '') : await answer.text()
    count++
    const asked = `${route.method} ${path.slice(0, 120)} ${typeof body === 'string' ? body.slice(0, 120) : ''}`
    if (answer.status >= 500 && answer.status !== 507)
      failures.push(`${answer.status} to ${asked}: ${text.slice(0, 200)}`)
    else if (
      !answer.ok &&
      answer.status !== 304 &&
      route.method !== 'HEAD' &&
      !/"message":"[^"]{8,}/.test(text)
    )
      failures.push(`${answer.status} without words to ${asked}: ${text.slice(0, 100)}`)
    else if (answer.ok && route.answer && !v.is(route.answer, JSON.parse(text))) {
      failures.push(`not by its contract, to ${asked}: ${text.slice(0, 200)}`)
    } else if (answer.ok && route.answer) readByContract++
  }
  expect(failures).toEqual([])
  expect(count).toBe(900)
  expect(readByContract).toBeGreaterThan(60)
  expect((await read())['id']).toBe(shot)
}, 120_000)

test('endless and deep bodies are given up early, and good requests are answered meanwhile', async () => {
  const big = new ReadableStream<Uint8Array>({
    pull(controller) {
      controller.enqueue(new Uint8Array(1e6).fill(0x5b))
    },
  })
  const began = performance.now()
  const sent = fetch(`${app.address}/api/shots/${shot}/comp`, {
    method: 'PUT',
    headers: { 'content-type': 'application/json' },
    body: big,
    duplex: 'half',
  } as RequestInit).then(
    (answer) => answer.status,
    () => 413,
  )
  expect((await fetch(`${app.address}/api/health`)).ok).toBe(true)
  expect(await sent).toBe(413)
  expect(performance.now() - began).toBeLessThan(15_000)
})

test('asking only for the head of a large pass keeps no file open', async () => {
  const server = (
    JSON.parse(readFileSync(join(home, 'running.json'), 'utf8')) as { parts: { name: string; pid: number }[] }
  ).parts.find((p) => p.name === 'web server')!
  const hash = Object.values(
    (await read())['media'] as Record<string, { frames: Record<number, string> }>,
  )[0]!.frames[1]!
  const open = () =>
    execFileSync('sh', ['-c', `ls /proc/${server.pid}/fd | wc -l`], { encoding: 'utf8' }).trim()
  const ask = async (method: string) => {
    const answer = await fetch(`${app.address}/api/passes/${hash}/beauty`, { method })
    expect(answer.status).toBe(200)
    await answer.body?.cancel()
  }
  await ask('HEAD')
  const before = Number(open())
  for (let i = 0; i < 120; i++) await ask(i % 3 === 0 ? 'GET' : 'HEAD')
  await expect.poll(() => Number(open()), { timeout: 5000 }).toBeLessThan(before + 20)
})

describe('a hostile page of another origin', () => {
  let hostile: Server
  let hostileAddress = ''
  beforeAll(async () => {
    hostile = createServer((_, response) => {
      response.setHeader('content-type', 'text/html')
      response.end('<title>hostile</title><body></body>')
    })
    await new Promise<void>((resolve) => hostile.listen(0, '127.0.0.1', resolve))
    hostileAddress = `http://localhost:${(hostile.address() as AddressInfo).port}`
  })
  afterAll(() => {
    hostile.close()
  })

  test('can neither read, frame nor change anything while a shot is open in the next tab', async () => {
    await driver.get(`${app.address}/shots/${shot}`)
    await find(driver, '[data-testid=picture]')
    const before = await read()
    const rendersBefore = await countRenders()
    await driver.switchTo().newWindow('tab')
    await driver.get(hostileAddress)
    const results = await driver.executeAsyncScript<Record<string, string>>(
      `const [base, shot, done] = arguments
       const results = {}
       const wait = (ms) => new Promise((r) => setTimeout(r, ms))
       const attempt = async (name, work) => { try { results[name] = String(await work()) } catch (e) { results[name] = 'blocked' } }
       const load = (tag, url) => new Promise((resolve) => {
         const element = document.createElement(tag)
         element.onload = () => resolve('loaded'); element.onerror = () => resolve('blocked')
         element.src = url; document.body.append(element); setTimeout(() => resolve('blocked'), 3000)
       })
       ;(async () => {
         await attempt('read', async () => (await fetch(base + '/api/shots/' + shot)).text())
         await attempt('text post', async () => (await fetch(base + '/api/shots/' + shot + '/renders', { method: 'POST', mode: 'no-cors', headers: { 'content-type': 'text/plain' }, body: '{"first":1,"last":1,"formats":["exr"]}' })).type)
         await attempt('upload', async () => (await fetch(base + '/api/uploads', { method: 'POST', mode: 'no-cors' })).type)
         await attempt('beacon', async () => navigator.sendBeacon(base + '/api/shots/' + shot + '/renders', new Blob(['{"first":1,"last":1,"formats":["exr"]}'], { type: 'text/plain' })))
         await attempt('put', async () => (await fetch(base + '/api/shots/' + shot + '/comp', { method: 'PUT', body: '{}' })).status)
         await attempt('picture', () => load('img', base + '/api/shots/' + shot + '/thumbnail'))
         await attempt('script', () => load('script', base + '/api/shots/' + shot))
         await attempt('frame', async () => { await load('iframe', base + '/shots/' + shot); try { return document.querySelector('iframe').contentDocument ? 'blank' : 'foreign' } catch { return 'foreign' } })
         const form = document.createElement('form')
         form.method = 'post'; form.enctype = 'text/plain'; form.target = 'there'; form.action = base + '/api/shots/' + shot + '/renders'
         const frame = document.createElement('iframe'); frame.name = 'there'; document.body.append(form, frame); form.submit()
         await wait(1000)
         const other = window.open(base + '/shots/' + shot)
         // Until the shot's page is there the new window holds an empty page of the opener's own origin.
         const until = Date.now() + 20000
         do {
           await wait(200)
           await attempt('window', async () => other === null || other.closed || other.document.title)
         } while (results.window === '' && Date.now() < until)
         done(results)
       })()`,
      app.address,
      shot,
    )
    expect(results['read']).toBe('blocked')
    expect(results['put']).toBe('blocked')
    expect(results['picture']).toBe('blocked')
    expect(results['script']).toBe('blocked')
    expect(['blocked', 'true']).toContain(results['window'])
    // What no page can be kept from sending was refused.
    expect(await countRenders()).toBe(rendersBefore)
    const { savedAt: a, ...now } = await read()
    const { savedAt: b, ...then } = before
    expect([now, a]).toEqual([then, b])
    const uploads = await fetch(`${app.address}/api/uploads`, {
      method: 'POST',
      headers: { origin: hostileAddress },
    })
    expect(uploads.status).toBe(403)
    for (const handle of (await driver.getAllWindowHandles()).slice(1)) {
      await driver.switchTo().window(handle)
      await driver.close()
    }
    await driver.switchTo().window((await driver.getAllWindowHandles())[0]!)
    expect(await textOf(driver, '[data-testid=save-state]')).toMatch(/^saved/)
  })

  test('reaches nothing by pointing a name of its own here', () => {
    for (const host of ['evil.example', `127.0.0.1.evil.example:${new URL(app.address).port}`]) {
      const status = execFileSync(
        'curl',
        [
          '-s',
          '-o',
          '/dev/null',
          '-w',
          '%{http_code}',
          '-H',
          `Host: ${host}`,
          `${app.address}/api/shots/${shot}`,
        ],
        { encoding: 'utf8' },
      )
      expect(status).toBe('421')
    }
  })
})

test('what the server will not take is said with its place, and can be kept as a file', async () => {
  const folder = resolve(home, 'downloads')
  mkdirSync(folder, { recursive: true })
  await (
    driver as unknown as { sendDevToolsCommand(name: string, value: object): Promise<void> }
  ).sendDevToolsCommand('Browser.setDownloadBehavior', { behavior: 'allow', downloadPath: folder })
  await driver.get(`${app.address}/shots/${shot}`)
  await find(driver, '[data-testid=picture]')
  // A lane whose name ends in half a character, as no field of the page gives it.
  await driver.executeScript(
    `const original = window.fetch
     window.fetch = (path, init) => original(path, init && init.method === 'PUT' && String(path).endsWith('/comp')
       ? { ...init, body: init.body.replace(/"name":"[^"]*"/, '"name":"x\\\\ud83d"') } : init)`,
  )
  await clickOn(driver, '//button[contains(., "Colour lane")]')
  await waitFor(driver, 'the refusal', async () =>
    (await textOf(driver, '[role=alert]')).includes('half a character'),
  )
  expect(await textOf(driver, '[data-testid=save-state]')).toBe('not saved')
  await clickOn(driver, '//button[contains(., "Keep as a file")]')
  const file = await waitFor(driver, 'the file', async () => {
    await sleep(50)
    return (
      execFileSync('sh', ['-c', `ls '${folder}'/*.comp.json 2>/dev/null || true`], {
        encoding: 'utf8',
      }).trim() || undefined
    )
  })
  expect((JSON.parse(readFileSync(file, 'utf8')) as { lanes: unknown[] }).lanes).toHaveLength(2)
  await driver.navigate().refresh()
})

test('two tabs that send the same large file at once both bring it in whole, and a broken one goes on', async () => {
  const bytes = frameFile(2400, 1900, 9)
  expect(bytes.length).toBeGreaterThan(33e6)
  const path = resolve(home, 'large.0001.exr')
  writeFileSync(path, bytes)
  const send = async () => {
    await driver.get(`${app.address}/shots/${shot}`)
    const input = await find(driver, 'input[type=file]')
    await driver.executeScript("arguments[0].classList.remove('hidden')", input)
    await input.sendKeys(path)
  }
  await driver.switchTo().newWindow('tab')
  await send()
  await driver.switchTo().newWindow('tab')
  await send()
  const { hashOf } = await import('../trials/client.ts')
  const hash = hashOf(bytes)
  await waitFor(driver, 'the file in the shot', async () => {
    const { media } = (await read()) as {
      media: Record<string, { name: string; frames: Record<number, string> }>
    }
    return Object.values(media).some((m) => m.name === 'large' && m.frames[1] === hash)
  })
  await waitFor(driver, 'no upload left over', () =>
    Promise.resolve(
      execFileSync('sh', ['-c', `ls '${home}/uploads' | wc -l`], { encoding: 'utf8' }).trim() === '0',
    ),
  )
  expect(hashOf(readFileSync(join(home, 'store', hash.slice(0, 2), hash)))).toBe(hash)
  for (const handle of (await driver.getAllWindowHandles()).slice(1)) {
    await driver.switchTo().window(handle)
    await driver.close()
  }
  await driver.switchTo().window((await driver.getAllWindowHandles())[0]!)
})

test('a second start says that the first one runs; a part that is killed is back, and says so while it crashes', async () => {
  const second = execFileSync(process.execPath, ['scripts/start.mjs', '--empty', '--home', home], {
    encoding: 'utf8',
  })
  expect(second).toContain(`Zafiro is running already: ${app.address}`)
  const part = (name: string) =>
    (
      JSON.parse(readFileSync(join(home, 'running.json'), 'utf8')) as {
        parts: { name: string; pid: number }[]
      }
    ).parts.find((p) => p.name === name)
  for (let i = 0; i < 4; i++) {
    const { pid } = await waitFor(driver, 'the render worker', () => Promise.resolve(part('render worker')))
    process.kill(pid, 'SIGKILL')
    await expect.poll(() => part('render worker')?.pid ?? pid, { timeout: 8000, interval: 50 }).not.toBe(pid)
  }
  await driver.get(`${app.address}/shots/${shot}`)
  await waitFor(driver, 'the notice', async () =>
    (await textOf(driver, '[role=status]')).includes('render worker stopped'),
  )
})

describe('open to a network', () => {
  const networkHome = `${home}-network`
  let open: App
  let output = ''
  beforeAll(async () => {
    rmSync(networkHome, { recursive: true, force: true })
    mkdirSync(networkHome, { recursive: true })
    execFileSync(
      'openssl',
      [
        'req',
        '-x509',
        '-newkey',
        'rsa:2048',
        '-nodes',
        '-days',
        '2',
        '-subj',
        '/CN=zafiro',
        '-keyout',
        join(networkHome, 'k.pem'),
        '-out',
        join(networkHome, 'c.pem'),
      ],
      { stdio: 'ignore' },
    )
    open = await startApp(
      [
        '--empty',
        '--home',
        networkHome,
        '--host',
        '0.0.0.0',
        '--tls-cert',
        join(networkHome, 'c.pem'),
        '--tls-key',
        join(networkHome, 'k.pem'),
      ],
      (text) => (output += text),
    )
  })
  afterAll(() => open.stop())
  const curl = (path: string, ...args: string[]) =>
    execFileSync('curl', ['-sk', '-o', '/dev/null', '-w', '%{http_code}', ...args, open.address + path], {
      encoding: 'utf8',
    })

  test('it asks for a key, takes it once by a link, keeps it as a strict cookie, and withdraws it at once', async () => {
    expect(open.address).toMatch(/^https:/)
    for (const path of ['/', '/api/shots/x', '/api/uploads', '/api/intake'])
      expect(curl(path), path).toBe('401')
    expect(curl('/api/health')).toBe('200')
    const link = /https:\S+\/enter#\S+/.exec(output)![0]
    const browser = await openBrowser(['--ignore-certificate-errors'])
    try {
      await browser.get(link)
      await waitFor(browser, 'the list of shots', async () => (await textOf(browser, 'h1')) === 'Zafiro')
      expect(
        await browser.executeScript(
          'return [isSecureContext, crossOriginIsolated, document.cookie, location.hash]',
        ),
      ).toEqual([true, true, '', ''])
      const [cookie] = await browser.manage().getCookies()
      expect(cookie).toMatchObject({ name: 'zafiro-key', httpOnly: true, secure: true, sameSite: 'Strict' })
      const key = (...args: string[]) =>
        execFileSync(process.execPath, ['bin/zafiro.mjs', 'key', ...args, '--home', networkHome], {
          encoding: 'utf8',
        })
      const listed = key('list')
      expect(listed).toContain('used 20')
      key('withdraw', listed.slice(0, 8))
      await browser.get(open.address)
      await find(browser, 'input[name=key]')
      const [id, made] = key('new', '--label', 'grading').trim().split(/\s+/)
      expect(id).toHaveLength(8)
      await (await browser.findElement(By.css('input[name=key]'))).sendKeys(made!)
      await (await browser.findElement(By.css('button'))).click()
      await waitFor(browser, 'the list of shots', async () => (await textOf(browser, 'h1')) === 'Zafiro')
    } finally {
      await browser.quit()
    }
  })
  test('wrong keys are counted: after ten in a minute nothing is looked at', () => {
    const tries = Array.from({ length: 12 }, (_, i) => curl('/', '-H', `Cookie: zafiro-key=wrong${i}`))
    expect(tries.at(-1)).toBe('429')
    expect(tries.filter((status) => status !== '401' && status !== '429')).toEqual([])
  })
})

describe('short trials', () => {
  const run = (program: string, ...args: string[]) =>
    new Promise<{ status: number | null; output: string }>((resolve) => {
      const child = spawn(process.execPath, [join('dist', program), ...args], {
        stdio: ['ignore', 'pipe', 'pipe'],
      })
      let output = ''
      const keep = (data: Buffer) => (output += data.toString())
      child.stdout.on('data', keep)
      child.stderr.on('data', keep)
      child.on('exit', (status) => {
        resolve({ status, output: output.slice(-6000) })
      })
    })
  test('2,000 damaged files of every format: none crashes, hangs or is taken wrongly', async () => {
    const { status, output } = await run('fuzz.mjs', '--files', '2000', '--seed', '4')
    expect(status, output).toBe(0)
  }, 90_000)
  test('kills, restarts, a full disk and a clock that is set: nothing acknowledged is lost', async () => {
    const { status, output } = await run('chaos.mjs', '--minutes', '0.3', '--seed', '9')
    expect(status, output).toBe(0)
  }, 180_000)
})
