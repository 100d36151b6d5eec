import { rec709 } from '../colour/working.ts'
import { converter } from 'culori'
import { describe, expect, test } from 'vitest'
import { mixOklab } from '../picture/oklab.ts'
import { parameterAt } from './bezier.ts'
import { flickerAt } from './flicker.ts'
import {
  evenOut,
  insertKey,
  moveKeys,
  pasteKeys,
  copyKeys,
  removeKeys,
  reverseKeys,
  setKey,
  shiftTo,
  stretchKeys,
} from './track-edits.ts'
import { bendKeys, setGo, setHandle } from './track-handles.ts'
import { baked, fewestKeys, simplified } from './track-fit.ts'
import { settingAt, type TrackTime } from './track-at.ts'
import type { Rider, Track } from './track.ts'

const time: TrackTime = { rate: 24, first: 1 }
const at = (track: Track, frame: number, when = time) => settingAt(track, frame, when)
const numbers = (track: Track, frames: readonly number[], when = time) =>
  frames.map((f) => at(track, f, when) as number)
const frames = (from: number, to: number, step = 1) =>
  Array.from({ length: Math.floor((to - from) / step) + 1 }, (_, i) => from + i * step)

/** A cubic polynomial's real root within 0–1, by Cardano's formula: nothing of the product's way. */
function cardano(x: number, x1: number, x2: number): number {
  const [a, b, c, d] = [1 + 3 * x1 - 3 * x2, 3 * x2 - 6 * x1, 3 * x1, -x]
  if (Math.abs(a) < 1e-9) {
    if (Math.abs(b) < 1e-9) return -d / c
    const root = Math.sqrt(c * c - 4 * b * d)
    return [(-c + root) / (2 * b), (-c - root) / (2 * b)].find((t) => t >= -1e-9 && t <= 1 + 1e-9)!
  }
  const [p, q] = [
    (3 * a * c - b * b) / (3 * a * a),
    (2 * b ** 3 - 9 * a * b * c + 27 * a * a * d) / (27 * a ** 3),
  ]
  const shift = -b / (3 * a)
  const disc = (q / 2) ** 2 + (p / 3) ** 3
  if (disc >= 0) return Math.cbrt(-q / 2 + Math.sqrt(disc)) + Math.cbrt(-q / 2 - Math.sqrt(disc)) + shift
  const r = Math.sqrt(-((p / 3) ** 3))
  const phi = Math.acos(Math.max(-1, Math.min(1, -q / (2 * r))))
  const roots = [0, 1, 2].map((k) => 2 * Math.cbrt(r) * Math.cos((phi + 2 * Math.PI * k) / 3) + shift)
  return roots.reduce((best, t) => (Math.abs(t - 0.5) < Math.abs(best - 0.5) ? t : best))
}

