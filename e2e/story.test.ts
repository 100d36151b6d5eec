import { execFileSync } from 'node:child_process'
import { mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { createServer } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { By, Key, type WebDriver, type WebElement } from 'selenium-webdriver'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { addLane, addStep, emptyComp } from '../src/core/comp/edits.ts'
import { putDial } from '../src/core/comp/settings.ts'
import type { Comp } from '../src/core/comp/schema.ts'
import type { ShotFile } from '../src/core/comp/shot-file.ts'
import { joinModes, type JoinMode } from '../src/core/kernels/join-modes.ts'
import { plainKernels } from '../src/core/kernels/plain-kernels.ts'
import { plainPicture, type Picture } from '../src/core/picture/picture.ts'
import { openMediaFile } from '../src/server/media/media-file.ts'
import { find, home, openBrowser, startApp, textOf, waitFor, type App } from './app.ts'

let app: App
let driver: WebDriver

beforeAll(async () => {
  rmSync(home, { recursive: true, force: true })
  app = await startApp()
  driver = await openBrowser()
})
afterAll(async () => {
  await driver.quit()
  await app.stop()
})

/** The picture is settled when what is shown is what was asked for last, at full size. */
const settled = () =>
  waitFor(driver, 'the latest picture at full size', () =>
    driver.executeScript<boolean>(() => {
      const { wanted, serial, reduction } =
        document.querySelector<HTMLElement>('[data-testid=picture]')!.dataset
      return serial === wanted && reduction === '1'
    }),
  )
const saved = () =>
  waitFor(driver, 'the save', async () =>
    (await textOf(driver, '[data-testid=save-state]')).startsWith('saved'),
  )
const values = async () => {
  const text = await textOf(driver, '[data-testid=probe-values]')
  return (text.match(/-?\d+\.\d+/g) ?? []).map(Number)
}
/** Puts the pointer on a pixel of the picture, given in parts of its size. */
const point = async (x: number, y: number) => {
  const canvas = await find(driver, '[data-testid=picture]')
  const { width, height } = await canvas.getRect()
  await driver
    .actions()
    .move({ origin: canvas, x: Math.round((x - 0.5) * width), y: Math.round((y - 0.5) * height) })
    .perform()
}
const threshold = async () =>
  Number(await (await find(driver, 'input[aria-label="Threshold"]')).getAttribute('value'))

/** The shot's comp and revision as they are saved. */
const savedComp = async () =>
  (await (await fetch(`${app.address}/api/shots/grottodemo01`)).json()) as { comp: Comp; revision: number }
/** Saves a comp from outside the page. */
const putComp = async (comp: Comp) => {
  const { revision } = await savedComp()
  const answer = await fetch(`${app.address}/api/shots/grottodemo01/comp`, {
    method: 'PUT',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify({ base: revision, comp }),
  })
  expect(answer.status).toBe(200)
}

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
    const click = async (name: string) => (await find(driver, `[aria-label="Source of ${name}"]`)).click()
    await click('Cave')
    expect(await sentence()).toMatch(
      /^Beauty of grotto, then exposure, then matte light \(shape in Vent light\), then depth mist \(depth from depth of grotto, position from position of grotto\), then bloom \(light from Living light\), then star glare \(light in 2 objects in objects of grotto\), then light rays/,
    )
    await click('Seahorse glow')
    expect(await sentence()).toMatch(/^A live copy of Seahorse, then matte glow; joined by plus\.$/)
    await click('Living light')
    expect(await sentence()).toMatch(
      /opacity \(only outside 6 objects in objects of grotto\)\. It is not in the picture/,
    )
  })

  test('rays are added by what they do, fed by chosen light, begun from a starting point and seen alone', async () => {
    await (await find(driver, '[aria-label="Source of Cave"]')).click()
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
    await (await find(driver, '//button[contains(., "Starting points")]')).click()
    await (await find(driver, '//button[contains(., "Short burst")]')).click()
    const length = await find(driver, 'input[aria-label="Length"]')
    expect(await length.getAttribute('value')).toBe('160')
    const undo = await find(driver, 'button[title^="Undo"]')
    expect(await undo.getAttribute('title')).toContain('short burst')
    await driver.actions().sendKeys('l').perform()
    await settled()
    // Rays of the roof's hole alone: light below it, none on the lamp of the bell.
    const lit = async (x: number, y: number) => {
      await point(x, y)
      let found: number[] = []
      await waitFor(driver, 'steady values', async () => {
        const [before, now] = [found.join(), await values()]
        found = now
        return now.length === 4 && before === now.join()
      })
      return found[1]!
    }
    expect(await lit(0.53, 0.22)).toBeGreaterThan(0.05)
    expect(await lit(0.378, 0.4)).toBeLessThan(0.01)
    await driver.actions().sendKeys('l').perform()
  })

  test('a threshold is picked from the picture: what is clicked on, and all that is brighter', async () => {
    await (await find(driver, '[aria-label="Step Bloom"]')).click()
    const before = await threshold()
    await (await find(driver, '[aria-label="Pick the threshold from the picture"]')).click()
    await find(driver, '//*[contains(text(), "faintest light that should be caught")]')
    // Beside everything that lives: nothing is picked, and this is said.
    await point(0.1, 0.9)
    await driver.actions().click().perform()
    await find(driver, '//*[contains(text(), "is dark there")]')
    await (await find(driver, '[aria-label="Pick the threshold from the picture"]')).click()
    await point(0.563, 0.41)
    await driver.actions().click().perform()
    await waitFor(driver, 'the threshold of a jellyfish', async () => {
      const now = await threshold()
      return now > 0 && now < 2 && now !== before
    })
    await driver.actions().keyDown(Key.CONTROL).sendKeys('z').keyUp(Key.CONTROL).perform()
    await waitFor(driver, 'the undo', async () => (await threshold()) === before)
  })

  test('objects become a matte by clicking on them in the picture', async () => {
    await (await find(driver, '[aria-label="Step Star glare"]')).click()
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
    for (const [i, [x, y]] of (
      [
        [0.563, 0.41],
        [0.707, 0.58],
      ] as const
    ).entries()) {
      // prettier-ignore
      await point(x, y)
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
    await (await find(driver, names)).click()
    await waitFor(driver, 'one object more', async () => (await picked()) === 2)
    await (await find(driver, '[aria-label="Cut the matte feed"]')).click()
    await waitFor(driver, 'no matte', async () => (await picked()) === undefined)
  })

  test('with the mouse: a window is traced, a point bent, the cut turned inside out, and light glows through it', async () => {
    const step = async () => {
      const { comp } = await savedComp()
      const cave = comp.lanes.find((l) => l.name === 'Cave')!
      return { comp, step: cave.steps.findLast((s) => s.effect === 'matte-glow')! }
    }
    await (await find(driver, '[aria-label="Source of Cave"]')).click()
    const before = (await step()).comp.lanes.find((l) => l.name === 'Cave')!.steps.length
    const ends = '//li[@aria-label="Lane Cave"]//button[@aria-label="Add a step at the end"]'
    const slot = await find(driver, ends)
    await driver.executeScript('arguments[0].scrollIntoView({ inline: "center" })', slot)
    await slot.click()
    await (await find(driver, '//dialog//button[contains(., "Matte glow")]')).click()
    await (await find(driver, 'select[aria-label="shape feed"] option[value="new drawing"]')).click()
    await find(driver, '[aria-label=Shapes]')
    // Around the bell's lower right pane, closed on its first point.
    const corners = [[0.38, 0.5], [0.425, 0.5], [0.425, 0.56], [0.38, 0.56], [0.38, 0.5]] as const
    for (const [x, y] of corners) {
      await point(x, y)
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
    expect(outline[0]!.at[0] / width).toBeCloseTo(0.38, 2)
    // A point is dragged; one undo takes the whole drag back.
    await point(0.425, 0.5)
    const canvas = await find(driver, '[data-testid=picture]')
    const rect = await canvas.getRect()
    const [x, y] = [Math.round((0.425 - 0.5) * rect.width), 0]
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
    await (await find(driver, '//section[@aria-label="Shapes"]//button[.="Done"]')).click()
    // Light outside of the window; inverted, it falls inside.
    await settled()
    await driver.actions().sendKeys('l').perform()
    await point(0.4, 0.53)
    const glowAt = async () => (await values())[0]
    await waitFor(driver, 'no light inside', async () => (await glowAt()) === 0)
    const chip = '//div[.//select[@aria-label="shape feed"]]/button[.="inv"]'
    await (await find(driver, chip)).click()
    await waitFor(driver, 'the cut inside out', async () => (await step()).step.feeds['shape']?.invert === true)
    await point(0.4, 0.531)
    await waitFor(driver, 'light inside', async () => ((await glowAt()) ?? 0) > 0.02)
    await driver.actions().sendKeys('l').perform()
    await (await find(driver, '//button[contains(., "Remove the step")]')).click()
    await waitFor(driver, 'the step gone', async () => {
      const { comp } = await savedComp()
      return comp.lanes.find((l) => l.name === 'Cave')!.steps.length === before
    })
  }) // prettier-ignore

  /** Codes of the shown picture at parts of its size: red, green, blue. */
  const codesAt = (x: number, y: number) =>
    driver.executeScript<number[]>(
      `const c = document.querySelector('[data-testid=picture]')
       return [...c.getContext('2d').getImageData(Math.floor(arguments[0] * c.width), Math.floor(arguments[1] * c.height), 1, 1).data].slice(0, 3)`,
      x,
      y,
    )
  const lastStep = async (effect: string) =>
    (await lane('Cave')).steps.findLast((s) => s.effect === effect) ?? expect.fail(`no ${effect}`)

  test('mist from the raw depth pass without a number typed: marks that fit, picked and dragged; far before near is told and swapped', async () => {
    await (await find(driver, '[aria-label="Source of Cave"]')).click()
    await settled()
    const before = [await codesAt(0.14, 0.85), await codesAt(0.55, 0.36)]
    await key('/')
    await find(driver, 'dialog[open] input')
    await key('fog', Key.ENTER)
    const fitted = await waitFor(driver, 'marks that fit', async () => {
      // Beside the one that the demo has.
      const mists = (await lane('Cave')).steps.filter((step) => step.effect === 'depth-mist')
      if (mists.length < 2) return false
      const { feeds, dials } = mists[1]!
      const isFed = JSON.stringify(feeds['depth']?.from) === JSON.stringify({ type: 'pass', media: 'cave', pass: 'depth' })
      return isFed && dials['near'] !== 0 && (dials as { near: number; far: number })
    })
    expect(fitted.near).toBeGreaterThan(4)
    expect(fitted.far).toBeGreaterThan(fitted.near + 2)
    await settled()
    // The crystals in front stay as they were, to the code; the rock behind does not.
    await waitFor(driver, 'mist on what is far', async () => JSON.stringify(await codesAt(0.55, 0.36)) !== JSON.stringify(before[1]))
    expect(await codesAt(0.14, 0.85)).toEqual(before[0])
    await (await find(driver, '//button[contains(., "Pick near and far")]')).click()
    for (const [x, y] of [[0.37, 0.5], [0.55, 0.36]] as const) {
      await point(x, y)
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
    await driver.actions().move({ origin: farMark }).press().move({ origin: marks, x: Math.round(4 - width / 2), y: 0 }).release().perform()
    expect(await textOf(driver, '[aria-label=Dials] [role=alert]')).toMatch(/^Mist grows towards the camera/)
    // It may as well be the pass that counts the other way: how it is read is a click away.
    await (await find(driver, '//button[. = "The pass …"]')).click()
    expect(await textOf(driver, '[aria-label="About the pass"]')).toContain('larger is farther')
    await (await driver.findElements(By.css('nav button')))[0]!.click()
    await (await find(driver, '//button[. = "Swap"]')).click()
    await waitFor(driver, 'near before far again', async () => {
      const { near, far } = (await lastStep('depth-mist')).dials as { near: number; far: number }
      return near < far && far === picked.near
    })
    await (await find(driver, '//button[contains(., "Remove the step")]')).click()
  }) // prettier-ignore

  test('scopes open at one key, count the picture or a part of it, in a worker', async () => {
    await point(0.5, 0.5)
    await key('s')
    const pixels = async () =>
      Number(await (await find(driver, '[aria-label=Scopes] canvas')).getAttribute('data-pixels'))
    await waitFor(driver, 'all pixels', async () => (await pixels()) === 480 * 270)
    for (const kind of ['parade', 'histogram', 'vectorscope']) {
      await (await find(driver, `[aria-label=Scopes] select[aria-label=Scope] option[value=${kind}]`)).click()
      await waitFor(driver, kind, async () => (await pixels()) === 480 * 270)
    }
    await (await find(driver, '//button[contains(., "Part")]')).click()
    await point(0.3, 0.3)
    await driver.actions().press().perform()
    await point(0.5, 0.5)
    await driver.actions().release().perform()
    const part = await waitFor(driver, 'a part', async () => {
      const count = await pixels()
      return count < 480 * 270 && count
    })
    expect(Math.abs(part / (0.04 * 480 * 270) - 1)).toBeLessThan(0.1)
    await (await find(driver, '//button[. = "Scopes"]')).click()
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
    const [r, g, b] = await codesAt(0.14, 0.85)
    await (await find(driver, '//select[@aria-label="Viewing"]/option[. = "Dusk"]')).click()
    await waitFor(driver, 'the picture through it', async () => {
      const seen = await codesAt(0.14, 0.85)
      return Math.abs(seen[0]! - b!) < 3 && Math.abs(seen[1]! - g!) < 3 && Math.abs(seen[2]! - r!) < 3
    })
    await waitFor(driver, 'the save', async () => (await savedComp()).comp.viewing?.type === 'table')
    await (await find(driver, '//select[@aria-label="Viewing"]/option[. = "Plain sRGB"]')).click()
    await waitFor(driver, 'the plain picture', async () => String(await codesAt(0.14, 0.85)) === String([r, g, b]))
    await (await find(driver, '[role=alert] [aria-label=Dismiss]')).click()
    rmSync(folder, { recursive: true })
  }) // prettier-ignore

  test('a decision list is loaded into the dials of a grade, and what it leaves out is said', async () => {
    const folder = mkdtempSync(join(tmpdir(), 'zafiro-list-'))
    const path = join(folder, 'deep.ccc')
    writeFileSync(path, '<ColorCorrectionCollection><ColorCorrection id="deep"><SOPNode><Slope>0.8 1.1 1.3</Slope><Offset>0 0 0.02</Offset></SOPNode></ColorCorrection></ColorCorrectionCollection>')
    await (await find(driver, '[aria-label="Source of Cave"]')).click()
    await key('/')
    await find(driver, 'dialog[open] input')
    await key('asc cdl', Key.ENTER)
    await (await find(driver, 'input[aria-label="Decision list file"]')).sendKeys(path)
    await waitFor(driver, 'its slope', async () => {
      const { dials } = await lastStep('cdl-grade')
      return dials['slopeBlue'] === 1.3 && dials['offsetBlue'] === 0.02 && dials['powerRed'] === 1
    })
    expect(await textOf(driver, '[aria-label=Dials]')).toContain('deep has no Power, no Saturation')
    await (await find(driver, '//button[contains(., "Remove the step")]')).click()
    rmSync(folder, { recursive: true })
  }) // prettier-ignore

  test('with the mouse: a tone is bent on its curve, a gradient gets a stop, what is in focus is picked; one undo takes each back', async () => {
    const add = async (words: string) => {
      await (await find(driver, '[aria-label="Source of Cave"]')).click()
      await key('/')
      await find(driver, 'dialog[open] input')
      await key(words, Key.ENTER)
    }
    const undo = () => driver.actions().keyDown(Key.CONTROL).sendKeys('z').keyUp(Key.CONTROL).perform()
    const dialsOf = async (effect: string) => (await lastStep(effect)).dials
    const remove = async () => (await find(driver, '//button[contains(., "Remove the step")]')).click()
    /** Drags on a field, given in parts of its size. */
    const dragOn = async (css: string, from: readonly [number, number], to: readonly [number, number]) => {
      const field = await find(driver, css)
      await driver.executeScript('arguments[0].scrollIntoView({ block: "center" })', field)
      const { width, height } = await field.getRect()
      const at = ([x, y]: readonly [number, number]) => ({ origin: field, x: Math.round((x - 0.5) * width), y: Math.round((y - 0.5) * height) })
      await driver.actions().move(at(from)).press().move({ ...at(to), duration: 80 }).release().perform()
    }

    /** What the small picture of a tile shows: those that did not change are neither made nor sent again. */
    const small = (label: string) =>
      driver.executeScript<string>('return document.querySelector(`[aria-label="${arguments[0]}"] canvas`).toDataURL()', label)

    await add('contrast tone rgb')
    await settled()
    const before = await codesAt(0.14, 0.85)
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
    await waitFor(driver, 'a brighter picture', async () => (await codesAt(0.14, 0.85))[2]! > before[2]! + 10)
    await waitFor(driver, 'brighter small pictures', async () => (await small('Step Curves')) !== shown[0] && (await small('All lanes joined')) !== shown[1])
    expect(await small('Source of Cave')).toBe(shown[2])
    await undo()
    await waitFor(driver, 'the picture as it was', async () => String(await codesAt(0.14, 0.85)) === String(before))
    await waitFor(driver, 'the small pictures as they were', async () => String(await Promise.all(tiles.map(small))) === String(shown))
    await remove()

    await add('duotone')
    await dragOn('[data-dial="gradient"] .cursor-copy', [0.25, 0.3], [0.35, 0.3])
    await waitFor(driver, 'four stops', async () => {
      const stops = (await dialsOf('gradient-map'))['gradient'] as [number][] | undefined
      return stops?.length === 4 && stops.some(([at]) => Math.abs(at - 0.35) < 0.03)
    })
    await undo()
    await waitFor(driver, 'three stops', async () => ((await dialsOf('gradient-map'))['gradient'] as unknown[] | undefined)?.length !== 4)
    await remove()

    await add('bokeh')
    await (await find(driver, 'select[aria-label="Blurs"] option[value="depth"]')).click()
    await (await find(driver, '//button[contains(., "Pick focus")]')).click()
    await settled()
    await point(0.14, 0.85)
    await driver.actions().click().perform()
    const focus = await waitFor(driver, 'the focus on the crystals', async () => {
      const at = (await dialsOf('defocus'))['focus']
      return typeof at === 'number' && at < 8 && at
    })
    expect(focus).toBeGreaterThan(2)
    // What is in focus stays as it was, to the code.
    await waitFor(driver, 'sharp crystals', async () => String(await codesAt(0.14, 0.85)) === String(before))
    await remove()
  }) // prettier-ignore

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
    await (await find(driver, '[aria-label="Lane Seahorse paint"] [aria-label="Step Matte glow"]')).click()
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
    await (await find(driver, '[aria-label="Source of Seahorse line"]')).click()
    const source = await find(driver, 'select[aria-label="source feed"]')
    for (const option of await source.findElements(By.css('option')))
      if ((await option.getText()) === 'tap of Seahorse') {
        await option.click()
        break
      }
    await waitFor(driver, 'the refusal', async () =>
      /Seahorse line take its picture from itself|Seahorse take its picture from itself/.test(
        await textOf(driver, '[role=alert]'),
      ),
    )
    await (await find(driver, '[role=alert] [aria-label=Dismiss]')).click()
    for (const button of await driver.findElements(By.css('[aria-label=Dials] button')))
      if ((await button.getText()) === 'Lock') await button.click()
    await key(Key.DELETE)
    await waitFor(driver, 'the refusal', async () =>
      (await textOf(driver, '[role=alert]')).includes('Seahorse line is locked'),
    )
  })

  test('a lane that others use asks before it goes, and says who uses it', async () => {
    await (await find(driver, '[aria-label="Source of Plume drawing"]')).click()
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
    await (await find(driver, `[aria-label="Source of ${bus.name}"]`)).click()
    await addStep('place', 'Place')
    await saved()
    expect((await lane(bus.name)).steps.map((s) => s.effect)).toEqual(['place'])
  })

  test('a handle on the picture moves what it belongs to, and one undo takes it back', async () => {
    const canvas = await find(driver, '[data-testid=picture]')
    const moved = async () =>
      Number(await (await find(driver, 'input[aria-label="Move x"]')).getAttribute('value'))
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
      over: 'source-over', plus: 'lighter', behind: 'destination-over', inside: 'source-in', outside: 'source-out', atop: 'source-atop',
      keep: 'destination-in', cut: 'destination-out', frame: 'destination-atop', dodge: 'color-dodge', burn: 'color-burn', colour: 'color',
    } // prettier-ignore
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
        straight[0], straight[1], width, height, names[mode] ?? mode,
      ) // prettier-ignore
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

describe('from the list of shots to a finished frame', () => {
  test('the demo shot opens and shows its picture', async () => {
    // Fewer lanes than the demo has, as one who begins would have.
    let comp: Comp = { ...emptyComp(480, 270), frames: { first: 1, last: 3, rate: 24 } }
    comp = addLane(comp, 'Open water', { type: 'colour', colour: [0.006, 0.046, 0.085], alpha: 1 })
    const layers = [
      ['Cave', 'cave'],
      ['Seahorse paint', 'paint'],
      ['Seahorse line', 'line'],
    ] as const
    for (const [name, media] of layers) comp = addLane(comp, name, { type: 'pass', media, pass: 'beauty' })
    const [lifted, lift] = addStep(comp, 'lane2', 0, 'exposure')
    comp = addStep(putDial(lifted, lift, 'stops', 0.4), 'lane3', 0, 'channel-gains')[0]
    await putComp(comp)
    await driver.get(app.address)
    await (await find(driver, 'a[href="/shots/grottodemo01"]')).click()
    await settled()
    await point(0.4, 0.4)
    await waitFor(driver, 'values under the pointer', async () => (await values()).length === 4)
    expect(await textOf(driver, '[data-testid=probe]')).toMatch(/depth \d/)
  })

  test('bloom is added by what it does, from the keyboard, and fed by the emission pass', async () => {
    await (await find(driver, '[aria-label="Source of Cave"]')).click()
    await driver.actions().sendKeys('/').perform()
    await find(driver, 'dialog[open] input')
    await driver.actions().sendKeys('soft light around', Key.ENTER).perform()
    await find(driver, '[aria-label="Step Bloom"]')
    const feed = await find(driver, 'select[aria-label="light feed"]')
    for (const option of await feed.findElements(By.css('option')))
      if ((await option.getText()) === 'grotto · emission') await option.click()
    await saved()
    expect(await textOf(driver, '[data-testid=share-caught]')).toMatch(/catches \d/)
  })

  test('dragging the threshold changes the pixel under the probe while it moves', async () => {
    // Beside the bell's lamp, where only its glow reaches.
    await point(0.385, 0.435)
    await waitFor(driver, 'values', async () => (await values()).length === 4)
    const before = await values()
    const mark = await find(driver, '[aria-label="Threshold on the histogram"]')
    const { width } = await mark.getRect()
    const at = (x: number) => Math.round((x - 0.5) * width)
    await driver
      .actions()
      .move({ origin: mark, x: at(0.57), y: 0 })
      .press()
      .move({ origin: mark, x: at(0.4), y: 0, duration: 120 })
      .perform()
    const during = await waitFor(driver, 'a brighter pixel during the drag', async () => {
      const now = await values()
      return now[0]! > before[0]! + 0.002 && now
    })
    await driver
      .actions()
      .move({ origin: mark, x: at(0.2), y: 0, duration: 120 })
      .release()
      .perform()
    await waitFor(driver, 'a still brighter pixel', async () => (await values())[0]! > during[0]!)
    expect(await threshold()).toBeLessThan(0.2)
  })

  test('one undo takes the whole drag back, redo brings it again', async () => {
    const dragged = await threshold()
    await driver.actions().keyDown(Key.CONTROL).sendKeys('z').keyUp(Key.CONTROL).perform()
    await waitFor(driver, 'the old threshold', async () => (await threshold()) === 1)
    await driver
      .actions()
      .keyDown(Key.CONTROL)
      .keyDown(Key.SHIFT)
      .sendKeys('z')
      .keyUp(Key.SHIFT)
      .keyUp(Key.CONTROL)
      .perform()
    await waitFor(driver, 'the dragged threshold', async () => (await threshold()) === dragged)
  })

  test('light alone, channels and before show what they say', async () => {
    await point(0.05, 0.05)
    await driver.actions().sendKeys('l').perform()
    await waitFor(driver, 'light without alpha', async () => (await values())[3] === 0)
    await driver.actions().sendKeys('l').perform()
    await waitFor(driver, 'the picture again', async () => (await values())[3] === 1)
    await point(0.385, 0.435)
    const withBloom = await waitFor(
      driver,
      'values',
      async () => (await values())[0]! > 0 && (await values()),
    )
    await driver.actions().keyDown('\\').perform()
    await waitFor(
      driver,
      'a darker pixel before the bloom',
      async () => (await values())[0]! < withBloom[0]! - 0.002,
    )
    await driver.actions().keyUp('\\').perform()
    await waitFor(driver, 'the picture again', async () => (await values())[0] === withBloom[0])
  })

  test('the passes are laid out by name; one is shown large with its raw values, and is given another kind', async () => {
    const tab = async (i: number) => (await driver.findElements(By.css('nav button')))[i]!.click()
    await tab(1)
    await (await find(driver, '[aria-label="Pass normal of grotto"] button')).click()
    await point(0.5, 0.9)
    // The sandy floor faces up.
    await waitFor(driver, 'the normal of the floor', async () => (await values())[1]! > 0.8)
    await (await find(driver, '[aria-label="Pass reflection of grotto"] button')).click()
    expect(await (await find(driver, '[aria-label="About the pass"]')).getText()).toContain(
      'its name says “reflect”',
    )
    const kind = () => find(driver, '[aria-label="About the pass"] select')
    for (const option of await (await kind()).findElements(By.css('option')))
      if ((await option.getText()) === 'other') await option.click()
    await waitFor(
      driver,
      'the new kind',
      async () => (await (await kind()).getAttribute('value')) === 'other',
    )
    const { media } = (await (await fetch(`${app.address}/api/shots/grottodemo01`)).json()) as {
      media: { cave: { passes: { name: string; kind: string }[] } }
    }
    expect(media.cave.passes.find((p) => p.name === 'reflection')?.kind).toBe('other')
    await tab(0)
    await point(0.385, 0.435)
    await waitFor(
      driver,
      'the picture again',
      async () => (await values())[3] === 1 && (await values())[0]! > 0,
    )
  })

  test('after a reload everything is as it was left', async () => {
    await saved()
    const kept = await threshold()
    await driver.navigate().refresh()
    await settled()
    await (await find(driver, '[aria-label="Step Bloom"]')).click()
    await waitFor(driver, 'the threshold', async () => (await threshold()) === kept)
    expect(await (await find(driver, 'select[aria-label="light feed"]')).getAttribute('value')).toContain(
      'emission',
    )
  })

  test('a rendered EXR and PNG hold what the screen shows, read by OpenImageIO', async () => {
    await point(0.385, 0.435)
    await waitFor(driver, 'values', async () => (await values()).length === 4)
    const [x, y] = (await textOf(driver, '[data-testid=probe]')).split(/[ ,\n]+/).map(Number) as [
      number,
      number,
    ]
    const shown = await values()
    await (await find(driver, 'header .btn-primary')).click()
    await (await find(driver, 'section[aria-label=Renders] button[type=submit]')).click()
    await find(driver, '[data-testid=render-frame][data-state=done]')
    const folder = join(home, 'renders', readdirSync(join(home, 'renders'))[0]!)
    const exr = readdirSync(folder).find((f) => f.endsWith('.exr'))!
    const dumped = execFileSync('oiiotool', ['--dumpdata', join(folder, exr)], {
      encoding: 'utf8',
      maxBuffer: 1 << 28,
    })
    const line = dumped.split('\n').find((l) => l.includes(`Pixel (${x}, ${y}):`))!
    const written = line.split('):')[1]!.trim().split(/\s+/).map(Number)
    // Half floats keep eleven bits; the probe shows four decimals.
    written.forEach((v, i) => {
      expect(Math.abs(v - shown[i]!)).toBeLessThan(v * 2 ** -10 + 1e-4)
    })
    const png = openMediaFile(
      new Uint8Array(
        readFileSync(
          join(
            folder,
            readdirSync(folder).find((f) => f.endsWith('.png'))!,
          ),
        ),
      ),
    )
    const code = Number(/code (\d+)/.exec(await textOf(driver, '[data-testid=probe]'))![1])
    expect(Math.abs(png.storedPixels([[x, y]])[0]![0]!.values['R']! / 257 - code)).toBeLessThan(0.6)
    // And it is there to be downloaded.
    const link = await (await find(driver, '[data-testid=render-frame] a')).getAttribute('href')
    const bytes = new Uint8Array(await (await fetch(link!)).arrayBuffer())
    expect(openMediaFile(bytes).info.width).toBe(480)
  })

  test('a frame is the same, bit for bit, from the page, the server and the command line', async () => {
    const { comp } = await savedComp()
    await (await find(driver, 'header .btn-primary')).click()
    await driver.executeScript(() => {
      const keep = window as unknown as { made?: Promise<number[]> }
      URL.createObjectURL = (blob) => {
        keep.made = (blob as Blob).arrayBuffer().then((bytes) => [...new Uint8Array(bytes)])
        return 'data:,'
      }
    })
    await (await find(driver, '//button[.="Save here"]')).click()
    const made = await waitFor(driver, 'the page’s own file', () =>
      driver.executeAsyncScript<number[] | false>((done: (bytes: unknown) => void) => {
        const { made } = window as unknown as { made?: Promise<number[]> }
        if (made) void made.then(done)
        else done(false)
      }),
    )
    const shot = (await (await fetch(`${app.address}/api/shots/grottodemo01/file`)).json()) as ShotFile
    const shotFile = join(home, 'demo', 'as-shown.zafiro.json')
    expect(shot.comp).toEqual(comp)
    writeFileSync(shotFile, JSON.stringify(shot))
    const out = mkdtempSync(join(tmpdir(), 'zafiro-same-'))
    const render = ['bin/zafiro.mjs', 'render', shotFile, '--frames', '1-1', '--out', out, '--format', 'exr']
    execFileSync(process.execPath, render, { encoding: 'utf8' })
    const folder = join(home, 'renders', readdirSync(join(home, 'renders'))[0]!)
    const files = [
      new Uint8Array(made),
      new Uint8Array(
        readFileSync(
          join(
            folder,
            readdirSync(folder).find((f) => f.endsWith('.exr'))!,
          ),
        ),
      ),
      new Uint8Array(readFileSync(join(out, readdirSync(out)[0]!))),
    ]
    const [here, server, line] = files.map((bytes) => {
      const { data, width, height, channels } = openMediaFile(bytes).readPass('beauty', { isData: true })
      expect([width, height, channels]).toEqual([480, 270, 4])
      return Buffer.from(data.buffer, data.byteOffset, data.byteLength)
    })
    expect(here!.equals(server!)).toBe(true)
    expect(line!.equals(server!)).toBe(true)
    rmSync(out, { recursive: true })
  })

  test('a change made elsewhere is told, and nothing is overwritten silently', async () => {
    await (await find(driver, 'nav button')).click()
    const url = `${app.address}/api/shots/grottodemo01`
    const theirs = (await (await fetch(url)).json()) as { comp: object; revision: number }
    const put = (base: number, comp: unknown) =>
      fetch(`${url}/comp`, {
        method: 'PUT',
        body: JSON.stringify({ base, comp }),
        headers: { 'content-type': 'application/json' },
      })
    expect((await put(theirs.revision, theirs.comp)).status).toBe(200)
    await (await find(driver, '[aria-label="Mute Open water"]')).click()
    const notice = await find(driver, '[role=alert].bg-warning')
    expect(await notice.getText()).toContain('changed in another window')
    expect(((await (await fetch(url)).json()) as { revision: number }).revision).toBe(theirs.revision + 1)
    await (await notice.findElements(By.css('button')))[1]!.click()
    await saved()
    const mine = (await (await fetch(url)).json()) as {
      revision: number
      comp: { lanes: { name: string; muted: boolean }[] }
    }
    expect(mine.revision).toBe(theirs.revision + 2)
    expect(mine.comp.lanes.find((l) => l.name === 'Open water')?.muted).toBe(true)
  })

  test('a step of an unknown effect is marked and kept, and the picture still shows', async () => {
    const url = `${app.address}/api/shots/grottodemo01`
    const { comp, revision } = (await (await fetch(url)).json()) as {
      comp: { lanes: { steps: { effect: string }[] }[] }
      revision: number
    }
    comp.lanes[1]!.steps[0]!.effect = 'from-the-future'
    const answer = await fetch(`${url}/comp`, {
      method: 'PUT',
      body: JSON.stringify({ base: revision, comp }),
      headers: { 'content-type': 'application/json' },
    })
    expect(answer.status).toBe(200)
    await driver.navigate().refresh()
    await settled()
    expect(await (await find(driver, '[aria-label="Step from-the-future"]')).getText()).toMatch(
      /not part of this Zafiro/,
    )
  })
})

describe('what does not fit is refused with words', () => {
  const send = async (name: string, body: BodyInit) => {
    const answer = await fetch(`${app.address}/api/shots`, {
      method: 'POST',
      body,
      headers: { 'x-file-name': encodeURIComponent(name) },
    })
    return {
      status: answer.status,
      body: (await answer.json()) as {
        id?: string
        error?: { message: string; problems?: { path: string }[] }
      },
    }
  }
  test('a file that is no picture, and one that ends too early', async () => {
    const text = await send('notes.exr', 'just a text')
    expect([text.status, text.body.error?.message]).toEqual([
      422,
      expect.stringMatching(/notes.exr.*neither EXR, PNG/),
    ])
    const whole = readFileSync(join(home, 'demo', 'grotto.0001.exr'))
    const cut = await send('cut.exr', whole.subarray(0, whole.length >> 1))
    expect([cut.status, cut.body.error?.message]).toEqual([422, expect.stringContaining('cut.exr')])
  })
  test('a frame of one’s own becomes a shot', async () => {
    const { status, body } = await send(
      '../../käse 🧀.0007.png',
      readFileSync(join(home, 'demo', 'plume.0001.png')),
    )
    expect(status).toBe(200)
    await driver.get(`${app.address}/shots/${body.id!}`)
    await settled()
    expect(await textOf(driver, 'h1')).toBe('käse 🧀')
  })
  test('several numbered files become one sequence, gaps are listed, and what is broken is told while the rest comes in', async () => {
    const folder = mkdtempSync(join(tmpdir(), 'zafiro-frames-'))
    const frame = readFileSync(join(home, 'demo', 'plume.0001.png'))
    for (const n of [1, 2, 4]) writeFileSync(join(folder, `drift.000${n}.png`), frame)
    writeFileSync(join(folder, 'drift.0005.png'), frame.subarray(0, 90))
    const { body } = await send('still.png', frame)
    await driver.get(`${app.address}/shots/${body.id!}`)
    await settled()
    const names = readdirSync(folder).map((name) => join(folder, name))
    await driver.executeScript(
      'arguments[0].classList.remove("hidden")',
      await find(driver, 'input[aria-label="Frames to bring in"]'),
    )
    await (await find(driver, 'input[aria-label="Frames to bring in"]')).sendKeys(names.join('\n'))
    await find(driver, '[aria-label="Lane drift"]')
    expect(await textOf(driver, '[role=alert]')).toContain('drift.0005.png')
    expect(await textOf(driver, 'header')).toMatch(/frame 001 \/ 004/)
    await (await driver.findElements(By.css('nav button')))[1]!.click()
    expect(await textOf(driver, '[aria-label="Media drift"]')).toContain('frames 1 to 4, missing 3')
    await saved()
    rmSync(folder, { recursive: true })
  })
  test('a comp with values out of range names their places; a shot that is not there says so', async () => {
    const url = `${app.address}/api/shots/grottodemo01`
    const { comp, revision } = (await (await fetch(url)).json()) as {
      comp: { lanes: { join: { opacity: number } }[] }
      revision: number
    }
    comp.lanes[0]!.join.opacity = 7
    const answer = await fetch(`${url}/comp`, {
      method: 'PUT',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ base: revision, comp }),
    })
    expect(answer.status).toBe(400)
    expect(
      ((await answer.json()) as { error: { problems: { path: string }[] } }).error.problems[0]!.path,
    ).toBe('lanes.0.join.opacity')
    expect((await fetch(`${app.address}/api/shots/nothing`)).status).toBe(404)
    expect((await fetch(`${app.address}/api/passes/${'../'.repeat(8)}etc/passwd/x`)).status).toBe(404)
  })
})

