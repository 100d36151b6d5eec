import { mkdirSync, writeFileSync } from 'node:fs'
import { join, resolve } from 'node:path'
import { By, Key } from 'selenium-webdriver'
import sharp from 'sharp'
import { expect, test } from 'vitest'
import { allSteps, type Comp } from '../src/core/comp/schema.ts'
import { clickOn, find, home, textOf, waitFor } from './app.ts'
import { app, driver, saved, savedComp, settled, useDemo } from './demo-shot.ts'

useDemo()

const click = async (css: string) => clickOn(driver, css)
const press = async (words: string, within = '') => {
  const button = await find(
    driver,
    `//*[${within || 'self::*'}]//button[contains(normalize-space(.), "${words}")]`,
  )
  await driver.executeScript('arguments[0].scrollIntoView({ block: "center" })', button)
  await button.click()
}
const key = (keys: string) => driver.findElement(By.css('body')).sendKeys(keys)
const tab = (name: string) =>
  click(
    `nav[aria-label=Views] button:nth-of-type(${['desk', 'passes', 'timing', 'recipes', 'renders'].indexOf(name) + 1})`,
  )
const tile = async (label: string, lane?: string) => {
  const found = await find(
    driver,
    `${lane === undefined ? '' : `li[aria-label="Lane ${lane}"] `}button.gem[aria-label="${label}"]`,
  )
  await driver.executeScript('arguments[0].scrollIntoView({ block: "center", inline: "center" })', found)
  await found.click()
}
const says = (words: RegExp, css = '[data-testid=recipe-box]') =>
  waitFor(driver, String(words), async () => words.test(await textOf(driver, css)))
const compOf = async (id: string) =>
  ((await (await fetch(`${app.address}/api/shots/${id}`)).json()) as { comp: Comp }).comp
const recipeStep = (comp: Comp) => allSteps(comp).find((s) => s.recipe?.name === 'Lamp light')!
const library = async () =>
  (
    (await (await fetch(`${app.address}/api/recipes`)).json()) as {
      recipes: { id: string; version: number; doc: object }[]
    }
  ).recipes
/** The codes of the picture, as they are on the screen. */
const pixels = () =>
  driver.executeScript<string>(() => {
    const canvas = document.querySelector<HTMLCanvasElement>('[data-testid=picture]')!
    return canvas.toDataURL()
  })

test('light of the demo becomes a recipe, is used in another shot, opened, changed, saved, taken, deleted and brought in again', async () => {
  await driver.get(`${app.address}/shots/grottodemo01`)
  await settled()
  await tile('Step Bloom', 'Cave')
  await settled()
  const before = await pixels()
  await key('g')
  const name = await find(driver, '#make-name')
  await name.sendKeys(Key.chord(Key.CONTROL, 'a'), 'Lamp light')
  await (await find(driver, '#make-about')).sendKeys('The light of a lamp, from one threshold.')
  await (await find(driver, '#make-to')).sendKeys('Light rays')
  // Its dials are tried on a small picture, where nothing of it stays; what it shows first can be put.
  await find(driver, '[aria-label="Try the dials"] input[aria-label="Try Threshold"]')
  await find(driver, '[aria-label="Try the dials"] canvas')
  await click('button[aria-label="Reach of Bloom sooner"]')
  // What comes in has a name, or is left out.
  await (await find(driver, '[aria-label="Name of input objects"]')).sendKeys('Lamp')
  await press('Make one step with')
  await says(/Keep in the library/)
  await settled()
  // The picture is the same to the last code.
  expect(await pixels()).toBe(before)
  await press('Keep in the library')
  await says(/Saved as version 1/)
  await saved()
  const made = recipeStep((await savedComp()).comp)
  expect(made.recipe!.dials.slice(0, 2).map((d) => d.name)).toEqual(['Reach', 'Threshold'])
  expect(made.recipe!.dials.length).toBeGreaterThanOrEqual(3)
  expect(made.recipe!.inputs).toContainEqual(expect.objectContaining({ name: 'Lamp', kind: 'matte' }))

  // Another shot, from the other end of the house.
  const intake = join(home, 'intake')
  mkdirSync(intake, { recursive: true })
  const codes = new Uint8Array(96 * 54 * 3).map((_, i) => (i % 700 < 30 ? 250 : 30))
  await sharp(codes, { raw: { width: 96, height: 54, channels: 3 } })
    .png()
    .toFile(join(intake, 'other.png'))
  const begun = await fetch(`${app.address}/api/shots`, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify({ intake: 'other.png' }),
  })
  const { id: other } = (await begun.json()) as { id: string }
  await driver.get(`${app.address}/shots/${other}`)
  await settled()
  await tab('recipes')
  await (await find(driver, '[aria-label="Find a recipe"]')).sendKeys('lamp light')
  await press('Add', '@aria-label="Lamp light"')
  await tab('desk')
  await tile('Step Lamp light')
  await key('o')
  await waitFor(driver, 'the path', async () =>
    /Desk\s*Lamp light/.test(await textOf(driver, 'nav[aria-label="Where on the desk"]')),
  )
  const isMasterSeen = () => driver.findElement(By.css('li[aria-label="Whole picture"]')).isDisplayed()
  expect(await isMasterSeen()).toBe(false)
  await tile('Step Bloom')
  await says(/Moved from outside: .*Threshold by/, '[data-testid=moved-note]')
  await tile('Step Star glare')
  await key(' ')
  await find(driver, 'button[aria-label="Step Star glare, off"]')
  await key(Key.chord(Key.SHIFT, 'o'))
  await waitFor(driver, 'the desk', isMasterSeen)
  await says(/Save version 2/)
  await press('Save version 2')
  await says(/Saved as version 2/)
  await saved()
  const inside = async (id: string) => {
    const comp = await compOf(id)
    const step = recipeStep(comp)
    return {
      from: step.recipe!.from,
      glare: comp.lanes
        .filter((l) => l.in === step.id)
        .flatMap((l) => l.steps)
        .find((s) => s.effect === 'star-glare')!.on,
    }
  }
  expect(await inside(other)).toMatchObject({ from: { version: 2 }, glare: false })
  expect(await inside('grottodemo01')).toMatchObject({ from: { version: 1 }, glare: true })
  const { shots: users } = (await (
    await fetch(`${app.address}/api/recipes/${(await library())[0]!.id}/uses`)
  ).json()) as { shots: { id: string }[] }
  expect(users.map((u) => u.id).sort()).toEqual([other, 'grottodemo01'].sort())

  await driver.get(`${app.address}/shots/grottodemo01`)
  await settled()
  await tile('Step Lamp light', 'Cave')
  await says(/Version 2 is there/)
  await press('See both')
  await find(driver, '[data-testid=other-side]')
  await says(/with version 2 of Lamp light/, 'body')
  await click('[aria-label="End the comparison"]')
  await press('Take it')
  await says(/Undo \(Ctrl-Z\) goes back/)
  await saved()
  expect(await inside('grottodemo01')).toMatchObject({ from: { version: 2 }, glare: false })
  await settled()
  expect(await pixels()).not.toBe(before)
  await key(Key.chord(Key.CONTROL, 'z'))
  await says(/Version 2 is there/)
  await settled()
  expect(await pixels()).toBe(before)
  // Taken apart it is still the same picture.
  await press('Take apart')
  await tile('Step Star glare', 'Cave')
  await settled()
  await tile('Step Bloom', 'Cave')
  await settled()
  expect(await pixels()).toBe(before)

  const [kept] = await library()
  expect(kept!.version).toBe(2)
  const file = resolve(home, 'lamp-light.zafiro-recipe.json')
  writeFileSync(file, JSON.stringify(kept!.doc))
  await tab('recipes')
  await click('[aria-label="Delete Lamp light"]')
  await press('Delete', '@aria-label="Lamp light"')
  await expect.poll(async () => (await library()).length).toBe(0)
  await (await find(driver, '[aria-label="Recipe files"]')).sendKeys(file)
  await says(/Lamp light came into the library/, 'section[aria-label=Recipes]')
  expect((await library()).map((r) => r.version)).toEqual([1])

  // What is no recipe is told by its name, and nothing is taken from it.
  const damaged = resolve(home, 'damaged.zafiro-recipe.json')
  writeFileSync(damaged, JSON.stringify(kept!.doc).slice(0, 900))
  await (await find(driver, '[aria-label="Recipe files"]')).sendKeys(damaged)
  await says(/damaged\.zafiro-recipe\.json: is no JSON; it may be damaged/, 'section[aria-label=Recipes]')
  // Two tabs that save the same one: the second is told.
  const { id, doc } = (await library())[0]!
  const save = () =>
    fetch(`${app.address}/api/recipes`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ doc, id, base: 1 }),
    })
  expect((await save()).status).toBe(200)
  const late = await save()
  expect([late.status, await late.text()]).toEqual([409, expect.stringMatching(/version 2 is there/)])
})

