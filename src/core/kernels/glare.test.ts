import { expect, test } from 'vitest'
import { plainPicture, type Picture } from '../picture/picture.ts'
import { glare, glareSize, glareSpectrum, glareVeil } from './glare.ts'
import { plainKernels } from './plain-kernels.ts'
import { createLoneKernels } from './wasm-kernels.ts'

const { kernels, store } = createLoneKernels(1024)
const workshop = { kernels, store }
const eye = { field: 20, age: 30, pigment: 0.5 }

test.each([
  [2, 2],
  [4, 8],
  [16, 2],
  [32, 64],
  [64, 16],
  [6, 10],
  [12, 48],
  [40, 20],
  [96, 4],
  [5, 80],
])('the transform at %i × %i is the sum of its definition, and there and back', (w, h) => {
  const plain = plainPicture(w, h)
  const fast = store.allocate(w, h, 4)
  plain.data.forEach((_, i) => {
    fast.data[i] = plain.data[i] = ((i * 7919) % 17) / 8 - 1
  })
  const before = plain.data.slice()
  for (const isInverse of [false, true]) {
    plainKernels.fourier(plain, isInverse)
    kernels.fourier(fast, isInverse)
    plain.data.forEach((v, i) => {
      expect(Math.abs(v - fast.data[i]!)).toBeLessThan(2e-5 * w * h)
    })
  }
  before.forEach((v, i) => {
    expect(fast.data[i]! / (w * h)).toBeCloseTo(v, 4)
  })
  store.release(fast)
})

test('a shift in the picture turns phases only: all of its frequencies are as strong (theory)', () => {
  const [a, b] = [store.allocate(32, 16, 4), store.allocate(32, 16, 4)]
  for (const p of [a, b]) p.data.fill(0)
  a.data[0] = 1
  b.data[(5 * 32 + 9) * 4] = 1
  for (const p of [a, b]) kernels.fourier(p, false)
  for (let i = 0; i < a.data.length; i += 4)
    expect(Math.hypot(b.data[i]!, b.data[i + 1]!)).toBeCloseTo(Math.hypot(a.data[i]!, a.data[i + 1]!), 5)
})

/** A point of light in the middle, as the eye sees it. */
function seen(width: number, height: number, far: [number, number, number] = [1, 1, 1]): Picture {
  const src = store.allocate(width, height, 4)
  src.data.fill(0)
  src.data.fill(1, ((height >> 1) * width + (width >> 1)) * 4, ((height >> 1) * width + (width >> 1)) * 4 + 3)
  const out = store.allocate(width, height, 4)
  glare(out, src, glareSpectrum(width, height, eye, width, workshop), [1, 1, 1], far, workshop)
  return out
}

test('the veil falls as the CIE equation says: slope of its logarithm at three distances', () => {
  const [w, h] = [401, 301]
  const out = seen(w, h)
  const at = (r: number) => out.data[((h >> 1) * w + (w >> 1) + r) * 4]!
  // The slope of 10/θ³ + [5/θ² + 0.1 p/θ]·[1 + (A/62.5)⁴] + 0.0025 p, by hand.
  const older = 1 + (30 / 62.5) ** 4
  for (const r of [10, 40, 120]) {
    const t = (r * eye.field) / w
    const f = 10 / t ** 3 + (5 / t ** 2 + 0.05 / t) * older + 0.00125
    const slope = (-30 / t ** 3 - (10 / t ** 2 + 0.05 / t) * older) / f
    const [near, far] = [r - 2, r + 2]
    const met = Math.log(at(far) / at(near)) / Math.log(far / near)
    expect(met).toBeCloseTo(slope, 1)
    expect(at(r) / at(20)).toBeCloseTo(glareVeil(t, eye) / glareVeil((20 * eye.field) / w, eye), 2)
  }
  // Stiles–Holladay, 10/θ², is what is left at a few degrees for a young eye, within a third.
  expect(glareVeil(3, { age: 20, pigment: 0.5 }) / (10 / 9)).toBeGreaterThan(0.66)
})

test('close to the light the veil is that of each pixel’s own distance, within 2 %', () => {
  const [w, h] = [401, 301]
  const out = seen(w, h)
  const veil = (r: number) => glareVeil((r * eye.field) / w, eye)
  const at = (x: number, y: number) => out.data[(((h >> 1) + y) * w + (w >> 1) + x) * 4]!
  for (let y = 0; y <= 12; y++)
    for (let x = 1; x <= 12; x++)
      expect(
        Math.abs(at(x, y) / at(20, 0) / (veil(Math.hypot(x, y)) / veil(20)) - 1),
        `${x} ${y}`,
      ).toBeLessThan(0.02)
})