describe('the command line', () => {
  const zafiro = (...args: string[]) => {
    try {
      return {
        status: 0,
        out: execFileSync(process.execPath, ['bin/zafiro.mjs', ...args], { encoding: 'utf8', stdio: 'pipe' }),
        err: '',
      }
    } catch (error) {
      const { status, stdout, stderr } = error as { status: number; stdout: string; stderr: string }
      return { status, out: stdout, err: stderr }
    }
  }
  const frame = join(home, 'demo', 'grotto.0001.exr')
  test('inspects a file as JSON', () => {
    const info = JSON.parse(zafiro('inspect', frame, '--pixel', '10,20', '--pixel', '240,100', '--json').out) as {
      format: string; width: number; dataWindow: number[]; parts: { channels: unknown[] }[]; passes: { name: string; kind: string }[]; pixels: { x: number; values: Record<string, number> }[]
    } // prettier-ignore
    expect(info).toMatchObject({ format: 'exr', width: 480, dataWindow: [0, 0, 479, 269] })
    expect(info.passes).toContainEqual({ name: 'depth', kind: 'depth', channels: ['depth.Z'] })
    expect(info.pixels.map((p) => p.x)).toEqual([10, 240])
    expect(info.pixels[0]!.values['depth.Z']).toBeGreaterThan(0)
  })
  test('renders the demo’s shot file to the same pixels as the server', () => {
    const out = mkdtempSync(join(tmpdir(), 'zafiro-cli-'))
    // The demo with nothing but the exposure of the cave, so that its pixels can be told from those of its frame.
    const shotFile = JSON.parse(
      readFileSync(join(home, 'demo', 'grotto-descent.zafiro.json'), 'utf8'),
    ) as ShotFile
    shotFile.comp.master = []
    const cave = shotFile.comp.lanes.find((l) => l.name === 'Cave')!
    cave.steps = cave.steps.filter((step) => step.effect === 'exposure')
    const plain = join(home, 'demo', 'plain.zafiro.json')
    writeFileSync(plain, JSON.stringify({ ...shotFile, name: 'Grotto descent' }))
    const { status } = zafiro('render', plain, '--frames', '1-1', '--out', out, '--format', 'exr')
    expect(status).toBe(0)
    const made = openMediaFile(new Uint8Array(readFileSync(join(out, 'grotto-descent.0001.exr'))))
    const source = openMediaFile(new Uint8Array(readFileSync(frame)))
    const at = [[20, 10]] as const
    // The comp lifts the cave by 0.4 stops; in this corner there is no other light.
    expect(
      made.storedPixels(at)[0]![0]!.values['R']! / source.storedPixels(at)[0]![0]!.values['R']!,
    ).toBeCloseTo(2 ** 0.4, 2)
    rmSync(out, { recursive: true })
  })
  test('ends with status 2 and one clear line, or JSON, when something does not fit', () => {
    const missing = zafiro('inspect', '/nowhere.exr')
    expect([missing.status, missing.err.trim().split('\n')]).toEqual([
      2,
      [expect.stringContaining('no such file')],
    ])
    const json = zafiro('inspect', '/nowhere.exr', '--json')
    expect([json.status, JSON.parse(json.out)]).toEqual([
      2,
      { error: { code: 'not-found', message: expect.stringContaining('no such file') as string } },
    ])
    const comp = join(tmpdir(), `zafiro-${process.pid}.zafiro.json`)
    writeFileSync(comp, JSON.stringify({ format: 'zafiro-shot', version: 3 }))
    expect(zafiro('render', comp, '--frames', '1', '--out', '/tmp/none').err).toContain('version')
    expect(zafiro('dance').status).toBe(2)
    rmSync(comp)
  })
})

