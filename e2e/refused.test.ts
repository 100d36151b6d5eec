import { mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { By } from 'selenium-webdriver'
import { describe, expect, test } from 'vitest'
import { find, home, textOf } from './app.ts'

import { app, driver, useDemo, settled, saved } from './demo-shot.ts'

useDemo()

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