describe('between two keys', () => {
  test('hold, straight, and parts of colours and points each by itself', () => {
    const track: Track = {
      keys: [
        { frame: 10, value: 0 },
        { frame: 20, value: 10, go: 'hold' },
        { frame: 30, value: 4 },
      ],
    }
    expect(numbers(track, [0, 10, 15, 20, 29.9, 30, 99])).toEqual([0, 0, 5, 10, 10, 4, 4])
    expect(
      at(
        {
          keys: [
            { frame: 0, value: [0, 10] },
            { frame: 10, value: [1, 20] },
          ],
        },
        5,
      ),
    ).toEqual([0.5, 15])
    const choice: Track = {
      keys: [
        { frame: 2, value: 'a' },
        { frame: 4.5, value: 'b' },
      ],
    }
    expect([1, 2, 4, 4.5, 9].map((f) => at(choice, f))).toEqual(['a', 'a', 'a', 'b', 'b'])
  })
  test('a curve is CSS easing where its handles are (W3C CSS Easing Level 1: ease at one half is 0.8024)', () => {
    const ease: Track = {
      keys: [
        { frame: 0, value: 0, go: 'curve', out: [[0.25 * 8, 0.1 * 3]] },
        { frame: 8, value: 3, in: [[-0.75 * 8, 0]] },
      ],
    }
    expect(at(ease, 4) as number).toBeCloseTo(3 * 0.8024, 3)
  })
  test('handles beyond 0–1 in value, against Cardano', () => {
    let worst = 0
    for (const [x1, x2] of [
      [0, 0],
      [1, 1],
      [0, 1],
      [1, 0],
      [0.3, 0.31],
      [1 / 3, 2 / 3],
      [0.9, 0.05],
    ] as const)
      for (const x of frames(0.01, 0.99, 0.02))
        worst = Math.max(worst, Math.abs(parameterAt(x, x1, x2) - cardano(x, x1, x2)))
    // Where time nearly stands still the root itself is known to a few digits less.
    expect(worst).toBeLessThan(2e-5)
    const wild: Track = {
      keys: [
        { frame: 2, value: 1, go: 'curve', out: [[3, 9]] },
        { frame: 12, value: 1, in: [[-4, 7]] },
      ],
    }
    for (const f of frames(2, 12, 0.25)) {
      const s = cardano((f - 2) / 10, 0.3, 0.6)
      const y = (1 - s) ** 3 + 3 * (1 - s) ** 2 * s * 10 + 3 * (1 - s) * s * s * 8 + s ** 3
      expect(at(wild, f) as number).toBeCloseTo(y, 6)
    }
  })
  test('time never runs back: handles longer than their stretch keep their direction and are cut', () => {
    const long: Track = {
      keys: [
        { frame: 0, value: 0, go: 'curve', out: [[40, 8]] },
        { frame: 10, value: 0, in: [[-20, 4]] },
      ],
    }
    const same: Track = {
      keys: [
        { frame: 0, value: 0, go: 'curve', out: [[10, 2]] },
        { frame: 10, value: 0, in: [[-10, 2]] },
      ],
    }
    for (const f of frames(0, 10, 0.5)) expect(at(long, f)).toBe(at(same, f))
  })
  test('colours over OKLab go as culori goes, beyond 1 and below 0 too', () => {
    const [toLab, toLinear] = [converter('oklab'), converter('lrgb')]
    for (const [from, to] of [
      [
        [1, 0, 0],
        [0, 0, 1],
      ],
      [
        [4, 2, 0.1],
        [0.02, 0.3, 9],
      ],
      [
        [-0.1, 0.5, 0.2],
        [1, 1, 1],
      ],
    ] as const)
      for (const t of [0, 0.25, 0.7, 1]) {
        const lab = (c: readonly [number, number, number]) =>
          toLab({ mode: 'lrgb', r: c[0], g: c[1], b: c[2] })
        const [a, b] = [lab(from), lab(to)]
        const mix = (k: 'l' | 'a' | 'b') => a[k] + (b[k] - a[k]) * t
        const { r, g, b: blue } = toLinear({ mode: 'oklab', l: mix('l'), a: mix('a'), b: mix('b') })
        mixOklab(rec709, from, to, t).forEach((v, i) => {
          expect(v).toBeCloseTo([r, g, blue][i]!, 4)
        })
      }
    const keys = [
      { frame: 0, value: [1, 0, 0] },
      { frame: 4, value: [0, 0, 1] },
    ]
    expect(at({ keys, mix: 'oklab' }, 4)).toEqual([0, 0, 1])
    expect(at({ keys }, 1)).toEqual([0.75, 0, 0.25])
  })
})

