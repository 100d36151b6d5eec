import { describe, expect, test } from 'vitest'
import { effects } from '../effects/registry.ts'
import {
  choice,
  colour,
  counts,
  curve,
  defaultOn,
  dialLabel,
  dialProblem,
  dialTypes,
  dialWords,
  flag,
  gradient,
  nearestFit,
  number,
  picks,
  point,
  scaledDial,
  shiftedDial,
  type Dial,
  type DialValue,
} from './dials.ts'

const hint = 'More is more.'
const declared = {
  number: number({ default: 2, range: [0, 10], hard: [-100, 100], unit: 'px', hint }),
  colour: colour({ default: [0.1, 0.2, 3], hint }),
  point: point({ default: [0.5, 0.25], hint }),
  choice: choice({ default: 'a', options: { a: 'Aye', b: 'Bee' }, hint }),
  flag: flag({ default: true, hint }),
  picks: picks({ default: [], hint }),
  curve: curve({
    default: [
      [0, 0],
      [1, 1],
    ],
    axis: 'unit',
    hint,
  }),
  gradient: gradient({
    default: [
      [0, 0, 0, 0],
      [1, 1, 1, 1],
    ],
    hint,
  }),
} satisfies Record<Dial['type'], Dial>
const all: readonly Dial[] = Object.values(declared)
/** Values that somebody might send, of every shape. */
const odd: readonly unknown[] = [
  undefined,
  null,
  NaN,
  Infinity,
  -Infinity,
  0,
  -0,
  5,
  101,
  -101,
  '',
  'a',
  'toString',
  '__proto__',
  true,
  false,
  [],
  [1],
  [1, 2],
  [1, NaN],
  [1, 2, 3],
  [1, 2, '3'],
  [[0, 0]],
  [[0, 0, 0, 0]],
  [[0, 0, 0, Infinity]],
  Array.from({ length: 65 }, () => [0, 0, 0, 1]),
  {},
  { length: 2 },
]

describe('every type of dial', () => {
  test('is declared here, and by some effect', () => {
    expect(Object.keys(declared).toSorted()).toEqual(Object.keys(dialTypes).toSorted())
    const used = new Set(effects.flatMap(({ dials }) => Object.values<Dial>(dials).map((d) => d.type)))
    expect([...used].toSorted()).toEqual(Object.keys(dialTypes).toSorted())
  })
  test.each(all)('$type takes its own default, on any canvas', (dial) => {
    expect(dialProblem(dial, dial.default)).toBeUndefined()
    expect(dialProblem(dial, defaultOn(dial, { width: 1920, height: 1080 }))).toBeUndefined()
  })
  test.each(all)('$type says what it wants and what it met, of all that does not fit', (dial) => {
    const taken = odd.filter((value) => dialProblem(dial, value) === undefined)
    for (const value of odd)
      if (!taken.includes(value)) expect(dialProblem(dial, value)).toMatch(/^wants .+, but holds .+/)
    const expected: Record<Dial['type'], number> = {
      number: 3,
      colour: 1,
      point: 1,
      choice: 1,
      flag: 2,
      picks: 2,
      curve: 1,
      gradient: 1,
    }
    expect(taken).toHaveLength(expected[dial.type])
  })
  test.each(all)('$type brings near values within, and has no other idea of what was meant', (dial) => {
    for (const value of odd) {
      const near = nearestFit(dial, value)
      if (near !== undefined) expect(dialProblem(dial, near)).toBeUndefined()
    }
    expect(nearestFit(declared.number, 1e300)).toBe(100)
    expect(nearestFit(declared.number, -Infinity)).toBe(-100)
    expect(nearestFit(declared.number, NaN)).toBeUndefined()
    expect(nearestFit(declared.flag, 'yes')).toBeUndefined()
  })
})

describe('on a proxy', () => {
  const half = { reduction: 2, left: 5, top: 5 }
  test('pixels are fewer, points are moved by the margin, and all else is the same', () => {
    expect(scaledDial(declared.number, 9, half)).toBe(4.5)
    expect(scaledDial({ ...declared.number, unit: '°' }, 9, half)).toBe(9)
    expect(scaledDial(declared.point, [10, 20], half)).toEqual([10, 15])
    for (const dial of [declared.colour, declared.choice, declared.flag, declared.curve, declared.gradient])
      expect(scaledDial(dial, dial.default as DialValue, half)).toBe(dial.default)
  })
  test('points begin where their shares say', () => {
    expect(defaultOn(declared.point, { width: 200, height: 100 })).toEqual([100, 25])
  })
})

describe('a whole curve is shifted', () => {
  test('by what one of its values is moved, and not beyond its hard range', () => {
    expect(shiftedDial(declared.number, 4, 1, 3)).toBe(6)
    expect(shiftedDial(declared.number, 99, 1, 3)).toBe(100)
    expect(shiftedDial(declared.colour, [0, 1, 2], [1, 1, 1], [0, 1, 3])).toEqual([-1, 1, 4])
    expect(shiftedDial(declared.point, [5, 5], [0, 0], [2, -3])).toEqual([7, 2])
  })
  test('only where values are numbers', () => {
    for (const dial of [declared.choice, declared.flag, declared.picks, declared.curve, declared.gradient])
      expect(
        shiftedDial(dial, dial.default as DialValue, dial.default as DialValue, dial.default as DialValue),
      ).toBeUndefined()
  })
})

test('labels and what is taken are words', () => {
  expect(dialLabel('lightAlpha', declared.flag)).toBe('Light alpha')
  expect(dialLabel('x', { ...declared.flag, label: 'Own' })).toBe('Own')
  expect(dialWords(declared.number)).toBe('0 – 10 (-100 – 100) px')
  expect(dialWords(declared.choice)).toBe('a, b')
  expect(dialWords(declared.curve)).toBe('curve')
})

test('a dial counts while another has one of its values', () => {
  const when = (is: string | readonly string[]) => ({ ...declared.number, when: { dial: 'mode', is } })
  const mode = (value: unknown) => () => value
  expect(counts(declared.number, mode('any'))).toBe(true)
  expect([counts(when('a'), mode('a')), counts(when('a'), mode('b'))]).toEqual([true, false])
  expect([counts(when(['a', 'b']), mode('b')), counts(when('true'), mode(true))]).toEqual([true, true])
})
