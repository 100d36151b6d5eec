import { workingSpace, type WorkingSpace } from '../colour/working.ts'
import type { Picture } from '../picture/picture.ts'
import type { Comp } from '../comp/schema.ts'
import type { Evaluator } from './evaluator.ts'
import type { PlanNode } from './plan/plan-node.ts'
import type { WorkArea } from './work-area.ts'

// What is read out of pictures for settings that follow or measure: keyed by content like the pictures, made once and kept.

/** Something that a plan has to know before it is right. */
export interface Need {
  /** Says all that it depends on. */
  readonly key: string
  /** The centre of a matte, the mean luminance of a picture, or the luminance that a percentage of it is below. */
  readonly what: 'centre' | 'mean' | number
  readonly node: PlanNode
  /** Only there. */
  readonly inside?: PlanNode
  /** Full size. */
  readonly area: WorkArea
}

/** A centre in pixels of the full frame, or one number; empty where there is nothing to read. */
export type Reading = readonly number[]

/** Where readings are kept beyond this process. */
export interface ReadingStore {
  fetch(keys: readonly string[]): Promise<ReadonlyMap<string, Reading>>
  keep(readings: ReadonlyMap<string, Reading>): Promise<void>
}

const nowhere: ReadingStore = { fetch: () => Promise.resolve(new Map()), keep: () => Promise.resolve() }

/** The readings that are known. */
export class Readings {
  private readonly known = new Map<string, Reading>()
  constructor(private readonly store: ReadingStore = nowhere) {}

  find(key: string): Reading | undefined {
    return this.known.get(key)
  }

  /** Makes what a plan needs, from what is kept or from the pictures. Throws Cancelled once `isStale`. */
  async make(
    evaluator: Evaluator,
    comp: Comp,
    needs: readonly Need[],
    isStale: () => boolean,
  ): Promise<void> {
    for (const [key, reading] of await this.store.fetch(needs.map((n) => n.key))) this.known.set(key, reading)
    const made = new Map<string, Reading>()
    try {
      for (const need of needs) {
        if (this.known.has(need.key)) continue
        const reading = await read(evaluator, comp, need, isStale)
        this.known.set(need.key, reading)
        made.set(need.key, reading)
      }
    } finally {
      if (made.size > 0) await this.store.keep(made)
    }
  }
}

/** Plans until nothing more has to be read: what is followed may itself follow something. Throws Cancelled once `isStale`. */
export async function settled<P extends { readonly needs: readonly Need[] }>(
  evaluator: Evaluator,
  readings: Readings,
  comp: Comp,
  make: () => P,
  isStale: () => boolean,
): Promise<P> {
  for (;;) {
    const planned = make()
    if (planned.needs.length === 0) return planned
    await readings.make(evaluator, comp, planned.needs, isStale)
  }
}

async function read(evaluator: Evaluator, comp: Comp, need: Need, isStale: () => boolean): Promise<Reading> {
  const { node, inside, area, what } = need
  await evaluator.load(comp, node, isStale)
  const picture = evaluator.evaluate(node, isStale)
  if (what === 'centre') return centreOf(picture, area)
  if (!inside) return brightness(picture, undefined, area, what, workingSpace(comp.space))
  const unpin = evaluator.pin(node)
  try {
    await evaluator.load(comp, inside, isStale)
    return brightness(picture, evaluator.evaluate(inside, isStale), area, what, workingSpace(comp.space))
  } finally {
    unpin()
  }
}

/** The centre of a matte's cover in pixels of the full frame, Σ m (x + ½) / Σ m; empty where it covers nothing. */
export function centreOf(matte: Picture, { left, top }: Pick<WorkArea, 'left' | 'top'>): Reading {
  const { width, height, channels, data } = matte
  let [sum, sumX, sumY] = [0, 0, 0]
  for (let y = 0; y < height; y++) {
    let [row, rowX] = [0, 0]
    for (let x = 0; x < width; x++) {
      const cover = Math.max(0, data[(y * width + x) * channels + channels - 1]!)
      row += cover
      rowX += cover * x
    }
    sum += row
    sumX += rowX
    sumY += row * y
  }
  return sum > 1e-6 ? [sumX / sum + 0.5 - left, sumY / sum + 0.5 - top] : []
}

/**
 * How bright the frame is inside a matte: the mean luminance weighed by it, Σ m Y / Σ m, or the least luminance that is not below a
 * percentage of it. Empty where the matte covers nothing.
 */
export function brightness(
  { width, channels, data }: Picture,
  matte: Picture | undefined,
  { left, top, canvasWidth, canvasHeight }: Pick<WorkArea, 'left' | 'top' | 'canvasWidth' | 'canvasHeight'>,
  what: 'mean' | number,
  { luminance }: WorkingSpace,
): Reading {
  const light = new Float64Array(canvasWidth * canvasHeight)
  const weights = new Float64Array(canvasWidth * canvasHeight)
  let [sum, weight] = [0, 0]
  for (let y = 0, to = 0; y < canvasHeight; y++)
    for (let x = 0; x < canvasWidth; x++, to++) {
      const at = (y + top) * width + x + left
      const i = at * channels
      const bright = channels === 1 ? data[i]! : luminance(data[i]!, data[i + 1]!, data[i + 2]!)
      const cover = matte ? Math.max(0, matte.data[at * matte.channels + matte.channels - 1]!) : 1
      light[to] = bright
      weights[to] = cover
      sum += bright * cover
      weight += cover
    }
  if (weight <= 1e-6) return []
  if (what === 'mean') return [sum / weight]
  const order = Array.from(light.keys())
    .filter((i) => weights[i]! > 0)
    .sort((a, b) => light[a]! - light[b]!)
  let below = 0
  const wanted = (what / 100) * weight
  for (const i of order) {
    below += weights[i]!
    if (below >= wanted - 1e-9 * weight) return [light[i]!]
  }
  return [light[order.at(-1)!]!]
}