describe('before the first and after the last key', () => {
  const keys: Track['keys'] = [
    { frame: 10, value: 1 },
    { frame: 12, value: 3 },
    { frame: 14, value: 2 },
  ]
  test.each(['hold', 'straight', 'repeat', 'add', 'swing'] as const)('%s', (how) => {
    const track: Track = { keys, before: how, after: how }
    // By hand from the drawing of the three keys: period 4, rise 1 in a round.
    const byHand = (f: number): number => {
      const inside = (x: number) => (x <= 12 ? 1 + (x - 10) : 3 - (x - 12) / 2)
      if (f >= 10 && f <= 14) return inside(f)
      const n = Math.floor((f - 10) / 4)
      const rest = f - 10 - 4 * n
      if (how === 'hold') return f < 10 ? 1 : 2
      if (how === 'straight') return f < 10 ? 1 + (f - 10) : 2 - (f - 14) / 2
      if (how === 'swing' && n % 2 !== 0) return inside(14 - rest)
      return inside(10 + rest) + (how === 'add' ? n : 0)
    }
    for (const f of frames(-7, 40, 0.5)) expect(at(track, f) as number).toBeCloseTo(byHand(f), 9)
  })
  test('a curve goes on along its last handle; one key and choices are held', () => {
    const bent: Track = {
      keys: [
        { frame: 0, value: 0, go: 'curve', out: [[1, 2]] },
        { frame: 4, value: 1, in: [[-2, 1]] },
      ],
      before: 'straight',
      after: 'straight',
    }
    expect(numbers(bent, [-1, 6])).toEqual([-2, 0])
    for (const after of ['straight', 'repeat', 'add', 'swing'] as const) {
      expect(at({ keys: [{ frame: 3, value: 7 }], after }, 50)).toBe(7)
      expect(
        at(
          {
            keys: [
              { frame: 3, value: 'x' },
              { frame: 5, value: 'y' },
            ],
            after: 'straight',
          },
          50,
        ),
      ).toBe('y')
    }
  })
})

describe('points along a path', () => {
  const loop: Track = {
    keys: [
      { frame: 0, value: [0, 0], bendOut: [300, 0] },
      { frame: 10, value: [200, 200], bendIn: [0, -150], bendOut: [0, 90] },
      { frame: 40, value: [-50, 100] },
    ],
    along: 'even',
  }
  const places = (track: Track, fs: readonly number[]) => fs.map((f) => at(track, f) as [number, number])
  const way = (points: readonly (readonly [number, number])[]) =>
    points.slice(1).map((p, i) => Math.hypot(p[0] - points[i]![0], p[1] - points[i]![1]))
  test('at even speed within 0.5 % throughout', () => {
    const steps = way(places(loop, frames(0, 40, 1 / 64)))
    const length = steps.reduce((a, b) => a + b)
    // Over a frame: each of 40 is as long as the others.
    for (const f of frames(0, 39)) {
      const here = steps.slice(f * 64, f * 64 + 64).reduce((a, b) => a + b)
      expect(Math.abs(here / (length / 40) - 1)).toBeLessThan(0.005)
    }
  })
  test('by its keys it is at each key on its frame, evenly between them, and lies on its Bézier', () => {
    const keyed: Track = { ...loop, along: 'keys' }
    expect(places(keyed, [0, 10, 40])).toEqual([
      [0, 0],
      [200, 200],
      [-50, 100],
    ])
    const cubic = (s: number) =>
      [
        3 * (1 - s) ** 2 * s * 300 + 3 * (1 - s) * s * s * 200 + s ** 3 * 200,
        3 * (1 - s) * s * s * 50 + s ** 3 * 200,
      ] as const
    const line = frames(0, 1, 1 / 4000).map(cubic)
    for (const [x, y] of places(keyed, [1, 3.3, 5, 9])) {
      expect(Math.min(...line.map((p) => Math.hypot(p[0] - x, p[1] - y)))).toBeLessThan(0.2)
    }
    const parts = way(places(keyed, frames(0, 10, 0.01)))
    const [half, whole] = [parts.slice(0, 500), parts].map((l) => l.reduce((a, b) => a + b)) as [
      number,
      number,
    ]
    expect(half / whole).toBeCloseTo(0.5, 3)
  })
})

