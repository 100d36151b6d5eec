import sharp, { type Blend } from 'sharp'
import { describe, expect, test } from 'vitest'
import { linearToSrgb } from '../picture/colour.ts'
import { halfToNumber, numberToHalf } from '../picture/half.ts'
import { plainPicture, plainStore, type Picture } from '../picture/picture.ts'
import { blends, joinModes, operators, type JoinMode } from './join-modes.ts'
import { chained, inverse, placement } from '../picture/affine.ts'
import { displayChannels, resampleFilters } from './kernels.ts'
import { plainKernels } from './plain-kernels.ts'
import { gaussianBlur, gaussWeights, pyramidSigma, spreadLight } from './pyramid.ts'
import { comparing, expectClose, fast, pair, random, sizes, store } from './try-kernels.ts'

describe.each(sizes)('the SIMD kernels equal their plain twins at %i × %i', (width, height) => {
  const compare = comparing(width, height)
  test.each(joinModes)('join %s, with and without matte', (mode) => {
    compare((k, out, a, b, m) => {
      k.join(out, a, b, m, mode, 0.7)
    })
    compare((k, out, a, b) => {
      k.join(out, a, b, undefined, mode, 1)
    })
  })
  test.each(resampleFilters)('resampling by %s: moved, turned, smaller and larger', (filter) => {
    for (const [scale, turn] of [
      [1, 0],
      [0.4, 20],
      [2.3, -75],
    ] as const) {
      const back = inverse(placement([width / 2, height / 2], [scale, scale * 1.2], turn, [1.317, -0.613]))!
      compare(
        (k, out, a) => {
          k.resample(out, a, back, filter)
        },
        filter === 'nearest' ? 0 : 2e-4,
      )
    }
    // By whole pixels: a copy, and black where nothing comes from; a Lanczos' zeros are only nearly so.
    for (const [c, f] of [
      [0, 0],
      [-3, 2],
      [4, -5],
      [width, 0],
      [-2 * width, 3 * height],
    ] as const)
      compare(
        (k, out, a) => {
          k.resample(out, a, [1, 0, c, 0, 1, f], filter)
        },
        filter === 'lanczos' ? 1e-5 : 0,
      )
  })
  test('mix, light, gains, matrix, fill', () => {
    compare((k, out, a, b, m) => {
      k.mix(out, a, b, m, 0.6)
    })
    for (const mode of ['add', 'screen'] as const)
      for (const cover of [true, false])
        compare((k, out, a, b) => {
          k.addLight(out, a, b, mode, cover)
        })
    compare((k, out, a) => {
      k.gains(out, a, 2, 0.5, -1, 0.25)
    })
    compare((k, out, a) => {
      k.colourMatrix(out, a, [1, 0.2, -0.1, 0.6, 0.3, 0.9, 0, -1, 0.05, 0, 2, 0.25], 0.5)
    })
    compare((k, out) => {
      k.fill(out, 1, 2, 3, 0.5)
    })
    for (const shape of ['line', 'round'] as const)
      for (const to of [
        [-2, 5.5],
        [9, 1],
        [3.5, 2],
      ] as const)
        compare((k, out) => {
          k.gradient(out, shape, { at: [3.5, 2], value: [0, 1, -2, 1] }, { at: to, value: [4, 0, 3, 0.25] })
        })
    compare((k, out, a, _, m) => {
      k.weigh(out, a, m, 1, -0.7)
    })
    compare((k, out, a, b, m) => {
      k.unweigh(out, a, m, b)
    }, 1e-4)
  })
  test('bright pass, with soft and hard knee and a ceiling', () => {
    compare((k, out, a) => {
      k.brightPass(out, a, { threshold: 0.8, knee: 0.4, ceiling: 1.5 })
    }, 1e-5)
    compare((k, out, a) => {
      k.brightPass(out, a, { threshold: 0.5, knee: 0, ceiling: 1e9, byMost: true })
    }, 1e-5)
    compare((k, out, a) => {
      k.brightPass(out, a, { threshold: 0, knee: 0, ceiling: 1e9 })
    }, 1e-5)
  })
  test('bright pass and halving at once', () => {
    const half = [Math.ceil(width / 2) + 8, Math.ceil(height / 2) + 8]
    for (const offset of [-8, -4])
      compare(
        (k, out, a) => {
          k.brightHalve(out, a, offset, { threshold: 0.8, knee: 0.4, ceiling: 1.5, byMost: true })
        },
        1e-5,
        half,
      )
  })
  test('halving and doubling at every offset and edge', () => {
    const half = [Math.ceil(width / 2) + 8, Math.ceil(height / 2) + 8]
    for (const offset of [-8, -4])
      for (const edge of ['repeat', 'black'] as const)
        compare(
          (k, out, a) => {
            k.halve(out, a, offset, edge)
          },
          undefined,
          half,
        )
    const double = [width * 2 + 3, height * 2 + 1]
    for (const offset of [-8, -4, 0]) {
      compare(
        (k, out, a) => {
          k.upAdd(out, undefined, a, offset, 0, 1)
        },
        undefined,
        double,
      )
      compare((k, out, a, b) => {
        k.upAdd(out, b, a, offset, 0.3, 0.7)
      })
    }
  })
  test('Gaussian rows and columns, mean of blocks', () => {
    const weights = gaussWeights(2.3)
    compare((k, out, a) => {
      k.gaussRows(out, a, weights)
    })
    compare((k, out, a) => {
      k.gaussColumns(out, a, weights)
    })
    compare((k, out, a) => {
      k.smooth(out, a)
    })
    for (const factor of [2, 4])
      compare(
        (k, out, a) => {
          k.boxReduce(out, a, factor)
        },
        undefined,
        [Math.ceil(width / factor), Math.ceil(height / factor)],
      )
  })
  test('display codes in every channel', () => {
    const [a, fa] = pair(width, height, 4)
    for (const channel of displayChannels)
      for (const checker of [0, 4]) {
        const [x, y] = [new Uint8Array(width * height * 4), new Uint8Array(width * height * 4)]
        plainKernels.display(x, a, { gain: 1.7, channel, checker })
        fast.display(y, fa, { gain: 1.7, channel, checker })
        // The twin computes in doubles: a value on the border of two entries may fall to either side.
        expect(Math.max(...x.map((v, i) => Math.abs(v - y[i]!)))).toBeLessThanOrEqual(1)
      }
    store.release(fa)
  })
})

