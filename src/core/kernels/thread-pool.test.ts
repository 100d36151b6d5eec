import { Worker } from 'node:worker_threads'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { Cancelled } from '../cancelled.ts'
import { OutOfMemoryError, type Picture } from '../picture/picture.ts'
import { createControl, createKernelMemory } from './thread-pool.ts'
import type { Kernels } from './kernels.ts'
import { gaussianBlur, spreadLight } from './pyramid.ts'
import { createKernels, createLoneKernels } from './wasm-kernels.ts'

const memory = createKernelMemory(512)
const control = createControl()
const workers = [1, 2].map(() => new Worker('./dist/pool-worker.mjs', { workerData: { memory, control } }))
const pool = createKernels(memory, control, workers.length)
const lone = createLoneKernels(512)
beforeAll(async () => {
  const word = new Int32Array(control)
  while (Atomics.load(word, 8) < workers.length) await new Promise((resolve) => setTimeout(resolve, 10))
})
afterAll(async () => {
  await Promise.all(workers.map((worker) => worker.terminate()))
})

const fill = (picture: Picture) => {
  for (let i = 0; i < picture.data.length; i++) picture.data[i] = ((i * 2654435761) >>> 8) / 2 ** 24
  return picture
}

describe('several threads give the same bits as one', () => {
  // Large enough to be shared out, with rows that no number of bands divides.
  const [width, height] = [611, 397]
  const run = (
    { kernels, store }: typeof lone,
    work: (k: Kernels, out: Picture, a: Picture, b: Picture, store: typeof lone.store) => void,
  ) => {
    const [a, b, out] = [
      fill(store.allocate(width, height, 4)),
      fill(store.allocate(width, height, 4)),
      store.allocate(width, height, 4),
    ]
    work(kernels, out, a, b, store)
    // As bytes: comparing a million numbers one by one takes a test framework very long.
    const result = Buffer.from(out.data.slice().buffer)
    for (const picture of [a, b, out]) store.release(picture)
    return result
  }
  test.each<[string, Parameters<typeof run>[1]]>([
    [
      'join',
      (k, out, a, b) => {
        k.join(out, a, b, undefined, 'screen', 0.3)
      },
    ],
    [
      'bright pass',
      (k, out, a) => {
        k.brightPass(out, a, { threshold: 0.5, knee: 0.2, ceiling: 10 })
      },
    ],
    [
      'matrix',
      (k, out, a) => {
        k.colourMatrix(out, a, [1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12], 0.5)
      },
    ],
    [
      'halves',
      (k, out, a) => {
        const codes = new Uint16Array(a.data.length)
        k.floatToHalf(codes, a.data)
        k.halfToFloat(out.data, codes)
      },
    ],
    [
      'Gaussian',
      (k, out, a, _, store) => {
        gaussianBlur(out, a, 13, { kernels: k, store })
      },
    ],
    [
      'spread light',
      (k, out, a, _, store) => {
        spreadLight(out, a, {
          widest: 40,
          tight: 0.5,
          gain: 2,
          reduction: 1,
          caught: { threshold: 1, knee: 0.5, ceiling: 3 },
          workshop: { kernels: k, store },
        })
      },
    ],
  ])('%s', (_, work) => {
    const expected = run(lone, work)
    // Often, so that threads that come late to a job would be noticed.
    for (let i = 0; i < 10; i++) expect(run(pool, work).equals(expected)).toBe(true)
  })
})

test.each([
  ['several threads', pool],
  ['one thread', lone],
])(
  'work that is no longer wanted stops between bands, on %s, and the next is whole',
  (_, { kernels, store }) => {
    const [src, out, whole] = [0, 1, 2].map(() => fill(store.allocate(2400, 2000, 4))) as [
      Picture,
      Picture,
      Picture,
    ]
    kernels.gains(whole, src, 3, 3, 3, 3)
    out.data.fill(-1)
    let asked = 0
    kernels.watch(() => ++asked > 1)
    expect(() => {
      kernels.gains(out, src, 3, 3, 3, 3)
    }).toThrow(Cancelled)
    const untouched = out.data.reduce((count, v) => (v === -1 ? count + 1 : count), 0)
    expect(untouched).toBeGreaterThan(0)
    kernels.watch(() => false)
    kernels.gains(out, src, 3, 3, 3, 3)
    expect(Buffer.from(out.data.slice().buffer).equals(Buffer.from(whole.data.slice().buffer))).toBe(true)
    for (const picture of [src, out, whole]) store.release(picture)
  },
)

