import { rec709 } from '../colour/working.ts'
import { describe, expect, test } from 'vitest'
import { addCel, addDrawing, addShape } from '../comp/drawing-edits.ts'
import { addLane, addStep, emptyComp } from '../comp/edits.ts'
import { editProblem } from '../comp/guard.ts'
import type { Comp } from '../comp/schema.ts'
import { putDial, putSetting, setSetting } from '../comp/settings.ts'
import { createLoneKernels } from '../kernels/wasm-kernels.ts'
import { plainPicture, type Picture } from '../picture/picture.ts'
import { ellipse } from '../shapes/outline.ts'
import type { Follow, Measure, Rider, Track } from '../tracks/track.ts'
import { plan, type Planned } from './plan/plan.ts'
import { brightness, centreOf, type Reading } from './readings.ts'
import { Session } from './session/session.ts'

const noFiles = () => Promise.reject(new Error('no files here'))
const start = () => new Session(createLoneKernels(128), noFiles, 4e7)
const picture = { type: 'picture' } as const
const riding = (rider: Rider, value: number | [number, number] = [0, 0]): Track => ({
  keys: [{ frame: 1, value }],
  riders: [rider],
})
const following = (of: Follow['of'], offset: [number, number] = [0, 0]): Rider => ({
  type: 'follow',
  on: true,
  of,
  offset,
})

const disc = (x: number, y: number, r: number) => ellipse(x - r, y - r, x + r, y + r)

/** A disc whose drawing moves by 3.3 and 1.7 px a frame from (30.4, 25.7). */
function movingDisc(): { comp: Comp; drawing: string } {
  const [begun, drawing] = addDrawing(emptyComp(160, 90), 'Disc')
  const [drawn] = addShape(begun, drawing, 1, 'Disc', disc(30.4, 25.7, 9.3))
  const place = { of: 'placing', drawing, key: 'move' } as const
  let comp = addLane(drawn, 'Disc', { type: 'drawing', drawing })
  comp = { ...comp, frames: { first: 1, last: 20, rate: 24 } }
  comp = setSetting(comp, place, [0, 0], { frame: 1, autoKey: true })
  return { comp: setSetting(comp, place, [33, 17], { frame: 11, autoKey: true }), drawing }
}

describe('the centre of a matte', () => {
  test('of a disc, against where it was drawn: within 0.05 px, on whole frames and between them', async () => {
    const { comp, drawing } = movingDisc()
    const of: Follow['of'] = { type: 'matte', matte: { from: { type: 'drawing', drawing } } }
    const frames = [1, 2, 6, 11]
    const found = await start().answer('readings', { comp, media: {} }, { of, frames })
    frames.forEach((f, i) => {
      expect(Math.abs(found[i]![0]! - (30.4 + 3.3 * (f - 1)))).toBeLessThan(0.05)
      expect(Math.abs(found[i]![1]! - (25.7 + 1.7 * (f - 1)))).toBeLessThan(0.05)
    })
    // A lane's alpha is the same place.
    const lane: Follow['of'] = { type: 'matte', matte: { from: { type: 'tap', lane: comp.lanes[0]!.id } } }
    const [same] = await start().answer('readings', { comp, media: {} }, { of: lane, frames: [6] })
    expect(same![0]).toBeCloseTo(found[2]![0]!, 4)
  })
  test('of one shape of a drawing, whatever the others are and however it meets them; one that is gone is told', async () => {
    const [begun, drawing] = addDrawing(emptyComp(160, 90), 'Discs')
    const [one] = addShape(begun, drawing, 1, 'Left', disc(30.4, 25.7, 9.3))
    const [both, right] = addShape(one, drawing, 1, 'Right', disc(110.2, 60.6, 12.1))
    const comp = {
      ...both,
      drawings: both.drawings.map((d) =>
        d.time === 'keyed'
          ? { ...d, shapes: d.shapes.map((s) => (s.id === right ? { ...s, by: 'subtract' as const } : s)) }
          : d,
      ),
    }
    const of = (shape: string): Follow['of'] => ({
      type: 'matte',
      matte: { from: { type: 'drawing', drawing, shape } },
    })
    const [[x, y]] = (await start().answer(
      'readings',
      { comp, media: {} },
      { of: of(right), frames: [1] },
    )) as [[number, number]]
    expect(Math.hypot(x - 110.2, y - 60.6)).toBeLessThan(0.05)
    const [placed, lane] = [addLane(comp, 'Shapes', { type: 'drawing', drawing }), comp.lanes.length]
    const [stepped, step] = addStep(placed, placed.lanes[lane]!.id, 0, 'light-rays')
    const lost = putDial(stepped, step, 'origin', riding(following(of('gone'))))
    const { problems } = plan(lost, {}, 1, 1, picture)
    expect(problems.map((p) => p.message)).toContain(
      'Discs has no shape gone any more. Choose another, or all of it.',
    )
  })
  test('of a tilted ellipse sampled 16 × 16 in each pixel, by nothing of the product: at its middle within 0.02 px, cut by the frame where its part is', () => {
    const [width, height, fine] = [57, 41, 16]
    for (const [cx, cy, isCut] of [
      [23.37, 18.81, false],
      [29.02, 20.5, false],
      [54.9, 20.1, true],
    ] as const) {
      const matte = plainPicture(width, height, 1)
      let [sum, sumX, sumY] = [0, 0, 0]
      for (let v = 0; v < height * fine; v++)
        for (let u = 0; u < width * fine; u++) {
          const [x, y] = [(u + 0.5) / fine, (v + 0.5) / fine]
          const [a, b] = [(x - cx) * 0.8 + (y - cy) * 0.6, (y - cy) * 0.8 - (x - cx) * 0.6]
          if ((a / 11.3) ** 2 + (b / 4.6) ** 2 > 1) continue
          matte.data[Math.floor(y) * width + Math.floor(x)]! += 1 / fine ** 2
          ;[sum, sumX, sumY] = [sum + 1, sumX + x, sumY + y]
        }
      const [x, y] = centreOf(matte, { left: 0, top: 0 }) as [number, number]
      const [wantedX, wantedY] = isCut ? [sumX / sum, sumY / sum] : [cx, cy]
      expect(Math.hypot(x - wantedX, y - wantedY)).toBeLessThan(0.02)
    }
  })
  test('is weighed by cover, in pixels of the frame whatever the margin, and is nowhere where nothing is covered', () => {
    const matte = plainPicture(8, 6, 1)
    matte.data[2 * 8 + 3] = 1
    matte.data[2 * 8 + 6] = 0.5
    expect(centreOf(matte, { left: 1, top: 1 })).toEqual([3.5, 1.5])
    expect(centreOf(plainPicture(8, 6, 1), { left: 1, top: 1 })).toEqual([])
  })
})

