// Drives the real page: from the movement of a dial to its picture on the screen, over 50 moves.
//   npm run measure -- http://127.0.0.1:4310 [shot id]
import { Builder, By, until } from 'selenium-webdriver'
import { Options, ServiceBuilder } from 'selenium-webdriver/chrome.js'

const [address = 'http://127.0.0.1:4310', shot = 'grottodemo01'] = process.argv.slice(2)
const moves = 50

const options = new Options()
options.setChromeBinaryPath('/usr/bin/chromium')
options.addArguments(
  '--headless=new',
  '--no-sandbox',
  '--disable-dev-shm-usage',
  '--window-size=1280,800',
  '--no-first-run',
  '--disable-background-networking',
)
const service = new ServiceBuilder('/usr/bin/chromedriver')
const driver = await new Builder()
  .forBrowser('chrome')
  .setChromeOptions(options)
  .setChromeService(service)
  .build()

/** In the page: moves the threshold and waits until a newer picture has been drawn and a frame was shown. */
const measure = (count, done) => {
  const slider = document.querySelector('input[aria-label="Threshold slider"]')
  const canvas = document.querySelector('[data-testid=picture]')
  const set = Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set
  const times = []
  const reductions = []
  const rest = (ms) => new Promise((resolve) => setTimeout(resolve, ms))
  const one = async (i) => {
    const before = canvas.dataset.serial
    const started = performance.now()
    set.call(slider, String(0.2 + 0.5 * Math.abs(Math.sin(i * 0.7))))
    slider.dispatchEvent(new Event('input', { bubbles: true }))
    while (canvas.dataset.serial === before) await new Promise((resolve) => requestAnimationFrame(resolve))
    times.push(performance.now() - started)
    reductions.push(Number(canvas.dataset.reduction))
    await rest(250)
  }
  ;(async () => {
    await rest(1500)
    for (let i = 0; i < count; i++) await one(i)
    done({ times, reductions })
  })()
}

try {
  await driver.get(`${address}/shots/${shot}`)
  await driver.wait(until.elementLocated(By.css('[data-testid=picture][data-reduction="1"]')), 20_000)
  const bloom = await driver.findElements(By.css('[aria-label="Step Bloom"]'))
  if (bloom.length === 0) {
    await driver.findElement(By.css('[aria-label="Source of Cave"]')).click()
    await driver.actions().sendKeys('/').perform()
    await driver.wait(until.elementLocated(By.css('dialog[open] input')), 5000)
    await driver.actions().sendKeys('bloom\uE007').perform()
  } else await bloom[0].click()
  await driver.wait(until.elementLocated(By.css('input[aria-label="Threshold slider"]')), 5000)
  await driver.manage().setTimeouts({ script: 60_000 })
  const { times, reductions } = await driver.executeAsyncScript(`return (${measure})(...arguments)`, moves)
  const sorted = times.toSorted((a, b) => a - b)
  const full = reductions.filter((r) => r === 1).length
  console.log(
    `dial to picture on screen, ${moves} moves: median ${sorted[moves >> 1].toFixed(0)} ms, worst ${sorted.at(-1).toFixed(0)} ms; ${full} of them at full size at once`,
  )
} finally {
  await driver.quit()
}
