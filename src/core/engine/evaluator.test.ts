import { describe, expect, test } from 'vitest'
import { Cancelled } from '../cancelled.ts'
import { emptyComp } from '../comp/edits.ts'
import type { PassBlock } from '../formats/pass-block.ts'
import { createLoneKernels } from '../kernels/wasm-kernels.ts'
import { Evaluator, type LoadPass } from './evaluator.ts'
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

describe('passes on their way', () => {
  const comp = emptyComp(side, side)
  const pass = (hash: string) =>
    node(
      `pass ${hash}`,
      [],
      () => {
        throw new Error('a pass is loaded, not made')
      },
      {
        load: {
          hash,
          pass: { name: 'beauty', kind: 'colour', channels: ['R', 'G', 'B', 'A'], type: 'float' },
          as: { isData: false },
          reduction: 1,
        },
      },
    )
  const begin = () => {
    const { kernels, store } = createLoneKernels(64)
    const asked: { hash: string; signal: AbortSignal; come(): void }[] = []
    const load: LoadPass = ({ hash }, signal) =>
      new Promise((resolve) => {
        const data = new Float32Array(side * side * 4)
        const come = () => {
          resolve({ width: side, height: side, x: 0, y: 0, channels: 4, data })
        }
        asked.push({ hash, signal: signal!, come })
      })
    const evaluator = new Evaluator({ kernels, store }, load, room * bytes)
    return { evaluator, store, asked, aborted: () => asked.map(({ signal }) => signal.aborted) }
  }
  /** Asked for, and given up after a while, though it never comes. */
  const inVain = async (evaluator: Evaluator, hash: string) => {
    let isStale = false
    const loading = evaluator.load(comp, pass(hash), () => isStale)
    await Promise.resolve()
    isStale = true
    await expect(loading).rejects.toBeInstanceOf(Cancelled)
  }
  test('are waited for no longer than they are wanted, and come to the next who wants them', async () => {
    const { evaluator, asked, aborted } = begin()
    await inVain(evaluator, 'a')
    await inVain(evaluator, 'a')
    const loading = evaluator.load(comp, pass('a'))
    asked[0]!.come()
    await loading
    expect(evaluator.evaluate(pass('a')).width).toBe(side)
    expect(asked).toHaveLength(1)
    expect(aborted()).toEqual([false])
  })
  test('are given up when something else is wanted, and leave nothing behind', async () => {
    const { evaluator, store, asked, aborted } = begin()
    await inVain(evaluator, 'a')
    const loading = evaluator.load(comp, pass('b'))
    expect(aborted()).toEqual([true, false])
    asked[0]!.come()
    asked[1]!.come()
    await loading
    expect(Math.floor(store.usedBytes / bytes)).toBe(1)
    // What was given up is asked for anew.
    const again = evaluator.load(comp, pass('a'))
    expect(asked.map(({ hash }) => hash)).toEqual(['a', 'b', 'a'])
    asked[2]!.come()
    await again
  })
  test('what was fetched ahead gives way to what somebody wants, but not to what is made ahead after it', async () => {
    const { evaluator, asked, aborted } = begin()
    const fetchAside = (hash: string) =>
      evaluator.aside(() => {
        evaluator.fetchAhead(comp, pass(hash))
        return Promise.resolve()
      })
    await fetchAside('a')
    await fetchAside('b')
    const ahead = evaluator.aside(() => evaluator.load(comp, pass('a')))
    asked[0]!.come()
    await ahead
    expect(aborted()).toEqual([false, false])
    const loading = evaluator.load(comp, pass('c'))
    expect(aborted()).toEqual([false, true, false])
    asked[2]!.come()
    await loading
    await evaluator.aside(async () => {
      evaluator.fetchAhead(comp, pass('d'))
      await inVain(evaluator, 'e')
    })
    const next = evaluator.aside(() => evaluator.load(comp, pass('f')))
    expect(aborted().slice(3)).toEqual([true, true, false])
    asked[5]!.come()
    await next
  })
  test('what a render reads of its next frame stays, whatever else it loads', async () => {
    const { evaluator, asked, aborted } = begin()
    evaluator.fetchAhead(comp, pass('next'))
    const layer = evaluator.load(comp, pass('layer'))
    asked[1]!.come()
    await layer
    expect(aborted()).toEqual([false, false])
    const next = evaluator.load(comp, pass('next'))
    asked[0]!.come()
    await next
    expect(asked).toHaveLength(2)
  })
})
