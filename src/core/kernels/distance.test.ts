import { describe, expect, test } from 'vitest'
import { plainPicture, type Picture } from '../picture/picture.ts'
import { plainKernels } from './plain-kernels.ts'
import { createLoneKernels } from './wasm-kernels.ts'

const { kernels, store } = createLoneKernels(256)
const matte = (width: number, height: number, value: (x: number, y: number) => number): Picture => {
  const made = store.allocate(width, height, 1)
  for (let i = 0; i < made.data.length; i++) made.data[i] = value(i % width, Math.floor(i / width))
  return made
}
const distances = (src: Picture) => {
  const out = store.allocate(src.width, src.height, 1)
  kernels.distance(out, src)
  return out
}

describe('distance', () => {
  test.each([
    [1, 1],
    [7, 1],
    [1, 9],
    [23, 17],
    [48, 31],
  ])('of random mattes at %i × %i is exact (brute force)', (w, h) => {
    for (const share of [0.02, 0.3, 0.9]) {
      // Hard mattes: the nearest pixel is found without a doubt, where two are equally near they count alike.
      const src = matte(w, h, (x, y) =>
        ((x * 7919 + y * 104729 + x * y * 31) % 1000) / 1000 < share ? 1 : 0,
      )
      const plain = { ...plainPicture(w, h, 1), data: src.data.slice() }
      const wanted = plainPicture(w, h, 1)
      plainKernels.distance(wanted, plain)
      const out = distances(src)
      const worst = out.data.reduce((most, v, i) => Math.max(most, Math.abs(v - wanted.data[i]!)), 0)
      expect(worst).toBeLessThan(1e-4)
    }
  })
  test('of an empty or a full matte is beyond any reach', () => {
    expect(distances(matte(5, 4, () => 0)).data.every((v) => v === 1e9)).toBe(true)
    expect(distances(matte(5, 4, () => 1)).data.every((v) => v === -1e9)).toBe(true)
  })
  test.each([
    [-5, 9],
    [3, 12],
    [-20, -4],
    [-0.8, -0.2],
    [0.2, 6],
  ] as const)('from %d to %d is the same as of all, and beyond that on the same side of it', (from, to) => {
    const src = matte(61, 47, (x, y) =>
      Math.min(1, Math.max(0, 0.5 + Math.sin(x / 7) * 3 + Math.cos(y / 5 + x / 11) * 3)),
    )
    const whole = distances(src)
    const near = store.allocate(61, 47, 1)
    kernels.distance(near, src, [from, to])
    let met = 0
    for (const [i, d] of whole.data.entries()) {
      if (d >= from && d <= to) {
        met++
        expect(near.data[i]).toBe(d)
      } else expect(d < from ? near.data[i]! < from : near.data[i]! > to).toBe(true)
    }
    expect(met).toBeGreaterThan(20)
  })
  test('follows an edge within its pixels', () => {
    // A straight edge at x = 20.3: the pixel there is covered by 0.3.
    const src = matte(60, 5, (x) => Math.min(1, Math.max(0, 20.3 - x)))
    const out = distances(src)
    for (const x of [3, 10, 40, 55]) expect(out.data[2 * 60 + x]!).toBeCloseTo(x + 0.5 - 20.3, 5)
  })
})

/** Cover of each pixel by 24 × 24 points of a shape given by the distance of a point from it. */
const sampled = (width: number, height: number, distance: (x: number, y: number) => number) =>
  matte(width, height, (x, y) => {
    // Far from the edge there is nothing to count.
    const middle = distance(x + 0.5, y + 0.5)
    if (Math.abs(middle) > 1) return middle < 0 ? 1 : 0
    let inside = 0
    for (let k = 0; k < 576; k++)
      if (distance(x + ((k % 24) + 0.5) / 24, y + (Math.floor(k / 24) + 0.5) / 24) < 0) inside++
    return inside / 576
  })
const worst = (a: Picture, b: Picture, margin = 0) => {
  let most = 0
  for (let y = margin; y < a.height - margin; y++)
    for (let x = margin; x < a.width - margin; x++)
      most = Math.max(most, Math.abs(a.data[y * a.width + x]! - b.data[y * a.width + x]!))
  return most
}
/** The edge of a shape from its distances, in their place. */
const edged = (distance: Picture, spread: number, soft: number) => {
  const made = store.allocate(distance.width, distance.height, 1)
  kernels.edge(made, distance, spread, soft)
  distance.data.set(made.data)
  store.release(made)
}
const slanted = (degrees: number, past: number) => (x: number, y: number) =>
  (x - 40) * Math.cos((degrees * Math.PI) / 180) + (y - 30) * Math.sin((degrees * Math.PI) / 180) - past

