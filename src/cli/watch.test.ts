import { mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, utimesSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { setTimeout as sleep } from 'node:timers/promises'
import { afterAll, expect, test } from 'vitest'
import { addLane, emptyComp } from '../core/comp/edits.ts'
import { writeExr } from '../core/formats/exr-write.ts'
import { openMedia } from '../server/media/raster-file.ts'
import type { RenderEvent } from './render.ts'
import { watchFolder } from './watch.ts'

const folder = mkdtempSync(join(tmpdir(), 'zafiro-watch-'))
const coming = join(folder, 'coming')
mkdirSync(coming)
afterAll(() => {
  rmSync(folder, { recursive: true })
})

const put = (name: string, frame: number, value: number) => {
  const channels = ['R', 'G', 'B'].map((channel) => ({
    name: channel,
    type: 'float' as const,
    values: new Float32Array(6).fill(value),
  }))
  writeFileSync(
    join(coming, `${name}.${String(frame).padStart(4, '0')}.exr`),
    writeExr({ dataWindow: [0, 0, 2, 1], displayWindow: [0, 0, 2, 1], compression: 'none', channels }),
  )
}

test('frames are made when all their sequences have them, again when one comes anew; a broken one is told and the rest goes on', async () => {
  put('cave', 1, 0.25)
  put('glow', 1, 0.5)
  let comp = addLane(emptyComp(3, 2), 'Cave', { type: 'pass', media: 'm1', pass: 'beauty' })
  comp = addLane(comp, 'Glow', { type: 'pass', media: 'm2', pass: 'beauty' })
  comp = { ...comp, lanes: comp.lanes.map((l) => ({ ...l, join: { mode: 'plus', opacity: 1 } })) }
  const files = (name: string) => ({ name, files: { 1: `coming/${name}.0001.exr` } })
  const shot = join(folder, 'night.zafiro.json')
  writeFileSync(
    shot,
    JSON.stringify({
      format: 'zafiro-shot',
      version: 1,
      name: 'Night',
      comp,
      media: { m1: files('cave'), m2: files('glow') },
    }),
  )
  const out = join(folder, 'out')
  const events: RenderEvent[] = []
  const stop = { isAsked: false }
  const choice = { out, format: 'exr-float', threads: '1', everyMs: 60, isOver: () => stop.isAsked }
  const watching = watchFolder(coming, shot, choice, (event) => events.push(event))
  const made = () => events.flatMap((e) => (e.event === 'frame' ? [e.frame] : []))
  const valueOf = async (frame: number) =>
    (
      await openMedia(readFileSync(join(out, `night-float.${String(frame).padStart(4, '0')}.exr`)))
    ).storedPixels([[1, 1]])[0]![0]!.values['G']
  await expect.poll(made, { timeout: 20_000 }).toEqual([1])
  expect(await valueOf(1)).toBeCloseTo(0.75, 6)
  // Half of a frame is no frame.
  put('cave', 3, 1)
  await sleep(400)
  expect(made()).toEqual([1])
  put('glow', 3, 2)
  await expect.poll(made, { timeout: 20_000 }).toEqual([1, 3])
  expect(await valueOf(3)).toBeCloseTo(3, 6)
  put('glow', 1, 4)
  utimesSync(join(coming, 'glow.0001.exr'), new Date(), new Date(Date.now() + 5000))
  await expect.poll(made, { timeout: 20_000 }).toEqual([1, 3, 1])
  expect(await valueOf(1)).toBeCloseTo(4.25, 6)
  writeFileSync(join(coming, 'cave.0002.exr'), 'no picture')
  put('glow', 2, 1)
  await expect
    .poll(() => events.some((e) => e.event === 'failed' && e.frame === 2), { timeout: 20_000 })
    .toBe(true)
  put('cave', 4, 1)
  put('glow', 4, 1)
  await expect.poll(made, { timeout: 20_000 }).toEqual([1, 3, 1, 4])
  stop.isAsked = true
  expect(await watching).toBe(1)
  expect(readdirSync(folder).filter((name) => name.startsWith('.watch'))).toEqual([])
  // A list ends by itself.
  expect(
    await watchFolder(coming, shot, { ...choice, isOver: () => false, frames: '3-4' }, () => undefined),
  ).toBe(0)
  await expect(watchFolder(folder, shot, choice, () => undefined)).rejects.toThrow(/no sequence/)
})
