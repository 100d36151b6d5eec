import { By, Key } from 'selenium-webdriver'
import sharp from 'sharp'
import { afterAll, afterEach, beforeAll, describe, expect, test } from 'vitest'
import { addLane, emptyComp } from '../src/core/comp/edits.ts'
import { readAsKey, type MediaTable } from '../src/core/comp/media.ts'
import type { Comp } from '../src/core/comp/schema.ts'
import { dialLabel, type Dial } from '../src/core/dials/dials.ts'
import type { Effect } from '../src/core/effects/effect.ts'
import { effects } from '../src/core/effects/registry.ts'
import { decodePassBlock } from '../src/core/formats/pass-block.ts'
import { passFilter } from '../src/core/passes/passes.ts'
import { NodeEngine } from '../src/server/engine/node-engine.ts'
import { clickOn, find, waitFor } from './app.ts'
import { app, driver, putComp, saved, savedComp, settled, useDemo } from './demo-shot.ts'

useDemo()

/** Makes frames as the server does, on one thread, of passes that the application hands out. */
let engine: NodeEngine
let baseline: Buffer
beforeAll(async () => {
  engine = new NodeEngine(
    async ({ hash, pass, as, reduction, filter = passFilter(pass) }) => {
      const query = new URLSearchParams({ as: readAsKey(as), size: String(reduction), filter })
      const name = encodeURIComponent(pass.inFile ?? pass.name)
      const answer = await fetch(`${app.address}/api/passes/${hash}/${name}?${query}`)
      return decodePassBlock(await answer.arrayBuffer())
    },
    { threads: 1 },
  )
  // The demo's frames are rendered while the first tests run; a later one would take the place of its neighbour.
  const rendered = async () => {
    const { media } = (await savedComp()) as unknown as { media: MediaTable }
    return [1, 2, 3].every((frame) => media['cave']?.frames[frame] !== undefined)
  }
  await waitFor(driver, 'all frames of the demo', rendered, 200_000)
  const comp: Comp = { ...emptyComp(480, 270), frames: { first: 1, last: 3, rate: 24 } }
  await putComp(addLane(comp, 'Cave', { type: 'pass', media: 'cave', pass: 'beauty' }))
  await driver.get(`${app.address}/shots/grottodemo01`)
  await clickOn(driver, '[aria-label="Source of Cave"]')
  await keys('..')
  await settled()
  baseline = await seen()
})
afterAll(async () => {
  await engine.close()
})

/** Codes of the picture that the page shows. */
async function seen(): Promise<Buffer> {
  const url = await driver.executeScript<string>(
    'return document.querySelector("[data-testid=picture]").toDataURL()',
  )
  return sharp(Buffer.from(url.split(',')[1]!, 'base64'))
    .ensureAlpha()
    .raw()
    .toBuffer()
}

const keys = (...some: string[]) =>
  driver
    .actions()
    .sendKeys(...some)
    .perform()

/** Types a number into the field of a dial, if the panel shows it. */
async function type(label: string, value: number): Promise<void> {
  const [field] = await driver.findElements(By.css(`[aria-label=Dials] input[aria-label="${label}"]`))
  if (!field) return
  await waitFor(driver, 'the field', () =>
    driver.executeScript(
      'arguments[0].focus(); arguments[0].select(); return document.activeElement === arguments[0]',
      field,
    ),
  )
  await keys(String(value), Key.ENTER)
}

/** Removes the step that is chosen, where there is one. */
async function removeStep(): Promise<void> {
  await driver.executeScript('document.activeElement.blur()')
  const steps = () => driver.findElements(By.css('[aria-label^="Step "]'))
  if ((await steps()).length > 0) await keys(Key.DELETE)
  await waitFor(driver, 'the step to go', async () => (await steps()).length === 0)
}
// What one effect left behind is not the next one's trouble.
afterEach(removeStep)

/** What changes nothing as it is added and set here: it waits for another picture, a curve, an edge or a place. */
const waiting = ['other-picture', 'cast-light', 'combine', 'contact-shadow', 'curves']
/** What changes something where it finds a table in the shot, which other tests may have left there. */
const depending = ['look-table']

describe('effects are found, added, set and removed by keyboard; the page shows what the server makes of what was saved', () => {
  test.each(effects.map((effect): [string, Effect] => [effect.title, effect]))(
    '%s',
    async (title, effect) => {
      await keys('/')
      await find(driver, 'dialog[open] input')
      await keys(title, Key.ENTER)
      await find(driver, `[aria-label="Step ${title}"]`)
      await waitFor(driver, 'the search to close', async () => {
        const open = await driver.findElements(By.css('dialog[open]'))
        return open.length === 0
      })
      for (const [key, dial] of Object.entries<Dial>(effect.dials)) {
        const value = (effect.example as Record<string, unknown> | undefined)?.[key]
        if (typeof value === 'number') await type(dialLabel(key, dial), value)
      }
      await saved()
      await settled()
      const shown = await seen()
      const { comp, media } = (await savedComp()) as unknown as { comp: Comp; media: MediaTable }
      expect(comp.lanes[0]!.steps.map((s) => s.effect)).toEqual([effect.id])
      const { picture } = await engine.renderFrame(comp, media, 3)
      const codes = await engine.shownCodes(picture, { comp, media, frame: 3 })
      expect(shown.length).toBe(codes.length)
      let [most, changed] = [0, 0]
      for (let i = 0; i < codes.length; i++) {
        most = Math.max(most, Math.abs(codes[i]! - shown[i]!))
        if (baseline[i] !== shown[i]) changed++
      }
      expect(most).toBe(0)
      if (waiting.includes(effect.id)) expect(changed).toBe(0)
      else if (!depending.includes(effect.id)) expect(changed).toBeGreaterThan(500)
      await removeStep()
      await settled()
      expect(Buffer.compare(await seen(), baseline)).toBe(0)
    },
  )
})
