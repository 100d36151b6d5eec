import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { By, Key, type WebElement } from 'selenium-webdriver'
import { describe, expect, test } from 'vitest'
import { addLane, emptyComp } from '../src/core/comp/edits.ts'
import type { Comp } from '../src/core/comp/schema.ts'
import { joinModes, type JoinMode } from '../src/core/kernels/join-modes.ts'
import { plainKernels } from '../src/core/kernels/plain-kernels.ts'
import { plainPicture, type Picture } from '../src/core/picture/picture.ts'
import { attributeOf, clickOn, find, textOf, waitFor } from './app.ts'

import {
  app,
  driver,
  useDemo,
  settled,
  saved,
  values,
  point,
  threshold,
  savedComp,
  putComp,
} from './demo-shot.ts'
import { beside, onObject, type Place } from './demo-places.ts'

useDemo()

describe('the desk of the demo', () => {
  /** Drags by the mouse, with the target brought to the middle of what scrolls, so that nothing scrolls on under the pointer. */
  const drag = async (from: WebElement, to: WebElement, x: number, y: number) => {
    await driver.executeScript(
      `arguments[1].scrollIntoView({ block: 'center', inline: 'nearest' })
       arguments[0].scrollIntoView({ block: 'nearest', inline: 'nearest' })`,
      from,
      to,
    )
    await driver
      .actions()
      .move({ origin: from })
      .press()
      .move({ origin: from, x: 8, y: 6 })
      .move({ origin: to, x, y, duration: 120 })
      .move({ origin: to, x: x + 1, y })
      .release()
      .perform()
  }
  const lane = async (name: string) => {
    const found = (await savedComp()).comp.lanes.find((l) => l.name === name)
    expect(found, name).toBeDefined()
    return found!
  }
  const sentence = () => textOf(driver, '[aria-label=Dials] h2 + p')
  const key = (...keys: string[]) =>
    driver
      .actions()
      .sendKeys(...keys)
      .perform()

  test('opens with buses, live copies and light taken from chosen objects, and says what each lane does', async () => {
    await driver.get(`${app.address}/shots/grottodemo01`)
    await settled()
    const click = async (name: string) => clickOn(driver, `[aria-label="Source of ${name}"]`)
    await click('Cave')
    expect(await sentence()).toMatch(
      /^Beauty of grotto, then exposure, then matte light \(shape in Vent light\), then cast light \(position from position of grotto, normal from normal of grotto\), then depth mist \(depth from depth of grotto, position from position of grotto\), then bloom \(light from Living light\), then star glare \(light in 2 objects in objects of grotto, only in the drawing Bell circle or in one object in objects of grotto\), then light rays/,
    )
    await click('Seahorse glow')
    expect(await sentence()).toMatch(/^A live copy of Seahorse, then matte glow; joined by plus\.$/)
    await click('Living light')
    expect(await sentence()).toMatch(
      /opacity \(only outside 6 objects in objects of grotto\)\. It is not in the picture/,
    )
  })

  test('rays are added by what they do, fed by chosen light, begun from a starting point and seen alone', async () => {
    await clickOn(driver, '[aria-label="Source of Cave"]')
    await driver.actions().sendKeys('/').perform()
    await find(driver, 'dialog[open] input')
    await driver.actions().sendKeys('beams of sun', Key.ENTER).perform()
    const feed = await find(driver, 'select[aria-label="light feed"]')
    for (const option of await feed.findElements(By.css('option')))
      if ((await option.getText()) === 'tap of Daylight') await option.click()
    await settled()
    await waitFor(driver, 'stops of light', async () =>
      (await textOf(driver, '[data-testid=light-added]')).startsWith('adds +'),
    )
    await clickOn(driver, '//button[contains(., "Starting points")]')
    await clickOn(driver, '//button[contains(., "Short burst")]')
    const length = await find(driver, 'input[aria-label="Length"]')
    expect(await length.getAttribute('value')).toBe('160')
    const undo = await find(driver, 'button[title^="Undo"]')
    expect(await undo.getAttribute('title')).toContain('short burst')
    await driver.actions().sendKeys('l').perform()
    await settled()
    // Rays of the roof's hole alone: light below it, none on the glass of the bell.
    const lit = async (place: Place) => {
      await point(...place)
      let found: number[] = []
      await waitFor(driver, 'steady values', async () => {
        const [before, now] = [found.join(), await values()]
        found = now
        return now.length === 4 && before === now.join()
      })
      return found[1]!
    }
    const [hole] = await onObject('surface')
    expect(await lit([hole, 0.22])).toBeGreaterThan(0.05)
    expect(await lit(await onObject('bell_glass'))).toBeLessThan(0.01)
    await driver.actions().sendKeys('l').perform()
  })

  test('a threshold is picked from the picture: what is clicked on, and all that is brighter', async () => {
    await clickOn(driver, '[aria-label="Step Bloom"]')
    const before = await threshold()
    await clickOn(driver, '[aria-label="Pick the threshold from the picture"]')
    await find(driver, '//*[contains(text(), "faintest light that should be caught")]')
    // Beside everything that lives: nothing is picked, and this is said.
    await point(...(await onObject('sand')))
    await driver.actions().click().perform()
    await find(driver, '//*[contains(text(), "is dark there")]')
    await clickOn(driver, '[aria-label="Pick the threshold from the picture"]')
    await point(...(await onObject('jelly_1')))
    await driver.actions().click().perform()
    await waitFor(driver, 'the threshold of a jellyfish', async () => {
      const now = await threshold()
      return now > 0 && now < 2 && now !== before
    })
    await driver.actions().keyDown(Key.CONTROL).sendKeys('z').keyUp(Key.CONTROL).perform()
    await waitFor(driver, 'the undo', async () => (await threshold()) === before)
  })

  test('objects become a matte by clicking on them in the picture', async () => {
    await clickOn(driver, '[aria-label="Step Star glare"]')
    // Its own two are cut first: the second takes the place of the first.
    for (let i = 0; i < 2; i++) await clickOn(driver, '[aria-label="Cut the matte feed"]')
    const feed = await find(driver, 'select[aria-label="matte feed"]')
    for (const option of await feed.findElements(By.css('option')))
      if ((await option.getText()) === 'grotto · objects') await option.click()
    await waitFor(driver, 'both pickers', async () => {
      const found = await driver.findElements(By.css('[aria-label="Pick objects from the picture"]'))
      return found.length === 2
    })
    await (await driver.findElements(By.css('[aria-label="Pick objects from the picture"]')))[1]!.click()
    const picked = async () => {
      const { comp } = await savedComp()
      const step = comp.lanes.flatMap((l) => l.steps).find((s) => s.effect === 'star-glare')
      return step?.matte?.objects?.length
    }
    for (const [i, name] of ['jelly_1', 'jelly_2'].entries()) {
      await point(...(await onObject(name)))
      await driver.actions().click().perform()
      await waitFor(driver, `${i + 1} objects`, async () => (await picked()) === i + 1)
    }
    // A second click takes it out again.
    await driver.actions().click().perform()
    await waitFor(driver, 'one object less', async () => (await picked()) === 1)
    await driver.actions().sendKeys(Key.ESCAPE).perform()
    // And by name, from a list that is searched.
    await (await driver.findElements(By.css('[aria-label="Objects of the matte"]')))[1]!.click()
    await (await find(driver, '[aria-label="Find an object"]')).sendKeys('jelly')
    await waitFor(
      driver,
      'five of them',
      async () => (await driver.findElements(By.css('[aria-label=Objects] button'))).length === 5,
    )
    const names = '//ul[@aria-label="Objects"]//button[@aria-pressed="false"]'
    await clickOn(driver, names)
    await waitFor(driver, 'one object more', async () => (await picked()) === 2)
    await clickOn(driver, '[aria-label="Cut the matte feed"]')
    await waitFor(driver, 'no matte', async () => (await picked()) === undefined)
  })

  test('with the mouse: a window is traced, a point bent, the cut turned inside out, and light glows through it', async () => {
    const step = async () => {
      const { comp } = await savedComp()
      const cave = comp.lanes.find((l) => l.name === 'Cave')!
      return { comp, step: cave.steps.findLast((s) => s.effect === 'matte-glow')! }
    }
    await clickOn(driver, '[aria-label="Source of Cave"]')
    const before = (await step()).comp.lanes.find((l) => l.name === 'Cave')!.steps.length
    const ends = '//li[@aria-label="Lane Cave"]//button[@aria-label="Add a step at the end"]'
    const slot = await find(driver, ends)
    await driver.executeScript('arguments[0].scrollIntoView({ inline: "center" })', slot)
    await slot.click()
    await key('glow through a shape')
    await clickOn(driver, '//dialog//button[contains(., "Matte glow")]')
    await clickOn(driver, 'select[aria-label="shape feed"] option[value="new drawing"]')
    await find(driver, '[aria-label=Shapes]')
    // What takes the clicks is loaded when it is first needed.
    await find(driver, '.konvajs-content canvas')
    // Around the bell's lower right pane, closed on its first point.
    const pane = await onObject('bell_glass')
    const right = beside(pane, 0.022, -0.03)
    const corners = [
      beside(pane, -0.022, -0.03),
      right,
      beside(pane, 0.022, 0.03),
      beside(pane, -0.022, 0.03),
      beside(pane, -0.022, -0.03),
    ]
    for (const corner of corners) {
      await point(...corner)
      await driver.actions().click().perform()
    }
    const outline = await waitFor(driver, 'an outline of four points', async () => {
      const { comp, step: glow } = await step()
      const from = glow.feeds['shape']?.from
      const drawing = from?.type === 'drawing' ? comp.drawings.find((d) => d.id === from.drawing) : undefined
      const path = drawing?.time === 'keyed' ? drawing.shapes[0]?.path : undefined
      return Array.isArray(path) && path.length === 4 ? path : undefined
    })
    const { width } = (await savedComp()).comp.canvas
    expect(outline[0]!.at[0] / width).toBeCloseTo(corners[0]![0], 2)
    // A point is dragged; one undo takes the whole drag back.
    await point(...right)
    const canvas = await find(driver, '[data-testid=picture]')
    const rect = await canvas.getRect()
    const [x, y] = [Math.round((right[0] - 0.5) * rect.width), Math.round((right[1] - 0.5) * rect.height)]
    await driver
      .actions()
      .move({ origin: canvas, x, y })
      .press()
      .move({ origin: canvas, x: x + 6, y: y + 2 })
      .move({ origin: canvas, x: x + 12, y: y - 4, duration: 100 })
      .release()
      .perform()
    const second = async () => {
      const drawing = (await savedComp()).comp.drawings.at(-1)!
      const path = drawing.time === 'keyed' ? drawing.shapes[0]!.path : []
      return Array.isArray(path) ? path[1]!.at[0] : 0
    }
    await waitFor(driver, 'the point moved', async () => (await second()) - outline[1]!.at[0] > 5)
    await driver.actions().keyDown(Key.CONTROL).sendKeys('z').keyUp(Key.CONTROL).perform()
    await waitFor(driver, 'the point back', async () => Math.abs((await second()) - outline[1]!.at[0]) < 0.05)
    await clickOn(driver, '//section[@aria-label="Shapes"]//button[.="Done"]')
    // Light outside of the window; inverted, it falls inside.
    await settled()
    await driver.actions().sendKeys('l').perform()
    await point(...pane)
    const glowAt = async () => (await values())[0]
    await waitFor(driver, 'no light inside', async () => (await glowAt()) === 0)
    const chip = '//div[.//select[@aria-label="shape feed"]]/button[.="inv"]'
    await clickOn(driver, chip)
    await waitFor(
      driver,
      'the cut inside out',
      async () => (await step()).step.feeds['shape']?.invert === true,
    )
    await point(...beside(pane, 0, 0.002))
    await waitFor(driver, 'light inside', async () => ((await glowAt()) ?? 0) > 0.02)
    await driver.actions().sendKeys('l').perform()
    await clickOn(driver, '//button[contains(., "Remove the step")]')
    await waitFor(driver, 'the step gone', async () => {
      const { comp } = await savedComp()
      return comp.lanes.find((l) => l.name === 'Cave')!.steps.length === before
    })
  })

  const onCrystals = () => onObject('crystals')
  /** Codes of the shown picture at parts of its size: red, green, blue. */
  const codesAt = ([x, y]: Place) =>
    driver.executeScript<number[]>(
      `const c = document.querySelector('[data-testid=picture]')
       return [...c.getContext('2d').getImageData(Math.floor(arguments[0] * c.width), Math.floor(arguments[1] * c.height), 1, 1).data].slice(0, 3)`,
      x,
      y,
    )
  const lastStep = async (effect: string) =>
    (await lane('Cave')).steps.findLast((s) => s.effect === effect) ?? expect.fail(`no ${effect}`)

  test('mist from the raw depth pass without a number typed: marks that fit, picked and dragged; far before near is told and swapped', async () => {
    await clickOn(driver, '[aria-label="Source of Cave"]')
    await settled()
    const [near, far] = [await onObject('crystals'), await onObject('rock', (depth) => depth > 14)]
    const before = [await codesAt(near), await codesAt(far)]
    await key('/')
    await find(driver, 'dialog[open] input')
    await key('fog', Key.ENTER)
    const fitted = await waitFor(driver, 'marks that fit', async () => {
      // Beside the one that the demo has.
      const mists = (await lane('Cave')).steps.filter((step) => step.effect === 'depth-mist')
      if (mists.length < 2) return false
      const { feeds, dials } = mists[1]!
      const isFed =
        JSON.stringify(feeds['depth']?.from) ===
        JSON.stringify({ type: 'pass', media: 'cave', pass: 'depth' })
      return isFed && dials['near'] !== 0 && (dials as { near: number; far: number })
    })
    expect(fitted.near).toBeGreaterThan(4)
    expect(fitted.far).toBeGreaterThan(fitted.near + 2)
    await settled()
    // The crystals in front stay as they were, to the code; the rock behind does not.
    await waitFor(
      driver,
      'mist on what is far',
      async () => JSON.stringify(await codesAt(far)) !== JSON.stringify(before[1]),
    )
    expect(await codesAt(near)).toEqual(before[0])
    await clickOn(driver, '//button[contains(., "Pick near and far")]')
    for (const place of [await onObject('bell_brass'), far]) {
      await point(...place)
      await driver.actions().click().perform()
    }
    const picked = await waitFor(driver, 'picked marks', async () => {
      const { near, far } = (await lastStep('depth-mist')).dials as { near: number; far: number }
      return near !== fitted.near && far !== fitted.far && { near, far }
    })
    expect(picked.near).toBeLessThan(picked.far)
    const marks = await find(driver, '[data-testid=span-marks]')
    const farMark = await find(driver, '[aria-label="Far on the histogram"]')
    const { width } = await marks.getRect()
    await driver
      .actions()
      .move({ origin: farMark })
      .press()
      .move({ origin: marks, x: Math.round(4 - width / 2), y: 0 })
      .release()
      .perform()
    expect(await textOf(driver, '[aria-label=Dials] [role=alert]')).toMatch(/^Mist grows towards the camera/)
    // It may as well be the pass that counts the other way: how it is read is a click away.
    await clickOn(driver, '//button[. = "The pass …"]')
    expect(await textOf(driver, '[aria-label="About the pass"]')).toContain('larger is farther')
    await (await driver.findElements(By.css('nav button')))[0]!.click()
    await clickOn(driver, '//button[. = "Swap"]')
    await waitFor(driver, 'near before far again', async () => {
      const { near, far } = (await lastStep('depth-mist')).dials as { near: number; far: number }
      return near < far && far === picked.near
    })
    await clickOn(driver, '//button[contains(., "Remove the step")]')
  })

  test('scopes open at one key, count the picture or a part of it, in a worker', async () => {
    await point(0.5, 0.5)
    await key('s')
    const pixels = async () => Number(await attributeOf(driver, '[aria-label=Scopes] canvas', 'data-pixels'))
    await waitFor(driver, 'all pixels', async () => (await pixels()) === 480 * 270)
    for (const kind of ['parade', 'histogram', 'vectorscope']) {
      await clickOn(driver, `[aria-label=Scopes] select[aria-label=Scope] option[value=${kind}]`)
      await waitFor(driver, kind, async () => (await pixels()) === 480 * 270)
    }
    await clickOn(driver, '//button[contains(., "Part")]')
    await point(0.3, 0.3)
    await driver.actions().press().perform()
    await point(0.5, 0.5)
    await driver.actions().release().perform()
    const part = await waitFor(driver, 'a part', async () => {
      const count = await pixels()
      return count < 480 * 270 && count
    })
    expect(Math.abs(part / (0.04 * 480 * 270) - 1)).toBeLessThan(0.1)
    await clickOn(driver, '//button[. = "Scopes"]')
  })

  test('a colour table comes in without a lane, is looked through, and a broken one is told by its line', async () => {
    const folder = mkdtempSync(join(tmpdir(), 'zafiro-look-'))
    const cube = (rows: string) => `TITLE "Dusk"\nLUT_3D_SIZE 2\n${rows}`
    // Red and blue change places.
    const swapped = [0, 1].flatMap((b) => [0, 1].flatMap((g) => [0, 1].map((r) => `${b} ${g} ${r}`)))
    writeFileSync(join(folder, 'Dusk.cube'), cube(swapped.join('\n')))
    writeFileSync(join(folder, 'Broken.cube'), cube('0 0 0\n1 1\n'))
    const lanes = (await savedComp()).comp.lanes.length
    const file = await find(driver, 'input[type=file]')
    await file.sendKeys(`${join(folder, 'Dusk.cube')}\n${join(folder, 'Broken.cube')}`)
    const notes = await waitFor(driver, 'notes', async () => {
      const text = await textOf(driver, '[role=alert]')
      return /Dusk is a colour table/.test(text) && text
    })
    expect(notes).toMatch(/Broken\.cube.*line 4: wants 3 numbers, but holds “1 1”/)
    expect((await savedComp()).comp.lanes).toHaveLength(lanes)
    const [r, g, b] = await codesAt(await onCrystals())
    await clickOn(driver, '//select[@aria-label="Viewing"]//option[. = "Dusk"]')
    await waitFor(driver, 'the picture through it', async () => {
      const seen = await codesAt(await onCrystals())
      return Math.abs(seen[0]! - b!) < 3 && Math.abs(seen[1]! - g!) < 3 && Math.abs(seen[2]! - r!) < 3
    })
    await waitFor(driver, 'the save', async () => (await savedComp()).comp.viewing?.type === 'table')
    await clickOn(driver, '//select[@aria-label="Viewing"]//option[. = "Plain sRGB"]')
    await waitFor(
      driver,
      'the plain picture',
      async () => String(await codesAt(await onCrystals())) === String([r, g, b]),
    )
    await clickOn(driver, '[role=alert] [aria-label=Dismiss]')
    rmSync(folder, { recursive: true })
  })

  test('a process list is looked through, and one that is wrong is told by its node', async () => {
    const folder = mkdtempSync(join(tmpdir(), 'zafiro-list-'))
    const list = (rows: string) =>
      `<ProcessList id="a" compCLFversion="3.0"><Matrix inBitDepth="32f" outBitDepth="32f"><Array dim="3 3">${rows}</Array></Matrix></ProcessList>`
    writeFileSync(join(folder, 'Turned.clf'), list('0 0 1 0 1 0 1 0 0'))
    writeFileSync(join(folder, 'Odd.clf'), list('0 0 1'))
    await (
      await find(driver, 'input[type=file]')
    ).sendKeys(`${join(folder, 'Turned.clf')}\n${join(folder, 'Odd.clf')}`)
    const notes = await waitFor(driver, 'notes', async () => {
      const text = await textOf(driver, '[role=alert]')
      return /Turned is a colour table/.test(text) && text
    })
    expect(notes).toMatch(/Odd\.clf.*node 1 \(Matrix\): its Array holds 3 numbers, but 9 are wanted/)
    const [r, g, b] = await codesAt(await onCrystals())
    await clickOn(driver, '//select[@aria-label="Viewing"]//option[. = "Turned"]')
    await waitFor(driver, 'the picture through it', async () => {
      const seen = await codesAt(await onCrystals())
      return Math.abs(seen[0]! - b!) < 3 && Math.abs(seen[1]! - g!) < 3 && Math.abs(seen[2]! - r!) < 3
    })
    await clickOn(driver, '//select[@aria-label="Viewing"]//option[. = "Plain sRGB"]')
    await clickOn(driver, '[role=alert] [aria-label=Dismiss]')
    rmSync(folder, { recursive: true })
  })

  test('the shot is worked in another space: its colours keep their look, and one undo takes it back', async () => {
    const before = await savedComp()
    const codes = await codesAt(await onCrystals())
    await (await driver.findElements(By.css('nav[aria-label=Views] button')))[1]!.click()
    await clickOn(driver, '//select[@aria-label="Working space"]//option[. = "ACEScg"]')
    await waitFor(driver, 'the save', async () => (await savedComp()).comp.space === 'acescg')
    await settled()
    // Light that is added and blurred is the same light; curves are of the space.
    const seen = await codesAt(await onCrystals())
    for (const c of [0, 1, 2]) expect(Math.abs(seen[c]! - codes[c]!)).toBeLessThan(12)
    expect(JSON.stringify((await savedComp()).comp.lanes)).not.toBe(JSON.stringify(before.comp.lanes))
    await driver.actions().keyDown(Key.CONTROL).sendKeys('z').keyUp(Key.CONTROL).perform()
    await waitFor(driver, 'the save', async () => (await savedComp()).comp.space === undefined)
    await settled()
    await waitFor(
      driver,
      'the picture of before',
      async () => String(await codesAt(await onCrystals())) === String(codes),
    )
    expect(JSON.stringify((await savedComp()).comp.lanes)).toBe(JSON.stringify(before.comp.lanes))
    await (await driver.findElements(By.css('nav[aria-label=Views] button')))[0]!.click()
  })

  test('a decision list is loaded into the dials of a grade, and what it leaves out is said', async () => {
    const folder = mkdtempSync(join(tmpdir(), 'zafiro-list-'))
    const path = join(folder, 'deep.ccc')
    writeFileSync(
      path,
      '<ColorCorrectionCollection><ColorCorrection id="deep"><SOPNode><Slope>0.8 1.1 1.3</Slope><Offset>0 0 0.02</Offset></SOPNode></ColorCorrection></ColorCorrectionCollection>',
    )
    await clickOn(driver, '[aria-label="Source of Cave"]')
    await key('/')
    await find(driver, 'dialog[open] input')
    await key('asc cdl', Key.ENTER)
    await (await find(driver, 'input[aria-label="Decision list file"]')).sendKeys(path)
    await waitFor(driver, 'its slope', async () => {
      const { dials } = await lastStep('cdl-grade')
      return dials['slopeBlue'] === 1.3 && dials['offsetBlue'] === 0.02 && dials['powerRed'] === 1
    })
    expect(await textOf(driver, '[aria-label=Dials]')).toContain('deep has no Power, no Saturation')
    await clickOn(driver, '//button[contains(., "Remove the step")]')
    rmSync(folder, { recursive: true })
  })

  test('with the mouse: a tone is bent on its curve, a gradient gets a stop, what is in focus is picked; one undo takes each back', async () => {
    const add = async (words: string) => {
      await clickOn(driver, '[aria-label="Source of Cave"]')
      await key('/')
      await find(driver, 'dialog[open] input')
      await key(words, Key.ENTER)
    }
    const undo = () => driver.actions().keyDown(Key.CONTROL).sendKeys('z').keyUp(Key.CONTROL).perform()
    const dialsOf = async (effect: string) => (await lastStep(effect)).dials
    const remove = async () => clickOn(driver, '//button[contains(., "Remove the step")]')
    /** Drags on a field, given in parts of its size. */
    const dragOn = async (css: string, from: readonly [number, number], to: readonly [number, number]) => {
      const field = await find(driver, css)
      await driver.executeScript('arguments[0].scrollIntoView({ block: "center" })', field)
      const { width, height } = await field.getRect()
      const at = ([x, y]: readonly [number, number]) => ({
        origin: field,
        x: Math.round((x - 0.5) * width),
        y: Math.round((y - 0.5) * height),
      })
      await driver
        .actions()
        .move(at(from))
        .press()
        .move({ ...at(to), duration: 80 })
        .release()
        .perform()
    }

    /** What the small picture of a tile shows: those that did not change are neither made nor sent again. */
    const small = (label: string) =>
      driver.executeScript<string>(
        'return document.querySelector(`[aria-label="${arguments[0]}"] canvas`).toDataURL()',
        label,
      )

    await add('contrast tone rgb')
    await settled()
    const before = await codesAt(await onCrystals())
    const tiles = ['Step Curves', 'All lanes joined', 'Source of Cave'] as const
    const shown = await waitFor(driver, 'small pictures that stand still', async () => {
      const first = await Promise.all(tiles.map(small))
      await new Promise((resolve) => setTimeout(resolve, 700))
      return String(await Promise.all(tiles.map(small))) === String(first) && first
    })
    await dragOn('[aria-label="Luminance curve"]', [0.35, 0.65], [0.35, 0.3])
    const points = await waitFor(driver, 'a further point', async () => {
      const curve = (await dialsOf('curves'))['luminance'] as [number, number][] | undefined
      return curve?.length === 3 && curve
    })
    const bent = points.toSorted((a, b) => a[0] - b[0])[1]!
    expect(bent[1]).toBeGreaterThan(bent[0] + 0.2)
    await waitFor(
      driver,
      'a brighter picture',
      async () => (await codesAt(await onCrystals()))[2]! > before[2]! + 10,
    )
    await waitFor(
      driver,
      'brighter small pictures',
      async () => (await small('Step Curves')) !== shown[0] && (await small('All lanes joined')) !== shown[1],
    )
    expect(await small('Source of Cave')).toBe(shown[2])
    await undo()
    await waitFor(
      driver,
      'the picture as it was',
      async () => String(await codesAt(await onCrystals())) === String(before),
    )
    await waitFor(
      driver,
      'the small pictures as they were',
      async () => String(await Promise.all(tiles.map(small))) === String(shown),
    )
    await remove()

    await add('duotone')
    await dragOn('[data-dial="gradient"] .cursor-copy', [0.25, 0.3], [0.35, 0.3])
    await waitFor(driver, 'four stops', async () => {
      const stops = (await dialsOf('gradient-map'))['gradient'] as [number][] | undefined
      return stops?.length === 4 && stops.some(([at]) => Math.abs(at - 0.35) < 0.03)
    })
    await undo()
    await waitFor(
      driver,
      'three stops',
      async () => ((await dialsOf('gradient-map'))['gradient'] as unknown[] | undefined)?.length !== 4,
    )
    await remove()

    await add('bokeh')
    await clickOn(driver, 'select[aria-label="Blurs"] option[value="depth"]')
    await clickOn(driver, '//button[contains(., "Pick focus")]')
    await settled()
    await point(...(await onObject('crystals')))
    await driver.actions().click().perform()
    const focus = await waitFor(driver, 'the focus on the crystals', async () => {
      const at = (await dialsOf('defocus'))['focus']
      return typeof at === 'number' && at < 8 && at
    })
    expect(focus).toBeGreaterThan(2)
    // What is in focus stays as it was, to the code.
    await waitFor(
      driver,
      'sharp crystals',
      async () => String(await codesAt(await onCrystals())) === String(before),
    )
    await remove()
  })

  test('with the mouse: a lane is put behind another, joined in a bus, and a step is moved across lanes', async () => {
    const handle = (name: string) => find(driver, `[aria-label="Drag ${name}"]`)
    const becomes = (what: string, holds: (comp: Comp) => boolean) =>
      waitFor(driver, what, async () => holds((await savedComp()).comp))
    const named = (comp: Comp, name: string) => comp.lanes.find((l) => l.name === name)
    const effects = (comp: Comp, name: string) =>
      named(comp, name)
        ?.steps.map((s) => s.effect)
        .join()
    // Onto the middle of a row: a bus of both, inside the bus that they were in.
    await drag(
      await handle('Seahorse shade'),
      await find(driver, '[aria-label="Lane Seahorse paint"]'),
      -300,
      0,
    )
    await becomes('a bus of both', (comp) => {
      const bus = named(comp, 'Seahorse paint bus')
      return bus !== undefined && named(comp, 'Seahorse shade')?.in === bus.id
    })
    await driver.actions().keyDown(Key.CONTROL).sendKeys('z').keyUp(Key.CONTROL).perform()
    await becomes('no bus again', (comp) => named(comp, 'Seahorse paint bus') === undefined)
    // Onto the upper edge: in front.
    await drag(await handle('Seahorse glow'), await find(driver, '[aria-label="Lane Seahorse"]'), -300, -17)
    await becomes('the front lane', (comp) => comp.lanes.at(-1)!.name === 'Seahorse glow')
    await drag(
      await find(driver, '[aria-label="Lane Seahorse glow"] [aria-label="Step Matte glow"]'),
      await find(driver, '[aria-label="Lane Seahorse paint"]'),
      200,
      0,
    )
    await becomes(
      'the step on the other lane',
      (comp) => effects(comp, 'Seahorse paint') === 'channel-gains,matte-glow',
    )
    expect(effects((await savedComp()).comp, 'Seahorse glow')).toBe('')
  })

  test('a lane is dropped on a feed, which takes its light from it then', async () => {
    await clickOn(driver, '[aria-label="Lane Seahorse paint"] [aria-label="Step Matte glow"]')
    const chip = await find(driver, 'select[aria-label="matte feed"]')
    await drag(await find(driver, '[aria-label="Drag Seahorse line"]'), chip, 0, 0)
    await waitFor(driver, 'the matte', async () => {
      const { comp } = await savedComp()
      const line = comp.lanes.find((l) => l.name === 'Seahorse line')!.id
      const fed = comp.lanes.flatMap((l) => l.steps).find((s) => s.effect === 'matte-glow' && s.matte)
      return fed?.matte?.from.type === 'tap' && fed.matte.from.lane === line
    })
    await driver.actions().keyDown(Key.CONTROL).sendKeys('z').keyUp(Key.CONTROL).perform()
  })

  test('what would make a lane take from itself is refused by name, and a locked lane is left alone', async () => {
    await clickOn(driver, '[aria-label="Source of Seahorse line"]')
    const source = await find(driver, 'select[aria-label="source feed"]')
    for (const option of await source.findElements(By.css('option')))
      if ((await option.getText()) === 'tap of Seahorse') {
        await option.click()
        break
      }
    await waitFor(driver, 'the refusal', async () =>
      /Seahorse line take its picture from itself|Seahorse take its picture from itself/.test(
        await textOf(driver, '[data-testid=toast]'),
      ),
    )
    await clickOn(driver, '[data-testid=toast] [aria-label=Dismiss]')
    for (const button of await driver.findElements(By.css('[aria-label=Dials] button')))
      if ((await button.getText()) === 'Lock') await button.click()
    await key(Key.DELETE)
    await waitFor(driver, 'the refusal', async () =>
      (await textOf(driver, '[data-testid=toast]')).includes('Seahorse line is locked'),
    )
  })

  test('a lane that others use asks before it goes, and says who uses it', async () => {
    await clickOn(driver, '[aria-label="Source of Plume drawing"]')
    await key(Key.DELETE)
    const dialog = await find(driver, 'dialog[open]')
    expect(await dialog.getText()).toMatch(/Plume wide[^]*Plume body[^]*Plume core/)
    for (const button of await dialog.findElements(By.css('button')))
      if ((await button.getText()) === 'Leave it') {
        await button.click()
        break
      }
    expect((await savedComp()).comp.lanes.some((l) => l.name === 'Plume drawing')).toBe(true)
  })

  test('with the keyboard alone: one drawing as three tinted copies under a bus that can be warped', async () => {
    await putComp(addLane(emptyComp(480, 270), 'Plume', { type: 'pass', media: 'plume', pass: 'beauty' }))
    await driver.navigate().refresh()
    await settled()
    const control = (k: string) =>
      driver.actions().keyDown(Key.CONTROL).sendKeys(k).keyUp(Key.CONTROL).perform()
    const addStep = async (text: string, label: string) => {
      await key('/')
      await find(driver, 'dialog[open] input')
      await key(text, Key.ENTER)
      await find(driver, `[aria-label="Step ${label}"]`)
    }
    await (await find(driver, '[aria-label="Source of Plume"]')).sendKeys('')
    await addStep('channel gains', 'Channel gains')
    await key(Key.ARROW_LEFT)
    await control('d')
    await control('d')
    // B joins the selected lane with the one behind it: the middle one and the last, then the front one and that bus.
    await key(Key.ARROW_DOWN)
    await key('b')
    await key(Key.ARROW_UP)
    await key(Key.ARROW_UP)
    await key('b')
    const bus = await waitFor(driver, 'three copies in one bus', async () => {
      const { comp } = await savedComp()
      const found = comp.lanes.find((l) => l.source.type === 'lanes')
      return comp.lanes.length === 4 && comp.lanes.filter((l) => l.in === found?.id).length === 3 && found
    })
    await clickOn(driver, `[aria-label="Source of ${bus.name}"]`)
    await addStep('place', 'Place')
    await saved()
    expect((await lane(bus.name)).steps.map((s) => s.effect)).toEqual(['place'])
  })

  test('a handle on the picture moves what it belongs to, and one undo takes it back', async () => {
    const canvas = await find(driver, '[data-testid=picture]')
    const moved = async () => Number(await attributeOf(driver, 'input[aria-label="Move x"]', 'value'))
    const { width } = await canvas.getRect()
    await driver
      .actions()
      .move({ origin: canvas })
      .press()
      .move({ origin: canvas, x: 30, y: 10 })
      .move({ origin: canvas, x: 60, y: 20 })
      .release()
      .perform()
    await waitFor(driver, 'the move', async () => (await moved()) > 0)
    expect(await moved()).toBeCloseTo((60 * 480) / width, -0.5)
    await driver.actions().keyDown(Key.CONTROL).sendKeys('z').keyUp(Key.CONTROL).perform()
    await waitFor(driver, 'the old place', async () => (await moved()) === 0)
  })

  test('two sides are compared by a line, a still is kept with the shot', async () => {
    await key('w')
    await find(driver, '[data-testid=other-side]')
    for (const button of await driver.findElements(By.css('button')))
      if ((await button.getText()) === 'Keep a still') await button.click()
    await waitFor(driver, 'the still', async () => {
      const { stills } = (await (await fetch(`${app.address}/api/shots/grottodemo01/stills`)).json()) as {
        stills: unknown[]
      }
      return stills.length === 1
    })
    const line = await find(driver, '[aria-label="Line between the two sides"]')
    await driver
      .actions()
      .move({ origin: line })
      .press()
      .move({ origin: line, x: 80, y: 0 })
      .release()
      .perform()
    expect(Number(await line.getAttribute('aria-valuenow'))).toBeGreaterThan(55)
    await key('w')
  })

  test('every join mode gives what Chromium’s own canvas gives (W3C Compositing and Blending Level 1)', async () => {
    const names: Partial<Record<JoinMode, string>> = {
      over: 'source-over',
      plus: 'lighter',
      behind: 'destination-over',
      inside: 'source-in',
      outside: 'source-out',
      atop: 'source-atop',
      keep: 'destination-in',
      cut: 'destination-out',
      frame: 'destination-atop',
      dodge: 'color-dodge',
      burn: 'color-burn',
      colour: 'color',
    }
    const [width, height] = [24, 16]
    let state = 5
    const next = () => ((state = (Math.imul(state, 1103515245) + 12345) & 0x7fffffff) >> 8) % 256
    // Alpha in thirds, so that what the canvas keeps premultiplied in 8 bits comes back close to what was put in.
    const straight = [0, 1].map(() =>
      Array.from({ length: width * height * 4 }, (_, i) =>
        i % 4 === 3 ? [255, 255, 170, 85][next() % 4]! : next(),
      ),
    )
    for (const mode of joinModes) {
      const drawn: number[] = await driver.executeScript(
        `const [below, top, width, height, mode] = arguments
         const make = (codes) => { const c = new OffscreenCanvas(width, height); const x = c.getContext('2d'); x.putImageData(new ImageData(Uint8ClampedArray.from(codes), width, height), 0, 0); return c }
         const c = make(below); const x = c.getContext('2d'); x.globalCompositeOperation = mode; x.drawImage(make(top), 0, 0)
         return [...x.getImageData(0, 0, width, height).data]`,
        straight[0],
        straight[1],
        width,
        height,
        names[mode] ?? mode,
      )
      const [below, top] = straight.map((codes) => {
        const picture = plainPicture(width, height)
        codes.forEach((v, i) => {
          picture.data[i] = i % 4 === 3 ? v / 255 : (v / 255) * (codes[i | 3]! / 255)
        })
        return picture
      }) as [Picture, Picture]
      const out = plainPicture(width, height)
      plainKernels.join(out, below, top, undefined, mode, 1)
      let worst = 0
      for (let i = 0; i < drawn.length; i++) {
        const alpha = drawn[i | 3]! / 255
        const theirs = i % 4 === 3 ? alpha : (drawn[i]! / 255) * alpha
        worst = Math.max(worst, Math.abs(Math.min(1, out.data[i]!) - theirs) * 255)
      }
      // Both ends are rounded to 8 bits, and dodge and burn divide by what was rounded.
      expect(worst, mode).toBeLessThan(
        ['dodge', 'burn', 'soft-light', 'hue', 'saturation'].includes(mode) ? 6 : 2.5,
      )
    }
  })
})
