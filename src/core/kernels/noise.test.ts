import { expect, test } from 'vitest'
import { hashUnit, noise3 } from './noise.ts'

test('improved noise has the value of its reference implementation (Perlin 2002)', () => {
  expect(noise3(3.14, 42, 7)).toBeCloseTo(0.13691995878400012, 15)
})

test('noise is 0 at whole numbers, smooth between, and repeats every 256', () => {
  for (const p of [
    [0, 0, 0],
    [5, -3, 9],
    [255, 256, 257],
  ] as [number, number, number][])
    expect(noise3(...p)).toBeCloseTo(0, 12)
  for (let i = 0; i < 500; i++) {
    const [x, y, z] = [i * 0.37, i * 0.11, i * 0.53]
    expect(Math.abs(noise3(x, y, z))).toBeLessThanOrEqual(1.05)
    expect(Math.abs(noise3(x + 1e-4, y, z) - noise3(x, y, z))).toBeLessThan(5e-4)
    expect(noise3(x + 256, y - 256, z)).toBeCloseTo(noise3(x, y, z), 9)
  }
})

test('hashed numbers are even over 0–1, and neighbours have nothing in common', () => {
  const values = Array.from({ length: 20_000 }, (_, i) => hashUnit(7, i))
  const mean = (list: readonly number[]) => list.reduce((a, b) => a + b) / list.length
  expect(mean(values)).toBeCloseTo(0.5, 2)
  expect(mean(values.map((v) => (v - 0.5) ** 2))).toBeCloseTo(1 / 12, 2)
  expect(Math.abs(mean(values.slice(1).map((v, i) => (v - 0.5) * (values[i]! - 0.5))))).toBeLessThan(0.002)
  expect(hashUnit(1, 2)).not.toBe(hashUnit(2, 1))
})
