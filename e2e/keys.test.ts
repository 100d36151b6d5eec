import { By, Key } from 'selenium-webdriver'
import { describe, expect, test } from 'vitest'
import { allSteps } from '../src/core/comp/schema.ts'
import { readSetting, type SettingRef } from '../src/core/comp/settings.ts'
import { attributeOf, clickOn, find, textOf, waitFor } from './app.ts'
import { app, driver, saved, savedComp, settled, useDemo } from './demo-shot.ts'

useDemo()

describe('a setting that moves', () => {
  const press = (...keys: string[]) =>
    driver
      .actions()
      .sendKeys(...keys)
      .perform()
  const type = async (label: string, value: string) => {
    const field = await find(driver, `input[aria-label="${label}"]`)
    await field.click()
    await field.sendKeys(Key.chord(Key.CONTROL, 'a'), value, Key.ENTER)
    await driver.executeScript(() => (document.activeElement as HTMLElement | null)?.blur())
  }
  const track = async (): Promise<{ at: unknown[]; keys: unknown }> => {
    await saved()
    const { comp } = await savedComp()
    const step = allSteps(comp).find((s) => s.effect === 'bloom')!
    const ref: SettingRef = { of: 'dial', step: step.id, key: 'reach' }
    return { at: [1, 2, 3].map((f) => readSetting(comp, ref, f)), keys: step.dials['reach'] }
  }

  test('gets its first key by its mark, further ones by auto key, and is shifted as a whole without', async () => {
    await driver.get(`${app.address}/shots/grottodemo01`)
    await settled()
    await clickOn(driver, '[aria-label="Step Bloom"]')
    const mark = await find(driver, '[aria-label="Set a key of Bloom: reach"]')
    await mark.click()
    await find(driver, '[aria-label="Take the key of Bloom: reach away"]')
    await type('Reach', '10')
    expect((await track()).at).toEqual([10, 10, 10])
    // On to the last frame, with auto key on, which is plain to see.
    await press('k', '.', '.')
    await waitFor(
      driver,
      'auto key',
      async () => (await attributeOf(driver, '[aria-label="Auto key"]', 'aria-pressed')) === 'true',
    )
    await type('Reach', '30')
    const { at, keys } = await track()
    expect(at).toEqual([10, 20, 30])
    expect(keys).toMatchObject({
      keys: [
        { frame: 1, value: 10 },
        { frame: 3, value: 30 },
      ],
    })
    expect(await textOf(driver, '[data-testid=moves]')).toMatch(/2 keys.*sets a key here/s)
    await press('k')
    await clickOn(driver, '[aria-label="Previous key of Bloom: reach"]')
    await waitFor(driver, 'frame 1', async () =>
      (await textOf(driver, '[data-testid=moves]')).includes('shifts all'),
    )
    await type('Reach', '15')
    expect((await track()).at).toEqual([15, 25, 35])
  })
  test('one undo takes each change back, by name', async () => {
    const undo = await driver.findElement(By.xpath('//button[starts-with(@title, "Undo:")]'))
    expect(await undo.getAttribute('title')).toMatch(/^Undo: Bloom: reach/)
    await undo.click()
    await waitFor(driver, 'the curve before', async () => (await track()).at[2] === 30)
    await undo.click()
    await waitFor(driver, 'one key', async () => (await track()).at[2] === 10)
  })
})

test('the dials and every view are reached by keys alone, and left again', async () => {
  const press = (...keys: string[]) =>
    driver
      .switchTo()
      .activeElement()
      .sendKeys(...keys)
  const within = () =>
    driver.executeScript<string>(
      'return document.activeElement.closest("section")?.getAttribute("aria-label") ?? document.activeElement.tagName',
    )
  await driver.executeScript('document.activeElement.blur()')
  await press('d')
  expect(await within()).toBe('Dials')
  await press(Key.TAB, Key.TAB)
  expect(await within()).toBe('Dials')
  await press(Key.ESCAPE)
  expect(await within()).toBe('BODY')
  const shown = () => textOf(driver, 'nav[aria-label=Views] [aria-pressed=true]')
  for (const view of ['passes', 'timing', 'recipes', 'renders', 'desk']) {
    await press('v')
    expect((await shown()).toLowerCase()).toBe(view)
  }
  await press(Key.chord(Key.SHIFT, 'v'), Key.chord(Key.SHIFT, 'v'))
  await press(Key.TAB)
  expect(await within()).toBe('Recipes')
  // Letters belong to the field that has the focus now.
  await driver.executeScript('document.activeElement.blur()')
  await press('v', 'v')
  expect((await shown()).toLowerCase()).toBe('desk')
})

test('a colour is chosen in a field of colours that is there to see', async () => {
  await clickOn(driver, '[aria-label="Step Bloom"]')
  await clickOn(driver, '[aria-label="Tint, choose a colour"]')
  const field = await find(driver, '.react-colorful__saturation')
  expect((await field.getRect()).height).toBeGreaterThan(60)
  expect(await field.getCssValue('background-image')).toMatch(/gradient/)
  await driver.actions().move({ origin: field, x: 40, y: -20 }).click().perform()
  const hex = await find(driver, 'input[aria-label="Tint as hex"]')
  expect(await hex.getAttribute('value')).not.toBe('#ffffff')
})
