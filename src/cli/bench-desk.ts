import { addLane, addStep, emptyComp } from '../core/comp/edits.ts'
import { putDial } from '../core/comp/settings.ts'
import type { MediaTable } from '../core/comp/media.ts'
import type { Comp } from '../core/comp/schema.ts'
import { Evaluator } from '../core/engine/evaluator.ts'
import { plan } from '../core/engine/plan/plan.ts'
import { createLoneKernels } from '../core/kernels/wasm-kernels.ts'
import { alternate, type Result } from './alternate.ts'

const [width, height] = [960, 540]

/** A comp of so many lanes, each a pass with two steps. */
function deskOf(lanes: number): { comp: Comp; media: MediaTable; dial: string } {
  let comp = emptyComp(width, height)
  const media: Record<string, MediaTable[string]> = {}
  let dial = ''
  for (let i = 0; i < lanes; i++) {
    const ref = `m${i}`
    const pass = {
      name: 'beauty',
      kind: 'colour' as const,
      channels: ['R', 'G', 'B', 'A'],
      type: 'half' as const,
    }
    media[ref] = { name: ref, frames: { 1: `${i}`.padStart(64, '0') }, passes: [pass] }
    comp = addLane(comp, `Lane ${i}`, { type: 'pass', media: ref, pass: 'beauty' })
    const lane = comp.lanes.at(-1)!.id
    comp = addStep(comp, lane, 0, 'exposure')[0]
    ;[comp, dial] = addStep(comp, lane, 1, 'channel-gains')
  }
  return { comp, media, dial }
}

/**
 * Growth with the number of lanes at 960 × 540 on one thread: all of it computed for the first time, and again after one dial of the
 * front lane was moved, against one lane in the same run.
 */
export async function benchDesk(): Promise<Result[]> {
  const results: Result[] = []
  const data = new Uint16Array(width * height * 4).fill(0x3800)
  const load = () => Promise.resolve({ width, height, x: 0, y: 0, channels: 4, data })
  const make = async (lanes: number) => {
    const { kernels, store } = createLoneKernels(4096)
    const { comp, media, dial } = deskOf(lanes)
    let evaluator = new Evaluator({ kernels, store }, load, 1200 * 2 ** 20)
    const picture = async (one: Comp) => {
      const { node } = plan(one, media, 1, 1, { type: 'picture' })
      await evaluator.load(one, node)
      evaluator.evaluate(node)
    }
    let turn = 0
    const first = async () => {
      const fresh = createLoneKernels(4096)
      evaluator = new Evaluator(fresh, load, 1200 * 2 ** 20)
      await picture(comp)
    }
    const again = () => picture(putDial(comp, dial, 'red', 1 + ++turn / 1000))
    await picture(comp)
    return { first, again }
  }
  const counts = [1, 5, 20, 100]
  const desks = []
  for (const count of counts) desks.push(await make(count))
  for (const which of ['first', 'again'] as const) {
    const times = await alternate(
      desks.map((d) => d[which]),
      3,
    )
    for (const [i, medianMs] of times.entries())
      results.push({
        name: which === 'first' ? `${counts[i]} lanes, first` : `${counts[i]} lanes, a dial`,
        size: `${width}x${height}`,
        threads: 1,
        medianMs,
        reference: 'one lane',
        referenceMs: times[0]!,
        ratio: medianMs / times[0]!,
        target: null,
      })
  }
  return results
}
