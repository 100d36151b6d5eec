import { mkdirSync, rmSync, writeFileSync } from 'node:fs'
import { resolve } from 'node:path'
import { By, Key, type WebDriver } from 'selenium-webdriver'
import sharp from 'sharp'
import { afterAll, beforeAll, expect, test } from 'vitest'
import type { Comp } from '../src/core/comp/schema.ts'
import { writeExr } from '../src/core/formats/exr-write.ts'
import { numberToHalf } from '../src/core/picture/half.ts'
import { nodeZlib } from '../src/server/media/node-zlib.ts'
import {
  attributeOf,
  find,
  home as otherHome,
  openBrowser,
  startApp,
  textOf,
  waitFor,
  type App,
} from './app.ts'

const home = `${otherHome}-foreign`
let app: App
let driver: WebDriver
beforeAll(async () => {
  rmSync(home, { recursive: true, force: true })
  app = await startApp(['--empty', '--home', home])
  driver = await openBrowser()
})
afterAll(async () => {
  await driver.quit()
  await app.stop()
})

/** A hall of pillars under an empty sky, as a renderer writes it that has its own value for nothing. */
function hall(miss: number): Uint8Array {
  const [width, height] = [192, 108]
  const all = (value: (x: number, y: number) => number) =>
    Array.from({ length: width * height }, (_, i) => value(i % width, Math.floor(i / width)))
  const isSky = (x: number, y: number) => y < 40 && x % 48 > 14
  const depth = (x: number, y: number) =>
    x % 48 <= 14 && y < 80 ? 6 + Math.floor(x / 48) * 12 : 400 / Math.max(6, y - 34)
  const window = [0, 0, width - 1, height - 1] as const
  return writeExr(
    {
      dataWindow: window,
      displayWindow: window,
      compression: 'zip',
      channels: [
        ...['R', 'G', 'B', 'A'].map((name, c) => ({
          name,
          type: 'half' as const,
          values: Uint16Array.from(
            all((x, y) => (name === 'A' ? 1 : isSky(x, y) ? 0.6 : 0.1 + 0.05 * c)),
            numberToHalf,
          ),
        })),
        {
          name: 'Z',
          type: 'float' as const,
          values: Float32Array.from(all((x, y) => (isSky(x, y) ? miss : depth(x, y)))),
        },
      ],
    },
    nodeZlib,
  )
}

test.each([1e10, 65504, 0])(
  'a depth that has %d where nothing was hit gives a believable mist by / fog Enter, and is saved',
  async (miss) => {
    const file = resolve(home, `hall-${miss}.exr`)
    writeFileSync(file, hall(miss))
    const made = await fetch(`${app.address}/api/shots`, {
      method: 'POST',
      headers: { 'x-file-name': `hall ${miss}.exr` },
      body: hall(miss) as BodyInit,
    })
    const { id } = (await made.json()) as { id: string }
    await driver.get(`${app.address}/shots/${id}`)
    await waitFor(
      driver,
      'the picture',
      async () => (await attributeOf(driver, '[data-testid=picture]', 'data-settled')) === 'true',
    )
    await driver.actions().sendKeys('/').perform()
    await find(driver, 'dialog[open] input')
    await driver.actions().sendKeys('fog', Key.ENTER).perform()
    const saved = async () =>
      ((await (await fetch(`${app.address}/api/shots/${id}`)).json()) as { comp: Comp }).comp
    const step = await waitFor(driver, 'the saved mist', async () =>
      (await saved()).lanes[0]?.steps.find((s) => s.effect === 'depth-mist'),
    )
    await waitFor(driver, 'the save', async () =>
      (await textOf(driver, '[data-testid=save-state]')).startsWith('saved'),
    )
    const [near, far] = [step.dials['near'] as number, step.dials['far'] as number]
    // The marks lie where the hall is: its pillars stand from 6 to 42, its floor reaches to about 67.
    expect(near).toBeGreaterThanOrEqual(3)
    expect(near).toBeLessThan(25)
    expect(far).toBeGreaterThan(25)
    expect(far).toBeLessThan(140)
    const { media } = (await (await fetch(`${app.address}/api/shots/${id}`)).json()) as {
      media: Record<string, { passes: { name: string; detail?: { miss?: number } }[] }>
    }
    expect(Object.values(media)[0]!.passes.find((p) => p.name === 'depth')!.detail!.miss).toBe(miss)
  },
)

test('a large frame settles at the size that it is looked at, says so under the probe, and is whole when it is looked at closely', async () => {
  const [width, height] = [3840, 2160]
  // A fine checker: its pixels are 0 or light, the mean of many is half of that.
  const codes = new Uint8Array(width * height * 3)
  for (let i = 0; i < width * height; i++)
    codes.fill((i + Math.floor(i / width)) & 1 ? 255 : 0, i * 3, i * 3 + 3)
  const bytes = await sharp(codes, { raw: { width, height, channels: 3 } })
    .png({ compressionLevel: 1 })
    .toBuffer()
  const made = await fetch(`${app.address}/api/shots`, {
    method: 'POST',
    headers: { 'x-file-name': 'large.png' },
    body: new Uint8Array(bytes),
  })
  const { id } = (await made.json()) as { id: string }
  await driver.get(`${app.address}/shots/${id}`)
  const picture = async (name: string) => (await find(driver, '[data-testid=picture]')).getAttribute(name)
  const settledAt = (reduction: string) =>
    waitFor(driver, `the picture at 1/${reduction}`, async () => {
      const is = await Promise.all(['data-settled', 'data-reduction'].map(picture))
      return (
        is[0] === 'true' &&
        is[1] === reduction &&
        (await picture('data-serial')) === (await picture('data-wanted'))
      )
    })
  await settledAt('4')
  const red = async () => Number(/R (-?[\d.]+)/.exec(await textOf(driver, '[data-testid=probe-values]'))![1])
  await driver
    .actions()
    .move({ origin: await find(driver, '[data-testid=picture]') })
    .perform()
  await waitFor(driver, 'a mean', async () =>
    /mean of 4 × 4/.test(await textOf(driver, '[data-testid=probe]')),
  )
  expect(await red()).toBeCloseTo(0.5, 3)
  await driver.actions().sendKeys('x').perform()
  await waitFor(
    driver,
    'the exact value',
    async () => !/mean of|making/.test(await textOf(driver, '[data-testid=probe]')),
  )
  expect([0, 1]).toContain(await red())
  await driver.actions().sendKeys('1').perform()
  await settledAt('1')
  await driver.actions().sendKeys('f').perform()
  // What is there is finer than what is looked at; the next picture is as large as that.
  await driver.actions().sendKeys('s').perform()
  await driver.executeScript('document.activeElement.blur()')
  await driver.actions().sendKeys('l').perform()
  await settledAt('4')
})

