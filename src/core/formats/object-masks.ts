import type { PassDetail } from '../passes/pass-kind.ts'
import { halfTable } from '../picture/half.ts'
import type { PassBlock } from './pass-block.ts'

// Which object covers a pixel. An object is named by 32 bits: those of its ID float where masks are ranked (Cryptomatte
// specification 1.2), of its one value, or a mixture of those of its colour. 0 is no object.

export interface ObjectShare {
  readonly id: number
  /** Pixels that it covers, parts of pixels counted as parts. */
  readonly pixels: number
}

type Masks = NonNullable<PassDetail['masks']>

/** The bits that name the object of each pixel of a plain ID pass. */
function plainIds({ width, height, channels, data }: PassBlock): Uint32Array {
  const out = new Uint32Array(width * height)
  const halves = data instanceof Uint16Array ? halfTable() : undefined
  const float = new Float32Array(1)
  const word = new Uint32Array(float.buffer)
  const bits = halves ? undefined : new Uint32Array(data.buffer, data.byteOffset, data.length)
  const used = Math.min(3, channels)
  const bitsAt = (i: number) => {
    if (bits) return bits[i]! === 0x80000000 ? 0 : bits[i]!
    float[0] = halves![data[i]!]!
    return word[0] === 0x80000000 ? 0 : word[0]!
  }
  for (let p = 0; p < out.length; p++) {
    if (used === 1) {
      out[p] = bitsAt(p)
      continue
    }
    let [mixed, any] = [0x811c9dc5, 0]
    for (let c = 0; c < used; c++) {
      const one = bitsAt(p * channels + c)
      any |= one
      mixed = Math.imul(mixed ^ one, 0x01000193)
      mixed ^= mixed >>> 15
    }
    out[p] = any === 0 ? 0 : mixed >>> 0 || 1
  }
  return out
}

/** The ID of a pixel's first (largest) object; 0 where there is none. */
export function objectAt(block: PassBlock, masks: Masks, x: number, y: number): number {
  if (x < 0 || y < 0 || x >= block.width || y >= block.height) return 0
  const at = (y * block.width + x) * block.channels
  if (masks === 'ranked' && block.data instanceof Float32Array) {
    const bits = new Uint32Array(block.data.buffer, block.data.byteOffset, block.data.length)
    return block.data[at + 1]! > 0 ? bits[at]! : 0
  }
  const one = { ...block, width: 1, height: 1, data: block.data.slice(at, at + block.channels) }
  return plainIds(one)[0]!
}

/** All objects of a pass by falling share. */
export function objectsIn(block: PassBlock, masks: Masks): ObjectShare[] {
  const shares = new Map<number, number>()
  // Neighbours mostly show the same object: its sum is kept at hand until another one comes.
  let [last, sum] = [0, 0]
  const turnTo = (id: number) => {
    if (last !== 0) shares.set(last, sum)
    last = id
    sum = shares.get(id) ?? 0
  }
  if (masks === 'ranked' && block.data instanceof Float32Array) {
    const { data } = block
    const bits = new Uint32Array(data.buffer, data.byteOffset, data.length)
    for (let i = 0; i + 1 < data.length; i += 2) {
      const cover = data[i + 1]!
      if (!(cover > 0)) continue
      const id = bits[i]!
      if (id === 0) continue
      if (id !== last) turnTo(id)
      sum += cover
    }
  } else
    for (const id of plainIds(block)) {
      if (id === 0) continue
      if (id !== last) turnTo(id)
      sum++
    }
  turnTo(0)
  return [...shares].map(([id, pixels]) => ({ id, pixels })).sort((a, b) => b.pixels - a.pixels)
}

/**
 * Coverage (0–1) of chosen objects over a pass's data window. Ranked masks carry their own antialiasing. Plain IDs have
 * none: their coverage is the share of the neighbourhood that the objects hold, weighted 1 2 1 both ways, so that the mattes of
 * all objects of a pixel still sum to 1.
 */
export function objectMatte(block: PassBlock, masks: Masks, ids: ReadonlySet<number>): Float32Array {
  const { width, height, channels, data } = block
  const out = new Float32Array(width * height)
  if (masks === 'ranked' && data instanceof Float32Array) {
    const bits = new Uint32Array(data.buffer, data.byteOffset, data.length)
    // Neighbours mostly show the same object: what was asked last is not looked up again.
    let [last, isIn] = [0, ids.has(0)]
    for (let p = 0; p < out.length; p++) {
      let sum = 0
      for (let c = 0; c + 1 < channels; c += 2) {
        const cover = data[p * channels + c + 1]!
        if (cover === 0) continue
        const id = bits[p * channels + c]!
        if (id !== last) {
          last = id
          isIn = ids.has(id)
        }
        if (isIn) sum += cover
      }
      out[p] = sum > 0 ? Math.min(1, sum) : 0
    }
    return out
  }
  const found = plainIds(block)
  const rows = new Float32Array(width * height)
  const held = (v: number, n: number) => Math.min(n - 1, Math.max(0, v))
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const is = (dx: number) => (ids.has(found[y * width + held(x + dx, width)]!) ? 1 : 0)
      rows[y * width + x] = (is(-1) + 2 * is(0) + is(1)) / 4
    }
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const at = (dy: number) => rows[held(y + dy, height) * width + x]!
      out[y * width + x] = (at(-1) + 2 * at(0) + at(1)) / 4
    }
  return out
}
