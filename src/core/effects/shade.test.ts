import { expect, test } from 'vitest'
import { createLoneKernels } from '../kernels/wasm-kernels.ts'
import type { Picture } from '../picture/picture.ts'
import type { DialValue } from '../dials/dials.ts'
import { defaultDials, findEffect } from './registry.ts'

// Shades and rims from shapes, on a grey disc of radius 30 in the middle of 120 × 120.

const { kernels, store } = createLoneKernels(512)
const size = 120

const disc = (): Picture => {
  const made = store.allocate(size, size, 4)
  for (let i = 0; i < size * size; i++) {
    const cover = Math.min(1, Math.max(0, 30.5 - Math.hypot((i % size) - 59.5, Math.floor(i / size) - 59.5)))
    made.data.set([0.4 * cover, 0.4 * cover, 0.4 * cover, cover], i * 4)
  }
  return made
}
function run(id: string, dials: Record<string, DialValue>, feeds: Record<string, Picture> = {}): Picture {
  const effect = findEffect(id)!
  const [picture, out] = [disc(), store.allocate(size, size, 4)]
  const all = { ...defaultDials(effect, { width: size, height: size }), ...dials } as never
  effect.apply({
    out,
    picture,
    feeds,
    dials: all,
    frame: 1,
    rate: 24,
    prepared: undefined,
    reduction: 1,
    kernels,
    store,
  })
  return out
}
const at = ({ data }: Picture, x: number, y: number) =>
  Array.from(data.slice((y * size + x) * 4, (y * size + x) * 4 + 4))

test('a rim from the own outline, shifted and inverted, lies on one side, inside its cover alone', () => {
  const rim = run('matte-light', { invert: true, moveX: 6, softness: 2, tint: [1, 0.5, 0.25], strength: 2 })
  const [left, right, middle, beside] = [at(rim, 31, 60), at(rim, 88, 60), at(rim, 60, 60), at(rim, 26, 60)]
  expect(left[0]!).toBeGreaterThan(1.5)
  expect(left[1]! / left[0]!).toBeCloseTo(0.5, 4)
  for (const dark of [right, middle, beside]) expect(dark[0]!).toBeLessThan(1e-3)
  // Half covered pixels at its edge get half the light: no fringe.
  const source = disc()
  for (let x = 20; x < 60; x++)
    expect(at(rim, x, 60)[0]!).toBeLessThanOrEqual(2 * at(source, x, 60)[3]! + 1e-5)
})

test('a shade multiplies or mixes inside its shape, and cover stays as it was', () => {
  const source = disc()
  const left = store.allocate(size, size, 1)
  left.data.forEach((_, i) => {
    left.data[i] = i % size < 60 ? 1 : 0
  })
  const dials = { shade: [0.5, 0.25, 1], softness: 0 }
  const [multiplied, mixed] = ['multiply', 'mix'].map((mode) =>
    run('matte-shade', { ...dials, mode }, { shape: left }),
  )
  expect(at(multiplied!, 50, 60)).toEqual([0.2, 0.1, 0.4, 1].map((v) => expect.closeTo(v, 5) as number))
  expect(at(mixed!, 50, 60)).toEqual([0.5, 0.25, 1, 1].map((v) => expect.closeTo(v, 5) as number))
  for (const out of [multiplied!, mixed!]) {
    expect(at(out, 70, 60)).toEqual(at(source, 70, 60))
    expect(out.data.every((v, i) => i % 4 !== 3 || Math.abs(v - source.data[i]!) < 1e-6)).toBe(true)
  }
})

test('colours come from another picture where one is fed, and an edge may be soft along one line alone', () => {
  const half = (fill: readonly number[], channels: 1 | 4) => {
    const made = store.allocate(size, size, channels)
    for (let i = 0; i < size * size; i++)
      made.data.set(i % size < 60 ? fill : fill.map(() => 0), i * channels)
    return made
  }
  const [shape, colours] = [half([1], 1), half([0.1, 0.3, 0.2, 0.5], 4)]
  const dials = { softness: 0, mode: 'mix' }
  expect(at(run('matte-shade', dials, { shape, colours }), 50, 60)).toEqual(
    [0.2, 0.6, 0.4, 1].map((v) => expect.closeTo(v, 5) as number),
  )
  expect(at(run('matte-shade', { ...dials, mode: 'multiply' }, { shape, colours }), 50, 60)[1]).toBeCloseTo(
    0.24,
    5,
  )
  expect(at(run('matte-light', { softness: 0, strength: 2 }, { shape, colours }), 50, 60)[1]).toBeCloseTo(
    1.2,
    5,
  )
  // Along the edge nothing softens; across it the ramp is as wide as said, symmetric, and whole inside.
  const soft = (edgeAngle: number) =>
    run('matte-light', { softness: 16, edge: 'angle', edgeAngle, tint: [1, 1, 1] }, { shape })
  const [across, along] = [soft(0), soft(90)]
  expect([at(along, 58, 60)[0], at(along, 61, 60)[0]]).toEqual([expect.closeTo(1, 2), 0])
  expect(at(across, 40, 60)[0]).toBeCloseTo(1, 1)
  expect(at(across, 59, 60)[0]! + at(across, 60, 60)[0]!).toBeCloseTo(1, 1)
  expect(at(across, 70, 60)[0]!).toBeGreaterThan(0.05)
  expect(at(across, 78, 60)[0]!).toBeLessThan(1e-3)
})

test('a contact shadow lies behind: the picture is as it was, the shadow beside it', () => {
  const source = disc()
  const out = run('contact-shadow', { moveX: 20, moveY: 0, softness: 2, strength: 0.5, shade: [0, 0, 0.2] })
  expect(at(out, 60, 60)).toEqual(at(source, 60, 60))
  const [r, , b, a] = at(out, 100, 60)
  expect([r, b, a]).toEqual([0, 0.1, 0.5].map((v) => expect.closeTo(v, 4) as number))
  expect(at(out, 10, 60)[3]).toBe(0)
})
