import { mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { By, Key } from 'selenium-webdriver'
import sharp from 'sharp'
import { expect, test } from 'vitest'
import { clickOn, find, home, textOf, waitFor } from './app.ts'
import { app, driver, useDemo } from './demo-shot.ts'

useDemo()

const panel = 'section[aria-label=Renders]'
const intake = join(home, 'intake', 'night')

/** A frame as a renderer writes it: a bar at a height of its own. */
const frame = async (n: number, level: number) => {
  const [width, height] = [64, 36]
  const codes = new Uint8Array(width * height * 3).map((_, i) =>
    Math.floor(i / 3 / width) === n ? level : 20,
  )
  await sharp(codes, { raw: { width, height, channels: 3 } })
    .png()
    .toFile(join(intake, `night.${String(n).padStart(4, '0')}.png`))
}

const choose = async (label: string, value: string) => {
  // Its choices are asked for when it is first shown.
  await clickOn(driver, `${panel} select[aria-label="${label}"] option[value="${value}"]`)
}
const tick = async (format: string, isOn: boolean) => {
  const box = await driver.findElement(
    By.xpath(`//section[@aria-label="Renders"]//label[contains(., "${format}")]/input`),
  )
  if ((await box.isSelected()) !== isOn) await box.click()
}
const press = async (words: string) => {
  await driver
    .findElement(
      By.xpath(`//section[@aria-label="Renders"]//button[contains(normalize-space(.), "${words}")]`),
    )
    .click()
}
const says = (words: RegExp) =>
  waitFor(driver, String(words), async () => words.test(await textOf(driver, panel)), 60_000)

test('frames are finished as they come into a watched folder, told where one is missing, made again when they come anew, and played', async () => {
  rmSync(intake, { recursive: true, force: true })
  mkdirSync(intake, { recursive: true })
  await frame(1, 200)
  const begun = await fetch(`${app.address}/api/shots`, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify({ intake: 'night/night.0001.png' }),
  })
  const { id } = (await begun.json()) as { id: string }
  const { comp, revision } = (await (await fetch(`${app.address}/api/shots/${id}`)).json()) as {
    comp: { frames: object }
    revision: number
  }
  await fetch(`${app.address}/api/shots/${id}/comp`, {
    method: 'PUT',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify({
      base: revision,
      comp: { ...comp, frames: { ...comp.frames, first: 1, last: 6 } },
    }),
  })
  await driver.get(`${app.address}/shots/${id}`)
  await clickOn(driver, 'header .btn-primary')
  await press('As they come')
  await choose('Watch a folder', 'night')
  await says(/from\s+night/)
  await tick('EXR, half, premultiplied', false)
  await tick('PNG, 16 bit, straight', true)
  await tick('As on screen', true)
  await press('Finish them as they come')
  await says(/1 of 1 frame/)
  for (const n of [2, 3, 5]) await frame(n, 200)
  await says(/4 of 4 frames/)
  await says(/one is missing: 4/)
  await frame(4, 200)
  await says(/5 of 5 frames/)
  expect(await textOf(driver, panel)).toMatch(/Waits for further frames\.(?! Between)/)

  // One that is broken is told, and the rest goes on; one that comes anew is made again.
  writeFileSync(join(intake, 'night.0006.png'), readFileSync(join(intake, 'night.0001.png')).subarray(0, 60))
  const { renders } = (await (await fetch(`${app.address}/api/shots/${id}/renders`)).json()) as {
    renders: { id: string }[]
  }
  const made = join(home, 'renders', renders[0]!.id, 'night.0003.png')
  const level = async () =>
    (await sharp(made).raw({ depth: 'ushort' }).toBuffer()).readUInt16LE(2 * 4 * (3 * 64))
  const before = await level()
  await frame(3, 90)
  await expect.poll(async () => (await level()) < before / 2, { timeout: 30_000, interval: 300 }).toBe(true)
  await says(/night\.0006\.png: /)
  expect(await sharp(made).metadata()).toMatchObject({ width: 64, height: 36, depth: 'ushort' })
  await press('Wait no more')
  await waitFor(
    driver,
    'the end of waiting',
    async () => !(await textOf(driver, panel)).includes('Waits for'),
  )
  await press('Play')
  await waitFor(driver, 'the movie', () =>
    driver.executeScript<boolean>(() => (document.querySelector('video')?.readyState ?? 0) >= 2),
  )
  expect(await driver.executeScript<number>(() => document.querySelector('video')!.duration)).toBeCloseTo(
    5 / 24,
    2,
  )
})

test('machines rest and go on, and renders of all shots are put in another order, by keys and by dragging', async () => {
  const machine = () => find(driver, '[data-testid=machine]')
  await driver.get(`${app.address}/renders`)
  await clickOn(driver, '[aria-label="Let this machine rest"]')
  await waitFor(
    driver,
    'its rest',
    async () => (await (await machine()).getAttribute('data-state')) === 'paused',
  )
  const begin = async (frames: string) => {
    const answer = await fetch(`${app.address}/api/shots/grottodemo01/renders`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ frames, formats: ['jpeg'], options: { size: 4 } }),
    })
    return ((await answer.json()) as { id: string }).id
  }
  await begin('1')
  await begin('2')
  await driver.navigate().refresh()
  const order = async () =>
    Promise.all(
      (await driver.findElements(By.css('[data-testid=queued-render] .font-semibold'))).map(async (e) =>
        (await e.getText()).slice(-1),
      ),
    )
  const stands = (wanted: string[]) =>
    waitFor(driver, wanted.join(), async () => (await order()).join() === wanted.join())
  await stands(['1', '2'])
  const [, second] = await driver.findElements(
    By.css('[data-testid=queued-render] button[aria-label^="More of"]'),
  )
  await second!.sendKeys(Key.ENTER)
  await waitFor(
    driver,
    'the menu',
    async () => (await driver.findElements(By.css('[role=menuitem]'))).length > 3,
  )
  await driver
    .findElement(By.xpath('//*[@role="menuitem"][contains(., "Before all others")]'))
    .sendKeys(Key.ENTER)
  await stands(['2', '1'])
  // HTML's own dragging is told by events, as the driver can not move what is dragged.
  await driver.executeScript(() => {
    const [first, other] = document.querySelectorAll('[data-testid=queued-render]')
    const dataTransfer = new DataTransfer()
    const tell = (type: string, on: Element) =>
      on.dispatchEvent(new DragEvent(type, { bubbles: true, cancelable: true, dataTransfer }))
    tell('dragstart', other!)
    tell('dragover', first!)
    setTimeout(() => {
      tell('drop', first!)
      tell('dragend', other!)
    }, 200)
  })
  await stands(['1', '2'])
  await clickOn(driver, '[aria-label="Let this machine go on"]')
  await waitFor(
    driver,
    'both',
    async () => (await driver.findElements(By.css('[data-testid=queued-render]'))).length === 0,
    60_000,
  )
})