test('NaN and infinities are counted and become 0; all else stays', () => {
  const picture = store.allocate(3, 1, 4)
  picture.data.set([NaN, 1, Infinity, 0.5, -Infinity, -2, 3e38, 0, 1e-40, -0, 5, 1])
  expect(fast.sanitise(picture)).toBe(3)
  expect(Array.from(picture.data)).toEqual([
    0,
    1,
    0,
    0.5,
    0,
    -2,
    Math.fround(3e38),
    0,
    Math.fround(1e-40),
    -0,
    5,
    1,
  ])
  store.release(picture)
})

describe('half floats (IEEE 754-2019)', () => {
  test('all 65,536 codes go to floats and back, by both implementations', () => {
    const codes = Uint16Array.from({ length: 65536 }, (_, i) => i)
    const floats = new Float32Array(65536)
    const back = new Uint16Array(65536)
    fast.halfToFloat(floats, codes)
    fast.floatToHalf(back, floats)
    for (let code = 0; code < 65536; code++) {
      expect(floats[code]).toEqual(halfToNumber(code))
      const isNan = (code & 0x7c00) === 0x7c00 && (code & 0x3ff) !== 0
      if (isNan) expect(halfToNumber(back[code]!)).toBeNaN()
      else expect([back[code], numberToHalf(floats[code]!)]).toEqual([code, code])
    }
  })
  test('rounds to nearest even; the largest is 65504', () => {
    const cases: [number, number][] = [
      [1 + 2 ** -11, 0x3c00],
      [1 + 3 * 2 ** -11, 0x3c02],
      [65504, 0x7bff],
      [65519.99, 0x7bff],
      [65520, 0x7c00],
      [2 ** -25, 0],
      [2 ** -24 * 1.5, 2],
      [-2.5, 0xc100],
    ]
    const out = new Uint16Array(cases.length)
    fast.floatToHalf(out, Float32Array.from(cases.map(([v]) => v)))
    expect(Array.from(out)).toEqual(cases.map(([, code]) => code))
    expect(cases.map(([v]) => numberToHalf(v))).toEqual(cases.map(([, code]) => code))
  })
})

