// Drives the real page with frames of its own of four sizes, and writes a row of a table for each: how long entry takes, from a dial to its
// picture, to the picture as it is seen in fit view and at one pixel as one pixel, memory, and frames a second as they are made and played.
//   npm run measure:sizes -- http://127.0.0.1:4310 INTAKE_FOLDER [WIDTHxHEIGHT…]
// The server takes the frames out of its intake folder; the shots stay, and are deleted by hand.
import { randomBytes } from 'node:crypto'
import { rm, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import type { WebDriver } from 'selenium-webdriver'
import { addStep } from '../src/core/comp/edits.ts'
import type { Comp } from '../src/core/comp/schema.ts'
import { writeExr } from '../src/core/formats/exr-write.ts'
import { numberToHalf } from '../src/core/picture/half.ts'
import { nodeZlib } from '../src/server/media/node-zlib.ts'
import { openBrowser } from './app.ts'

const [address = 'http://127.0.0.1:4310', intake, ...given] = process.argv.slice(2)
if (!intake) throw new Error('Say where the intake folder of the server lies, after its address.')
const sizes = given.length > 0 ? given : ['960x540', '1920x1080', '3840x2160', '8192x4320']

/** A ground that runs away under a wall, with grain, lamps that sway and a miss at the top; beauty in half, depth in float. */
function frameOf(width: number, height: number, frame: number): Uint8Array {
  const [grain, count] = [randomBytes(65_536), width * height]
  const colour = ['R', 'G', 'B', 'A'].map((name) => ({ name, values: new Uint16Array(count) }))
  const depth = new Float32Array(count)
  const half = Uint16Array.from({ length: 4096 }, (_, i) => numberToHalf((i / 4095) * 16))
  const put = (at: number, light: number) => {
    for (const [c, { values }] of colour.entries())
      values[at] = c === 3 ? half[256]! : half[Math.min(4095, Math.round(light * 256 * [1, 0.7, 0.4][c]!))]!
  }
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const at = y * width + x
      const far = y / height
      put(at, 0.05 + 0.3 * far + grain[(at * 31 + frame * 7) & 65_535]! / 4000)
      depth[at] = far < 0.1 ? 1e10 : 4 / far
    }
  for (let lamp = 0; lamp < 40; lamp++) {
    const [x0, y0] = [
      width * (0.5 + 0.45 * Math.sin(lamp * 7.3 + frame * 0.05)),
      height * (0.55 + 0.35 * Math.cos(lamp * 3.1)),
    ]
    const radius = (width / 400) * (1 + (lamp % 3))
    for (let y = Math.floor(y0 - radius); y < y0 + radius; y++)
      for (let x = Math.floor(x0 - radius); x < x0 + radius; x++)
        if (x >= 0 && y >= 0 && x < width && y < height && Math.hypot(x - x0, y - y0) < radius)
          put(y * width + x, 4 + (lamp % 5))
  }
  const window = [0, 0, width - 1, height - 1] as const
  const channels = [
    ...colour.map(({ name, values }) => ({ name, type: 'half' as const, values })),
    { name: 'Z', type: 'float' as const, values: depth },
  ]
  return writeExr({ dataWindow: window, displayWindow: window, compression: 'zip', channels }, nodeZlib)
}

async function call<T>(method: string, path: string, body: unknown): Promise<T> {
  const answer = await fetch(address + path, {
    method,
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify(body),
  })
  if (!answer.ok) throw new Error(await answer.text())
  return (await answer.json()) as T
}

