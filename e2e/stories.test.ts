import { mkdirSync } from 'node:fs'
import { join } from 'node:path'
import { By, Key, Origin, type WebElement } from 'selenium-webdriver'
import sharp from 'sharp'
import { beforeAll, describe, expect, test } from 'vitest'
import { allSteps, isTrack, type Comp, type Track } from '../src/core/comp/schema.ts'
import { readSetting, settingOf, type SettingRef } from '../src/core/comp/settings.ts'
import { attributeOf, clickOn, find, home, textOf, waitFor } from './app.ts'
import { app, driver, settled, useDemo } from './demo-shot.ts'

// What a shot is made to do over time: on a still of one's own with the mouse (numbers are typed), on the demo by the keyboard alone.

useDemo()

let shot = 'grottodemo01'
const compNow = async () => {
  await waitFor(driver, 'the save', async () =>
    (await textOf(driver, '[data-testid=save-state]')).startsWith('saved'),
  )
  return ((await (await fetch(`${app.address}/api/shots/${shot}`)).json()) as { comp: Comp }).comp
}
const trackAt = async (ref: SettingRef): Promise<Track> => {
  const setting = settingOf(await compNow(), ref)
  if (setting === undefined || !isTrack(setting)) throw new Error('it does not move')
  return setting
}
const press = (...keys: string[]) =>
  driver
    .actions()
    .sendKeys(...keys)
    .perform()
const strip = (name: string) => find(driver, `[data-strip][data-name="${name}"]`)
const ready = async (count: number) =>
  waitFor(
    driver,
    `${count} frames ready`,
    async () =>
      ((await attributeOf(driver, '[role=slider][aria-label=Frame]', 'aria-valuetext')) ?? '').includes(
        `${count} ready`,
      ),
    60_000,
  )
/** How many frames were shown since it plays. */
const played = async () =>
  Number(
    (
      await driver.executeScript<string | undefined>(
        () => document.querySelector<HTMLElement>('[data-testid=picture]')!.dataset['played'],
      )
    )?.split(' ')[0] ?? 0,
  )

/** A shot of a still of one’s own: a small lantern on grey. */
const bringStill = async () => {
  mkdirSync(join(home, 'intake'), { recursive: true })
  const [across, height] = [320, 180]
  const codes = new Uint8Array(across * height * 3).map((_, i) => {
    const [x, y] = [Math.floor(i / 3) % across, Math.floor(i / 3 / across)]
    return Math.hypot(x - 100, y - 80) < 14 ? 250 : 40
  })
  await sharp(codes, { raw: { width: across, height, channels: 3 } })
    .png()
    .toFile(join(home, 'intake', 'lantern.png'))
  const made = await fetch(`${app.address}/api/shots`, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify({ intake: 'lantern.png' }),
  })
  return ((await made.json()) as { id: string }).id
}