describe('an antialiased edge stays one, wherever it goes: cover within 0.06 of the true shape', () => {
  test.each([0, 7, 17, 30, 45, 63, 90, 118, 200, 285])('a straight edge at %i°', (degrees) => {
    for (const spread of [-9.3, -0.6, 0.01, 1.5, 13.2]) {
      const src = sampled(80, 60, slanted(degrees, 0.3))
      const out = store.allocate(80, 60, 1)
      kernels.distance(out, src)
      edged(out, spread, 1)
      // Where the edge leaves the picture, what lies beyond is not known.
      expect(worst(out, sampled(80, 60, slanted(degrees, 0.3 + spread)), 15), `${spread}`).toBeLessThan(0.06)
    }
  })
  test.each([
    [3.1, 0.06],
    [5.2, 0.06],
    [12.7, 0.06],
    [25, 0.06],
  ])('a disc of radius %d (small ones bend within their pixels: within %d)', (radius, most) => {
    const disc = (r: number) => (x: number, y: number) => Math.hypot(x - 50.3, y - 49.6) - r
    for (const spread of [-4, -1.5, 0.01, 0.5, 2, 16]) {
      if (radius + spread < 2) continue
      const out = store.allocate(100, 100, 1)
      kernels.distance(out, sampled(100, 100, disc(radius)))
      edged(out, spread, 1)
      expect(worst(out, sampled(100, 100, disc(radius + spread))), `${spread}`).toBeLessThan(most)
    }
  })
  test.each([
    [3.1, 0.06],
    [5.2, 0.06],
    [12.7, 0.06],
  ])('a hole of radius %d, whose edge bends the other way (within %d)', (radius, most) => {
    const hole = (r: number) => (x: number, y: number) => r - Math.hypot(x - 50.3, y - 49.6)
    for (const spread of [-16, -4, -1.5, 0.5, 2]) {
      const out = store.allocate(100, 100, 1)
      kernels.distance(out, sampled(100, 100, hole(radius)))
      edged(out, spread, 1)
      expect(worst(out, sampled(100, 100, hole(radius - spread))), `${spread}`).toBeLessThan(most)
    }
  })
  test('an edge 12 pixels wide runs straight from 1 to 0 across them', () => {
    const out = store.allocate(80, 60, 1)
    kernels.distance(out, sampled(80, 60, slanted(33, 0.2)))
    edged(out, 0, 12)
    const ramp = matte(80, 60, (x, y) =>
      Math.min(1, Math.max(0, 0.5 - slanted(33, 0.2)(x + 0.5, y + 0.5) / 12)),
    )
    expect(worst(out, ramp, 15)).toBeLessThan(0.01)
  })
  test('as by its plain twin, which looks at every edge from every pixel', () => {
    const blobs = (x: number, y: number) =>
      Math.min(
        Math.hypot(x - 12.3, y - 9) - 6.2,
        Math.hypot(x - 24, y - 20.4) - 7.7,
        Math.abs(x - 31) + Math.abs(y - 6) - 5,
      )
    const src = sampled(39, 31, blobs)
    const wanted = plainPicture(39, 31, 1)
    plainKernels.distance(wanted, { ...plainPicture(39, 31, 1), data: src.data.slice() })
    // Where two edges are equally near, either may be the one that is found; and the twin does not see how an edge bends.
    const far = [...distances(src).data].map((v, i) => Math.abs(v - wanted.data[i]!))
    expect(far.filter((v) => v > 0.06).length / far.length).toBeLessThan(0.08)
    expect(far.reduce((sum, v) => sum + v) / far.length).toBeLessThan(0.03)
  })
})

test.each([6, -6, 13.5])(
  'a disc grown by %f has the area of the larger or smaller disc within 1 %%',
  (spread) => {
    const size = 161
    const disc = (r: number) =>
      matte(size, size, (x, y) => Math.min(1, Math.max(0, r + 0.5 - Math.hypot(x - 80, y - 80))))
    const out = store.allocate(size, size, 1)
    for (const soft of [1, 5]) {
      kernels.edge(out, distances(disc(40)), spread, soft)
      const area = out.data.reduce((a, b) => a + b, 0)
      // What is soft on one side is missing on the other: the area stays, but for the curve of the edge.
      expect(Math.abs(area / (Math.PI * (40 + spread) ** 2) - 1)).toBeLessThan(0.01)
    }
  },
)

test('edges equal their plain twin, hard, soft and between, at borders too', () => {
  const src = matte(17, 9, (x, y) => Math.hypot(x - 5.3, (y - 4) * 1.1) - 4 + (x % 5 === 0 ? 0.2 : 0))
  const plain = { ...plainPicture(17, 9, 1), data: src.data.slice() }
  for (const [spread, soft] of [
    [1.3, 2.5],
    [0.4, 1],
    [-1, 0.5],
    [2.2, 1.6],
    [0, 2],
  ] as const) {
    const [a, b] = [plainPicture(17, 9, 1), store.allocate(17, 9, 1)]
    plainKernels.edge(a, plain, spread, soft)
    kernels.edge(b, src, spread, soft)
    a.data.forEach((v, i) => {
      expect(b.data[i]!).toBeCloseTo(v, 3)
    })
  }
})