/** A shot of so many frames with mist, bloom, star glare and rays, and how long the entry of a frame took, in seconds. */
async function makeShot(name: string, width: number, height: number, frames: number) {
  const times: number[] = []
  let id = ''
  for (let frame = 1; frame <= frames; frame++) {
    const file = `${name}_${String(frame).padStart(4, '0')}.exr`
    await writeFile(join(intake!, file), frameOf(width, height, frame))
    const started = performance.now()
    if (frame === 1) ({ id } = await call<{ id: string }>('POST', '/api/shots', { intake: file }))
    else await call('POST', `/api/shots/${id}/media`, { intake: file })
    times.push((performance.now() - started) / 1000)
    await rm(join(intake!, file))
  }
  const { comp, revision } = (await (await fetch(`${address}/api/shots/${id}`)).json()) as {
    comp: Comp
    revision: number
  }
  const lane = comp.lanes[0]!.id
  const depth = { from: { type: 'pass' as const, media: 'm1', pass: 'depth' } }
  let next: Comp = { ...comp, frames: { ...comp.frames, first: 1, last: frames } }
  for (const effect of ['depth-mist', 'bloom', 'star-glare', 'light-rays']) {
    const at = next.lanes[0]!.steps.length
    const [added, step] = addStep(next, lane, at, effect)
    next = {
      ...added,
      lanes: added.lanes.map((l) => ({
        ...l,
        steps: l.steps.map((s) =>
          s.id === step && effect === 'depth-mist' ? { ...s, feeds: { depth } } : s,
        ),
      })),
    }
  }
  await call('PUT', `/api/shots/${id}/comp`, { base: revision, comp: next })
  return { id, entry: times.toSorted((a, b) => a - b)[times.length >> 1]! }
}

interface Moved {
  /** From the dial to a newer picture, to what is seen as it is seen, and to all of it, in milliseconds. */
  readonly first: number[]
  readonly seen: number[]
  readonly all: number[]
}

/** In the page: moves the slider of a step's dial so many times, and waits each time until the picture is all there. */
const move = (count: number, done: (result: Moved) => void) => {
  const slider = document.querySelector<HTMLInputElement>('input[aria-label="Threshold slider"]')!
  const canvas = document.querySelector<HTMLCanvasElement>('[data-testid=picture]')!
  const set = Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value')!.set!
  const made: Moved = { first: [], seen: [], all: [] }
  const frame = () => new Promise((resolve) => requestAnimationFrame(resolve))
  const isSettled = () =>
    canvas.dataset['settled'] === 'true' && canvas.dataset['serial'] === canvas.dataset['wanted']
  void (async () => {
    for (let i = 0; i < count; i++) {
      await new Promise((resolve) => setTimeout(resolve, 400))
      const before = canvas.dataset['serial']
      const started = performance.now()
      const value = 0.2 + 0.5 * Math.abs(Math.sin(i * 0.7))
      set.call(slider, String(Math.abs(Number(slider.value) - value) < 0.001 ? value + 0.02 : value))
      slider.dispatchEvent(new Event('input', { bubbles: true }))
      while (canvas.dataset['serial'] === before) await frame()
      made.first.push(performance.now() - started)
      while (!isSettled() && !canvas.dataset['part']) await frame()
      made.seen.push(performance.now() - started)
      while (!isSettled()) await frame()
      made.all.push(performance.now() - started)
    }
    done(made)
  })()
}

/** In the page: drags the picture about for 120 frames; frames a second. */
const pan = (done: (rate: number) => void) => {
  const view = document.querySelector<HTMLElement>('[data-testid=picture]')!.parentElement!
  const box = view.getBoundingClientRect()
  view.setPointerCapture = () => undefined
  const point = (type: string, buttons: number, i: number) =>
    view.dispatchEvent(
      new PointerEvent(type, {
        clientX: box.left + box.width / 2 + 60 * Math.sin(i / 9),
        clientY: box.top + box.height / 2 + 40 * Math.sin(i / 14),
        pointerId: 1,
        button: 0,
        buttons,
        bubbles: true,
      }),
    )
  let [i, started] = [0, performance.now()]
  point('pointerdown', 1, 0)
  const tick = () => {
    if (i === 0) started = performance.now()
    point('pointermove', 1, i)
    if (++i <= 120) requestAnimationFrame(tick)
    else {
      point('pointerup', 0, i)
      done(120_000 / (performance.now() - started))
    }
  }
  requestAnimationFrame(tick)
}

