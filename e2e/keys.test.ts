import { By, Key } from 'selenium-webdriver'
import { describe, expect, test } from 'vitest'
import { allSteps } from '../src/core/comp/schema.ts'
import { readSetting, type SettingRef } from '../src/core/comp/settings.ts'
import { find, textOf, waitFor } from './app.ts'
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
    const ref: SettingRef = { of: 'dial', step: step.id, key: 'strength' }
    return { at: [1, 2, 3].map((f) => readSetting(comp, ref, f)), keys: step.dials['strength'] }
  }

  test('gets its first key by its mark, further ones by auto key, and is shifted as a whole without', async () => {
    await driver.get(`${app.address}/shots/grottodemo01`)
    await settled()
    await (await find(driver, '[aria-label="Step Bloom"]')).click()
    const mark = await find(driver, '[aria-label="Set a key of Bloom: strength"]')
    await mark.click()
    await find(driver, '[aria-label="Take the key of Bloom: strength away"]')
    await type('Strength', '0')
    expect((await track()).at).toEqual([0, 0, 0])
    // On to the last frame, with auto key on, which is plain to see.
    await press('k', '.', '.')
    await waitFor(
      driver,
      'auto key',
      async () => (await textOf(driver, '[aria-label="Auto key"]')) === 'Auto key',
    )
    await type('Strength', '2')
    const { at, keys } = await track()
    expect(at).toEqual([0, 1, 2])
    expect(keys).toMatchObject({
      keys: [
        { frame: 1, value: 0 },
        { frame: 3, value: 2 },
      ],
    })
    expect(await textOf(driver, '[data-testid=moves]')).toMatch(/2 keys.*sets a key here/s)
    await press('k')
    await (await find(driver, '[aria-label="Previous key of Bloom: strength"]')).click()
    await waitFor(driver, 'frame 1', async () =>
      (await textOf(driver, '[data-testid=moves]')).includes('shifts all'),
    )
    await type('Strength', '0.5')
    expect((await track()).at).toEqual([0.5, 1.5, 2.5])
  })
  test('one undo takes each change back, by name', async () => {
    const undo = await driver.findElement(By.xpath('//button[starts-with(@title, "Undo:")]'))
    expect(await undo.getAttribute('title')).toMatch(/^Undo: Bloom: strength/)
    await undo.click()
    await waitFor(driver, 'the curve before', async () => (await track()).at[2] === 2)
    await undo.click()
    await waitFor(driver, 'one key', async () => (await track()).at[2] === 0)
  })
})