describe.each(['a still of one’s own', 'the demo'] as const)('with the mouse, on %s', (what) => {
  const isStill = what !== 'the demo'
  const [lane, last] = isStill ? ['lantern', 12] : ['Seahorse paint', 3]
  const click = async (where: string) => {
    await clickOn(driver, where)
  }
  const type = async (where: string, text: string) => {
    const field = await find(driver, where)
    await field.click()
    await field.sendKeys(Key.chord(Key.CONTROL, 'a'), text, Key.ENTER)
  }
  const addStep = async (phrase: string, title: string) => {
    const slot = await find(
      driver,
      `//li[@aria-label="Lane ${lane}"]//button[@aria-label="Add a step at the end"]`,
    )
    await slot.click()
    await press(phrase)
    await click(`//dialog//button[contains(., "${title}")]`)
    await find(driver, stepOn(title))
  }
  const stepOf = async (effect: string) =>
    (await compNow()).lanes.find((l) => l.name === lane)!.steps.findLast((s) => s.effect === effect)!.id
  const dial = async (effect: string, key: string): Promise<SettingRef> => ({
    of: 'dial',
    step: await stepOf(effect),
    key,
  })
  const stepOn = (title: string) => `//li[@aria-label="Lane ${lane}"]//*[@aria-label="Step ${title}"]`
  /** To a frame, by a click on the ruler of frames. */
  const goTo = async (frame: number) => {
    const ruler = await find(driver, '[role=slider][aria-label=Frame]')
    const { width } = await ruler.getRect()
    await driver
      .actions()
      .move({ origin: ruler, x: Math.round(((frame - 0.5) / last - 0.5) * width), y: 0 })
      .click()
      .perform()
    await waitFor(
      driver,
      `frame ${frame}`,
      async () => (await ruler.getAttribute('aria-valuenow')) === String(frame),
    )
  }
  const view = (name: string) => click(`//nav[@aria-label="Views"]//button[contains(., "${name}")]`)

  let width = 0
  beforeAll(async () => {
    shot = isStill ? await bringStill() : 'grottodemo01'
    await driver.get(`${app.address}/shots/${shot}`)
    await settled()
    width = (await compNow()).canvas.width
  }, 60_000)

  test.runIf(isStill)('the shot gets twelve frames, and one undo takes them back', async () => {
    await click('button[aria-label^="Frames of the shot"]')
    await type('input[aria-label="Last frame"]', '12')
    await waitFor(driver, 'twelve frames', async () => (await compNow()).frames.last === 12)
    await click('//button[starts-with(@title, "Undo: Last frame of the shot")]')
    await waitFor(driver, 'one frame', async () => (await compNow()).frames.last === 1)
    await click('//button[starts-with(@title, "Redo")]')
    await waitFor(driver, 'twelve frames', async () => (await compNow()).frames.last === 12)
  })
  test('a shade is drawn once, and flickers', async () => {
    await addStep('shade by a shape', 'Matte shade')
    await click('select[aria-label="shape feed"] option[value="new drawing"]')
    await find(driver, '.konvajs-content canvas')
    const picture = await find(driver, '[data-testid=picture]')
    const { width, height } = await picture.getRect()
    for (const [x, y] of [
      [0.5, 0.3],
      [0.8, 0.3],
      [0.8, 0.7],
      [0.5, 0.7],
      [0.5, 0.3],
    ] as const)
      await driver
        .actions()
        .move({ origin: picture, x: Math.round((x - 0.5) * width), y: Math.round((y - 0.5) * height) })
        .click()
        .perform()
    await click('//section[@aria-label="Shapes"]//button[.="Done"]')
    await view('timing')
    await click('//*[@aria-label="Strips that are shown"]//button[2]')
    await click(`[aria-label="What rides on Matte shade · strength on ${lane}"]`)
    // The strip is worked on now; what rides on it is chosen from its menu.
    await click(`[aria-label="What rides on Matte shade · strength on ${lane}"]`)
    await click('//*[@role="menuitem"][contains(., "Flicker")]')
    const ref = await dial('matte-shade', 'strength')
    expect((await trackAt(ref)).riders).toMatchObject([{ type: 'flicker', on: true }])
    const comp = await compNow()
    const values = [1, 4, 9].map((f) => readSetting(comp, ref, f) as number)
    expect(new Set(values.map((v) => v.toFixed(4))).size).toBeGreaterThan(1)
    // The shape itself stands.
    expect(comp.drawings[0]).toMatchObject({ time: 'keyed' })
  })
  test('bloom comes up from nothing to full, its rays’ origin follows the drawn shape, the lane fades', async () => {
    await view('desk')
    await addStep('bloom', 'Bloom')
    await goTo(1)
    await type('input[aria-label="Strength"]', '0')
    await click('[aria-label="Set a key of Bloom: strength"]')
    await click('button[aria-label="Auto key"]')
    await goTo(last)
    await type('input[aria-label="Strength"]', '1')
    expect((await trackAt(await dial('bloom', 'strength'))).keys).toMatchObject([
      { frame: 1, value: 0 },
      { frame: last, value: 1 },
    ])
    await click(`[aria-label="Source of ${lane}"]`)
    await type('input[aria-label="Opacity"]', '0.2')
    await goTo(1)
    await type('input[aria-label="Opacity"]', '1')
    await click('button[aria-label="Auto key"]')
    const comp = await compNow()
    const laneId = comp.lanes.find((l) => l.name === lane)!.id
    expect([1, last].map((f) => readSetting(comp, { of: 'opacity', lane: laneId }, f))).toEqual([1, 0.2])
    await addStep('light rays', 'Light rays')
    await view('timing')
    const name = `Light rays · origin on ${lane}`
    await click(`[aria-label="What rides on ${name}"]`)
    await click(`[aria-label="What rides on ${name}"]`)
    await click('//*[@role="menuitem"][contains(., "Follow")]')
    await click(`//*[@data-name="${name}"]//button[contains(., "follows")]`)
    const feed = await find(
      driver,
      '//select[@aria-label="of feed"]//option[contains(., "hape") and not(contains(., "draw shapes"))]',
    )
    await feed.click()
    await click('//select[@aria-label="Shape that is followed"]/option[2]')
    await press(Key.ESCAPE)
    const [rider] = (await trackAt(await dial('light-rays', 'origin'))).riders!
    expect(rider).toMatchObject({
      type: 'follow',
      of: { matte: { from: { type: 'drawing', shape: 'shape1' } } },
    })
    // Around the middle of what was drawn, 0.65 and 0.5 of the frame.
    const x = await find(driver, `input[aria-label="${name}, x"]`)
    await waitFor(
      driver,
      'the centre of the shape',
      async () => Math.abs(Number(await x.getAttribute('value')) - 0.65 * width) < 3,
    )
  })
  test('a ride becomes keys and is bent; values of a frame are read and typed; it plays', async () => {
    await click('//button[contains(., "Ride")]')
    await view('desk')
    await click(stepOn('Bloom'))
    const slider = await find(driver, 'input[aria-label="Reach slider"]')
    await ready(last)
    await click('button[aria-label="Play"]')
    await driver
      .actions()
      .move({ origin: slider })
      .press()
      .move({ origin: Origin.POINTER, x: 8, y: 0, duration: 120 })
      .move({ origin: Origin.POINTER, x: 9, y: 0, duration: 120 })
      .release()
      .perform()
    await click('button[aria-label="Stop playing"]')
    const ref = await dial('bloom', 'reach')
    const ridden = await trackAt(ref)
    expect(ridden.keys.length).toBeGreaterThan(1)
    await view('timing')
    await click('//button[contains(., "Ride")]')
    await click('//*[@aria-label="Strips that are shown"]//button[1]')
    const name = `Bloom · reach on ${lane}`
    await click(`//*[@data-name="${name}"]//button[contains(@title, "click to work on it")]`)
    const canvas = await (await strip(name)).findElement(By.css('canvas'))
    const { width } = await canvas.getRect()
    const at = (frame: number) => Math.round(((frame - 0.5) / last) * width - width / 2)
    await driver
      .actions()
      .move({ origin: canvas, x: at(ridden.keys[0]!.frame), y: 0 })
      .click()
      .perform()
    await boxAll(canvas, width)
    await click('//*[@aria-label="Chosen keys"]//button[.="Curve"]')
    expect((await trackAt(ref)).keys[0]).toMatchObject({ go: 'curve' })
    await goTo(isStill ? 9 : 2)
    await type(`input[aria-label="Bloom · strength on ${lane}"]`, '0.5')
    await type(`input[aria-label="Matte shade · strength on ${lane}"]`, '0.3')
    const comp = await compNow()
    expect(readSetting(comp, await dial('bloom', 'strength'), isStill ? 9 : 2)).toBeCloseTo(0.5, 6)
    await ready(last)
    await click('button[aria-label="Play"]')
    await waitFor(driver, 'frames that were played', async () => (await played()) > 20)
    await click('button[aria-label="Stop playing"]')
  })
  /** A box over all of a strip. */
  const boxAll = (canvas: WebElement, width: number) =>
    driver
      .actions()
      .move({ origin: canvas, x: Math.round(-width / 2) + 1, y: -60 })
      .press()
      .move({ origin: canvas, x: 0, y: 0 })
      .move({ origin: canvas, x: Math.round(width / 2) - 2, y: 60 })
      .release()
      .perform()
})