describe('over (Porter & Duff 1984)', () => {
  const joined = (below: number[], top: number[], mode: JoinMode = 'over', opacity = 1) => {
    const out = plainPicture(1, 1)
    const of = (values: number[]) => ({ ...plainPicture(1, 1), data: Float32Array.from(values) })
    plainKernels.join(out, of(below), of(top), undefined, mode, opacity)
    return Array.from(out.data)
  }
  test('the four corner cases: neither, only one, both', () => {
    const [empty, red, blue] = [
      [0, 0, 0, 0],
      [1, 0, 0, 1],
      [0, 0, 1, 1],
    ]
    expect(joined(empty, empty)).toEqual(empty)
    expect(joined(red, empty)).toEqual(red)
    expect(joined(empty, blue)).toEqual(blue)
    expect(joined(red, blue)).toEqual(blue)
  })
  test('two parts at half opacity one by one cover 75 % (common practice)', () => {
    expect(joined(joined([0, 0, 0, 0], [1, 1, 1, 1], 'over', 0.5), [1, 1, 1, 1], 'over', 0.5)[3]).toBe(0.75)
  })
  test('light without cover adds, and nothing above 1 is clipped', () => {
    expect(joined([0.5, 0, 0, 1], [3, 0, 0, 0])).toEqual([3.5, 0, 0, 1])
    expect(joined([2, 0, 0, 1], [0.5, 0, 0, 0], 'screen')[0]).toBe(2)
  })
  // sharp's names of the modes that it has; it knows no non-separable ones, which the browser tests check against Chromium.
  const sharpNames: Partial<Record<JoinMode, Blend>> = {
    over: 'over',
    behind: 'dest-over',
    inside: 'in',
    outside: 'out',
    atop: 'atop',
    xor: 'xor',
    keep: 'dest-in',
    cut: 'dest-out',
    frame: 'dest-atop',
    plus: 'add',
    multiply: 'multiply',
    screen: 'screen',
    overlay: 'overlay',
    darken: 'darken',
    lighten: 'lighten',
    dodge: 'colour-dodge',
    burn: 'colour-burn',
    'hard-light': 'hard-light',
    'soft-light': 'soft-light',
    difference: 'difference',
    exclusion: 'exclusion',
  }
  test.each(Object.entries(sharpNames))(
    '%s equals sharp (libvips) %s on 8-bit pictures',
    async (mode, blend) => {
      const [width, height] = [31, 19]
      const next = random(9)
      // Where both cover in part libvips departs from the W3C formulas (multiply of half-covering pictures is 8 codes off);
      // there Chromium is the reference, in the browser tests. Opaque pictures agree.
      // Exact black under dodge and white under burn the two treat differently: W3C says that they stay.
      const isCorner = mode === 'dodge' || mode === 'burn'
      const isOpaque = !['over', 'behind', 'inside', 'outside', 'xor', 'keep', 'cut', 'plus'].includes(mode)
      const straight = [0, 1].map(() =>
        Uint8Array.from({ length: width * height * 4 }, (_, i) =>
          isOpaque && i % 4 === 3
            ? 255
            : Math.min(isCorner ? 254 : 255, Math.abs(next()) * 70 + (isCorner ? 1 : 0)),
        ),
      )
      const raw = { raw: { width, height, channels: 4 as const } }
      const reference = await sharp(Buffer.from(straight[0]!), raw)
        .composite([{ input: Buffer.from(straight[1]!), ...raw, blend }])
        .raw()
        .toBuffer()
      // sharp computes on the codes as they are; so does this, taking them as linear.
      const [below, top] = straight.map((codes) => {
        const picture = store.allocate(width, height, 4)
        codes.forEach((v, i) => {
          picture.data[i] = i % 4 === 3 ? v / 255 : (v / 255) * (codes[i | 3]! / 255)
        })
        return picture
      }) as [Picture, Picture]
      fast.join(top, below, top, undefined, mode as JoinMode, 1)
      let worst = 0
      for (let i = 0; i < reference.length; i++) {
        const alpha = top.data[i | 3]!
        const value = i % 4 === 3 ? alpha : alpha > 0 ? top.data[i]! / alpha : 0
        // Straight colours of nearly empty pixels carry the rounding of their alpha.
        if (alpha > 0.1) worst = Math.max(worst, Math.abs(Math.min(1, value) * 255 - reference[i]!))
      }
      expect(worst).toBeLessThan(1.6)
      for (const picture of [below, top]) store.release(picture)
    },
  )
  test('every mode at opacity 0, or where its matte is 0, is as if the lane were not there', () => {
    for (const mode of joinModes) {
      const below = [0.3, 1.5, 0, 0.6]
      joined(below, [0.2, 0.9, 2, 0.5], mode, 0).forEach((v, c) => {
        expect(v, mode).toBeCloseTo(below[c]!, 6)
      })
    }
  })
  test('opacity goes from what is below towards what the mode makes, alpha of plus too: 0.6 and 0.9 at a half are 0.8, not 1', () => {
    const [, , , alpha] = joined([0.2, 0.2, 0.2, 0.6], [1, 1, 1, 0.9], 'plus', 0.5)
    expect(alpha).toBeCloseTo(0.6 + 0.5 * (Math.min(1, 0.6 + 0.9) - 0.6), 6)
  })
  test('light above white survives every mode that is there to brighten', () => {
    for (const mode of ['over', 'plus', 'screen', 'lighten', 'dodge', 'hue', 'colour'] as const) {
      const [red] = joined([4, 3, 2, 1], [0, 0, 0, mode === 'over' ? 0 : 1], mode)
      expect(red, mode).toBeGreaterThan(1.9)
    }
  })
  test('over is associative, and the operators are the twelve of the paper', () => {
    const [a, b, c] = [
      [0.1, 0.4, 0.2, 0.5],
      [0.6, 0, 0.3, 0.75],
      [0.2, 0.2, 1.4, 1],
    ]
    const left = joined(c, joined(b, a))
    joined(joined(c, b), a).forEach((v, i) => {
      expect(v).toBeCloseTo(left[i]!, 6)
    })
    // Paper, figure 1: the share of the pixel that each keeps, for S and B of half cover.
    const shares = {
      over: [1, 0.5],
      behind: [0.5, 1],
      inside: [0.5, 0],
      outside: [0.5, 0],
      atop: [0.5, 0.5],
      xor: [0.5, 0.5],
      keep: [0, 0.5],
      cut: [0, 0.5],
      frame: [0.5, 0.5],
      plus: [1, 1],
    }
    for (const [name, { a0, a1, b0, b1 }] of Object.entries(operators))
      expect([a0 + a1 / 2, b0 + b1 / 2], name).toEqual(shares[name as keyof typeof shares])
    expect(blends).toHaveLength(15)
  })
})

