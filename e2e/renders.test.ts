import { execFileSync } from 'node:child_process'
import { existsSync, readdirSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { By, Key } from 'selenium-webdriver'
import sharp from 'sharp'
import { expect, test } from 'vitest'
import { demoMedia } from '../demo/demo-comp.ts'
import { putDial } from '../src/core/comp/settings.ts'
import { allSteps } from '../src/core/comp/schema.ts'
import { attributeOf, clickOn, find, home, textOf, waitFor } from './app.ts'
import { app, driver, putComp, savedComp, settled, useDemo } from './demo-shot.ts'

useDemo()

const panel = 'section[aria-label=Renders]'
const button = (words: string) =>
  driver.findElement(
    By.xpath(`//section[@aria-label="Renders"]//button[contains(normalize-space(.), "${words}")]`),
  )
const cards = () => driver.findElements(By.css(`${panel} li:has([data-testid=render-progress])`))
const topCard = async () => (await cards())[0]!
/** Asks for the render and waits for its card on top of those of other tests. */
const begin = async (words: string) => {
  const before = (await cards()).length
  await button(words).click()
  await waitFor(driver, 'its card', async () => (await cards()).length > before)
}
/** The page may be making its own frames ready beside it. What it waited for in vain is told as it stood last. */
const untilDone = async () => {
  let words = ''
  const isDone = async () => {
    words = await (await topCard()).getText()
    return /3 of 3 frames/.test(words) || /1 of 1 frame/.test(words)
  }
  await waitFor(driver, 'the render', isDone, 90_000).catch(async (error: unknown) => {
    const { renders } = (await (await fetch(`${app.address}/api/shots/grottodemo01/renders`)).json()) as {
      renders: unknown[]
    }
    throw new Error(`The card says:\n${words}\nThe server says:\n${JSON.stringify(renders[0])}`, {
      cause: error,
    })
  })
}
const folderOf = async () => {
  const { renders } = (await (await fetch(`${app.address}/api/shots/grottodemo01/renders`)).json()) as {
    renders: { id: string; frames: { files: string[] }[] }[]
  }
  return {
    id: renders[0]!.id,
    folder: join(home, 'renders', renders[0]!.id),
    files: renders[0]!.frames.flatMap((f) => f.files),
  }
}
const tick = async (format: string, isOn: boolean) => {
  const box = await driver.findElement(
    By.xpath(`//section[@aria-label="Renders"]//label[contains(., "${format}")]/input`),
  )
  if ((await box.isSelected()) !== isOn) await box.click()
}

test('the whole range is rendered at half size as it is looked at, by names of one’s own, and played', async () => {
  // All frames of the demo are there, so that none changes meanwhile.
  const isWhole = async () => {
    const { media } = (await (await fetch(`${app.address}/api/shots/grottodemo01/media`)).json()) as {
      media: Record<string, { frames: object }>
    }
    // Other tests may have brought in stills and tables.
    return Object.keys(demoMedia).every((ref) => Object.keys(media[ref]?.frames ?? {}).length === 3)
  }
  for (let i = 0; i < 240 && !(await isWhole()); i++) await new Promise((resolve) => setTimeout(resolve, 500))
  expect(await isWhole()).toBe(true)
  await driver.get(`${app.address}/shots/grottodemo01`)
  await settled()
  await clickOn(driver, 'header .btn-primary')
  await tick('EXR, half, premultiplied', false)
  await tick('PNG, 16 bit, straight', false)
  await tick('As on screen', true)
  await (await find(driver, `${panel} [aria-label=Size]`)).sendKeys('half')
  const name = await find(driver, `${panel} [aria-label="Names of the files"]`)
  await name.sendKeys(Key.chord(Key.CONTROL, 'a'), 'look_{version}_{frame:3}')
  await begin('Render 3 frames')
  await untilDone()
  const { id, folder, files } = await folderOf()
  expect(files).toEqual(expect.arrayContaining([expect.stringMatching(/^look_v\d{3}_001\.review\.png$/)]))
  const { width, height } = await sharp(join(folder, files[0]!)).metadata()
  expect([width, height]).toEqual([240, 135])
  await button('Play').click()
  await waitFor(driver, 'the movie', () =>
    driver.executeScript<boolean>(() => (document.querySelector('video')?.readyState ?? 0) >= 2),
  )
  const movie = join(home, 'taken.mp4')
  writeFileSync(
    movie,
    new Uint8Array(await (await fetch(`${app.address}/api/renders/${id}/movie/mp4`)).arrayBuffer()),
  )
  const probed = execFileSync(
    'ffprobe',
    [
      '-v',
      'error',
      '-count_frames',
      '-show_entries',
      'stream=width,height,r_frame_rate,nb_read_frames',
      '-of',
      'csv=p=0',
      movie,
    ],
    { encoding: 'utf8' },
  )
  expect(probed.trim()).toBe('240,136,24/1,3')
  // All files in one.
  const zip = join(home, 'taken.zip')
  writeFileSync(
    zip,
    new Uint8Array(await (await fetch(`${app.address}/api/renders/${id}/zip`)).arrayBuffer()),
  )
  const listed = execFileSync(
    'python3',
    [
      '-c',
      'import sys,zipfile; z=zipfile.ZipFile(sys.argv[1]); print(z.testzip(), *sorted(z.namelist()))',
      zip,
    ],
    { encoding: 'utf8' },
  )
  expect(listed.trim()).toBe(`None ${files.toSorted().join(' ')}`)
})

test('what has not changed is not made again; what has is', async () => {
  await (await find(driver, `${panel} form select`)).sendKeys('what has changed')
  const before = (await cards()).length
  await button('Render 3 frames').click()
  await waitFor(driver, 'the word', async () =>
    (await textOf(driver, `${panel} [role=status]`)).startsWith('Nothing to do'),
  )
  expect(await cards()).toHaveLength(before)
  // A key on the last frame alone changes that one.
  const { comp } = await savedComp()
  const step = allSteps(comp).find((s) => s.effect === 'exposure')!.id
  await putComp(
    putDial(comp, step, 'stops', {
      keys: [
        { frame: 2, value: 0.4, go: 'hold' },
        { frame: 3, value: 1 },
      ],
    }),
  )
  await driver.get(`${app.address}/shots/grottodemo01`)
  await settled()
  await clickOn(driver, 'header .btn-primary')
  for (const format of ['EXR, half, premultiplied', 'PNG, 16 bit, straight']) await tick(format, false)
  await tick('As on screen', true)
  await (await find(driver, `${panel} [aria-label=Size]`)).sendKeys('half')
  await (await find(driver, `${panel} form select`)).sendKeys('what has changed')
  await begin('Render 3 frames')
  await waitFor(driver, 'the word', async () =>
    /1 of 3 frames are made/.test(await textOf(driver, `${panel} [role=status]`)),
  )
  await untilDone()
})

test('settings are kept by name; a render is wiped against the desk, and the shot opened as it was for it', async () => {
  const choose = async (label: string, words: string) =>
    (await find(driver, `${panel} [aria-label="${label}"]`)).sendKeys(words)
  await choose('Size', 'a quarter')
  await button('Keep as').click()
  await (await find(driver, `${panel} [aria-label="Name of the settings"]`)).sendKeys('quick look', Key.ENTER)
  await waitFor(
    driver,
    'the name',
    async () =>
      (await attributeOf(driver, `${panel} [aria-label="Kept settings"]`, 'value')) === 'quick look',
  )
  await driver.navigate().refresh()
  await settled()
  await clickOn(driver, 'header .btn-primary')
  // What was asked for last comes first, and the kept settings are a choice away.
  await waitFor(
    driver,
    'the last settings',
    async () => (await attributeOf(driver, `${panel} [aria-label=Size]`, 'value')) === '2',
  )
  // They come after the page.
  await find(driver, `${panel} [aria-label="Kept settings"] option[value="quick look"]`)
  await choose('Kept settings', 'quick look')
  await waitFor(
    driver,
    'the kept ones',
    async () => (await attributeOf(driver, `${panel} [aria-label=Size]`, 'value')) === '4',
  )

  const menu = async (words: string) => {
    await (await (await topCard()).findElement(By.css('[aria-label^="More of render"]'))).click()
    await (await driver.findElement(By.xpath(`//*[@role="menuitem"][contains(., "${words}")]`))).click()
  }
  await menu('Wipe it')
  const side = await find(driver, '[data-testid=other-side]')
  await waitFor(driver, 'the render beside', async () => (await side.getAttribute('width')) === '240')
  const small = await (await topCard()).findElements(By.css('img'))
  expect(small.length).toBeGreaterThan(0)
  await waitFor(driver, 'a small picture', () =>
    driver.executeScript<boolean>((image: HTMLImageElement) => image.naturalWidth > 0, small[0]),
  )

  const before = await savedComp()
  const step = allSteps(before.comp).find((s) => s.effect === 'exposure')!.id
  await putComp(putDial(before.comp, step, 'stops', 2))
  await driver.navigate().refresh()
  await settled()
  await clickOn(driver, 'header .btn-primary')
  await menu('Open the shot as it was')
  await waitFor(driver, 'the word', async () => /as render \d+ was/.test(await textOf(driver, panel)))
  await waitFor(
    driver,
    'it to be saved',
    async () => JSON.stringify((await savedComp()).comp) === JSON.stringify(before.comp),
  )
})

test('wrong lists and names are said before anything is asked, and a render goes with its files', async () => {
  await button('These').click()
  const list = await find(driver, `${panel} [aria-label=Frames]`)
  await list.sendKeys('9-3')
  await waitFor(driver, 'what is wrong', async () => (await textOf(driver, panel)).includes('goes backwards'))
  await list.sendKeys(Key.chord(Key.CONTROL, 'a'), '2, 3')
  await waitFor(driver, 'two frames', async () => (await textOf(driver, panel)).includes('Render 2 frames'))
  const name = await find(driver, `${panel} [aria-label="Names of the files"]`)
  await name.sendKeys(Key.chord(Key.CONTROL, 'a'), 'all/the/same')
  await waitFor(driver, 'what is wrong', async () => (await textOf(driver, panel)).includes('no slashes'))
  const { folder } = await folderOf()
  expect(readdirSync(folder).length).toBeGreaterThan(0)
  await (await (await topCard()).findElement(By.css('[aria-label^="More of render"]'))).click()
  await (await driver.findElement(By.xpath('//*[@role="menuitem"][contains(., "Delete")]'))).click()
  const before = (await cards()).length
  await button('Delete').click()
  await waitFor(driver, 'its card to go', async () => (await cards()).length === before - 1)
  expect(existsSync(folder)).toBe(false)
})
