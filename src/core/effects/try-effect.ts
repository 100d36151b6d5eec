import { createLoneKernels } from '../kernels/wasm-kernels.ts'
import type { Picture } from '../picture/picture.ts'
import type { DialValue } from '../dials/dials.ts'
import { defaultDials, findEffect } from './registry.ts'

// For checks: effects on small pictures, one thread.

export const { kernels, store } = createLoneKernels(256)

export function picture(
  width: number,
  height: number,
  fill: (x: number, y: number) => readonly number[],
): Picture {
  const made = store.allocate(width, height, 4)
  for (let i = 0; i < width * height; i++) made.data.set(fill(i % width, Math.floor(i / width)), i * 4)
  return made
}

/** A picture of one channel: a matte or distances. */
export function single(width: number, height: number, fill: (x: number, y: number) => number): Picture {
  const made = store.allocate(width, height, 1)
  for (let i = 0; i < width * height; i++) made.data[i] = fill(i % width, Math.floor(i / width))
  return made
}

/** What an effect gives for a picture; dials that are left out are at their defaults. */
export function tried(
  id: string,
  src: Picture,
  dials: Record<string, DialValue>,
  feeds: Record<string, Picture> = {},
): Float32Array {
  const effect = findEffect(id)!
  const out = store.allocate(src.width, src.height, 4)
  const all = { ...defaultDials(effect), ...dials } as never
  const job = {
    out,
    picture: src,
    feeds,
    passes: {},
    dials: all,
    frame: 1,
    rate: 24,
    prepared: undefined,
    reduction: 1,
  }
  effect.apply({ ...job, kernels, store })
  return out.data
}