test('thousands of jobs that follow each other at once, shared out and not, each whole', () => {
  const { kernels, store } = pool
  const [width, large, small] = [400, 90, 40]
  const src = store.allocate(width, large, 4)
  const [out, little] = [store.allocate(width, large, 4), store.allocate(width, small, 4)]
  for (let i = 0; i < 6000; i++) {
    kernels.fill(src, i, i, i, i)
    // Too small to be shared out: threads that were woken for the job before find none.
    kernels.fill(little, -i, -i, -i, -i)
    kernels.gains(out, src, 2, 2, 2, 2)
    const at = (i * 7919) % out.data.length
    if (
      out.data[at] !== 2 * i ||
      little.data[at % little.data.length] !== -i ||
      out.data[0] !== 2 * i ||
      out.data.at(-1) !== 2 * i
    )
      throw new Error(`job ${i} is not whole`)
  }
  expect(out.data.every((v) => v === 2 * 5999)).toBe(true)
  for (const picture of [src, out, little]) store.release(picture)
})

describe('kernel memory', () => {
  test('pictures never overlap, and what is given back is used again', () => {
    const { store } = createLoneKernels(64)
    const before = store.usedBytes
    const sizes = [
      [7, 3],
      [100, 50],
      [1, 1],
      [64, 64],
      [33, 2],
    ] as const
    for (let round = 0; round < 50; round++) {
      const taken = sizes.map(([w, h]) => store.allocate(w, h, round % 2 ? 1 : 4))
      taken.forEach((p, i) => {
        p.data.fill(i + 1)
      })
      taken.forEach((p, i) => {
        expect(p.data.every((v) => v === i + 1)).toBe(true)
      })
      // In another order each time, so that gaps of all kinds arise and close.
      for (const p of taken.toSorted((a, b) => ((a.at * (round + 3)) % 97) - ((b.at * (round + 3)) % 97)))
        store.release(p)
      expect(store.usedBytes).toBe(before)
    }
    const whole = store.allocate(900, 1000, 4)
    expect(whole.at % 64).toBe(0)
    expect(() => {
      store.release(whole)
      store.release(whole)
    }).toThrow(/twice/)
  })
  test('says when there is no room, and has it again once something is given back', () => {
    const { store } = createLoneKernels(64)
    const held: Picture[] = []
    expect(() => {
      for (;;) held.push(store.allocate(1000, 1000, 4))
    }).toThrow(OutOfMemoryError)
    expect(held.length).toBe(4)
    store.release(held[1]!)
    expect(store.allocate(1000, 1000, 4).at).toBe(held[1]!.at)
  })
})

test('pictures above two gigabytes are computed as those below', () => {
  const { store, kernels } = createKernels(createKernelMemory(4096), createControl(), 0)
  const made = [0, 2 ** 31].map((from) => {
    // Only taken, not touched: it costs no memory of the machine.
    for (const size of [2 ** 20, 2 ** 10, 64]) for (let at = 0; at < from;) at = store.allocateBytes(size)
    const [src, out, wide] = [0, 1, 2].map(() => store.allocate(37, 23, 4)) as [Picture, Picture, Picture]
    for (let i = 0; i < src.data.length; i++) src.data[i] = Math.sin(i * 12.9898) + 1
    kernels.resample(out, src, [0.9, 0.2, 1.3, -0.2, 0.9, 4.1], 'cubic')
    gaussianBlur(wide, out, 5, { store, kernels })
    const bytes = new Uint8Array(37 * 23 * 4)
    kernels.display(bytes, wide, { gain: 1, channel: 'colour', checker: 0, dither: 1 })
    const result = [out.data.slice(), bytes, src.at] as const
    for (const picture of [src, out, wide]) store.release(picture)
    return result
  })
  expect(made[1]![2]).toBeGreaterThan(2 ** 31)
  expect(made[1]![0]).toEqual(made[0]![0])
  expect(made[1]![1]).toEqual(made[0]![1])
})
