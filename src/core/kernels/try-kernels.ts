import { expect } from 'vitest'
import { rec709, workingSpace } from '../colour/working.ts'
import { plainPicture, type Picture } from '../picture/picture.ts'
import type { Kernels } from './kernels.ts'
import { plainKernels } from './plain-kernels.ts'
import { createLoneKernels } from './wasm-kernels.ts'

// For checks: the SIMD kernels beside their plain twins on the same pictures.

export const { kernels: fast, store } = createLoneKernels(512)

/** Numbers in −0.5…4 with many zeros, the same each time. */
export function random(seed: number): () => number {
  let state = seed
  return () => {
    state = (Math.imul(state, 1664525) + 1013904223) | 0
    const u = (state >>> 0) / 2 ** 32
    return u < 0.15 ? 0 : (u - 0.15) * 5 - 0.3
  }
}

/** A premultiplied picture with alpha 0, 0.5 and 1 among others, once in each kind of memory. */
export function pair(
  width: number,
  height: number,
  seed: number,
  channels: 1 | 4 = 4,
): [plain: Picture, fast: Picture] {
  const next = random(seed)
  const plain = plainPicture(width, height, channels)
  for (let i = 0; i < plain.data.length; i++) {
    const isAlpha = channels === 1 || i % 4 === 3
    plain.data[i] = isAlpha ? [0, 0.5, 1, Math.abs(next()) / 4][i % 4 === 3 ? (i >> 2) % 4 : i % 4]! : next()
  }
  const shared = store.allocate(width, height, channels)
  shared.data.set(plain.data)
  return [plain, shared]
}

export function expectClose(a: Float32Array, b: Float32Array, tolerance = 2e-6): void {
  let worst = 0
  for (let i = 0; i < a.length; i++)
    worst = Math.max(worst, Math.abs(a[i]! - b[i]!) / Math.max(1, Math.abs(a[i]!)))
  expect(worst).toBeLessThanOrEqual(tolerance)
}

// Odd, tiny and long sizes: raw pointers have no bounds to save them.
export const sizes: [number, number][] = [
  [1, 1],
  [2, 1],
  [1, 3],
  [5, 4],
  [17, 13],
  [64, 3],
  [33, 40],
]

/** Runs a kernel and its twin on three random pictures, and compares what they give. */
export function comparing(width: number, height: number) {
  return (
    run: (k: Kernels, out: Picture, a: Picture, b: Picture, matte: Picture) => void,
    tolerance?: number,
    outSize = [width, height],
  ) => {
    const [a, fa] = pair(width, height, 1)
    const [b, fb] = pair(width, height, 2)
    const [m, fm] = pair(width, height, 3, 1)
    const out = plainPicture(outSize[0]!, outSize[1]!)
    const fastOut = store.allocate(outSize[0]!, outSize[1]!, 4)
    // In another working space, too, whose weights of luminance are others.
    for (const space of [workingSpace('acescg'), rec709]) {
      for (const data of [out.data, fastOut.data]) data.fill(0)
      const [plainA, plainB] = [
        { ...a, data: a.data.slice() },
        { ...b, data: b.data.slice() },
      ]
      const kept = [fa.data.slice(), fb.data.slice()]
      run(plainKernels.inSpace(space), out, plainA, plainB, m)
      run(fast.inSpace(space), fastOut, fa, fb, fm)
      expectClose(out.data, fastOut.data, tolerance)
      fa.data.set(kept[0]!)
      fb.data.set(kept[1]!)
    }
    for (const picture of [fa, fb, fm, fastOut]) store.release(picture)
  }
}