test('files that have numbers for names become a shot of all their frames, later ones go on in it, others of these numbers beside it', async () => {
  const folder = resolve(home, 'numbers')
  mkdirSync(folder, { recursive: true })
  const files = async (light: number, ...numbers: number[]) => {
    const made = numbers.map(async (n) => {
      const path = resolve(folder, `000${n}.png`)
      const background = { r: light, g: n * 20, b: 40 }
      await sharp({ create: { width: 64, height: 36, channels: 3, background } })
        .png()
        .toFile(path)
      return path
    })
    return (await Promise.all(made)).join('\n')
  }
  const range = () => textOf(driver, '[aria-label^="Frames of the shot"]')
  const lanes = () => driver.findElements(By.css('[aria-label^="Lane frames"]'))
  const give = async (label: string, paths: string) =>
    (await find(driver, `input[aria-label="${label}"]`)).sendKeys(paths)
  await driver.get(app.address)
  await give('Frames for a new shot', await files(90, 3, 4, 6))
  await waitFor(driver, 'frames 3 to 6', async () => /006/.test(await range()))
  await waitFor(driver, 'the first frame', async () => (await lanes()).length === 1)
  await give('Frames to bring in', await files(90, 7, 8))
  await waitFor(driver, 'frames up to 8', async () => /008/.test(await range()))
  expect(await lanes()).toHaveLength(1)
  await give('Frames to bring in', await files(200, 3, 4))
  await find(driver, '[aria-label="Lane frames 2"]')
  expect(await range()).toMatch(/008/)
})

test('of a frame too large to be made whole, what is seen is made, one pixel as one pixel, and what is moved into view after it', async () => {
  const [width, height] = [5120, 3200]
  // Each pixel has a code of its own among its neighbours: columns and rows count up.
  const codes = new Uint8Array(width * height * 3)
  for (let i = 0; i < width * height; i++) {
    codes[i * 3] = (i % width) & 255
    codes[i * 3 + 1] = Math.floor(i / width) & 255
    codes[i * 3 + 2] = 128
  }
  const bytes = await sharp(codes, { raw: { width, height, channels: 3 } })
    .png({ compressionLevel: 1 })
    .toBuffer()
  const made = await fetch(`${app.address}/api/shots`, {
    method: 'POST',
    headers: { 'x-file-name': 'huge.png' },
    body: new Uint8Array(bytes),
  })
  const { id } = (await made.json()) as { id: string }
  await driver.get(`${app.address}/shots/${id}`)
  const settledPart = async (other = '') =>
    waitFor(
      driver,
      'what is seen',
      () =>
        driver.executeScript<string>((before: string) => {
          const {
            serial,
            wanted,
            settled,
            part = '',
          } = document.querySelector<HTMLCanvasElement>('[data-testid=picture]')!.dataset
          return settled === 'true' && serial === wanted && part !== before && part
        }, other),
      60_000,
    )
  await waitFor(
    driver,
    'the picture',
    async () => (await attributeOf(driver, '[data-testid=picture]', 'data-settled')) === 'true',
  )
  expect(await driver.findElements(By.css('[data-testid=part-only]'))).toEqual([])
  await driver.actions().sendKeys('1').perform()
  expect(await textOf(driver, '[data-testid=part-only]')).toBe('only what is seen is made')
  /** Codes of the part, against those of the file; dithering moves them by one at the most. */
  const worst = (part: string) =>
    driver.executeScript<number>((said: string) => {
      const [left, top] = said.split(' ').map(Number) as [number, number]
      const canvas = document.querySelector<HTMLCanvasElement>('[data-testid=picture-part]')!
      const { data, width } = canvas.getContext('2d')!.getImageData(0, 0, canvas.width, canvas.height)
      let most = canvas.hidden ? 999 : 0
      for (let p = 0; p * 4 < data.length; p++) {
        const [x, y] = [left + (p % width), top + Math.floor(p / width)]
        most = Math.max(most, Math.abs(data[p * 4]! - (x & 255)), Math.abs(data[p * 4 + 1]! - (y & 255)))
      }
      return most
    }, part)
  const first = await settledPart()
  expect(await worst(first)).toBeLessThanOrEqual(1)
  const picture = await find(driver, '[data-testid=picture]')
  await driver
    .actions({ async: true })
    .move({ origin: picture })
    .press()
    .move({ origin: picture, x: -160, y: 90, duration: 200 })
    .release()
    .perform()
  const second = await settledPart(first)
  expect(await worst(second)).toBeLessThanOrEqual(1)
  await driver.actions().sendKeys('f').perform()
  await waitFor(
    driver,
    'the whole',
    async () => (await attributeOf(driver, '[data-testid=picture]', 'data-part')) === '',
  )
})
