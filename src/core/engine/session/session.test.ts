import { describe, expect, test } from 'vitest'
import { Cancelled } from '../../cancelled.ts'
import { addLane, addStep, emptyComp, editLane } from '../../comp/edits.ts'
import { patched, patchesBetween } from '../../comp/patches.ts'
import type { Comp } from '../../comp/schema.ts'
import { putDial, setSetting } from '../../comp/settings.ts'
import { createLoneKernels } from '../../kernels/wasm-kernels.ts'
import { Session } from './session.ts'
import type { Wish } from './requests.ts'

const view = { gain: 1, channel: 'colour', checker: 0 } as const
const picture = { type: 'picture' } as const
const started = (budgetBytes = 4e6) => {
  const workshop = createLoneKernels(64)
  const load = () => Promise.reject(new Error('no files here'))
  return { session: new Session(workshop, load, budgetBytes), store: workshop.store }
}
/** Grey with a bloom of a brighter lane above it. */
function someComp(): Comp {
  let comp = addLane(emptyComp(24, 16), 'Grey', { type: 'colour', colour: [0.2, 0.2, 0.2], alpha: 1 })
  comp = addLane(comp, 'Light', { type: 'colour', colour: [2, 1, 0.5], alpha: 1 })
  return addStep(comp, comp.lanes[1]!.id, 0, 'bloom')[0]
}
const show = (reduction: 1 | 2 | 4 = 1): Wish<'show'> => ({ frame: 1, target: picture, reduction, view })

describe('a session', () => {
  test('shows what the comp makes, and probes the pixel that is shown', async () => {
    const { session } = started()
    const comp = addLane(emptyComp(6, 4), 'Flat', { type: 'colour', colour: [0.5, 0.25, 2], alpha: 1 })
    const shown = await session.answer('show', { comp, media: {} }, show())
    expect([shown.width, shown.height, shown.reduction, shown.problems]).toEqual([6, 4, 1, []])
    // IEC 61966-2-1: 0.5 → 188, 0.25 → 137.
    expect([...shown.pixels.slice(0, 4)]).toEqual([188, 137, 255, 255])
    const probed = await session.answer('probe', { comp, media: {} }, { frame: 1, x: 5.5, y: 3.2 })
    expect(probed?.rgba).toEqual([0.5, 0.25, 2, 1])
    expect(await session.answer('probe', { comp, media: {} }, { frame: 1, x: 6, y: 0 })).toBeUndefined()
  })
  test('makes what is seen of a frame alone: its codes are those of the whole there, and its pixels are probed', async () => {
    const { session } = started(40e6)
    const at = { from: [40, 30] as [number, number], to: [300, 200] as [number, number] }
    const end = (point: [number, number], red: number) => ({
      at: point,
      colour: [red, 0.3, 0.1] as [number, number, number],
      alpha: 1,
    })
    const gradient = { type: 'gradient', shape: 'line', from: end(at.from, 0), to: end(at.to, 1) } as const
    const plain = addLane(emptyComp(403, 301), 'Sky', gradient)
    const comp = { ...plain, canvas: { ...plain.canvas, margin: 0.05 } }
    const seen = { x: 210, y: 119, width: 57, height: 31 }
    const whole = await session.answer('show', { comp, media: {} }, show())
    const part = await session.answer('show', { comp, media: {} }, { ...show(), seen, isLast: true })
    expect([part.width, part.height, part.isSettled]).toEqual([57, 31, true])
    expect(part.part).toEqual(seen)
    for (let y = 0; y < 31; y++)
      for (let x = 0; x < 57 * 4; x++)
        expect(part.pixels[y * 57 * 4 + x]).toBe(whole.pixels[((y + 119) * 403 + 210) * 4 + x])
    const work = { comp, media: {} }
    const side = await session.answer('side', work, { frame: 1, target: picture, view, seen })
    expect([side.part, side.pixels]).toEqual([seen, part.pixels])
    const probed = await session.answer('probe', work, { frame: 1, x: 230, y: 130 })
    expect(probed?.rgba).toEqual(
      (await session.answer('probe', work, { frame: 1, x: 230, y: 130, of: picture }))!.rgba,
    )
  })
  test('is broken off when it is no longer wanted, keeps nothing of it, and can go on', async () => {
    const { session, store } = started()
    const work = { comp: someComp(), media: {} }
    await session.answer('show', work, show(4))
    const before = store.usedBytes
    let asked = 0
    await expect(session.answer('show', work, show(), () => ++asked > 3)).rejects.toThrow(Cancelled)
    expect(store.usedBytes - before).toBeLessThan(3 * 24 * 16 * 16)
    expect((await session.answer('show', work, show())).width).toBe(24)
  })
  test('says why it has no answer', async () => {
    const { session } = started()
    const media = {
      m: {
        name: 'cave',
        frames: { 1: 'aa' },
        passes: [
          { name: 'beauty', kind: 'colour' as const, channels: ['R', 'G', 'B'], type: 'half' as const },
        ],
      },
    }
    const comp = addLane(emptyComp(4, 4), 'Cave', { type: 'pass', media: 'm', pass: 'beauty' })
    await expect(session.answer('values', { comp, media }, { frame: 1, target: picture })).rejects.toThrow(
      'no files here',
    )
  })
  test('twenty thousand edits later it holds no more memory than after the first thousand (5 %)', async () => {
    const { session, store } = started(200_000)
    const first = someComp()
    const bloom = first.lanes[1]!.steps[0]!.id
    let [here, there] = [first, structuredClone(first)]
    const used: number[] = []
    for (let i = 0; i < 20_000; i++) {
      const edits = [
        () => setSetting(here, { of: 'dial', step: bloom, key: 'strength' }, (i % 97) / 50, { frame: 1 }),
        () => setSetting(here, { of: 'opacity', lane: here.lanes[0]!.id }, (i % 89) / 89, { frame: 1 }),
        () =>
          putDial(here, bloom, 'threshold', {
            keys: [
              { frame: 1, value: (i % 7) / 7 },
              { frame: 9, value: 1 },
            ],
          }),
        () =>
          editLane(here, here.lanes[1]!.id, (lane) => {
            lane.muted = i % 2 === 0
          }),
      ]
      const next = edits[i % 4]!()
      there = patched(there, patchesBetween(here, next))
      here = next
      const work = { comp: there, media: {} }
      await session.answer('show', work, show(i % 5 === 4 ? 1 : 4))
      if (i % 50 === 0) await session.answer('thumbs', work, { frame: 1, width: 8 })
      if (i % 100 === 0) await session.answer('histogram', work, { frame: 1, target: picture, byMost: false })
      if (i % 1000 === 999) used.push(store.usedBytes)
    }
    expect(there).toEqual(here)
    expect(Math.max(...used)).toBeLessThanOrEqual(1.05 * used[0]!)
    // The whole of it is the budget and what is in use, and no list grows by the way.
    expect(Math.max(...used)).toBeLessThan(400_000)
    expect(session.measured.means.size).toBeLessThan(20)
  }, 120_000)
})