describe('a point that follows', () => {
  const moved = (comp: Comp) => {
    const [with_, step] = addStep(
      addLane(comp, 'Light', { type: 'colour', colour: [1, 1, 1], alpha: 1 }),
      'lane2',
      0,
      'light-rays',
    )
    return { comp: with_, step, ref: { of: 'dial', step, key: 'origin' } as const }
  }
  /** The plan once everything is read. */
  async function planned(comp: Comp, frame: number): Promise<Planned> {
    const session = start()
    return session.plan({ comp, media: {} }, frame, 2, picture, () => false)
  }
  const keyAt = async (comp: Comp, frame: number) => (await planned(comp, frame)).node.key
  test('makes the same picture as the point that was read, at any size', async () => {
    const { comp: disc, drawing } = movingDisc()
    const { comp, step, ref } = moved(disc)
    const of: Follow['of'] = { type: 'matte', matte: { from: { type: 'drawing', drawing } } }
    const [centre] = await start().answer('readings', { comp, media: {} }, { of, frames: [6] })
    const followed = putSetting(comp, ref, riding(following(of, [4, -2])))
    const typed = putDial(comp, step, 'origin', [centre![0]! + 4, centre![1]! - 2])
    expect(await keyAt(followed, 6)).toBe(await keyAt(typed, 6))
    expect(await keyAt(followed, 6)).not.toBe(await keyAt(followed, 7))
  })
  test('is bridged where what it follows is not there, and says so', async () => {
    const [begun, drawing] = addDrawing(emptyComp(100, 60), 'Spark')
    let comp: Comp = { ...begun, frames: { first: 1, last: 12, rate: 24 } }
    comp = {
      ...comp,
      drawings: comp.drawings.map((d) => ({
        id: d.id,
        name: d.name,
        time: 'frames',
        between: 'empty',
        cels: [],
      })),
    }
    for (const [frame, x] of [
      [3, 20],
      [7, 60],
    ] as const)
      comp = addShape(addCel(comp, drawing, frame, 'empty'), drawing, frame, 'Spark', disc(x, 30, 5))[0]
    const of: Follow['of'] = { type: 'matte', matte: { from: { type: 'drawing', drawing } } }
    const found = await start().answer('readings', { comp, media: {} }, { of, frames: [1, 3, 5, 7, 9] })
    expect(found.map((r) => Math.round(r![0]! * 10) / 10)).toEqual([20, 20, 40, 60, 60])
    const { comp: with_, ref } = moved({
      ...comp,
      lanes: [...addLane(comp, 'Back', { type: 'colour', colour: [0, 0, 0], alpha: 1 }).lanes],
    })
    const { problems } = await planned(putSetting(with_, ref, riding(following(of))), 5)
    expect(problems.map((p) => p.message).join()).toMatch(/not on frame 5; bridged from frame 3 to 7/)
  })
  test('and what has gone or goes round in a loop is told; the keys count', async () => {
    const { comp: disc } = movingDisc()
    const { comp, step, ref } = moved(disc)
    const plain = await keyAt(putDial(comp, step, 'origin', [0, 0]), 4)
    const gone = putSetting(comp, ref, riding(following({ type: 'placement', lane: 'nobody' })))
    const lost = await planned(gone, 4)
    expect([lost.node.key, lost.problems.length]).toEqual([plain, expect.any(Number)])
    expect(lost.problems.map((p) => p.message).join()).toMatch(/nobody .*missing/)
    const itself = putSetting(comp, ref, riding(following({ type: 'point', step, key: 'origin' })))
    expect((await planned(itself, 4)).problems.map((p) => p.message).join()).toMatch(/follows itself/)
    expect(editProblem(comp, itself)).toMatch(/follow itself.*Origin/)
    const own = putSetting(
      comp,
      ref,
      riding(following({ type: 'matte', matte: { from: { type: 'tap', lane: 'lane2' } } })),
    )
    expect(editProblem(comp, own)).toMatch(/take its picture from itself: Light → Light/)
  })
})

