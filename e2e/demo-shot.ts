import { existsSync, readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { type WebDriver } from 'selenium-webdriver'
import { afterAll, beforeAll, expect } from 'vitest'
import type { Comp } from '../src/core/comp/schema.ts'
import { attributeOf, find, home, openBrowser, startApp, textOf, waitFor, type App } from './app.ts'

/** The application with the demo, and a browser; there once `useDemo` has been called. */
export let app: App
export let driver: WebDriver

const original = join(home, 'original-comp.json')

/** For a file of tests: the demo as it was made, whatever file came before. The application is left running for the next. */
export function useDemo(): void {
  beforeAll(async () => {
    app = await startApp()
    driver = await openBrowser()
    if (existsSync(original)) await putComp(JSON.parse(readFileSync(original, 'utf8')) as Comp)
    else writeFileSync(original, JSON.stringify((await savedComp()).comp))
  })
  afterAll(async () => {
    await driver.quit()
  })
}

/** The picture is settled when what is shown is what was asked for last, at the size that it is looked at. */
export const settled = () =>
  waitFor(driver, 'the latest picture at full size', () =>
    driver.executeScript<boolean>(() => {
      const { wanted, serial, settled } =
        document.querySelector<HTMLElement>('[data-testid=picture]')!.dataset
      return serial === wanted && settled === 'true'
    }),
  )
export const saved = () =>
  waitFor(driver, 'the save', async () =>
    (await textOf(driver, '[data-testid=save-state]')).startsWith('saved'),
  )
export const values = async () => {
  const text = await textOf(driver, '[data-testid=probe-values]')
  return (text.match(/-?\d+\.\d+/g) ?? []).map(Number)
}
/** Puts the pointer on a pixel of the picture, given in parts of its size. */
export const point = async (x: number, y: number) => {
  const canvas = await find(driver, '[data-testid=picture]')
  const { width, height } = await canvas.getRect()
  await driver
    .actions()
    .move({ origin: canvas, x: Math.round((x - 0.5) * width), y: Math.round((y - 0.5) * height) })
    .perform()
}
export const threshold = async () =>
  Number(await attributeOf(driver, 'input[aria-label="Threshold"]', 'value'))

/** The shot's comp and revision as they are saved. */
export const savedComp = async () =>
  (await (await fetch(`${app.address}/api/shots/grottodemo01`)).json()) as { comp: Comp; revision: number }
/** Saves a comp from outside the page, on top of what the page may just be saving itself. */
export const putComp = async (comp: Comp) => {
  let status = 409
  for (let tries = 0; status === 409 && tries < 5; tries++) {
    const { revision } = await savedComp()
    const answer = await fetch(`${app.address}/api/shots/grottodemo01/comp`, {
      method: 'PUT',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ base: revision, comp }),
    })
    status = answer.status
  }
  expect(status).toBe(200)
}
