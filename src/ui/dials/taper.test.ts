import { expect, test } from 'vitest'
import { number } from '../../core/dials/dials.ts'
import { effects } from '../../core/effects/registry.ts'
import { fromSlider, toSlider } from './taper.ts'

test('every number dial goes from slider to value and back, and its ends are the range’s', () => {
  for (const effect of effects)
    for (const dial of Object.values(effect.dials)) {
      if (dial.type !== 'number') continue
      expect([fromSlider(dial, 0), fromSlider(dial, 1)]).toEqual([...dial.range])
      expect([toSlider(dial, dial.range[0]), toSlider(dial, dial.range[1])]).toEqual([0, 1])
      for (const place of [0.1, 0.37, 0.5, 0.82]) {
        // Whole numbers of a short range lie half a step off at most.
        const half = dial.taper === 'linear' ? dial.step / (dial.range[1] - dial.range[0]) / 2 : 0
        expect(Math.abs(toSlider(dial, fromSlider(dial, place)) - place)).toBeLessThanOrEqual(
          Math.max(0.05, half + 1e-9),
        )
      }
    }
})

test('a logarithmic slider gives each doubling the same way, and values beyond the range lie at its ends', () => {
  const dial = number({
    default: 8,
    range: [1, 256],
    hard: [0, 1e6],
    taper: 'log',
    hint: 'Eight doublings from end to end.',
  })
  expect([1, 2, 4, 16, 256].map((v) => toSlider(dial, v))).toEqual([0, 1 / 8, 2 / 8, 4 / 8, 1])
  expect([toSlider(dial, 0), toSlider(dial, 1e5)]).toEqual([0, 1])
})
