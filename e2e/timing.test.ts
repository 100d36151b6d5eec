import { By, Key, Origin, type WebElement } from 'selenium-webdriver'
import { beforeAll, describe, expect, test } from 'vitest'
import { allSteps, isTrack, type Comp, type Track } from '../src/core/comp/schema.ts'
import { putSetting, readSetting, settingOf, type SettingRef } from '../src/core/comp/settings.ts'
import { cubicAt, parameterAt } from '../src/core/tracks/bezier.ts'
import { clickOn, find, textOf, waitFor } from './app.ts'
import { app, driver, putComp, saved, savedComp, settled, useDemo } from './demo-shot.ts'

useDemo()

const stepOf = (comp: Comp, effect: string) => allSteps(comp).find((s) => s.effect === effect)!.id
const strength = (comp: Comp): SettingRef => ({ of: 'dial', step: stepOf(comp, 'bloom'), key: 'strength' })
const trackOf = (comp: Comp, ref: SettingRef): Track => {
  const setting = settingOf(comp, ref)
  if (setting === undefined || !isTrack(setting)) throw new Error('it does not move')
  return setting
}
const now = async () => {
  await saved()
  return (await savedComp()).comp
}
const strip = (name: string) => find(driver, `[data-strip][data-name="${name}"]`)
const canvasOf = async (name: string) => (await strip(name)).findElement(By.css('canvas'))
const press = (...keys: string[]) =>
  driver
    .actions()
    .sendKeys(...keys)
    .perform()
const open = async () => {
  await driver.get(`${app.address}/shots/grottodemo01`)
  await settled()
  await press('t')
  await find(driver, '[aria-label="Timing"]')
}
/** Where a frame and a share of the height are on a strip, from its middle. */
const onStrip = async (canvas: WebElement, frame: number, height: number) => {
  const { width, height: tall } = await canvas.getRect()
  // Three frames, half a frame more at each end.
  return { x: Math.round(((frame - 0.5) / 3) * width - width / 2), y: Math.round((height - 0.5) * tall) }
}
const drag = async (canvas: WebElement, from: readonly [number, number], to: readonly [number, number]) => {
  const [a, b] = [await onStrip(canvas, ...from), await onStrip(canvas, ...to)]
  await driver
    .actions()
    .move({ origin: canvas, ...a })
    .press()
    .move({ origin: canvas, x: ((a.x + b.x) / 2) | 0, y: ((a.y + b.y) / 2) | 0 })
    .move({ origin: canvas, ...b })
    .release()
    .perform()
}
const undoName = async () =>
  (await driver.findElement(By.xpath('//button[starts-with(@title, "Undo:")]'))).getAttribute('title')

describe('Timing, by mouse', () => {
  beforeAll(async () => {
    const { comp } = await savedComp()
    const keys = [
      { frame: 1, value: 0.2 },
      { frame: 3, value: 1 },
    ]
    await putComp(putSetting(comp, strength(comp), { keys }))
  }, 60_000)
  const name = 'Bloom · strength on Cave'

  test('a key is added in the strip, dragged in time and value, bent, and taken back by name', async () => {
    await open()
    const closed = await canvasOf(name)
    await driver
      .actions()
      .move({ origin: closed, ...(await onStrip(closed, 2, 0.5)) })
      .doubleClick()
      .perform()
    const [, made] = trackOf(await now(), strength(await now())).keys
    expect([made!.frame, made!.value]).toEqual([2, expect.closeTo(0.6, 9)])
    // It is open now: the middle key lies in the middle of its height.
    const wide = await canvasOf(name)
    await drag(wide, [2, 0.5], [2, 0.2])
    const [, middle] = trackOf(await now(), strength(await now())).keys
    expect(middle!.value).toBeGreaterThan(0.75)
    expect(await undoName()).toMatch(/^Undo: Move a key/)
    await (
      await find(driver, '[aria-label="Chosen keys"]')
    )
      .findElement(By.xpath('.//button[text()="Curve"]'))
      .then((button) => button.click())
    expect(trackOf(await now(), strength(await now())).keys[1]).toMatchObject({ go: 'curve' })
    await (await driver.findElement(By.xpath('//button[starts-with(@title, "Undo:")]'))).click()
    await waitFor(
      driver,
      'straight again',
      async () => trackOf(await now(), strength(await now())).keys[1]!.go === undefined,
    )
  })
  test('keys are chosen in a box and moved over strips together; a flicker is laid over and shown as a chip', async () => {
    const first = await canvasOf(name)
    const { y, height } = await first.getRect()
    await driver
      .actions()
      .move({ origin: first, ...(await onStrip(first, 2.4, 0.02)) })
      .press()
      .move({ origin: first, ...(await onStrip(first, 3.4, 0.6)) })
      .move({ origin: first, ...(await onStrip(first, 3.45, 0.98)) })
      .release()
      .perform()
    expect([y, height].every(Number.isFinite)).toBe(true)
    await waitFor(driver, 'a chosen key', async () =>
      /1 key/.test(await textOf(driver, '[aria-label="Chosen keys"]')),
    )
    await clickOn(driver, `[aria-label="What rides on ${name}"]`)
    await clickOn(driver, '[role=menuitem]')
    expect(trackOf(await now(), strength(await now())).riders).toMatchObject([{ type: 'flicker', on: true }])
    expect(await textOf(driver, `[data-name="${name}"]`)).toMatch(/flicker/)
    await press(Key.ESCAPE)
  })
  test('values of this frame are read in a column and typed over; what moves is shifted, with auto key it gets a key', async () => {
    await clickOn(driver, '[aria-label="Strips that are shown"] button:nth-child(2)')
    const field = await find(driver, 'input[aria-label="Exposure · stops on Cave"]')
    await field.click()
    await field.sendKeys(Key.chord(Key.CONTROL, 'a'), '0.7', Key.TAB)
    const comp = await now()
    expect(readSetting(comp, { of: 'dial', step: stepOf(comp, 'exposure'), key: 'stops' }, 1)).toBe(0.7)
  })
})