describe('by the keyboard alone, on the demo', () => {
  beforeAll(async () => {
    shot = 'grottodemo01'
    await driver.get(`${app.address}/shots/${shot}`)
    await settled()
    await press('t')
    await find(driver, '[aria-label="Strips that are shown"]')
  }, 60_000)

  test('a drawn shade flickers, and the flicker is switched off and on again', async () => {
    const comp = await compNow()
    const lane = comp.lanes.find((l) =>
      l.steps.some((s) => s.effect === 'matte-shade' && settingIsNumber(s.dials['strength'])),
    )!
    const step = lane.steps.find((s) => s.effect === 'matte-shade' && settingIsNumber(s.dials['strength']))!
    const ref: SettingRef = { of: 'dial', step: step.id, key: 'strength' }
    await allStrips()
    await toStrip(`Matte shade · strength on ${lane.name}`)
    await press('a')
    await waitFor(
      driver,
      'what rides on it',
      async () => (await focused())?.startsWith('What rides on') ?? false,
    )
    await press(Key.ENTER)
    await find(driver, '[role=menuitem]')
    await press(Key.ENTER)
    await waitFor(driver, 'a flicker', async () => trackHas(await compNow(), ref, true))
    await driver.sleep(200)
    await toStripCanvas()
    await press('a')
    await press(Key.ENTER)
    await find(driver, 'input[aria-label="On"]')
    await (await driver.switchTo().activeElement()).getTagName()
    for (let i = 0; i < 6 && (await focused()) !== 'On'; i++) await press(Key.TAB)
    await press(' ')
    await waitFor(driver, 'the flicker off', async () => trackHas(await compNow(), ref, false))
    await press(' ')
    await waitFor(driver, 'the flicker on', async () => trackHas(await compNow(), ref, true))
    await press(Key.ESCAPE)
  })
  test('a bus fades by two keys, which are bent; values of a frame are typed one after the other', async () => {
    const comp = await compNow()
    const bus = comp.lanes.find((l) => l.source.type === 'lanes')!
    const ref: SettingRef = { of: 'opacity', lane: bus.id }
    await driver.executeScript(() => {
      ;(document.activeElement as HTMLElement | null)?.blur()
    })
    await press(',', ',')
    await toStripCanvas()
    await toStrip(`Opacity on ${bus.name}`)
    await press('n')
    await waitFor(driver, 'a key', async () => isTrack(settingOf(await compNow(), ref)))
    await driver.executeScript(() => {
      ;(document.activeElement as HTMLElement | null)?.blur()
    })
    await press('.', '.', 'k')
    await toStripCanvas()
    await toStrip(`Opacity on ${bus.name}`)
    await press(Key.ENTER, '0.1', Key.TAB)
    await waitFor(driver, 'two keys', async () => (await trackAt(ref)).keys.length === 2)
    expect((await trackAt(ref)).keys[1]).toMatchObject({ frame: 3, value: 0.1 })
    // Tab went on to the next line of the table.
    expect(await driver.executeScript<string>(() => document.activeElement!.tagName)).toBe('INPUT')
    await press(Key.ESCAPE)
    await driver.executeScript(() => {
      ;(document.activeElement as HTMLElement | null)?.blur()
    })
    await press('k')
    await toStripCanvas()
    await toStrip(`Opacity on ${bus.name}`)
    await press(Key.ARROW_LEFT)
    await press('c')
    await waitFor(driver, 'a curve', async () => (await trackAt(ref)).keys[0]!.go === 'curve')
    const before = readSetting(await compNow(), ref, 2) as number
    for (let i = 0; i < 5; i++)
      await driver.actions().keyDown(Key.ALT).sendKeys(Key.ARROW_UP).keyUp(Key.ALT).perform()
    await waitFor(
      driver,
      'it bent',
      async () => (readSetting(await compNow(), ref, 2) as number) > before + 0.01,
    )
  })
  test('the origin of rays follows an object of the ID pass', async () => {
    const comp = await compNow()
    const lane = comp.lanes.find((l) => l.steps.some((s) => s.effect === 'light-rays'))!
    const rays = lane.steps.find((s) => s.effect === 'light-rays')!
    const ref: SettingRef = { of: 'dial', step: rays.id, key: 'origin' }
    await toStripCanvas()
    await toStrip(`Light rays · origin on ${lane.name}`)
    await press('a')
    for (let i = 0; i < 6; i++) await press(Key.ARROW_RIGHT)
    await press(Key.ENTER)
    await find(driver, '[role=menuitem]')
    await driver.sleep(200)
    // Flicker, hold, shift, follow.
    for (let i = 0; i < 8 && !(await words()).startsWith('Follow'); i++) {
      await press(Key.ARROW_DOWN)
      await driver.sleep(80)
    }
    await press(Key.ENTER)
    await waitFor(driver, 'it follows', async () => (await trackAt(ref)).riders?.at(-1)?.type === 'follow')
    await driver.sleep(200)
    await toStripCanvas()
    await toStrip(`Light rays · origin on ${lane.name}`)
    await press('a')
    for (let i = 0; i < 6; i++) await press(Key.ARROW_RIGHT)
    await press(Key.ARROW_LEFT, Key.ENTER)
    await find(driver, 'select[aria-label="of feed"]')
    for (let i = 0; i < 9 && (await focused()) !== 'of feed'; i++) await press(Key.TAB)
    await press(...Array.from('grotto · obj'))
    await waitFor(driver, 'objects', async () =>
      JSON.stringify((await trackAt(ref)).riders).includes('"objects"'),
    )
    for (let i = 0; i < 9 && (await words()) !== 'pick objects'; i++) await press(Key.TAB)
    await press(Key.ENTER)
    await find(driver, '[aria-label="Objects"] button')
    for (let i = 0; i < 40 && !(await isObject()); i++) await press(Key.TAB)
    await press(Key.ENTER)
    await waitFor(driver, 'an object', async () => {
      const rider = (await trackAt(ref)).riders!.at(-1)
      return rider?.type === 'follow' && rider.of.type === 'matte' && rider.of.matte.objects?.length === 1
    })
    // Out of the popover, of what rides on the strip, and of picking.
    for (let i = 0; i < 4; i++) {
      await press(Key.ESCAPE)
      await driver.sleep(150)
    }
  })
  rideAndPlay(3)
})

