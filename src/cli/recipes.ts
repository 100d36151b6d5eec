import { mkdir, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import sharp from 'sharp'
import { addLane, emptyComp, setFeed } from '../core/comp/edits.ts'
import { putDial } from '../core/comp/settings.ts'
import { findStep, type Comp, type FeedLink } from '../core/comp/schema.ts'
import { shrink, smallToCodes } from '../core/engine/shrink.ts'
import type { RecipeDial } from '../core/comp/recipe.ts'
import { drawer } from '../core/recipes/drawer.ts'
import { dialOf } from '../core/recipes/effect-of.ts'
import { putRecipe, type RecipeFile } from '../core/recipes/recipe-file.ts'
import { dialWords } from '../core/dials/dials.ts'
import { NodeEngine } from '../server/engine/node-engine.ts'
import type { MediaFile } from '../server/media/media-file.ts'
import { openMedia } from '../server/media/raster-file.ts'
import { readInput } from './inspect.ts'

const width = 640

/** What each of the drawer is shown on, of the demo's frame: words that its objects begin with, and dials that suit it. */
const shownOn: Readonly<Record<string, Shown>> = {
  'lamp-in-haze': { objects: 'bell', isLeft: true, dials: { from: 0.3, size: 240, haze: 1, spikes: 1 } },
  'light-from-within': { objects: 'crystal', dials: { origin: [0.97, 0.98], strength: 1.6 } },
  'grazing-reflection': { objects: 'bell_glass', isLeft: true, dials: { stops: 2.5 } },
  'daylight-through-an-opening': { dials: { origin: [0.53, -0.08], strength: 0.7, length: 560 } },
  'underwater-depth': { dials: { near: 3, far: 34 } },
  'drawn-plume': { cutOut: 'jelly' },
  'rim-and-core': { cutOut: 'crystal', isLeft: true, dials: { rimWidth: 8, core: 0.9, coreWidth: 40 } },
  'wet-night-streets': { dials: { from: 0.5, strength: 0.6 } },
  neon: { objects: 'jelly', dials: { reach: 90 } },
  'star-field-sparkle': { objects: 'jelly', dials: { from: 0.35, size: 22, strength: 1.5 } },
  'ember-trail': { objects: 'vent', dials: { from: 0.5, heat: 1.6 } },
}

interface Shown {
  /** Words that the objects begin with that its matte is. */
  readonly objects?: string
  /** Of what it stands on, where it works from its own outline. */
  readonly cutOut?: string
  readonly dials?: Readonly<Record<string, unknown>>
  /** It is seen in the left half, as that is where its objects are. */
  readonly isLeft?: boolean
}

/** What a dial takes, for the reference. */
const takesWords = (dial: RecipeDial): string =>
  dial.type === 'number'
    ? `${(dial.range ?? [0, 1]).join(' – ')}${dial.unit ? ` ${dial.unit}` : ''}`
    : dialWords(dialOf(dial))

/** The document of all recipes of the drawer, from what they say of themselves. */
export function recipesReference(): string {
  const pages = [...drawer()].map(([id, { step, lanes }]) => {
    const { name, about, family, inputs, dials } = step.recipe!
    return [
      `## ${name} (\`${id}\`)`,
      `${about} Family: ${family}. Made of ${lanes.map((l) => `*${l.name}*${l.steps.length > 0 ? ` (${l.steps.map((s) => s.effect).join(', ')})` : ''}`).join(', ')}.`,
      `![${shownOn[id]?.isLeft ? `Left with ${name}, right without` : `Left without ${name}, right with it`}](recipes/${id}.webp)`,
      ...inputs.map(
        (i) =>
          `- comes in: **${i.name}** (${i.kind})${i.required ? ', needed' : `; without it: ${i.without ?? 'nothing'}`}`,
      ),
      '| dial | takes | what it does |\n|---|---|---|\n' +
        dials.map((d) => `| ${d.name} | ${takesWords(d)} | ${d.hint ?? ''} |`).join('\n'),
    ].join('\n\n')
  })
  return `# The drawer\n\nRecipes that come with Zafiro, written by \`npx zafiro recipes --markdown\` from what they say of themselves. What a recipe is: [comp format](comp-format.md).\n\n${pages.join('\n\n')}\n`
}

function compOf(id: string, file: RecipeFile | undefined, media: MediaFile, frame: string): Comp {
  const { info } = media
  const table = { m1: { name: 'cave', frames: { 1: frame }, passes: info.passes } }
  const { objects, cutOut, dials = {} } = shownOn[id] ?? {}
  const idsOf = (word: string) =>
    [...(media.masks[0]?.objects ?? [])]
      .filter(([, name]) => name.startsWith(word))
      .map(([one]) => one.toString(16).padStart(8, '0'))
  const masks = (word: string): FeedLink => ({
    from: { type: 'pass', media: 'm1', pass: 'objects' },
    objects: idsOf(word),
  })
  let comp = addLane(emptyComp(info.width, info.height), 'Cave', {
    type: 'pass',
    media: 'm1',
    pass: 'beauty',
  })
  comp = { ...comp, frames: { first: 1, last: 100, rate: 24 } }
  let lane = 'lane1'
  if (cutOut !== undefined) {
    // What works from its own outline is shown on objects that are cut out.
    comp = addLane(comp, 'Cut out', { type: 'pass', media: 'm1', pass: 'beauty' })
    lane = 'lane2'
    const hidden = {
      id: 'cut',
      effect: 'opacity',
      on: true,
      amount: 1,
      dials: { opacity: 0 },
      feeds: {},
      matte: { ...masks(cutOut), invert: true },
    }
    comp = { ...comp, lanes: comp.lanes.map((l) => (l.id === lane ? { ...l, steps: [hidden] } : l)) }
  }
  if (!file) return comp
  let step: string
  ;[comp, step] = putRecipe(comp, table, file, lane, comp.lanes.find((l) => l.id === lane)!.steps.length)
  const made = findStep(comp, step)!
  for (const [key, value] of Object.entries(dials)) {
    const dial = made.recipe!.dials.find((d) => d.key === key)
    const fit =
      dial?.type === 'point' ? (value as number[]).map((v, i) => v * [info.width, info.height][i]!) : value
    comp = putDial(comp, step, key, fit as never)
  }
  for (const { key, kind } of made.recipe!.inputs) {
    if (objects !== undefined && kind === 'matte') comp = setFeed(comp, step, key, masks(objects))
    if (
      kind === 'light' &&
      info.passes.some((p) => p.name === (key === 'reflection' ? 'reflection' : 'emission'))
    )
      comp = setFeed(comp, step, key, {
        from: { type: 'pass', media: 'm1', pass: key === 'reflection' ? 'reflection' : 'emission' },
      })
  }
  return comp
}

/** `zafiro recipes --pictures`: for each of the drawer a picture, left of its middle without it, right with it. */
export async function drawRecipes(
  framePath: string,
  folder: string,
  say: (line: string) => void,
): Promise<void> {
  const file = await openMedia(await readInput(framePath))
  const engine = new NodeEngine(({ pass, as }) =>
    Promise.resolve(file.readPass(pass.inFile ?? pass.name, as)),
  )
  const media = { m1: { name: 'cave', frames: { 1: framePath }, passes: file.info.passes } }
  const shown = async (comp: Comp) =>
    smallToCodes(shrink((await engine.renderFrame(comp, media, 60)).picture, width), 8, undefined)
  try {
    await mkdir(folder, { recursive: true })
    for (const [id, recipe] of drawer()) {
      const before = await shown(compOf(id, undefined, file, framePath))
      const height = before.length / 4 / width
      const after = await shown(compOf(id, recipe, file, framePath))
      for (let y = 0; y < height; y++) {
        const [from, middle] = [y * width * 4, (y * width + width / 2) * 4]
        const until = from + width * 4
        if (shownOn[id]?.isLeft) after.set(before.subarray(middle, until), middle)
        else after.set(before.subarray(from, middle), from)
        after.fill(255, middle - 4, middle + 4)
      }
      const path = join(folder, `${id}.webp`)
      await sharp(after, { raw: { width, height, channels: 4 } })
        .webp({ quality: 82 })
        .toFile(path)
      say(path)
    }
  } finally {
    await engine.close()
  }
}

/** `zafiro recipes --files`: each of the drawer as a document of its own, to send or to look into. */
export async function writeRecipes(folder: string, say: (line: string) => void): Promise<void> {
  await mkdir(folder, { recursive: true })
  for (const [id, file] of drawer()) {
    const path = join(folder, `${id}.zafiro-recipe.json`)
    await writeFile(path, JSON.stringify(file, undefined, 1))
    say(path)
  }
}
