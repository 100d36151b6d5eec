import { spawn, type ChildProcess } from 'node:child_process'
import { Builder, By, error, until, type WebDriver, type WebElement } from 'selenium-webdriver'
import { Options, ServiceBuilder } from 'selenium-webdriver/chrome.js'

export const home = process.env['ZAFIRO_TEST_HOME'] ?? '.zafiro/test/app'

/** Zafiro as `npm start` starts it, with a data folder of its own. */
export interface App {
  readonly address: string
  readonly process: ChildProcess
  stop(): Promise<void>
}

/** Starts and waits for the line that names the address. Rejects with the output when it ends before. */
export async function startApp(
  args: readonly string[] = [],
  onOutput: (text: string) => void = () => undefined,
): Promise<App> {
  const child = spawn(process.execPath, ['scripts/start.mjs', '--home', home, ...args], {
    env: { ...process.env, ZAFIRO_DEMO_SIZE: '480x270', ZAFIRO_DEMO_FRAMES: '3' },
    stdio: ['ignore', 'pipe', 'pipe'],
  })
  let output = ''
  const address = await new Promise<string>((resolve, reject) => {
    const read = (data: Buffer) => {
      output += data.toString()
      onOutput(data.toString())
      const found = /Zafiro is (?:ready|running already): (\S+)/.exec(output)?.[1]
      if (found) resolve(found)
    }
    child.stdout.on('data', read)
    child.stderr.on('data', read)
    child.on('exit', () => {
      reject(new Error(`npm start ended:\n${output}`))
    })
  })
  const stop = () =>
    new Promise<void>((resolve) => {
      if (child.exitCode !== null) resolve()
      child.on('exit', () => {
        resolve()
      })
      child.kill('SIGINT')
    })
  return { address, process: child, stop }
}

/** Headless Chromium with a page of exactly 1280 × 800. */
export async function openBrowser(more: readonly string[] = []): Promise<WebDriver> {
  const options = new Options()
  options.setChromeBinaryPath('/usr/bin/chromium')
  options.addArguments(
    '--headless=new',
    '--no-sandbox',
    '--disable-dev-shm-usage',
    '--window-size=1280,800',
    '--hide-scrollbars',
    '--no-first-run',
    '--disable-background-networking',
    '--disable-component-update',
    '--disable-sync',
    ...more,
  )
  const service = new ServiceBuilder('/usr/bin/chromedriver')
  const driver = await new Builder()
    .forBrowser('chrome')
    .setChromeOptions(options)
    .setChromeService(service)
    .build()
  const metrics = { width: 1280, height: 800, deviceScaleFactor: 1, mobile: false }
  await (
    driver as unknown as { sendDevToolsCommand(name: string, value: object): Promise<void> }
  ).sendDevToolsCommand('Emulation.setDeviceMetricsOverride', metrics)
  return driver
}

export function find(driver: WebDriver, where: string): Promise<WebElement> {
  const by = where.startsWith('//') ? By.xpath(where) : By.css(where)
  return driver.wait(until.elementLocated(by), 20_000, `nothing fits ${where}`)
}

/** Waits until something about the page holds. */
export async function waitFor<T>(
  driver: WebDriver,
  what: string,
  get: () => Promise<T | undefined | false>,
  patienceMs = 20_000,
): Promise<T> {
  let found: T | undefined | false
  await driver.wait(
    async () => {
      found = await get().catch(() => undefined)
      return found !== undefined && found !== false
    },
    patienceMs,
    `waited in vain for ${what}`,
  )
  return found as T
}

/**
 * Uses what fits `where`. When the page put something else in its place between being found and
 * being used, that is taken; nothing is used twice, as what is gone refuses before it acts.
 */
async function withElement<T>(
  driver: WebDriver,
  where: string,
  act: (element: WebElement) => Promise<T>,
): Promise<T> {
  for (let attempt = 1; ; attempt++) {
    try {
      return await act(await find(driver, where))
    } catch (problem) {
      if (!(problem instanceof error.StaleElementReferenceError) || attempt === 20) throw problem
    }
  }
}

export const textOf = (driver: WebDriver, where: string) =>
  withElement(driver, where, (element) => element.getText())

export const attributeOf = (driver: WebDriver, where: string, name: string) =>
  withElement(driver, where, (element) => element.getAttribute(name))

export const clickOn = (driver: WebDriver, where: string) =>
  withElement(driver, where, (element) => element.click())
