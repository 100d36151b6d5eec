import { caughtBy, catchDials, type CatchValues } from '../../effects/catch-light.ts'
import type { Comp } from '../../comp/schema.ts'
import type { DialValue } from '../../dials/dials.ts'
import type { Workshop } from '../../kernels/pyramid.ts'
import type { Picture } from '../../picture/picture.ts'
import { areaKey, type Reduction, type WorkArea } from '../work-area.ts'
import { node, type PlanNode } from './plan-node.ts'
import type { Planning } from './planning.ts'

// A picture that moves is small, and is followed by one at the size that is looked at. What a threshold passes of a small
// light depends on that size: of a lamp that fills a sixteenth of a pixel it passes nothing. So what is there at a larger
// size, because it does not move, is taken from there and made smaller once it has gone through its thresholds.

/** Larger sizes of the same comp, and which of their pictures are there already. */
export interface Finer {
  readonly reductions: readonly Reduction[]
  readonly isThere: (key: string) => boolean
}

/** Cells of a small picture are made of whole pixels of a larger one: without a margin always, with one where the canvas is made of whole cells. */
export const hasWholeCells = ({ canvas }: Comp, reduction: Reduction): boolean =>
  canvas.margin === 0 || (canvas.width % reduction === 0 && canvas.height % reduction === 0)

/** The mean of the pixels of each cell: those that are there, at the right and lower edge. */
function cellMeans(src: Picture, { width, height }: WorkArea, factor: number, { kernels, store }: Workshop) {
  const out = store.allocate(width, height, src.channels)
  if (src.channels === 4) {
    kernels.boxReduce(out, src, factor)
    return out
  }
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      let [sum, count] = [0, 0]
      for (let sy = y * factor; sy < Math.min(src.height, (y + 1) * factor); sy++)
        for (let sx = x * factor; sx < Math.min(src.width, (x + 1) * factor); sx++, count++)
          sum += src.data[sy * src.width + sx]!
      out.data[y * width + x] = sum / count
    }
  return out
}

/** A picture of a larger size at the size that is planned. */
function smaller(
  p: Planning,
  from: Planning,
  fine: PlanNode,
  make?: (src: Picture, workshop: Workshop) => Picture,
  what = '',
) {
  const factor = p.reduction / from.reduction
  return node(`${what}smaller ${factor} ${areaKey(p.area)}`, [fine], ([src], workshop) => {
    const made = make?.(src!, workshop) ?? src!
    const out = cellMeans(made, p.area, factor, workshop)
    if (made !== src) workshop.store.release(made)
    return out
  })
}

/** Pixels of larger sizes that are made smaller for one picture that moves: one of 3840 × 2160, or twenty of its fits in view. */
export const mostMadeSmaller = 10e6

/** The first of the larger sizes that has a picture, made smaller; undefined where none has. */
export function fromFiner(
  p: Planning,
  pointOf: (finer: Planning) => PlanNode | undefined,
): PlanNode | undefined {
  const { sizes, isThere, room } = p.finer!
  for (const size of sizes) {
    const point = pointOf(size)
    if (!point || !isThere(point.key)) continue
    const made = smaller(p, size, point)
    const pixels = isThere(made.key) ? 0 : size.area.width * size.area.height
    if (pixels > room.pixels) continue
    room.pixels -= pixels
    return made
  }
  return undefined
}

/** Light is caught anew with each move of a threshold: of no more pixels than take a fraction of the time of a picture. */
const mostCaught = 1.2e6

/** Whether all that an effect takes of a picture is what passes its threshold. */
export const catchesLight = (dials: Readonly<Record<string, unknown>>): boolean =>
  Object.keys(catchDials).every((key) => key in dials)

/** Dials with which all light is caught. */
export const allLight: Readonly<Record<keyof CatchValues, DialValue>> = {
  threshold: 0,
  knee: 0,
  measure: 'channel',
  ceiling: 1e9,
}

/** The light that a threshold passes of what comes to a step, caught at the first larger size where that is there; undefined where it is nowhere. */
export function caughtFiner(
  p: Planning,
  dials: Readonly<Record<string, DialValue>>,
  lightOf: (finer: Planning) => PlanNode | undefined,
): PlanNode | undefined {
  const caught = caughtBy(dials as unknown as CatchValues)
  const { sizes, isThere } = p.finer!
  for (const size of sizes) {
    const light = size.area.width * size.area.height <= mostCaught && lightOf(size)
    if (!light || !isThere(light.key)) continue
    const pass = (src: Picture, { kernels, store }: Workshop) => {
      const out = store.allocate(src.width, src.height, 4)
      kernels.brightPass(out, src, caught)
      return out
    }
    return smaller(p, size, light, pass, `caught ${JSON.stringify(caught)} `)
  }
  return undefined
}

/** Light caught of a picture, with what was missed of an earlier one: `fine` is caught of that at a larger size. */
export function caughtAnew(
  dials: Readonly<Record<string, DialValue>>,
  picture: PlanNode,
  base: PlanNode,
  fine: PlanNode,
): PlanNode {
  const caught = caughtBy(dials as unknown as CatchValues)
  return node(
    `caught anew ${JSON.stringify(caught)}`,
    [picture, base, fine],
    ([now, before, there], { kernels, store }) => {
      const [out, less] = [0, 1].map(() => store.allocate(now!.width, now!.height, 4)) as [Picture, Picture]
      kernels.brightPass(less, before!, caught)
      kernels.addWeighted(out, there, less, [-1, -1, -1, -1])
      kernels.brightPass(less, now!, caught)
      const sum = store.allocate(now!.width, now!.height, 4)
      kernels.addWeighted(sum, out, less, [1, 1, 1, 1])
      store.release(out)
      store.release(less)
      return sum
    },
  )
}
