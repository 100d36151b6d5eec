// Drives the real page: from the movement of a dial to its picture on the screen, and to the picture at the size that it is looked at, over 50 moves.
//   npm run measure -- http://127.0.0.1:4310 [shot id] [closely]
// With `closely` one pixel is looked at as one pixel, and what is seen counts: to where it is there at full size, and to where the whole is.
import { By, until } from 'selenium-webdriver'
import { openBrowser } from './app.ts'

const [address = 'http://127.0.0.1:4310', shot = 'grottodemo01', closely] = process.argv.slice(2)
const moves = closely ? 20 : 50

const driver = await openBrowser()

/** In the page: moves the threshold and waits until a newer picture has been drawn and a frame was shown. */
interface Measured {
  readonly times: number[]
  readonly settles: number[]
  /** To where what is seen is there at full size, alone or with the whole. */
  readonly seen: number[]
  readonly reductions: number[]
  readonly settledAt: string
}
const measure = (count: number, done: (result: Measured) => void) => {
  const slider = document.querySelector<HTMLInputElement>('input[aria-label="Threshold slider"]')!
  const canvas = document.querySelector<HTMLCanvasElement>('[data-testid=picture]')!
  const set = Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value')!.set!
  const times: number[] = []
  const settles: number[] = []
  const reductions: number[] = []
  const seen: number[] = []
  const isSettled = () =>
    canvas.dataset['settled'] === 'true' && canvas.dataset['serial'] === canvas.dataset['wanted']
  const rest = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms))
  const one = async (i: number) => {
    const before = canvas.dataset['serial']
    const started = performance.now()
    // A value that stands there already would give no picture.
    const value = 0.2 + 0.5 * Math.abs(Math.sin(i * 0.7))
    set.call(slider, String(Math.abs(Number(slider.value) - value) < 0.001 ? value + 0.02 : value))
    slider.dispatchEvent(new Event('input', { bubbles: true }))
    while (canvas.dataset['serial'] === before) await new Promise((resolve) => requestAnimationFrame(resolve))
    times.push(performance.now() - started)
    reductions.push(Number(canvas.dataset['reduction']))
    let isSeen = false
    while (!isSettled()) {
      if (!isSeen && canvas.dataset['part']) {
        isSeen = true
        seen.push(performance.now() - started)
      }
      await new Promise((resolve) => requestAnimationFrame(resolve))
    }
    if (!isSeen) seen.push(performance.now() - started)
    settles.push(performance.now() - started)
    await rest(250)
  }
  void (async () => {
    await rest(1500)
    for (let i = 0; i < count; i++) await one(i)
    done({
      times,
      settles,
      seen,
      reductions,
      settledAt: canvas.dataset['part'] ? 'what is seen' : canvas.dataset['reduction']!,
    })
  })()
}

try {
  await driver.get(`${address}/shots/${shot}`)
  await driver.wait(until.elementLocated(By.css('[data-testid=picture][data-settled="true"]')), 20_000)
  const bloom = await driver.findElements(By.css('[aria-label="Step Bloom"]'))
  if (bloom.length === 0) {
    await driver.findElement(By.css('[aria-label="Source of Cave"]')).click()
    await driver.actions().sendKeys('/').perform()
    await driver.wait(until.elementLocated(By.css('dialog[open] input')), 5000)
    await driver.actions().sendKeys('bloom\uE007').perform()
  } else await bloom[0]!.click()
  await driver.wait(until.elementLocated(By.css('input[aria-label="Threshold slider"]')), 5000)
  if (closely) {
    await driver.actions().sendKeys('1').perform()
    await driver.sleep(12_000)
  }
  await driver.manage().setTimeouts({ script: 300_000 })
  const { times, settles, seen, reductions, settledAt } = await driver.executeAsyncScript<Measured>(
    `return (${measure.toString()})(...arguments)`,
    moves,
  )
  const said = (all: readonly number[]) => {
    const sorted = all.toSorted((a, b) => a - b)
    return `median ${sorted[sorted.length >> 1]!.toFixed(0)} ms, worst ${sorted.at(-1)!.toFixed(0)} ms`
  }
  const sizes = [...new Set(reductions)].sort((a, b) => a - b).map((r) => `1/${r}`)
  console.log(
    `dial to picture on screen, ${moves} moves: ${said(times)}, at ${sizes.join(', ')}; settled at 1/${settledAt}: ${said(settles)}${closely ? `; what is seen at full size: ${said(seen)}` : ''}`,
  )
} finally {
  await driver.quit()
}
