import { expect } from 'vitest'
import type { MediaTable } from '../src/core/comp/media.ts'
import { hashName } from '../src/core/formats/cryptomatte.ts'
import { objectAt } from '../src/core/formats/object-masks.ts'
import { decodePassBlock, type PassBlock } from '../src/core/formats/pass-block.ts'
import { halfTable } from '../src/core/picture/half.ts'
import { app } from './demo-shot.ts'

/** A place on the picture, in parts of its size. */
export type Place = readonly [x: number, y: number]

async function passAt(name: string, frame: number): Promise<PassBlock> {
  const { media } = (await (await fetch(`${app.address}/api/shots/grottodemo01/media`)).json()) as {
    media: MediaTable
  }
  const cave = Object.values(media).find((m) => m.passes.some((p) => p.name === name))!
  const answer = await fetch(`${app.address}/api/passes/${cave.frames[frame]!}/${name}?as=data`)
  expect(answer.status).toBe(200)
  return decodePassBlock(await answer.arrayBuffer())
}

/**
 * Where an object of the demo is to be clicked on, by its name: the pixel with the most of it all around, of those whose depth fits where that
 * is asked for.
 */
export async function onObject(name: string, fits?: (depth: number) => boolean, frame = 1): Promise<Place> {
  const [ids, depth] = [await passAt('objects', frame), await passAt('depth', frame)]
  const { width, height } = ids
  const halves = depth.data instanceof Uint16Array ? halfTable() : undefined
  const far = (i: number) => (halves ? halves[depth.data[i]!]! : depth.data[i]!)
  const id = hashName(name)
  const isThere = Array.from(
    { length: width * height },
    (_, i) =>
      objectAt(ids, 'ranked', i % width, Math.floor(i / width)) === id &&
      (!fits || fits(far(i * depth.channels))),
  )
  // Rings are peeled off until nothing is left.
  let rest = isThere.flatMap((there, i) => (there ? [i] : []))
  expect(rest.length, `pixels of ${name}`).toBeGreaterThan(0)
  for (;;) {
    const inside = new Set(rest)
    const next = rest.filter(
      (i) => inside.has(i - 1) && inside.has(i + 1) && inside.has(i - width) && inside.has(i + width),
    )
    if (next.length === 0) break
    rest = next
  }
  const place = rest[Math.floor(rest.length / 2)]!
  return [((place % width) + 0.5) / width, (Math.floor(place / width) + 0.5) / height]
}

/** A place beside another, in parts of the picture's size. */
export const beside = ([x, y]: Place, dx: number, dy: number): Place => [x + dx, y + dy]