describe('what rides on a track', () => {
  const flat = (riders: Rider[], value: Track['keys'][0]['value'] = 5): Track => ({
    keys: [{ frame: 1, value }],
    riders,
  })
  const flicker = { type: 'flicker', on: true, amount: 1, rate: 6, roughness: 0, seed: 3 } as const
  test('flicker: its mean is 0 within 1 % of its amount, it stays within it, and its spectrum falls beyond its rate', () => {
    for (const roughness of [0, 0.5, 1])
      for (const seed of [0, 1, 977]) {
        const n = 4096
        const values = Array.from({ length: n }, (_, i) => flickerAt(i / 48, 6, roughness, seed))
        expect(Math.abs(values.reduce((a, b) => a + b) / n)).toBeLessThan(0.01)
        expect(Math.max(...values.map(Math.abs))).toBeLessThanOrEqual(1)
        expect(Math.sqrt(values.reduce((a, b) => a + b * b) / n)).toBeGreaterThan(0.1)
        if (roughness > 0) continue
        // A plain Fourier sum: power below the rate of 6 Hz, and beyond twice it.
        const power = (from: number, to: number) => {
          let sum = 0
          for (let hz = from; hz < to; hz += 0.25) {
            let [re, im] = [0, 0]
            values.forEach((v, i) => {
              re += v * Math.cos((2 * Math.PI * hz * i) / 48)
              im += v * Math.sin((2 * Math.PI * hz * i) / 48)
            })
            sum += re * re + im * im
          }
          return sum / (to - from)
        }
        expect(power(12, 23) / power(1, 6)).toBeLessThan(0.02)
      }
    // The same to the bit wherever it is computed: saved from the first run.
    expect([0.1, 1.7, 40.2].map((s) => flickerAt(s, 6, 0.5, 3))).toEqual([
      0.03292326761579954, 0.14717270025379045, 0.14055615483463943,
    ])
  })
  test('numbers and points get it added, colours as a share; the rate is in hertz of the shot', () => {
    const [slow, fast] = [
      at(flat([flicker]), 25, { rate: 24, first: 1 }),
      at(flat([flicker]), 50, { rate: 48, first: 1 }),
    ]
    expect(at(flat([{ ...flicker, on: false }]), 30)).toBe(5)
    expect((slow as number) - 5).toBeCloseTo(flickerAt(25 / 24, 6, 0, 3), 12)
    expect((fast as number) - 5).toBeCloseTo(flickerAt(50 / 48, 6, 0, 3), 12)
    const colour = at(flat([flicker], [0.5, 1, 2]), 30) as number[]
    expect(colour[1]! / colour[0]!).toBeCloseTo(2, 9)
    const point = at(flat([flicker], [7, 7]), 30) as number[]
    expect(point[0]).not.toBe(point[1])
  })
  test('in their order: held after a shift is another thing than a shift after a hold', () => {
    const keys: Track['keys'] = [
      { frame: 0, value: 0 },
      { frame: 100, value: 100 },
    ]
    const [hold, shift] = [
      { type: 'step', on: true, frames: 4 },
      { type: 'shift', on: true, frames: 3, speed: 1, times: 2, plus: 1 },
    ] as const
    expect(numbers({ keys, riders: [shift, hold] }, [8, 10, 11])).toEqual([11, 11, 11])
    expect(numbers({ keys, riders: [hold, shift] }, [8, 10, 11])).toEqual([9, 9, 17])
    expect(numbers({ keys, riders: [{ ...shift, speed: 2, frames: 0, times: 1, plus: 0 }] }, [10])).toEqual([
      20,
    ])
  })
  test('follow: the centre and its offset; between two frames between them; where it is not known, the keys', () => {
    const follow: Rider = { type: 'follow', on: true, of: { type: 'placement', lane: 'a' }, offset: [10, -5] }
    const read: TrackTime['read'] = (_, f) => (f > 90 ? undefined : [f * 2, 100])
    expect(at(flat([follow], [1, 1]), 20, { ...time, read })).toEqual([50, 95])
    expect(at(flat([follow], [1, 1]), 20.5, { ...time, read })).toEqual([51, 95])
    expect(at(flat([follow], [1, 1]), 95, { ...time, read })).toEqual([1, 1])
  })
  test('measure: from a range to a range, held at its ends; a lag of n frames comes n frames later', () => {
    const measure = {
      type: 'measure',
      on: true,
      of: { type: 'tap', lane: 'a' },
      what: 'mean',
      from: [1, 3],
      to: [10, 50],
      lag: 0,
      as: 'value',
    } as const
    const read: TrackTime['read'] = (_, f) => [f / 10]
    const when = { ...time, first: -1000, read }
    expect(numbers(flat([measure as Rider]), [5, 10, 20, 30, 44], when)).toEqual([10, 10, 30, 50, 50])
    expect(numbers(flat([{ ...measure, as: 'times' } as Rider]), [20], when)).toEqual([150])
    expect(numbers(flat([{ ...measure, as: 'plus' } as Rider]), [20], when)).toEqual([35])
    const late = at(flat([{ ...measure, lag: 2 } as Rider]), 20, when) as number
    expect(late).toBeCloseTo(10 + (40 * (1.8 - 1)) / 2, 2)
  })
})