describe('by the keyboard alone, on a still of one’s own', () => {
  const blur = () =>
    driver.executeScript(() => {
      ;(document.activeElement as HTMLElement | null)?.blur()
    })
  const tabTo = async (name: string, isBack = false) => {
    for (let i = 0; i < 90; i++) {
      if ((await focused())?.startsWith(name)) return
      if (isBack) await driver.actions().keyDown(Key.SHIFT).sendKeys(Key.TAB).keyUp(Key.SHIFT).perform()
      else await press(Key.TAB)
    }
    throw new Error(`Tab does not reach ${name}`)
  }
  const addStep = async (phrase: string, effect: string) => {
    await blur()
    await press(Key.ARROW_UP, '/')
    await find(driver, 'dialog input')
    await press(phrase)
    await driver.sleep(150)
    await press(Key.ENTER)
    await waitFor(driver, effect, async () => allSteps(await compNow()).some((s) => s.effect === effect))
  }
  const ofDial = async (effect: string, key: string): Promise<SettingRef> => ({
    of: 'dial',
    step: allSteps(await compNow()).find((s) => s.effect === effect)!.id,
    key,
  })
  beforeAll(async () => {
    shot = await bringStill()
    await driver.get(`${app.address}/shots/${shot}`)
    await settled()
  }, 60_000)

  test('the shot gets twelve frames; a shade is drawn, and flickers', async () => {
    await tabTo('Frames of the shot')
    await press(Key.ENTER)
    await tabTo('Last frame')
    await press('12', Key.ENTER)
    await waitFor(driver, 'twelve frames', async () => (await compNow()).frames.last === 12)
    // Out of the field, out of the popover.
    await press(Key.ESCAPE, Key.ESCAPE)
    await waitFor(
      driver,
      'the popover gone',
      async () => (await driver.findElements(By.css('input[aria-label="Last frame"]'))).length === 0,
    )
    await addStep('shade by a shape', 'matte-shade')
    await press('d')
    await tabTo('shape feed')
    await press('d')
    await waitFor(driver, 'a drawing', async () => (await compNow()).drawings.length === 1)
    const drawn = async () => JSON.stringify((await compNow()).drawings[0])
    // Its tools lie above.
    await tabTo('Ellipse', true)
    await press(Key.ENTER, Key.ENTER)
    await waitFor(driver, 'an ellipse', async () => (await drawn()).includes('Ellipse'))
    const before = await drawn()
    await press(Key.ARROW_RIGHT)
    await waitFor(driver, 'a nudge', async () => (await drawn()) !== before)
    for (let i = 0; i < 3; i++) await press(Key.ESCAPE)
    await blur()
    await press('t')
    await allStrips()
    const name = 'Matte shade · strength on lantern'
    await toStrip(name)
    await press('a')
    await waitFor(
      driver,
      'what rides on it',
      async () => (await focused())?.startsWith('What rides on') ?? false,
    )
    await press(Key.ENTER)
    await find(driver, '[role=menuitem]')
    await press(Key.ENTER)
    const ref = await ofDial('matte-shade', 'strength')
    await waitFor(driver, 'a flicker', async () => trackHas(await compNow(), ref, true))
    await blur()
    await press('t')
  })
  test('bloom comes up from nothing to full by a curve, the lane fades', async () => {
    await addStep('bloom', 'bloom')
    await blur()
    await press('t')
    await allStrips()
    const [strength, ref] = ['Bloom · strength on lantern', await ofDial('bloom', 'strength')]
    const lane = (await compNow()).lanes[0]!.id
    for (const [name, from, to, of] of [
      [strength, '0', '1', ref],
      ['Opacity on lantern', '1', '0.25', { of: 'opacity', lane }],
    ] as const) {
      await toStrip(name)
      await press(Key.ENTER, from, Key.TAB, Key.ESCAPE)
      await toStripCanvas()
      await toStrip(name)
      await press('n')
      await waitFor(driver, 'a key', async () => isTrack(settingOf(await compNow(), of)!))
      await blur()
      await press('k', ...Array.from('...........'))
      await toStripCanvas()
      await toStrip(name)
      await press(Key.ENTER, to, Key.TAB, Key.ESCAPE)
      await waitFor(driver, 'two keys', async () => (await trackAt(of)).keys.length === 2)
      await toStripCanvas()
      await press('k', ...Array.from(',,,,,,,,,,,'))
    }
    expect((await trackAt(ref)).keys).toMatchObject([
      { frame: 1, value: 0 },
      { frame: 12, value: 1 },
    ])
    const comp = await compNow()
    expect([1, 12].map((f) => readSetting(comp, { of: 'opacity', lane }, f))).toEqual([1, 0.25])
    await toStrip(strength)
    await press(Key.ARROW_RIGHT, Key.ARROW_LEFT, 'c')
    await waitFor(driver, 'a curve', async () => (await trackAt(ref)).keys.some((k) => k.go === 'curve'))
    await blur()
    await press('t')
  })
  rideAndPlay(12)
})