describe('Gaussian blur', () => {
  const impulse = (width: number, height: number) => {
    const picture = store.allocate(width, height, 4)
    picture.data.fill(0)
    picture.data.fill(
      1,
      ((height >> 1) * width + (width >> 1)) * 4,
      ((height >> 1) * width + (width >> 1)) * 4 + 4,
    )
    return picture
  }
  test.each([0.8, 3, 6.5, 12, 20])(
    'sigma %f: energy kept within 1e-4, impulse response that of the formula',
    (sigma) => {
      const size = Math.ceil(sigma * 12) | 1
      const picture = impulse(size, size)
      gaussianBlur(picture, picture, sigma, { kernels: fast, store })
      let [sum, worst] = [0, 0]
      const middle = size >> 1
      // Where pixels are wider than the bell, the samples of the filter are normalised by their sum, not by 2πσ².
      const peak = sigma < 1 ? gaussWeights(sigma)[0]! ** 2 : 1 / (2 * Math.PI * sigma * sigma)
      for (let y = 0; y < size; y++)
        for (let x = 0; x < size; x++) {
          const value = picture.data[(y * size + x) * 4]!
          sum += value
          const r2 = (x - middle) ** 2 + (y - middle) ** 2
          worst = Math.max(worst, Math.abs(value - peak * Math.exp(-r2 / (2 * sigma * sigma))) / peak)
        }
      expect(Math.abs(sum - 1)).toBeLessThan(1e-4)
      expect(worst).toBeLessThan(6e-3)
      store.release(picture)
    },
  )
  test('a step becomes the error function', () => {
    const [width, height, sigma] = [201, 9, 9]
    const picture = store.allocate(width, height, 4)
    for (let i = 0; i < picture.data.length; i++) picture.data[i] = (i >> 2) % width >= 100 ? 1 : 0
    gaussianBlur(picture, picture, sigma, { kernels: fast, store })
    // Abramowitz & Stegun 7.1.26, good to 1.5e-7.
    const erf = (x: number) => {
      const t = 1 / (1 + 0.3275911 * Math.abs(x))
      const y =
        1 -
        t *
          (0.254829592 + t * (-0.284496736 + t * (1.421413741 + t * (-1.453152027 + t * 1.061405429)))) *
          Math.exp(-x * x)
      return Math.sign(x) * y
    }
    for (let x = 60; x < 140; x++)
      expect(
        Math.abs(picture.data[(4 * width + x) * 4]! - (0.5 + 0.5 * erf((x - 99.5) / (sigma * Math.SQRT2)))),
      ).toBeLessThan(1.5e-3)
    store.release(picture)
  })
  test('is within 1 % of libvips on a picture', async () => {
    const [width, height, sigma] = [160, 120, 6]
    const codes = Uint8Array.from({ length: width * height * 4 }, (_, i) =>
      i % 4 === 3 ? 255 : (i >> 2) % 40 < 17 !== ((i >> 2) / width) % 30 < 11 ? 230 : 20,
    )
    const reference = await sharp(Buffer.from(codes), { raw: { width, height, channels: 4 } })
      .blur({ sigma, precision: 'float', minAmplitude: 0.001 })
      .raw()
      .toBuffer()
    const picture = store.allocate(width, height, 4)
    codes.forEach((v, i) => {
      picture.data[i] = v
    })
    gaussianBlur(picture, picture, sigma, { kernels: fast, store })
    let total = 0
    for (let i = 0; i < codes.length; i++) total += Math.abs(picture.data[i]! - reference[i]!)
    expect(total / codes.length / 255).toBeLessThan(0.01)
    store.release(picture)
  })
  test('the plain and the fast path give the same blur', () => {
    const [a, fa] = pair(45, 31, 5)
    gaussianBlur(a, a, 9, { kernels: plainKernels, store: plainStore })
    gaussianBlur(fa, fa, 9, { kernels: fast, store })
    expectClose(a.data, fa.data, 1e-5)
    store.release(fa)
  })
})

