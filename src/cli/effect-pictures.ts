import { mkdir } from 'node:fs/promises'
import { join } from 'node:path'
import sharp from 'sharp'
import { addLane, addStep, emptyComp, setFeed } from '../core/comp/edits.ts'
import { putDial } from '../core/comp/settings.ts'
import type { Comp } from '../core/comp/schema.ts'
import type { Effect } from '../core/effects/effect.ts'
import { effects } from '../core/effects/registry.ts'
import { shrink, smallToCodes } from '../core/engine/shrink.ts'
import { NodeEngine } from '../server/engine/node-engine.ts'
import type { MediaFile } from '../server/media/media-file.ts'
import { openMedia } from '../server/media/raster-file.ts'
import { isPictured } from './effects.ts'
import { readInput } from './inspect.ts'

const width = 640

/** The comp of one effect on the beauty pass, with the feeds that show it best; without the effect for undefined. */
function compOf(effect: Effect | undefined, { info }: MediaFile, objects: readonly string[]): Comp {
  const source = { type: 'pass', media: 'm1', pass: 'beauty' } as const
  let comp = addLane(emptyComp(info.width, info.height), 'Cave', source)
  if (!effect) return comp
  const pass = (name: string) => ({ type: 'pass' as const, media: 'm1', pass: name })
  const masks = { from: pass('objects'), objects: [...objects] }
  let id: string
  // What works from its own outline is shown on the objects alone.
  if ((effect.feeds['shape'] && effect.offset) || effect.isOnCover) {
    ;[comp, id] = addStep(comp, 'lane1', 0, 'opacity')
    comp = setFeed(putDial(comp, id, 'opacity', 0), id, 'matte', { ...masks, invert: true })
  }
  ;[comp, id] = addStep(comp, 'lane1', comp.lanes[0]!.steps.length, effect.id)
  const dials = { ...effect.starts[0]?.dials, ...effect.example }
  for (const [key, value] of Object.entries(dials)) comp = putDial(comp, id, key, value as never)
  for (const [key, { kind }] of Object.entries(effect.feeds)) {
    if (key === 'surface') continue
    const found = info.passes.find((p) => p.kind === kind && kind !== 'matte')
    if (found)
      comp = setFeed(comp, id, key, { from: pass(found.name === 'reflection' ? 'emission' : found.name) })
    else if (key === 'shape' && !effect.offset) comp = setFeed(comp, id, key, masks)
    else if (key === 'with') comp = setFeed(comp, id, key, { from: pass('emission'), use: 'luminance' })
  }
  return comp
}

/** `zafiro effects --pictures`: for each effect a picture, left of its middle without it, right with it. */
export async function drawEffects(
  framePath: string,
  folder: string,
  say: (line: string) => void,
): Promise<void> {
  const file = await openMedia(await readInput(framePath))
  const engine = new NodeEngine(({ pass, as }) =>
    Promise.resolve(file.readPass(pass.inFile ?? pass.name, as)),
  )
  const media = { m1: { name: 'cave', frames: { 1: framePath }, passes: file.info.passes } }
  const names = [...(file.masks[0]?.objects ?? [])].filter(([, name]) => name.startsWith('jelly'))
  const jellies = names.map(([id]) => id.toString(16).padStart(8, '0'))
  const shown = async (comp: Comp) => {
    // Late enough for what takes from earlier frames, which are all the same here.
    const { picture } = await engine.renderFrame(
      { ...comp, frames: { first: 1, last: 100, rate: 24 } },
      media,
      60,
    )
    return smallToCodes(shrink(picture, width), 8, undefined)
  }
  try {
    await mkdir(folder, { recursive: true })
    const before = await shown(compOf(undefined, file, jellies))
    const height = before.length / 4 / width
    for (const effect of effects.filter(isPictured)) {
      const after = await shown(compOf(effect, file, jellies))
      for (let y = 0; y < height; y++) {
        const [from, middle] = [y * width * 4, (y * width + width / 2) * 4]
        after.set(before.subarray(from, middle), from)
        after.fill(255, middle - 4, middle + 4)
      }
      const path = join(folder, `${effect.id}.webp`)
      await sharp(after, { raw: { width, height, channels: 4 } })
        .webp({ quality: 82 })
        .toFile(path)
      say(path)
    }
  } finally {
    await engine.close()
  }
}