describe('Timing, by keyboard alone', () => {
  test('from strip to strip, from key to key; a key here, nudged, its value typed', async () => {
    const { comp } = await savedComp()
    const ref = strength(comp)
    await putComp(
      putSetting(comp, ref, {
        keys: [
          { frame: 1, value: 0.2 },
          { frame: 3, value: 1 },
        ],
      }),
    )
    await open()
    const on = () =>
      driver.executeScript<string>(
        () => document.activeElement?.closest<HTMLElement>('[data-strip]')?.dataset['name'] ?? '',
      )
    await waitFor(driver, 'a strip with the focus', async () => (await on()) !== '')
    for (let i = 0; i < 12 && (await on()) !== 'Bloom · strength on Cave'; i++) {
      await press(Key.ARROW_DOWN)
      await driver.sleep(120)
    }
    expect(await on()).toBe('Bloom · strength on Cave')
    await press(Key.ARROW_RIGHT)
    await waitFor(driver, 'the last key', async () =>
      (await textOf(driver, '[aria-label="Chosen keys"]')).includes('1 key'),
    )
    await driver.actions().keyDown(Key.SHIFT).sendKeys(Key.ARROW_LEFT).keyUp(Key.SHIFT).perform()
    await waitFor(driver, 'a key a frame earlier', async () => trackOf(await now(), ref).keys[1]!.frame === 2)
    await press('n')
    await waitFor(driver, 'a key more', async () => trackOf(await now(), ref).keys.length === 3)
    await press(Key.ENTER)
    await press('0.4', Key.TAB)
    await waitFor(
      driver,
      'the typed value',
      async () => Math.abs((readSetting(await now(), ref, 3) as number) - 0.4) < 1e-6,
    )
  })
})

describe('playing', () => {
  const count = () =>
    driver.executeScript<string | undefined>(
      () => document.querySelector<HTMLElement>('[data-testid=picture]')!.dataset['played'],
    )
  test('frames are made ahead, marked, and played; an edit drops those that it changes', async () => {
    await open()
    const ready = () =>
      driver.executeScript<string>(() =>
        document.querySelector('[role=slider][aria-label=Frame]')!.getAttribute('aria-valuetext')!,
      )
    await waitFor(driver, 'all frames ready', async () => (await ready()).includes('3 ready'))
    await press('p')
    await waitFor(
      driver,
      'frames that were played',
      async () => Number(((await count()) ?? '0').split(' ')[0]) > 20,
    )
    await press('p')
    await settled()
    const { comp } = await savedComp()
    expect(trackOf(comp, strength(comp)).keys.length).toBeGreaterThan(1)
  })
  test('a dial that is moved while it plays becomes keys, in one undo', async () => {
    await press('t')
    await clickOn(driver, '[aria-label="Step Exposure"]')
    await press('t')
    const ride = await driver.findElement(By.xpath('//button[contains(., "Ride")]'))
    await ride.click()
    const slider = await find(driver, 'input[aria-label="Stops slider"]')
    await press('p')
    await driver
      .actions()
      .move({ origin: slider })
      .press()
      .move({ origin: slider, x: 12, y: 0, duration: 120 })
      .move({ origin: Origin.POINTER, x: 14, y: 0, duration: 120 })
      .release()
      .perform()
    await press('p')
    const comp = await now()
    const ref: SettingRef = { of: 'dial', step: stepOf(comp, 'exposure'), key: 'stops' }
    expect(trackOf(comp, ref).keys.length).toBeGreaterThanOrEqual(1)
    expect(await undoName()).toMatch(/^Undo: Ride Exposure: stops/)
    await ride.click()
  })
})

test('curves are those of the browser’s own animations (Web Animations, CSS Easing Level 1)', async () => {
  const cases = [
    [0.25, 0.1, 0.25, 1],
    [0.9, -0.4, 0.1, 1.6],
    [0, 1.3, 1, -0.2],
    [0.4, 0, 0.6, 1],
  ] as const
  for (const [x1, y1, x2, y2] of cases) {
    const seen = await driver.executeScript<number[]>((easing: string) => {
      const element = document.createElement('div')
      document.body.append(element)
      const animation = element.animate([{ marginLeft: '0px' }, { marginLeft: '1000px' }], {
        duration: 1000,
        easing,
        fill: 'both',
      })
      animation.pause()
      const values = Array.from({ length: 21 }, (_, i) => {
        animation.currentTime = i * 50
        return Number.parseFloat(getComputedStyle(element).marginLeft)
      })
      element.remove()
      return values
    }, `cubic-bezier(${x1}, ${y1}, ${x2}, ${y2})`)
    seen.forEach((value, i) => {
      const ours = i === 0 ? 0 : i === 20 ? 1 : cubicAt(parameterAt(i / 20, x1, x2), 0, y1, y2, 1)
      expect(Math.abs(value / 1000 - ours)).toBeLessThan(0.001)
    })
  }
})
