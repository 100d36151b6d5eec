import { rulesOf } from '../../passes/passes.ts'
import { encodePicture, inSpace } from '../../formats/write-picture.ts'
import { portableZlib } from '../../formats/exr-codecs.ts'
import { readablePass } from '../../passes/readable-pass.ts'
import { Cancelled } from '../../cancelled.ts'
import type { Comp } from '../../comp/schema.ts'
import { cropToCanvas } from '../crop.ts'
import { luminanceHistogram, valueHistogram } from '../histogram.ts'
import { pictureMatrix, workingSpace } from '../../colour/working.ts'
import { countScope } from '../scopes.ts'
import { reductionFor } from '../work-area.ts'
import { sampleSmall, shrink } from '../shrink.ts'
import { smallCodes } from './show.ts'
import type { PassThumb, Thumb } from './requests.ts'
import type { Handler } from './session-state.ts'

/** A picture of this size says how often values lie where. */
const chartSize = (comp: Comp) => reductionFor(comp, 480, 2)
/** Small pictures are made of it. */
export const smallSize = (comp: Comp) => reductionFor(comp, 240, 4)

export const histogram: Handler<'histogram'> = async (session, work, { frame, target, byMost }, isStale) => {
  const { picture } = await session.make(work, frame, chartSize(work.comp), target, isStale)
  return luminanceHistogram(picture, workingSpace(work.comp.space), byMost)
}

export const values: Handler<'values'> = async (session, work, { frame, target }, isStale) => {
  const { picture } = await session.make(work, frame, chartSize(work.comp), target, isStale)
  return valueHistogram(picture)
}

export const scope: Handler<'scope'> = async (session, work, wish, isStale) => {
  const { reduction = 1 } = wish
  const { picture, area } = await session.make(work, wish.frame, reduction, wish.target, isStale)
  if (picture.channels === 1) throw new Error('A scope needs a picture of colour.')
  const { left: x0, top: y0, canvasWidth, canvasHeight } = area
  const [left, top, right, bottom] = wish.region ?? [0, 0, canvasWidth * reduction, canvasHeight * reduction]
  const hold = (v: number, most: number) => Math.min(most, Math.max(0, Math.round(v / reduction)))
  const part = [
    x0 + hold(left, canvasWidth),
    y0 + hold(top, canvasHeight),
    x0 + hold(right, canvasWidth),
    y0 + hold(bottom, canvasHeight),
  ] as const
  const started = performance.now()
  const { kernels, store } = session.evaluator.workshop
  // Scopes are of the codes of a screen, so of linear Rec.709.
  const { space } = work.comp
  const seen = space ? store.allocate(picture.width, picture.height, 4) : picture
  if (space) kernels.colourMatrix(seen, picture, pictureMatrix(workingSpace(space).toRec709), 1)
  const counted = countScope(seen, wish.scope, part, kernels)
  if (space) store.release(seen)
  return { scope: counted, tookMs: performance.now() - started }
}

export const exr: Handler<'exr'> = async (session, work, { frame, target }, isStale) => {
  const { picture, area } = await session.make(work, frame, 1, target, isStale)
  const { kernels } = session.evaluator.workshop
  return new Uint8Array(
    encodePicture(cropToCanvas(picture, area), 'exr', `frame ${frame}`, kernels, portableZlib, undefined, {
      working: work.comp.space,
    }),
  )
}

export const passes: Handler<'passes'> = async (session, work, { frame, width }, isStale) => {
  const found: PassThumb[] = []
  for (const [media, { passes: all }] of Object.entries(work.media))
    for (const { name: pass, kind } of all)
      try {
        const target = { type: 'pass', media, pass } as const
        const { picture, area } = await session.make(work, frame, smallSize(work.comp), target, isStale)
        const small = sampleSmall(cropToCanvas(picture, area), width)
        const light = rulesOf(kind).isLight && small.channels === 4
        const seen = light ? { ...small, data: inSpace(small.data, 'rec709', work.comp.space) } : small
        const { codes: pixels, low, high } = readablePass(seen, kind)
        found.push({ media, pass, width: small.width, height: small.height, pixels, low, high })
      } catch (error) {
        if (error instanceof Cancelled) throw error
        console.warn(`The pass ${pass} could not be shown:`, error)
      }
  return found
}

export const previews: Handler<'previews'> = async (session, { media }, wish, isStale) => {
  const found: (Thumb | undefined)[] = []
  for (const [i, comp] of wish.comps.entries())
    try {
      const { node, area } = await session.plan(
        { comp, media },
        wish.frame,
        smallSize(comp),
        wish.target,
        isStale,
      )
      await session.evaluator.load(comp, node, isStale)
      const small = shrink(cropToCanvas(session.evaluator.evaluate(node, isStale), area), wish.width)
      const { width, height } = small
      const pixels = await smallCodes(session, small, { comp, media }, wish.frame)
      found.push({ key: String(i), width, height, pixels })
    } catch (error) {
      if (error instanceof Cancelled) throw error
      console.warn('A preview could not be made:', error)
      found.push(undefined)
    }
  return found
}
