import { expect, test } from 'vitest'
import { halfToNumber } from '../picture/half.ts'
import { codesToHalves, type Samples } from './samples.ts'

/** sRGB to linear light by its definition (IEC 61966-2-1). */
const decoded = (code: number) => {
  const v = code / 255
  return v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4
}
/** All pairs of a code and an alpha, in the channels that are given. */
const samples = (channels: readonly string[]): Samples => {
  const data = new Uint8Array(65536 * channels.length)
  for (let i = 0; i < 65536; i++)
    for (const [c, name] of channels.entries())
      data[i * channels.length + c] = name === 'A' ? i >> 8 : (i + 'RGB'.indexOf(name) * 85) & 255
  return { width: 256, height: 256, channels, data, most: 255 }
}

test.each([
  ['straight', ['R', 'G', 'B', 'A'], (light: number, alpha: number) => light * alpha],
  ['ignored', ['R', 'G', 'B', 'A'], (light: number) => light],
  ['straight', ['R', 'G', 'B'], (light: number) => light],
] as const)(
  'codes of sRGB, alpha %s, channels %s, are within half a step of halves',
  (alphaUse, channels, law) => {
    const out = codesToHalves(samples(channels), 'srgb', alphaUse)!
    let worst = 0
    for (let i = 0; i < 65536; i++) {
      const alpha = alphaUse === 'ignored' || channels.length === 3 ? 1 : (i >> 8) / 255
      for (let c = 0; c < 3; c++) {
        const wanted = law(decoded((i + c * 85) & 255), alpha)
        const got = halfToNumber(out[i * 4 + c]!)
        // Half of the last place: 2⁻¹¹ of the value, and 2⁻²⁵ of what is too small for that.
        worst = Math.max(worst, Math.abs(got - wanted) / Math.max(wanted * 2 ** -11, 2 ** -25))
      }
      const cover = halfToNumber(out[i * 4 + 3]!)
      expect(Math.abs(cover - alpha)).toBeLessThanOrEqual(Math.max(alpha * 2 ** -11, 2 ** -25))
    }
    expect(worst).toBeLessThan(1.01)
  },
)

test('data are their codes over 255; what needs more than tables is left to others', () => {
  const out = codesToHalves(samples(['R', 'G', 'B', 'A']), 'linear', 'premultiplied')!
  expect(halfToNumber(out[4 * 51]!)).toBeCloseTo(51 / 255, 4)
  expect(codesToHalves(samples(['R', 'G', 'B', 'A']), 'srgb', 'premultiplied')).toBeUndefined()
  expect(codesToHalves({ ...samples(['Y']) }, 'srgb', 'straight')).toBeUndefined()
  const wide = { ...samples(['R', 'G', 'B']), data: new Uint16Array(65536 * 3), most: 65535 }
  expect(codesToHalves(wide, 'srgb', 'straight')).toBeUndefined()
})