describe('spread light', () => {
  const spreadOf = (widest: number, tight: number) => {
    const size = 257
    const picture = store.allocate(size, size, 4)
    picture.data.fill(0)
    picture.data.fill(1, ((size >> 1) * size + (size >> 1)) * 4, ((size >> 1) * size + (size >> 1)) * 4 + 3)
    spreadLight(picture, picture, {
      widest,
      tight,
      gain: 1,
      reduction: 1,
      workshop: { kernels: fast, store },
    })
    const row = Array.from(
      { length: size >> 1 },
      (_, i) => picture.data[((size >> 1) * size + (size >> 1) + i) * 4]!,
    )
    const sum = picture.data.reduce((s, v, i) => (i % 4 === 0 ? s + v : s), 0)
    store.release(picture)
    return { row, sum }
  }
  test('keeps the energy of the light and falls off without a bump', () => {
    for (const tight of [-2, 0, 2]) {
      const { row, sum } = spreadOf(14, tight)
      expect(sum).toBeCloseTo(1, 3)
      for (let i = 1; i < 60; i++) expect(row[i]!).toBeLessThanOrEqual(row[i - 1]! * 1.0001)
    }
  })
  test('changes smoothly with its width: no jump where a level comes in', () => {
    for (const widest of [1, 2.2, 4, 8.1, 16]) {
      const [a, b] = [spreadOf(widest, 0).row, spreadOf(widest * 1.002, 0).row]
      for (let i = 0; i < 40; i++) expect(Math.abs(a[i]! - b[i]!)).toBeLessThan(0.01 * a[0]!)
    }
  })
  test('tight keeps more light near its source than wide', () => {
    expect(spreadOf(14, 2).row[1]!).toBeGreaterThan(2 * spreadOf(14, -2).row[1]!)
  })
  test('one halving down and up adds a variance of 1.5 px²', () => {
    expect(pyramidSigma(1) ** 2).toBeCloseTo(1.5, 12)
  })
})

