// Drives the Timing view of a real page with 200 strips and 5,000 keys: how many frames a second it scrolls, zooms and drags with, and how
// many frames are late when the shot plays. The shot gets its own comp back.
//   npm run measure:timing -- http://127.0.0.1:4310 [shot id]
import { By, until } from 'selenium-webdriver'
import { isTrack, type Comp } from '../src/core/comp/schema.ts'
import { dialAt, listSettings, putSetting, settingOf } from '../src/core/comp/settings.ts'
import { openBrowser } from './app.ts'

const [address = 'http://127.0.0.1:4310', shot = 'grottodemo01'] = process.argv.slice(2)
const [strips, keysEach] = [200, 25]

const read = async () =>
  (await (await fetch(`${address}/api/shots/${shot}`)).json()) as { comp: Comp; revision: number }
const write = async (comp: Comp) => {
  const { revision } = await read()
  const answer = await fetch(`${address}/api/shots/${shot}/comp`, {
    method: 'PUT',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify({ base: revision, comp }),
  })
  if (!answer.ok) throw new Error(await answer.text())
}

/** The comp with keys on so many of its numbers. */
function keyed(comp: Comp): Comp {
  const { first, last } = comp.frames
  let [next, count] = [comp, 0]
  for (const ref of listSettings(comp)) {
    const setting = settingOf(comp, ref)
    if (count >= strips || typeof setting !== 'number' || dialAt(comp, ref)?.type !== 'number') continue
    const keys = Array.from({ length: keysEach }, (_, i) => ({
      frame: first + (i * (last - first)) / (keysEach - 1),
      value: setting * (0.9 + (0.1 * ((i * 7) % 5)) / 5),
      ...(i % 2 === 1 && { go: 'curve' as const }),
    }))
    next = putSetting(next, ref, { keys })
    count++
  }
  return next
}

/** In the page: does something in each of 120 frames, and tells how many there were in a second. */
const pace = (what: 'nothing' | 'scroll' | 'zoom' | 'drag', done: (words: string) => void) => {
  const list = document.querySelector<HTMLElement>('section[aria-label=Timing] .overflow-y-auto')!
  const ruler = document.querySelector<HTMLElement>('[role=slider][aria-label="Frames of the strips"]')!
  const strip = list.querySelector('canvas')!
  const [box, wide] = [ruler.getBoundingClientRect(), strip.getBoundingClientRect()]
  strip.setPointerCapture = () => undefined
  const point = (type: string, x: number, buttons: number) =>
    strip.dispatchEvent(
      new PointerEvent(type, {
        clientX: x,
        clientY: wide.top + wide.height / 2,
        pointerId: 1,
        button: 0,
        buttons,
        bubbles: true,
      }),
    )
  const start = wide.left + wide.width / 2
  if (what === 'drag') point('pointerdown', start, 1)
  const step = (i: number) => {
    if (what === 'scroll') list.scrollTop = i * 40
    if (what === 'zoom')
      ruler.dispatchEvent(
        new WheelEvent('wheel', {
          deltaY: i < 60 ? -6 : 6,
          ctrlKey: true,
          clientX: box.left + 300,
          clientY: box.top + 5,
          bubbles: true,
          cancelable: true,
        }),
      )
    if (what === 'drag') point('pointermove', start + Math.sin(i / 10) * 60, 1)
  }
  const times: number[] = []
  let [last, i] = [performance.now(), 0]
  const tick = (now: number) => {
    times.push(now - last)
    last = now
    step(i++)
    if (i < 120) requestAnimationFrame(tick)
    else {
      if (what === 'drag') point('pointerup', start, 0)
      const sorted = times.slice(1).sort((a, b) => a - b)
      const mean = sorted.reduce((a, b) => a + b) / sorted.length
      done(
        `${what}: ${(1000 / mean).toFixed(0)} frames a second, 95 % within ${sorted[Math.floor(sorted.length * 0.95)]!.toFixed(0)} ms`,
      )
    }
  }
  requestAnimationFrame(tick)
}

const { comp: original } = await read()
const driver = await openBrowser()
try {
  await driver.manage().setTimeouts({ script: 60_000 })
  await driver.get(`${address}/shots/${shot}`)
  await driver.wait(until.elementLocated(By.css('[data-testid=picture][data-settled="true"]')), 60_000)
  const state = () =>
    driver.executeScript<string>(() =>
      document.querySelector('[role=slider][aria-label=Frame]')!.getAttribute('aria-valuetext')!,
    )
  const frames = original.frames.last - original.frames.first + 1
  const started = Date.now()
  await driver.wait(async () => (await state()).includes(`${frames} ready`), 300_000)
  console.log(`${frames} frames made ahead in ${((Date.now() - started) / 1000).toFixed(0)} s`)
  await driver.sleep(1500)
  await driver.actions().sendKeys('p').perform()
  await driver.sleep(8000)
  await driver.actions().sendKeys('p').perform()
  const played = await driver.executeScript<string>(
    () => document.querySelector<HTMLElement>('[data-testid=picture]')!.dataset['played']!,
  )
  console.log(`played 8 s: ${played.replace(' ', ' shown, ')} late`)
  const comp = keyed(original)
  await write(comp)
  const moving = listSettings(comp).filter((ref) => isTrack(settingOf(comp, ref)))
  console.log(`${moving.length} strips`)
  await driver.get(`${address}/shots/${shot}`)
  await driver.sleep(6000)
  await driver.actions().sendKeys('t').perform()
  await driver.sleep(3000)
  for (const what of ['nothing', 'zoom', 'drag', 'scroll'] as const)
    console.log(await driver.executeAsyncScript<string>(`return (${pace.toString()})(...arguments)`, what))
} finally {
  await driver.quit()
  await write(original)
}
