import { execFileSync } from 'node:child_process'
import { mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { By, Key } from 'selenium-webdriver'
import { describe, expect, test } from 'vitest'
import { addLane, addStep, emptyComp } from '../src/core/comp/edits.ts'
import { putDial } from '../src/core/comp/settings.ts'
import type { Comp } from '../src/core/comp/schema.ts'
import type { ShotFile } from '../src/core/comp/shot-file.ts'
import { openMediaFile } from '../src/server/media/media-file.ts'
import { attributeOf, clickOn, find, home, textOf, waitFor } from './app.ts'

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
import { onObject } from './demo-places.ts'

useDemo()

/** On the glass of the bell, where its lamp’s glow reaches. */
const besideLamp = async () => onObject('bell_glass')

/** The render of the demo that was asked for last. */
const newestRender = async () => {
  const { renders } = (await (await fetch(`${app.address}/api/shots/grottodemo01/renders`)).json()) as {
    renders: { id: string; frames: { state: string }[] }[]
  }
  return renders[0]
}

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
    await clickOn(driver, 'a[href="/shots/grottodemo01"]')
    await settled()
    await point(...(await onObject('bell_brass')))
    await waitFor(driver, 'values under the pointer', async () => (await values()).length === 4)
    expect(await textOf(driver, '[data-testid=probe]')).toMatch(/depth \d/)
  })

  test('bloom is added by what it does, from the keyboard, and fed by the emission pass', async () => {
    await clickOn(driver, '[aria-label="Source of Cave"]')
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
    await point(...(await besideLamp()))
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
    await point(...(await besideLamp()))
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
    await clickOn(driver, '[aria-label="Pass normal of grotto"] button')
    const floor = await onObject('sand')
    // The sandy floor faces up. The picture comes to lie elsewhere beside the passes: it is pointed at until it is there.
    await waitFor(driver, 'the normal of the floor', async () => {
      await point(...floor)
      return (await values())[1]! > 0.8
    })
    await clickOn(driver, '[aria-label="Pass reflection of grotto"] button')
    expect(await textOf(driver, '[aria-label="About the pass"]')).toContain('its name says “reflect”')
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
    await point(...(await besideLamp()))
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
    await clickOn(driver, '[aria-label="Step Bloom"]')
    await waitFor(driver, 'the threshold', async () => (await threshold()) === kept)
    expect(await attributeOf(driver, 'select[aria-label="light feed"]', 'value')).toContain('emission')
  })

  test('a rendered EXR and PNG hold what the screen shows, read by OpenImageIO', async () => {
    await point(0.385, 0.435)
    await waitFor(driver, 'values', async () => (await values()).length === 4)
    const [x, y] = (await textOf(driver, '[data-testid=probe]')).split(/[ ,\n]+/).map(Number) as [
      number,
      number,
    ]
    const shown = await values()
    await clickOn(driver, 'header .btn-primary')
    // The frame that is looked at.
    await clickOn(driver, '[aria-label="Which frames"] button:nth-child(2)')
    const before = (await newestRender())?.id
    await clickOn(driver, 'section[aria-label=Renders] button[type=submit]')
    const made = await waitFor(driver, 'the render', async () => {
      const render = await newestRender()
      return render && render.id !== before && render.frames[0]!.state === 'done' && render
    })
    const folder = join(home, 'renders', made.id)
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
    const link = await waitFor(driver, 'its link', async () =>
      attributeOf(driver, `[data-testid=render-frame] a[href*="${made.id}"]`, 'href'),
    )
    const bytes = new Uint8Array(await (await fetch(link!)).arrayBuffer())
    expect(openMediaFile(bytes).info.width).toBe(480)
  })

  test('a frame is the same, bit for bit, from the page, the server and the command line', async () => {
    const { comp } = await savedComp()
    await clickOn(driver, 'header .btn-primary')
    await driver.executeScript(() => {
      const keep = window as unknown as { made?: Promise<number[]> }
      URL.createObjectURL = (blob) => {
        keep.made = (blob as Blob).arrayBuffer().then((bytes) => [...new Uint8Array(bytes)])
        return 'data:,'
      }
    })
    await clickOn(driver, '//button[.="Save here"]')
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
    const folder = join(home, 'renders', (await newestRender())!.id)
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
    await clickOn(driver, 'nav button')
    const url = `${app.address}/api/shots/grottodemo01`
    const theirs = (await (await fetch(url)).json()) as { comp: object; revision: number }
    const put = (base: number, comp: unknown) =>
      fetch(`${url}/comp`, {
        method: 'PUT',
        body: JSON.stringify({ base, comp }),
        headers: { 'content-type': 'application/json' },
      })
    expect((await put(theirs.revision, theirs.comp)).status).toBe(200)
    await clickOn(driver, '[aria-label="Mute Open water"]')
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
    expect(await textOf(driver, '[aria-label="Step from-the-future"]')).toMatch(/not part of this Zafiro/)
  })
})