test('a lane and a whole look go to another shot, where their passes are found; recipes are seen on one’s own frame', async () => {
  // Another shot with another size, of a picture alone.
  const folder = join(home, 'intake', 'reef')
  mkdirSync(folder, { recursive: true })
  await sharp({ create: { width: 320, height: 180, channels: 3, background: '#345' } })
    .png()
    .toFile(join(folder, 'reef.0001.png'))
  const begun = (await (
    await fetch(`${app.address}/api/shots`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ intake: 'reef/reef.0001.png' }),
    })
  ).json()) as { id: string }
  await driver.get(`${app.address}/shots/grottodemo01`)
  await settled()
  const cave = (await savedComp()).comp.lanes.find((l) => l.name === 'Cave')!

  await tab('recipes')
  await waitFor(driver, 'a picture of a recipe', () =>
    driver.executeScript<boolean>(() => {
      const canvas = document.querySelector<HTMLCanvasElement>('[data-testid=recipe-card] canvas')
      const codes = canvas?.getContext('2d')?.getImageData(0, 0, canvas.width, canvas.height).data
      return codes !== undefined && new Set(codes).size > 60
    }),
  )
  await press('This look for many shots')
  await clickOn(driver, '//dialog[@open]//label[contains(., "reef")]//input')
  // It has a picture alone: what wants depth and the like is told by name.
  await waitFor(driver, 'what is not connected', async () =>
    /Not connected: .*depth of grotto/.test(await textOf(driver, 'dialog[open]')),
  )
  await press('Put it on one shot')
  await says(/The look of this shot is on one shot now/, 'section[aria-label=Recipes]')
  const made = await compOf(begun.id)
  expect([made.canvas.width, made.canvas.height]).toEqual([320, 180])
  expect(made.lanes.find((l) => l.name === 'Cave')!.steps.map((s) => s.effect)).toEqual(
    cave.steps.map((s) => s.effect),
  )

  await driver.get(`${app.address}/shots/grottodemo01`)
  await settled()
  await click('[aria-label="Source of Cave"]')
  await key(Key.chord(Key.CONTROL, 'c'))
  await driver.get(`${app.address}/shots/${begun.id}`)
  await settled()
  await key(Key.chord(Key.CONTROL, 'v'))
  await waitFor(
    driver,
    'the lane',
    async () => (await compOf(begun.id)).lanes.filter((l) => l.name === 'Cave').length === 2,
  )
  await says(/takes from what is not in this shot/, 'body')
})