/** A test: a dial of the bloom is ridden, and the shot plays. */
function rideAndPlay(frames: number): void {
  test('a dial is ridden by its arrow keys while it plays, and the shot plays', async () => {
    const undone = async () =>
      (await attributeOf(driver, '//button[starts-with(@title, "Undo:")]', 'title')) ?? ''
    if (!(await driver.executeScript<boolean>(() => document.querySelector('[aria-label=Timing]') !== null)))
      await press('t')
    const ride = await find(driver, '//button[contains(., "Ride")]')
    await ride.sendKeys(Key.SPACE)
    await driver.executeScript(() => {
      ;(document.activeElement as HTMLElement | null)?.blur()
    })
    await press('t')
    await (await find(driver, '[aria-label="Step Bloom"]')).sendKeys(Key.ENTER)
    await press('d')
    for (let i = 0; i < 60 && (await focused()) !== 'Reach slider'; i++) await press(Key.TAB)
    await ready(frames)
    await press('p')
    const hold = driver.actions().keyDown(Key.ARROW_RIGHT)
    for (let i = 0; i < 12; i++) hold.pause(40).keyDown(Key.ARROW_RIGHT)
    await hold.keyUp(Key.ARROW_RIGHT).perform()
    await press('p')
    await waitFor(driver, 'a ride', async () => /^Undo: Ride Bloom: reach/.test(await undone()))
    expect(allSteps(await compNow()).some((s) => s.effect === 'bloom' && isTrack(s.dials['reach']))).toBe(
      true,
    )
    await ready(frames)
    await press('p')
    await waitFor(driver, 'frames that were played', async () => (await played()) > 20)
    await press('p')
    await press('t')
    await (await find(driver, '//button[contains(., "Ride")]')).sendKeys(Key.SPACE)
  })
}

