import { describe, expect, test } from 'vitest'
import { rec709 } from '../colour/working.ts'
import { plainPicture, type Picture } from '../picture/picture.ts'
import type { Kernels, MatteUse } from './kernels.ts'
import { noise3 } from './noise.ts'
import { noiseField } from './noise-field.ts'
import { plainKernels } from './plain-kernels.ts'
import { comparing, expectClose, fast, pair, sizes, store } from './try-kernels.ts'

const uses: MatteUse[] = ['alpha', 'luminance', 'red', 'green', 'blue']

describe.each(sizes)('at %i × %i loops over mattes are as their plain twins:', (width, height) => {
  const compare = comparing(width, height)
  /** A kernel that gives one channel, and its twin, on the same pictures. */
  const single = (
    run: (k: Kernels, out: Picture, a: Picture, b: Picture, m: Picture, n: Picture) => void,
    tolerance?: number,
  ) => {
    const all = [
      pair(width, height, 1),
      pair(width, height, 2),
      pair(width, height, 3, 1),
      pair(width, height, 4, 1),
    ] as const
    const out = pair(width, height, 5, 1)
    for (const [i, k] of [plainKernels, fast].entries())
      run(k, out[i]!, ...(all.map((one) => one[i]!) as [Picture, Picture, Picture, Picture]))
    expectClose(out[0].data, out[1].data, tolerance)
    for (const [, taken] of [...all, out]) store.release(taken)
  }
  test.each(uses)('%s as a matte, and turned inside out', (use) => {
    for (const invert of [false, true])
      single((k, out, a) => {
        k.matteOf(out, a, use, invert)
      })
  })
  test('a single channel, joined mattes, straight lines', () => {
    single((k, out, _, __, m) => {
      k.matteOf(out, m, 'single', true)
    })
    for (const by of ['union', 'intersect', 'subtract'] as const)
      single((k, out, _, __, m, n) => {
        k.combineMattes(out, m, n, by)
      })
    single((k, out, _, __, m) => {
      k.linearMatte(out, m, -2, 0.7, 0.1)
    })
  })
  test('levels, on one channel and on four', () => {
    for (const levels of [
      { black: 0, white: 1, gamma: 1, invert: false },
      { black: 0.2, white: 0.7, gamma: 2.2, invert: true },
      { black: 0.5, white: 0.5, gamma: 0.3, invert: false },
      { black: 1, white: 0, gamma: 1, invert: false },
    ]) {
      single((k, out, _, __, m) => {
        k.levelMatte(out, m, levels)
      })
      compare((k, out, _, __, m) => {
        k.levelMatte(out, m, levels)
      })
    }
  })
  test('marks, hard and soft; luminance of straight colour; cover', () => {
    for (const [softFrom, softTo] of [
      [0, 0],
      [0.3, 0],
      [0.2, 0.5],
    ] as const)
      single((k, out, _, __, m) => {
        k.betweenMarks(out, m, { from: 0.3, to: 0.6, softFrom, softTo })
      })
    single((k, out, a) => {
      k.straightLuminance(out, a)
    }, 1e-5)
    single((k, out, a) => {
      k.straightLuminance(out, a)
      k.underCover(out, a)
    }, 1e-5)
    compare((k, out, a, _, m) => {
      k.putCover(out, a, m, [0.3, 2, -1])
    }, 1e-5)
    for (const as of ['light', 'mix', 'multiply'] as const)
      compare((k, out, a, b) => {
        k.takeColours(out, a, b, 1.7, as)
      }, 1e-5)
  })
  test('sums of channels, the same bits', () => {
    const [plain, shared] = pair(width, height, 8)
    expect(fast.channelSums(shared)).toEqual(plainKernels.channelSums(plain))
    store.release(shared)
  })
  test('facing, with and without places, plain and by refraction', () => {
    for (const index of [undefined, 1.5, 1])
      for (const isPlaced of [true, false])
        single((k, out, a, b) => {
          k.facing(out, a, isPlaced ? b : undefined, [3, -1, 20], index)
        }, 1e-4)
  })
})

test('what faces the camera is 0, what is edge-on 1, and glass reflects 4 % straight on, also where nothing was hit far away', () => {
  // (n − 1)² / (n + 1)² at n = 1.5: Fresnel's equations at normal incidence.
  const [normals, places, out] = [store.allocate(4, 1, 4), store.allocate(4, 1, 4), store.allocate(4, 1, 1)]
  normals.data.set([0, 0, 1, 1, 1, 0, 0, 1, 0, 0, 0, 1, 0.6, 0, 0.8, 1])
  places.data.set([0, 0, -5, 1, 0, 0, -5, 1, 0, 0, -5, 1, 0, 0, -1e30, 1])
  fast.facing(out, normals, places, [0, 0, 0], undefined)
  expect(Array.from(out.data)).toEqual([0, 1, 0, expect.closeTo(0.2, 6) as number])
  fast.facing(out, normals, undefined, [0, 0, 0], 1.5)
  expect(out.data[0]).toBeCloseTo(0.04, 6)
  expect(out.data[1]).toBeCloseTo(1, 6)
})

test('a matte is the chosen channel held in 0–1, or 1 less it', () => {
  const picture = store.allocate(2, 1, 4)
  picture.data.set([0.5, 0.25, 2, 0.75, -1, 0, 0, 1.5])
  const out = store.allocate(2, 1, 1)
  const of = (use: MatteUse, invert = false) => {
    fast.matteOf(out, picture, use, invert)
    return Array.from(out.data)
  }
  expect(of('alpha')).toEqual([0.75, 1])
  expect(of('alpha', true)).toEqual([0.25, 0])
  expect(of('red')).toEqual([0.5, 0])
  expect(of('blue')).toEqual([1, 0])
  expect(of('luminance')[0]).toBeCloseTo(rec709.luminance(0.5, 0.25, 2), 6)
})

test('a field of noise is the sum of its octaves at the corners of its pixels', () => {
  // The noise itself is held against its published values elsewhere.
  const out = plainPicture(23, 9, 1)
  const shared = store.allocate(23, 9, 1)
  const field = { size: 7.5, octaves: 3, time: 2.3, drift: [4.2, -11] } as const
  noiseField(out, field, plainKernels)
  noiseField(shared, field, fast)
  for (let y = 0; y < 9; y++)
    for (let x = 0; x < 23; x++) {
      const wanted = [0, 1, 2].reduce(
        (sum, o) =>
          sum + noise3(((x - 4.2) / 7.5) * 2 ** o + 17 * o, ((y + 11) / 7.5) * 2 ** o, 2.3 + 5 * o) / 2 ** o,
        0,
      )
      expect(out.data[y * 23 + x]).toBeCloseTo(wanted, 5)
      expect(shared.data[y * 23 + x]).toBeCloseTo(wanted, 4)
    }
})
