// Draws the pictures of the README from frames of the demo shot, before and after.  node dist/draw-look.mjs FOLDER FRAME OUT
import { existsSync, mkdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import sharp, { type Region } from 'sharp'
import type { MediaTable } from '../src/core/comp/media.ts'
import type { Comp, Lane } from '../src/core/comp/schema.ts'
import { smallToCodes } from '../src/core/engine/shrink.ts'
import { NodeEngine } from '../src/server/engine/node-engine.ts'
import type { MediaFile } from '../src/server/media/media-file.ts'
import { openMedia } from '../src/server/media/raster-file.ts'
import { demoComp, demoMedia } from './demo-comp.ts'

const [folder = '.', frameText = '24', out = 'docs/look'] = process.argv.slice(2)
const frame = Number(frameText)
const checker = 8

const files = new Map<string, MediaFile>()
const media: Record<string, MediaTable[string]> = {}
for (const [ref, stem] of Object.entries(demoMedia)) {
  const name = `${stem}.${frameText.padStart(4, '0')}`
  const path = [`${name}.exr`, `${name}.png`].map((n) => join(folder, n)).find((p) => existsSync(p))
  if (!path) throw new Error(`${name} is missing in ${folder}`)
  const file = await openMedia(readFileSync(path))
  files.set(path, file)
  const { passes, encoding, alpha } = file.info
  media[ref] = { name: stem, frames: { [frame]: path }, passes, encoding, alpha }
}
const { width, height } = [...files.values()][0]!.info

const full = demoComp(width, height, 48)
const withLanes = (change: (lane: Lane) => Lane): Comp => ({ ...full, lanes: full.lanes.map(change) })
const plume = full.lanes.find((l) => l.name === 'Plume')!.id
const isLight = (l: Lane) => ['Glass reflection', 'Seahorse glow'].includes(l.name) || l.id === plume
const rendered = withLanes((l) => ({ ...l, muted: isLight(l), steps: l.kind === 'matte' ? l.steps : [] }))
const clear = withLanes((l) => ({
  ...l,
  steps: l.steps.map((s) => (s.effect === 'depth-mist' ? { ...s, on: false } : s)),
}))

const engine = new NodeEngine(({ hash, pass, as }) =>
  Promise.resolve(files.get(hash)!.readPass(pass.inFile ?? pass.name, as)),
)
const codesOf = async (comp: Comp) =>
  smallToCodes((await engine.renderFrame(comp, media, frame)).picture, checker, undefined)
const [before, after, without] = [
  await codesOf({ ...rendered, master: [] }),
  await codesOf(full),
  await codesOf(clear),
]

/** Two pictures side by side, or the same part of both, enlarged to its pixels. */
async function pair(name: string, left: Uint8Array, right: Uint8Array, part?: Region): Promise<void> {
  const one = (codes: Uint8Array) => {
    const whole = sharp(codes, { raw: { width, height, channels: 4 } })
    return (part ? whole.extract(part) : whole)
      .resize(640, 360, { kernel: part ? 'nearest' : 'lanczos3' })
      .png()
      .toBuffer()
  }
  await sharp({ create: { width: 1290, height: 360, channels: 3, background: '#222' } })
    .composite([
      { input: await one(left), left: 0, top: 0 },
      { input: await one(right), left: 650, top: 0 },
    ])
    .webp({ quality: 86 })
    .toFile(join(out, `${name}.webp`))
}
mkdirSync(out, { recursive: true })
await pair('before-after', before, after)
await pair('mist', without, after)
// The bell before far water.
const px = width / 960
await pair('mist-edge', without, after, {
  left: Math.round(366 * px),
  top: Math.round(216 * px),
  width: Math.round(160 * px),
  height: Math.round(90 * px),
})
await engine.close()
