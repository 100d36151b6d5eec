import { describe, expect, test } from 'vitest'
import { emptyComp } from '../comp/edits.ts'
import type { PassBlock } from '../formats/pass-block.ts'
import { createLoneKernels } from '../kernels/wasm-kernels.ts'
import { Evaluator } from './evaluator.ts'
import { node, type PlanNode } from './plan/plan-node.ts'
import { halfToNumber, numberToHalf } from '../picture/half.ts'

/** Pictures of so many bytes each; room for four of them. */
const [side, room] = [64, 4]
const bytes = side * side * 16

const begin = () => {
  const { kernels, store } = createLoneKernels(64)
  let clock = 0
  const load = () => Promise.reject(new Error('nothing is loaded here'))
  const evaluator = new Evaluator({ kernels, store }, load, room * bytes, () => clock)
  /** A picture of one value that takes so long to make. */
  const made = (name: string, ms: number, inputs: readonly PlanNode[] = [], isSmall = false) =>
    node(name, inputs, (from, workshop) => {
      clock += ms
      const out = workshop.store.allocate(isSmall ? 4 : side, isSmall ? 4 : side, 4)
      out.data.fill(from.reduce((sum, p) => sum + p.data[0]!, 1))
      return out
    })
  /** Whether a picture is there still: it is not made again. */
  const isKept = (one: PlanNode) => {
    const before = evaluator.computed
    evaluator.evaluate(one)
    return evaluator.computed === before
  }
  return { evaluator, made, isKept }
}

describe('what is kept when room is short', () => {
  test('is what takes long to make again, though quick ones were used since', () => {
    const { evaluator, made, isKept } = begin()
    const slow = made('slow', 200)
    evaluator.evaluate(slow)
    for (let i = 0; i < 12; i++) evaluator.evaluate(made(`quick ${i}`, 2))
    expect(isKept(slow)).toBe(true)
    expect(isKept(made('quick 11', 2))).toBe(true)
    expect(isKept(made('quick 1', 2))).toBe(false)
  })
  test('but not for ever: what nobody asks for goes when enough has gone before it', () => {
    const { evaluator, made, isKept } = begin()
    const slow = made('slow', 200)
    evaluator.evaluate(slow)
    for (let i = 0; i < 400; i++) evaluator.evaluate(made(`quick ${i}`, 2))
    expect(isKept(slow)).toBe(false)
    // Asked for again and again it stays.
    for (let i = 0; i < 400; i++) {
      evaluator.evaluate(made(`other ${i}`, 2))
      if (i % 20 === 0) evaluator.evaluate(slow)
    }
    expect(isKept(slow)).toBe(true)
  })
  test('of alike ones the oldest go first, and small ones after the large', () => {
    const { evaluator, made, isKept } = begin()
    const small = made('small', 0.001, [], true)
    evaluator.evaluate(small)
    const many = Array.from({ length: 9 }, (_, i) => made(`one ${i}`, 5))
    for (const one of many) evaluator.evaluate(one)
    expect(isKept(small)).toBe(true)
    expect(isKept(many[8]!)).toBe(true)
    expect(isKept(many[4]!)).toBe(false)
  })
  test('a long chain runs in room for four, each with what it needs at hand, and ends with its value', () => {
    const { evaluator, made } = begin()
    let last = made('step 0', 3)
    for (let i = 1; i < 30; i++) last = made(`step ${i}`, (i * 7) % 11, [last])
    expect(evaluator.evaluate(last).data[0]).toBe(30)
    expect(evaluator.computed).toBe(30)
  })
})

describe('passes in halves', () => {
  const codes = Uint16Array.from({ length: side * side * 4 }, (_, i) =>
    i === 9 ? 0x7e00 : numberToHalf(i / 77 - 20),
  )
  const wanted = Float32Array.from(codes, (code, i) => (i === 9 ? 0 : halfToNumber(code)))
  const beginWith = (data: PassBlock['data']) => {
    const { kernels, store } = createLoneKernels(64)
    let loads = 0
    const load = () => {
      loads++
      return Promise.resolve({ width: side, height: side, x: 0, y: 0, channels: 4, data })
    }
    const evaluator = new Evaluator({ kernels, store }, load, room * bytes)
    const pass = node(
      'pass',
      [],
      () => {
        throw new Error('a pass is loaded, not made')
      },
      {
        load: {
          hash: 'a',
          pass: { name: 'beauty', kind: 'colour', channels: ['R', 'G', 'B', 'A'], type: 'half' },
          as: { isData: false },
          reduction: 1,
        },
      },
    )
    const twice = (name: string) =>
      node(name, [pass], ([src], workshop) => {
        const out = workshop.store.allocate(side, side, 4)
        for (let i = 0; i < out.data.length; i++) out.data[i] = 2 * src!.data[i]!
        return out
      })
    const comp = emptyComp(side, side)
    const see = async (one: PlanNode) => {
      await evaluator.load(comp, one)
      return evaluator.evaluate(one)
    }
    // Each takes a few bytes more.
    const pictures = () => Math.floor(store.usedBytes / bytes)
    return { evaluator, pictures, pass, twice, see, loads: () => loads }
  }
  test('take room as pictures only while they are used, and are the same each time, without being fetched again', async () => {
    const { evaluator, pictures, pass, twice, see, loads } = beginWith(codes)
    for (const [i, name] of ['one', 'two', 'three'].entries()) {
      const { data } = await see(twice(name))
      expect(data).toEqual(wanted.map((v) => 2 * v))
      expect(pictures()).toBe(i + 1)
    }
    expect(loads()).toBe(1)
    expect(evaluator.replaced.get('beauty (a)')).toBe(1)
    // Looked at by itself it stays, whatever is looked at after it.
    const { data } = await see(pass)
    const before = pictures()
    await see(twice('one'))
    await see(twice('two'))
    expect(pictures()).toBe(before)
    expect(data).toEqual(wanted)
  })
  test('those in floats stay as they are', async () => {
    const { pictures, twice, see } = beginWith(wanted)
    await see(twice('one'))
    expect(pictures()).toBe(2)
  })
})