describe('brightness', () => {
  /** Another way to the same numbers: pixels written out, sorted by hand. */
  const filled = (picture: Picture, numbers: number[]) => {
    picture.data.set(numbers)
    return picture
  }
  const four = filled(
    plainPicture(2, 2),
    [0, 0.2, 0.4, 4].flatMap((v) => [v, v, v, 1]),
  )
  const area = { left: 0, top: 0, canvasWidth: 2, canvasHeight: 2 }
  const inside = (m: number[]) => filled(plainPicture(2, 2, 1), m)
  const near = (got: Reading, wanted: number) => {
    expect(got[0]).toBeCloseTo(wanted, 6)
  }
  test('mean and percentile of luminance, weighed by a matte', () => {
    near(brightness(four, undefined, area, 'mean', rec709), 1.15)
    near(brightness(four, inside([1, 0.5, 0, 0]), area, 'mean', rec709), 0.1 / 1.5)
    near(brightness(four, undefined, area, 50, rec709), 0.2)
    near(brightness(four, undefined, area, 100, rec709), 4)
    near(brightness(four, inside([1, 1, 1, 0]), area, 90, rec709), 0.4)
    expect(brightness(four, inside([0, 0, 0, 0]), area, 'mean', rec709)).toEqual([])
  })
  test('drives a number: a lane twice as bright shows as the range says', async () => {
    let comp = addLane(emptyComp(8, 8), 'Fire', { type: 'colour', colour: [1, 1, 1], alpha: 1 })
    comp = setSetting(comp, { of: 'source', lane: 'lane1', key: 'colour' }, [1, 1, 1], {
      frame: 1,
      autoKey: true,
    })
    comp = setSetting(comp, { of: 'source', lane: 'lane1', key: 'colour' }, [3, 3, 3], {
      frame: 5,
      autoKey: true,
    })
    comp = addLane(comp, 'Glow', { type: 'colour', colour: [0, 0, 0], alpha: 1 })
    const measure: Measure = {
      type: 'measure',
      on: true,
      of: { type: 'tap', lane: 'lane1' },
      what: 'mean',
      from: [1, 3],
      to: [0, 1],
      lag: 0,
      as: 'value',
    }
    const ref = { of: 'opacity', lane: 'lane2' } as const
    const glow = putSetting(comp, ref, riding(measure, 1))
    const session = start()
    const pixel = async (frame: number) => {
      await session.answer(
        'show',
        { comp: glow, media: {} },
        { frame, target: picture, reduction: 1, view: { gain: 1, channel: 'colour', checker: 0 } },
      )
      return (await session.answer('probe', { comp: glow, media: {} }, { frame, x: 1, y: 1 }))!.rgba[0]
    }
    // Black at the opacity over the fire.
    expect(await pixel(1)).toBeCloseTo(1, 5)
    expect(await pixel(3)).toBeCloseTo(2 * 0.5, 5)
    expect(await pixel(5)).toBeCloseTo(0, 5)
    // Read once: planned again, nothing is needed.
    expect(plan(glow, {}, 3, 1, picture, session.readings).needs).toEqual([])
  })
})