describe('starting', () => {
  test('a second start finds the first', async () => {
    const second = await startApp()
    expect(second.address).toBe(app.address)
  })
  test('a port in use is told', async () => {
    const blocker = createServer().listen(0, '127.0.0.1')
    await new Promise((resolve) => blocker.once('listening', resolve))
    const { port } = blocker.address() as { port: number }
    const other = join(tmpdir(), `zafiro-port-${process.pid}`)
    await expect(startApp(['--home', other, '--port', String(port)])).rejects.toThrow(
      /in use by another program/,
    )
    blocker.close()
    rmSync(other, { recursive: true, force: true })
  })
  test('after all of it was killed the next start recovers, with everything that was saved', async () => {
    await driver.get('about:blank')
    const { owner, parts } = JSON.parse(readFileSync(join(home, 'running.json'), 'utf8')) as {
      owner: { pid: number }
      parts: { pid: number }[]
    }
    // The database is one of the parts.
    for (const { pid } of [owner, ...parts]) process.kill(pid, 'SIGKILL')
    app = await startApp()
    const shots = (await (await fetch(`${app.address}/api/shots/grottodemo01`)).json()) as {
      comp: { lanes: { name: string; muted: boolean }[] }
    }
    expect(shots.comp.lanes.find((l) => l.name === 'Open water')?.muted).toBe(true)
  })
  test('a render worker that is killed is started again and its frame is rendered', async () => {
    const { parts } = JSON.parse(readFileSync(join(home, 'running.json'), 'utf8')) as {
      parts: { name: string; pid: number }[]
    }
    process.kill(parts.find((p) => p.name === 'render worker')!.pid, 'SIGKILL')
    const url = `${app.address}/api/shots/grottodemo01/renders`
    const { id } = (await (
      await fetch(url, {
        method: 'POST',
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify({ first: 1, last: 1, formats: ['png8'] }),
      })
    ).json()) as { id: string }
    await waitFor(driver, 'the render', async () => {
      const render = (await (await fetch(`${app.address}/api/renders/${id}`)).json()) as {
        frames: { state: string }[]
      }
      return render.frames[0]!.state === 'done'
    })
  })
})
