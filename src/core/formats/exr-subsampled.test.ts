import { expect, test } from 'vitest'
import { rec709 } from '../colour/working.ts'
import { atFullSize, chromaToRgb } from './exr-subsampled.ts'

test('values between samples are linear, at the samples exact, beyond them held', () => {
  // Samples at x = 4, 6, 8 and y = 2, 4 of the window 3..9 × 2..5.
  const plane = {
    channel: { name: 'RY', type: 'float' as const, xSampling: 2, ySampling: 2 },
    width: 3,
    height: 2,
    values: Float32Array.of(0, 2, 4, 10, 12, 14),
  }
  const full = atFullSize(plane, [3, 2, 9, 5])
  expect([...full.slice(0, 7)]).toEqual([0, 0, 1, 2, 3, 4, 4])
  expect([...full.slice(7, 14)]).toEqual([5, 5, 6, 7, 8, 9, 9])
  expect([...full.slice(14, 21)]).toEqual([10, 10, 11, 12, 13, 14, 14])
})

test('colours go to luminance and chroma, as OpenEXR defines them, and back', () => {
  const colours = [
    [0.2, 0.5, 0.1],
    [3, 0.1, 0.7],
    [0.4, 0.4, 0.4],
  ] as const
  const y = Float32Array.from(colours, ([r, g, b]) => rec709.luminance(r, g, b))
  const ry = Float32Array.from(colours, ([r], i) => (r - y[i]!) / y[i]!)
  const by = Float32Array.from(colours, ([, , b], i) => (b - y[i]!) / y[i]!)
  chromaToRgb(y, ry, by)
  colours.forEach((rgb, i) => {
    ;[y, ry, by].forEach((channel, c) => {
      expect(channel[i]).toBeCloseTo(rgb[c]!, 5)
    })
  })
})