test('18 % grey is shown as code 118', () => {
  const grey = store.allocate(1, 1, 4)
  grey.data.set([0.18, 0.18, 0.18, 1])
  const out = new Uint8Array(4)
  fast.display(out, grey, { gain: 1, channel: 'colour', checker: 0 })
  expect(Array.from(out)).toEqual([118, 118, 118, 255])
  expect(Math.round(linearToSrgb(0.18) * 255)).toBe(118)
  store.release(grey)
})

describe('resampling', () => {
  const ramp = (width: number, height: number) => {
    const picture = plainPicture(width, height)
    for (let i = 0; i < width * height; i++) picture.data.fill((i % width) + 0.5, i * 4, i * 4 + 4)
    return picture
  }
  test('whole pixels and quarter turns lose nothing, by any filter', () => {
    const [src, out] = [ramp(9, 9), plainPicture(9, 9)]
    for (const filter of resampleFilters) {
      plainKernels.resample(out, src, inverse(placement([4.5, 4.5], [1, 1], 90, [2, 0]))!, filter)
      // A quarter turn clockwise sends columns to rows; then two pixels to the right.
      for (let x = 3; x < 9; x++)
        for (let y = 0; y < 9; y++) expect(out.data[(y * 9 + x) * 4]).toBeCloseTo(y + 0.5, 6)
      expect(out.data[0]).toBeCloseTo(0, 9)
    }
  })
  test('a straight ramp stays straight between pixels; a smaller picture keeps its mean', () => {
    const [src, out] = [ramp(40, 30), plainPicture(40, 30)]
    plainKernels.resample(out, src, inverse(placement([0, 0], [1, 1], 0, [0.3, 0]))!, 'cubic')
    for (let x = 4; x < 36; x++) expect(out.data[(15 * 40 + x) * 4]).toBeCloseTo(x + 0.2, 5)
    for (const filter of ['bilinear', 'cubic', 'lanczos'] as const) {
      plainKernels.resample(out, src, inverse(placement([20, 15], [0.25, 0.25], 0, [0, 0]))!, filter)
      const sum = out.data.reduce((total, v, i) => (i % 4 === 0 ? total + v : total), 0)
      expect(sum * 16, filter).toBeCloseTo(
        src.data.reduce((total, v, i) => (i % 4 === 0 ? total + v : total), 0),
        -2.5,
      )
    }
  })
  test('placements chain and go back', () => {
    const [a, b] = [placement([3, 4], [2, 0.5], 33, [1, -2]), placement([-1, 9], [0.7, 0.7], -120, [0, 5])]
    const there = chained(a, b)
    chained(there, inverse(there)!).forEach((v, i) => {
      expect(v).toBeCloseTo([1, 0, 0, 0, 1, 0][i]!, 9)
    })
    expect(inverse(placement([0, 0], [0, 1], 0, [0, 0]))).toBeUndefined()
  })
})