describe('edits of keys', () => {
  const bent: Track = {
    keys: [
      {
        frame: 1,
        value: [0, 5],
        go: 'curve',
        out: [
          [3, 4],
          [1, -6],
        ],
      },
      {
        frame: 11,
        value: [10, 5],
        in: [
          [-6, -1],
          [-2, 2],
        ],
        go: 'straight',
      },
      { frame: 20, value: [0, 0] },
    ],
  }
  const same = (a: Track, b: Track) => {
    for (const f of frames(-2, 24, 0.25))
      (at(a, f) as number[]).forEach((v, i) => {
        expect(v).toBeCloseTo((at(b, f) as number[])[i]!, 6)
      })
  }
  test('a key put in changes nothing; taken out again it is gone', () => {
    const more = [4, 6.5, 15, 23, -1].reduce(insertKey, bent)
    expect(more.keys.map((k) => k.frame)).toEqual([-1, 1, 4, 6.5, 11, 15, 20, 23])
    same(more, bent)
    expect(removeKeys(more, [-1, 4, 6.5, 15, 23])!.keys.map((k) => k.frame)).toEqual([1, 11, 20])
    expect(removeKeys(bent, [1, 11, 20])).toBeUndefined()
  })
  test('reversed twice, stretched there and back, moved there and back: as before', () => {
    const all = [1, 11, 20]
    const reversed = reverseKeys(bent, all)
    for (const f of frames(1, 20, 0.5))
      (at(reversed, 21 - f) as number[]).forEach((v, i) => {
        expect(v).toBeCloseTo((at(bent, f) as number[])[i]!, 6)
      })
    same(reverseKeys(reversed, [1, 10, 20]), bent)
    const wide = stretchKeys(bent, all, 5, 2)
    expect(wide.keys.map((k) => k.frame)).toEqual([-3, 17, 35])
    for (const f of frames(1, 20, 0.5)) expect(at(wide, 5 + (f - 5) * 2)).toEqual(at(bent, f))
    same(
      stretchKeys(
        wide,
        wide.keys.map((k) => k.frame),
        5,
        0.5,
      ),
      bent,
    )
    same(moveKeys(moveKeys(bent, all, 3.5, [2, 1]), [4.5, 14.5, 23.5], -3.5, [-2, -1]), bent)
  })
  test('of two keys on one frame the one that was moved there counts', () => {
    const moved = moveKeys(bent, [1], 10)
    expect(moved.keys.map((k) => [k.frame, k.value])).toEqual([
      [11, [0, 5]],
      [20, [0, 0]],
    ])
    const pasted = pasteKeys(bent, copyKeys(bent, [1, 11], 1), 20)
    expect(pasted.keys.map((k) => k.frame)).toEqual([1, 11, 20, 30])
    expect(at(pasted, 30)).toEqual([10, 5])
  })
  test('a value is typed over whatever rides there: a key, or the offset of what follows', () => {
    const riders: Rider[] = [
      { type: 'flicker', on: true, amount: 3, rate: 5, roughness: 0.5, seed: 1 },
      { type: 'shift', on: true, frames: 0, speed: 1, times: -2, plus: 4 },
    ]
    const ridden: Track = { ...bent, riders }
    const set = setKey(ridden, 6, [7, 8], time)
    ;(at(set, 6) as number[]).forEach((v, i) => {
      expect(v).toBeCloseTo([7, 8][i]!, 9)
    })
    expect(set.keys).toHaveLength(4)
    const shifted = shiftTo(ridden, 6, [7, 8], time)
    expect(shifted.keys).toHaveLength(3)
    ;(at(shifted, 6) as number[]).forEach((v, i) => {
      expect(v).toBeCloseTo([7, 8][i]!, 9)
    })
    const follow: Track = {
      keys: [{ frame: 1, value: [0, 0] }],
      riders: [{ type: 'follow', on: true, of: { type: 'placement', lane: 'a' }, offset: [0, 0] }],
    }
    const read = () => [100, 50]
    const moved = setKey(follow, 9, [90, 70], { ...time, read })
    expect(moved.riders![0]).toMatchObject({ offset: [-10, 20] })
    expect(moved.keys).toEqual(follow.keys)
  })
  test('where a shift would leave the range of its dial the curve is drawn together, and the value that was typed is there', () => {
    const fit = (v: Track['keys'][number]['value']) =>
      typeof v === 'number' ? Math.min(2, Math.max(0, v)) : v
    const rising: Track = {
      keys: [
        { frame: 1, value: 0, go: 'curve', out: [[3, 0.5]] },
        { frame: 12, value: 1 },
      ],
    }
    const lower = shiftTo(rising, 9, 0.3, time, fit)
    expect(at(lower, 9)).toBeCloseTo(0.3, 9)
    expect(lower.keys[0]!.value).toBe(0)
    // The same curve, smaller: every value by the same factor.
    for (const f of frames(1, 12, 1))
      expect(at(lower, f)).toBeCloseTo(((at(rising, f) as number) * 0.3) / (at(rising, 9) as number), 9)
    const higher = shiftTo(
      {
        keys: [
          { frame: 1, value: 0.5 },
          { frame: 11, value: 2 },
        ],
      },
      6,
      1.8,
      time,
      fit,
    )
    expect(higher.keys.map((k) => k.value)).toEqual([expect.closeTo(2 - 1.5 * (0.2 / 0.75), 9), 2])
    // With room it is shifted.
    expect(shiftTo(rising, 12, 1.5, time, fit).keys.map((k) => k.value)).toEqual([0.5, 1.5])
    // A line that lies on the end can only be shifted.
    expect(shiftTo({ keys: [{ frame: 1, value: 0 }] }, 1, 0.7, time, fit).keys[0]!.value).toBe(0.7)
  })
  test('keys are bent by hand: steeper, longer, never back in time, the last one towards the key before', () => {
    const line: Track = {
      keys: [
        { frame: 0, value: 0 },
        { frame: 12, value: 6 },
      ],
    }
    // A curve begins level, its handles a third of the time: 4 frames.
    const bent = bendKeys(line, [0], 2, 1)
    expect(bent.keys[0]).toMatchObject({ go: 'curve' })
    expect(bent.keys[0]!.out![0]).toEqual([expect.closeTo(6, 9), expect.closeTo(1, 9)])
    // Cubic with these handles, by its own polynomial at s = ½: frames (0 + 3·6 + 3·8 + 12) / 8, values (0 + 3·1 + 3·6 + 6) / 8.
    expect(at(bent, 54 / 8)).toBeCloseTo(27 / 8, 6)
    expect(bendKeys(bent, [0], -100, 0).keys[0]!.out![0]![0]).toBe(0)
    const last = bendKeys(line, [12], 2, 1).keys[1]!
    expect(last.in![0]).toEqual([expect.closeTo(-6, 9), expect.closeTo(-1, 9)])
    expect(bendKeys(line, [5], 1, 1)).toBe(line)
    const words: Track = {
      keys: [
        { frame: 0, value: 'a' },
        { frame: 1, value: 'b' },
      ],
    }
    expect(bendKeys(words, [0], 1, 1)).toBe(words)
  })
  test('a joined handle turns the other with it and keeps its length; a broken one does not', () => {
    const curve = setGo(
      {
        keys: [
          { frame: 0, value: 0 },
          { frame: 6, value: 3 },
          { frame: 12, value: 0 },
        ],
      },
      [0, 6],
      'curve',
    )
    const turned = setHandle(curve, 6, 'out', 0, [2, 4]).keys[1]!
    expect(turned.out).toEqual([[2, 4]])
    expect(turned.in![0]![0]).toBeCloseTo(-2)
    expect(turned.in![0]![1]).toBeCloseTo(-4)
    const broken: Track = { ...curve, keys: curve.keys.map((k) => ({ ...k, broken: true })) }
    expect(setHandle(broken, 6, 'out', 0, [-2, 4]).keys[1]).toMatchObject({
      out: [[0, 4]],
      in: curve.keys[1]!.in,
    })
  })
  test('a ride becomes few keys within its tolerance; a straight one two; a jump is not rounded off', () => {
    const samples = frames(1, 96).map((frame) => ({
      frame,
      value: 3 + Math.sin(frame / 9) * 2 + (frame > 60 ? 4 : 0),
    }))
    const keys = fewestKeys(samples, 0.05)
    expect(keys.length).toBeLessThan(14)
    for (const s of samples)
      expect(Math.abs((at({ keys }, s.frame) as number) - s.value)).toBeLessThanOrEqual(0.05 + 1e-9)
    expect(
      fewestKeys(
        frames(1, 50).map((frame) => ({ frame, value: [frame * 2, 7] })),
        1e-6,
      ),
    ).toHaveLength(2)
    const thinned = simplified({ keys: samples }, 0.05)
    expect(thinned.keys.length).toBeLessThan(14)
    expect(
      fewestKeys(
        frames(1, 9).map((frame) => ({ frame, value: frame > 4 ? 'b' : 'a' })),
        1,
      ).map((k) => k.frame),
    ).toEqual([1, 5])
  })
  test('baked, what rode on it is in its keys; evened out, it is calmer', () => {
    const track: Track = {
      keys: [{ frame: 1, value: 5 }],
      riders: [{ type: 'flicker', on: true, amount: 1, rate: 6, roughness: 0, seed: 3 }],
    }
    const made = baked(track, 1, 48, time, 0.02)
    expect(made.riders).toBeUndefined()
    for (const f of frames(1, 48))
      expect(Math.abs((at(made, f) as number) - (at(track, f) as number))).toBeLessThanOrEqual(0.02 + 1e-9)
    const unrest = (t: Track) =>
      frames(2, 47).reduce(
        (sum, f) =>
          sum + Math.abs((at(t, f + 1) as number) - 2 * (at(t, f) as number) + (at(t, f - 1) as number)),
        0,
      )
    const plain: Track = {
      keys: frames(1, 48).map((frame) => ({ frame, value: at(track, frame) as number })),
    }
    expect(unrest(evenOut(plain, frames(1, 48)))).toBeLessThan(0.7 * unrest(plain))
  })
})
