import { expect, test } from 'vitest'
import { emptyComp } from '../comp/edits.ts'
import type { Pass } from '../comp/media.ts'
import type { PassBlock } from '../formats/pass-block.ts'
import { reducePass } from '../formats/reduce-pass.ts'
import { smallerBlock, withSmallSizes } from './small-passes.ts'
import { reductionFor, reductionsOf, workArea } from './work-area.ts'

const [width, height] = [96, 50]
const pass = (kind: Pass['kind']): Pass => ({ name: 'beauty', kind, channels: ['R'], type: 'float' })
const whole: PassBlock = {
  width,
  height,
  x: 0,
  y: 0,
  channels: 1,
  data: new Float32Array(width * height).map((_, i) => (i % width) ** 2 + 3 * Math.floor(i / width)),
}

test('passes below a quarter are made from the quarter: cells are means of their pixels, data is picked', async () => {
  const asked: number[] = []
  const load = withSmallSizes((ref) => {
    asked.push(ref.reduction)
    const filter = ref.pass.kind === 'depth' ? 'pick' : 'mean'
    return Promise.resolve(
      ref.reduction === 1 ? whole : reducePass(whole, filter, ref.reduction, { width, height }),
    )
  })
  for (const reduction of [8, 16, 32] as const) {
    const ref = { hash: 'x', as: { isData: false }, reduction }
    const small = await load({ ...ref, pass: pass('matte') })
    expect([small.width, small.height]).toEqual([Math.ceil(width / reduction), Math.ceil(height / reduction)])
    // The mean of every pixel of the cell, summed up here one by one; the last row of cells reaches beyond the frame.
    for (let y = 0; y < Math.floor(height / reduction); y++)
      for (let x = 0; x < small.width; x++) {
        let sum = 0
        for (let i = 0; i < reduction ** 2; i++)
          sum +=
            whole.data[(y * reduction + Math.floor(i / reduction)) * width + x * reduction + (i % reduction)]!
        expect(small.data[y * small.width + x]).toBeCloseTo(sum / reduction ** 2, 2)
      }
    const rest = height % reduction
    expect(rest).toBeGreaterThan(0)
    const last = small.data[(small.height - 1) * small.width]!
    expect(last).toBeGreaterThan(whole.data[(height - rest) * width]!)
    // A value that is there, from within its cell.
    const depth = await load({ ...ref, pass: pass('depth') })
    const at = whole.data.indexOf(depth.data[depth.width + 2]!)
    expect([Math.floor((at % width) / reduction), Math.floor(at / width / reduction)]).toEqual([2, 1])
  }
  expect(asked).toEqual([4, 4, 4, 4, 4, 4])
})

test('of huge frames an eighth is kept too, and what is smaller is made from it', async () => {
  const asked: number[] = []
  const load = withSmallSizes((ref) => {
    asked.push(ref.reduction)
    return Promise.resolve(smallerBlock(reducePass(whole, 'mean', 4, { width, height }), 'mean', 2))
  })
  for (const reduction of [8, 16, 32] as const) {
    const ref = { hash: 'x', as: { isData: false }, reduction, isHuge: true }
    const small = await load({ ...ref, pass: pass('matte') })
    expect([small.width, small.height]).toEqual([Math.ceil(width / reduction), Math.ceil(height / reduction)])
    let sum = 0
    for (let i = 0; i < reduction ** 2; i++)
      sum += whole.data[Math.floor(i / reduction) * width + reduction + (i % reduction)]!
    expect(small.data[1]).toBeCloseTo(sum / reduction ** 2, 2)
  }
  expect(asked).toEqual([8, 8, 8])
})

test('sizes below a quarter are for frames in which much is still to be seen, with a margin that is whole at them', () => {
  const frame = (w: number, h: number, margin = 0) => {
    const comp = emptyComp(w, h)
    return { ...comp, canvas: { ...comp.canvas, margin } }
  }
  expect(reductionsOf(frame(960, 540))).toEqual([1, 2, 4])
  expect(reductionsOf(frame(1920, 1080))).toEqual([1, 2, 4, 8])
  expect(reductionsOf(frame(2160, 3840))).toEqual([1, 2, 4, 8, 16])
  expect(reductionsOf(frame(1, 16_384))).toEqual([1, 2, 4, 8, 16, 32])
  // 3841 × 0.1 is a margin of 388 pixels: whole at a quarter, not at an eighth.
  expect(reductionsOf(frame(3841, 2160, 0.1))).toEqual([1, 2, 4])
  expect(reductionsOf(frame(3840, 2160, 0.1))).toEqual([1, 2, 4, 8, 16])
  for (const r of reductionsOf(frame(3840, 2160, 0.1)))
    expect(Number.isInteger(workArea(frame(3840, 2160, 0.1), r).left)).toBe(true)
  expect([480, 240, 5000].map((side) => reductionFor(frame(3840, 2160), side, 2))).toEqual([8, 16, 2])
  expect(reductionFor(frame(64, 36), 240, 4)).toBe(4)
})