/** The strip that has the focus. */
const here = () =>
  driver.executeScript<string>(
    () => document.activeElement?.closest<HTMLElement>('[data-strip]')?.dataset['name'] ?? '',
  )
/** From strip to strip, down and then up again, to one of a name. */
const place = () =>
  driver.executeScript<string>(
    () => document.activeElement?.closest<HTMLElement>('[data-strip]')?.dataset['strip'] ?? '',
  )
const toStrip = async (name: string) => {
  await waitFor(driver, 'a strip with the focus', async () => (await here()) !== '')
  for (const way of [Key.ARROW_DOWN, Key.ARROW_UP])
    for (;;) {
      if ((await here()) === name) return
      const now = await place()
      await press(way)
      const isNext = await waitFor(
        driver,
        'the next strip',
        async () => !['', now].includes(await place()),
        1500,
      ).catch(() => false)
      if (!isNext) break
    }
  throw new Error(`no strip ${name}, but ${await here()}`)
}

const settingIsNumber = (setting: unknown) => typeof setting === 'number'
const trackHas = (comp: Comp, ref: SettingRef, isOn: boolean) => {
  const setting = settingOf(comp, ref)
  return (
    setting !== undefined &&
    isTrack(setting) &&
    setting.riders?.at(-1)?.type === 'flicker' &&
    setting.riders.at(-1)!.on === isOn
  )
}
const focused = () =>
  driver.executeScript<string | null>(() => document.activeElement!.getAttribute('aria-label'))
/** All strips, by the arrow keys of the buttons that say which are shown; then back to the strips. */
const allStrips = async () => {
  await driver.executeScript(() => {
    document.querySelector<HTMLElement>('[aria-label="Strips that are shown"] [aria-checked=true]')!.focus()
  })
  await press(Key.TAB, Key.TAB, Key.ENTER)
  await toStripCanvas()
}
/** The focus goes to the strip that is worked on, as when the view is entered. */
const toStripCanvas = async () => {
  await driver.executeScript(() => {
    ;(document.activeElement as HTMLElement | null)?.blur()
  })
  await press('t')
  await driver.sleep(300)
  await press('t')
  await find(driver, '[aria-label="Timing"] canvas')
  await driver.sleep(300)
}

const words = () => driver.executeScript<string>(() => document.activeElement!.textContent.trim())
const isObject = () =>
  driver.executeScript<boolean>(
    () =>
      document.activeElement!.closest('[aria-label="Objects"]') !== null &&
      document.activeElement!.matches('button[aria-pressed]'),
  )