const middle = (all: readonly number[]) => all.toSorted((a, b) => a - b)[all.length >> 1]!
const span = (all: readonly number[]) => `${Math.round(middle(all))}, worst ${Math.round(Math.max(...all))}`

async function look(driver: WebDriver, id: string, frames: number) {
  const sleep = (ms: number) => driver.sleep(ms)
  const press = async (key: string) => {
    await driver.executeScript(() => {
      ;(document.activeElement as HTMLElement | null)?.blur()
    })
    await driver.actions().sendKeys(key).perform()
  }
  const data = () =>
    driver.executeScript<Record<string, string>>(() =>
      Object.fromEntries(
        Object.entries(document.querySelector<HTMLElement>('[data-testid=picture]')?.dataset ?? {}),
      ),
    )
  const until = async (is: (d: Record<string, string>) => boolean, patienceMs = 120_000) => {
    const started = performance.now()
    await driver.wait(async () => is(await data()), patienceMs, undefined, 15)
    return performance.now() - started
  }
  const isSettled = (d: Record<string, string>) => d['settled'] === 'true' && d['serial'] === d['wanted']
  await driver.get(`${address}/shots/${id}`)
  const opened = await until(isSettled)
  const ready = () =>
    driver.executeScript<string>(() =>
      document.querySelector('[role=slider][aria-label=Frame]')!.getAttribute('aria-valuetext')!,
    )
  const started = performance.now()
  await driver.wait(async () => (await ready()).includes(`${frames} ready`), 300_000, undefined, 15)
  const filled = (frames * 1000) / (performance.now() - started)
  await sleep(500)
  await press('p')
  await sleep(6000)
  await press('p')
  const [shown = 0, late = 0] = ((await data())['played'] ?? '').split(' ').map(Number)
  await sleep(3000)
  await driver.findElement({ css: '[aria-label="Step Bloom"]' }).click()
  await sleep(1500)
  const fit = await driver.executeAsyncScript<Moved>(`return (${move.toString()})(...arguments)`, 50)
  await sleep(1500)
  await press('1')
  const closer = await until((d) => d['part'] !== '' || (isSettled(d) && d['reduction'] === '1'))
  await sleep(8000)
  const panned = await driver.executeAsyncScript<number>(`return (${pan.toString()})(...arguments)`)
  await sleep(8000)
  const close = await driver.executeAsyncScript<Moved>(`return (${move.toString()})(...arguments)`, 20)
  await driver.findElement({ css: '[aria-label="How it plays"]' }).click()
  const said = await driver.findElement({ css: '[aria-label="Memory of the engine"]' }).getAttribute('value')
  return { opened, filled, shown, late, fit, closer, panned, close, megabytes: Number(said) / 2 ** 20 }
}

console.log(
  '| frame | entry | opened | dial to picture | settled in fit view | first look at full size | seen at full size | all of it | memory | made a second | played | moved about |',
)
console.log(`|${' --- |'.repeat(12)}`)
for (const size of sizes) {
  const [width = 0, height = 0] = size.split('x').map(Number)
  const frames = width > 4096 ? 4 : 12
  const { id, entry } = await makeShot(`Lantern quay ${size}`, width, height, frames)
  const driver = await openBrowser()
  try {
    await driver.manage().setTimeouts({ script: 600_000 })
    const r = await look(driver, id, frames)
    const cells = [
      size.replace('x', '×'),
      `${entry.toFixed(1)} s`,
      `${(r.opened / 1000).toFixed(1)} s`,
      `${span(r.fit.first)} ms`,
      `${span(r.fit.all)} ms`,
      `${(r.closer / 1000).toFixed(1)} s`,
      `${span(r.close.seen)} ms`,
      `${span(r.close.all)} ms`,
      `${Math.round(r.megabytes)} MB`,
      r.filled.toFixed(1),
      `${r.shown} shown, ${r.late} late`,
      `${Math.round(r.panned)} a second`,
    ]
    console.log(`| ${cells.join(' | ')} |`)
  } finally {
    await driver.quit()
  }
}