test('many lights in a frame are the sum of all their veils, each pixel by its own distance, within 1/300 and 1/5000 of the brightest', () => {
  const [w, h] = [640, 200]
  const lights = [
    [3, 2, 1],
    [320, 100, 4],
    [333, 104, 0.2],
    [636, 30, 2],
    [500, 199, 1],
  ] as const
  const [src, out] = [store.allocate(w, h, 4), store.allocate(w, h, 4)]
  src.data.fill(0)
  for (const [x, y, power] of lights) src.data[(y * w + x) * 4 + 1] = power
  glare(out, src, glareSpectrum(w, h, eye, w, workshop), [1, 1, 1], [1, 1, 1], workshop)
  const veil = (x: number, y: number) =>
    Math.hypot(x, y) <= w / 2 ? glareVeil((Math.hypot(x, y) * eye.field) / w, eye) : 0
  let sum = 0
  for (let y = -w / 2; y <= w / 2; y++) for (let x = -w / 2; x <= w / 2; x++) sum += veil(x, y)
  for (let y = 1; y < h; y += 13)
    for (let x = 2; x < w; x += 17) {
      const wanted = lights.reduce((all, [lx, ly, power]) => all + (power * veil(x - lx, y - ly)) / sum, 0)
      const most = (4 * veil(0, 0)) / sum
      expect(Math.abs(out.data[(y * w + x) * 4 + 1]! - wanted), `${x} ${y}`).toBeLessThan(
        wanted / 300 + most / 5000,
      )
    }
  for (const p of [src, out]) store.release(p)
})

test('light is kept, in every direction alike, and what is scattered far can have a colour of its own', () => {
  const [w, h] = [201, 201]
  const out = seen(w, h)
  const sum = (p: Picture, c: number) => p.data.reduce((s, v, i) => (i % 4 === c ? s + v : s), 0)
  expect(sum(out, 0)).toBeCloseTo(1, 2)
  const at = (x: number, y: number) => out.data[((100 + y) * w + 100 + x) * 4]!
  for (const [x, y] of [
    [30, 0],
    [21, 9],
    [50, 50],
  ] as const)
    for (const other of [at(-x, y), at(x, -y), at(y, x)])
      expect(Math.abs(other - at(x, y))).toBeLessThan(1e-6)
  const tinted = seen(w, h, [1, 0.5, 0])
  const ratio = (x: number) =>
    tinted.data[(100 * w + 100 + x) * 4 + 2]! / tinted.data[(100 * w + 100 + x) * 4]!
  expect(ratio(2)).toBeGreaterThan(0.7)
  expect(ratio(80)).toBeLessThan(0.15)
})

test('a frame of any size is glared, large ones at a smaller size', () => {
  for (const [w, h] of [
    [1, 1],
    [3, 2],
    [17, 5],
  ] as const)
    expect(seen(w, h).data.every(Number.isFinite)).toBe(true)
  expect(glareSize(1920, 1080)).toMatchObject({ factor: 1, sides: [2048, 1280] })
  expect(glareSize(3840, 2160)).toMatchObject({ factor: 2, sides: [2048, 1280] })
})

test('in a part the glare of its own light is that of the whole, where that is made at half its size too', () => {
  const [width, height] = [2304, 192]
  const [left, across] = [640, 320]
  const lit = (w: number, from: number) => {
    const src = store.allocate(w, height, 4)
    src.data.fill(0)
    for (const [x, y, light] of [
      [700, 40, 1],
      [801, 133, 5],
    ] as const)
      src.data.fill(light, (y * w + x - from) * 4, (y * w + x - from) * 4 + 3)
    return src
  }
  const size = [width, height] as const
  const [whole, part] = [lit(width, 0), lit(across, left)]
  const both: [Picture, number][] = [
    [whole, width],
    [part, across],
  ]
  for (const [picture, w] of both) {
    const spectrum = glareSpectrum(w, height, eye, width, workshop, size)
    glare(picture, picture, spectrum, [1, 1, 1], [1, 0.5, 0.2], workshop, size)
  }
  expect(glareSize(across, height, size).factor).toBe(2)
  const peak = whole.data.reduce((most, v) => Math.max(most, v), 0)
  // At the cut itself half-size pixels beyond it are missing.
  for (let y = 0; y < height; y++)
    for (let i = 16 * 4; i < (across - 16) * 4; i++)
      expect(
        Math.abs(part.data[y * across * 4 + i]! - whole.data[(y * width + left) * 4 + i]!) / peak,
      ).toBeLessThan(1e-5)
})
