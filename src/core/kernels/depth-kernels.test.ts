import { describe, expect, test } from 'vitest'
import { plainStore, type Picture } from '../picture/picture.ts'
import { quarterOf } from './declarations/aperture.ts'
import { toneEntries, toneEntry, type Kernels, type MistShape } from './kernels.ts'
import { plainKernels } from './plain-kernels.ts'
import { comparing, expectClose, fast, sizes, store } from './try-kernels.ts'

const steps = 64
/** Mist that rises evenly from distance 2 to 10. */
const shape = (more: Partial<MistShape> = {}): MistShape => ({
  from: 2,
  scale: steps / 8,
  table: Float32Array.from({ length: (steps + 2) * 4 }, (_, i) => {
    const w = Math.min(1, (i >> 2) / steps)
    return [0.4 * w, 0.5 * w, 0.7 * w, w][i % 4]!
  }),
  join: 'mix',
  fills: false,
  ...more,
})

describe.each(sizes)('depth and grade kernels equal their plain twins at %i × %i', (width, height) => {
  const compare = comparing(width, height)
  /** A further picture of one channel in the same kind of memory as another. */
  const single = (like: Picture, value: (i: number) => number) => {
    const make = like.at < 0 ? plainStore : store
    const made = make.allocate(width, height, 1)
    for (let i = 0; i < made.data.length; i++) made.data[i] = value(i)
    return made
  }
  const distances = (i: number) => [0, 3.1, 3.2, 3.3, 9, 9.5, 20, 1e38, -4][(i * 7 + (i >> 3)) % 9]!
  const glow = {
    colour: [0.5, 0.2, 0.1] as const,
    columns: Float32Array.from({ length: width }, (_, x) => 1 / (1 + x)),
    rows: Float32Array.from({ length: height }, (_, y) => 1 / (2 + y)),
  }
  // A colour of its own at each distance.
  const coloured = Float32Array.from({ length: (steps + 2) * 4 }, (_, i) => {
    const w = Math.min(1, (i >> 2) / steps)
    return [0.9 * w * w, 0.5 * w, 0.2 * Math.sqrt(w), w][i % 4]!
  })
  test.each([
    {},
    { table: coloured },
    { join: 'add' },
    { join: 'screen', glow },
    { fills: true, glow },
  ] as const)('mist %#', (more) => {
    compare((k, out, a, _, m) => {
      const depth = single(a, distances)
      k.mist(out, a, depth, undefined, shape(more))
      if ('fills' in more) k.mist(out, a, depth, m, shape(more))
    }, 2e-4)
  })
  test.each([true, false])('distances from a point, and thinning with height, with depth: %s', (hasDepth) => {
    compare((k, out, a, b, m) => {
      const depth = hasDepth ? single(a, (i) => (i % 5 === 0 ? 3.4e38 : 2)) : undefined
      const [far, thin] = [single(a, () => 0), single(a, () => 0)]
      k.distancesFrom(far, a, depth, [0.5, -1, 3])
      for (const axis of [1, 2] as const)
        k.thinWithHeight(thin, m, a, depth, { axis, camera: 0.8, ground: 0.3, thins: 1.7 })
      // Only what was hit has a distance to compare.
      k.weigh(out, b, thin, 1, 1)
      for (let i = 0; i < far.data.length; i++) if (far.data[i]! > 1e30) far.data[i] = -7
      k.weigh(out, out, far, 1, 0.1)
    }, 2e-5)
  })
  const tones = Float32Array.from({ length: toneEntries * 4 }, (_, i) => {
    const v = toneEntry(i >> 2)
    return [v ** 1.5, 0.1 + v, v * 0.5, Math.sqrt(v)][i % 4]!
  })
  test.each(['tones', 'colours'] as const)('table of %s', (by) => {
    compare((k, out, a) => {
      k.toneTable(out, a, tones, by)
    }, 2e-5)
  })
  test.each([true, false])('decision list, held: %s', (isHeld) => {
    compare((k, out, a) => {
      const decisions = {
        slope: [1.2, 0.8, 1],
        offset: [0.1, -0.05, 0],
        power: [0.8, 1.3, 2],
        saturation: 1.4,
        isHeld,
      } as const
      k.decisionList(out, a, decisions)
    }, 2e-5)
  })
  test.each([true, false])('holding, alpha too: %s', (withAlpha) => {
    compare((k, out, a) => {
      k.hold(out, a, 0.1, 0.8, withAlpha)
    })
  })
  test.each([
    [true, false, false],
    [true, true, true],
    [false, true, false],
    [false, false, true],
  ] as const)('looking up, cube: %s, encoded: %s → %s', (isCube, takesEncoded, givesEncoded) => {
    compare((k, out, a) => {
      const size = 5
      const table = (a.at < 0 ? plainStore : store).allocate(isCube ? 25 : 5, isCube ? 5 : 1, 4)
      for (let i = 0; i < table.data.length; i++) table.data[i] = Math.abs(Math.sin(i * 12.9898))
      k.lookUp(out, a, {
        table,
        size,
        isCube,
        from: [0, -0.1, 0],
        to: [1, 2, 1.5],
        gain: 0.9,
        takesEncoded,
        givesEncoded,
      })
    }, 2e-5)
  })
  test('shoulder', () => {
    compare((k, out, a) => {
      k.shoulder(out, a, 1.5, 3)
    })
  })
  test('sums over areas', () => {
    const area = [
      [-2, 0, 1, 0.1],
      [-1, -1.25, 2.25, 0.2],
      [0, -2.5, 3.5, 0.1],
      [1, -1.25, 2.25, 0.05],
      [2, 0.5, 0.75, 0.3],
    ] as const
    // Alike in all quarters: a lens-shaped area that ends within pixels.
    const lens = [-2, -1, 0, 1, 2].flatMap((row) => {
      const half = 4.3 - Math.abs(row) ** 1.5
      return [1, 0.4].map((share) => [row, 0.5 - half * share, 0.5 + half * share, 0.05] as const)
    })
    expect(quarterOf(lens)).toBeDefined()
    expect(quarterOf(area)).toBeUndefined()
    // So high that its ring is wide for a column of tiles.
    const high = [-19, 0, 19].map((row) => [row, -30.5, 31.5, 0.005] as const)
    compare((k, out, a) => {
      k.areaSum(out, a, area)
      const more = (a.at < 0 ? plainStore : store).allocate(width, height, 4)
      for (const runs of [lens, high, [[0, 0, 1, 1]] as const]) {
        k.areaSum(more, a, runs)
        k.addWeighted(out, out, more, [1, 1, 1, 1])
      }
    }, 1e-5)
  })
  test('radii by distance', () => {
    compare((k, out, a) => {
      const [depth, radii] = [single(a, distances), single(a, () => 0)]
      k.fill(out, 1, 1, 1, 1)
      for (const focus of [
        { focus: 3.2, range: 0, behind: 12, inFront: 5 },
        { focus: 9, range: 3, behind: 4, inFront: 20 },
        { focus: -1, range: 1, behind: 4, inFront: 20 },
      ]) {
        k.focusRadius(radii, depth, focus)
        k.weigh(out, out, radii, 0.5, 1)
      }
    }, 1e-4)
  })
  test('least and largest in cells, places between layers, tiles that they have pixels in', () => {
    const radii = (i: number) => [-9, -2.5, -0.01, 0, 0.4, 1, 1.01, 5, NaN][(i * 5 + (i >> 4)) % 9]!
    const layers = [-9, -2.5, -1, 0, 0.41, 1.005, 5]
    compare((k, out, a) => {
      const make = a.at < 0 ? plainStore : store
      const [src, places] = [single(a, radii), single(a, () => 0)]
      const ranges = make.allocate(2 * 4, height, 1)
      k.cellRanges(ranges, src, [-8, -1, 0.3, 1.005])
      k.placeBetween(places, src, layers)
      const tiles = make.allocate(Math.ceil(width / 64), Math.ceil(height / 8) * (layers.length + 1), 1)
      k.layersIn(tiles, places, layers.length + 1)
      for (let i = 0; i < places.data.length; i++) {
        const range = ranges.data[i % ranges.data.length]!
        const finite = Math.abs(range) < 1e9 ? range : Math.sign(range) * 99
        out.data.set([places.data[i]!, finite, tiles.data[i % tiles.data.length]!, 1], i * 4)
      }
    }, 1e-4)
  })
  test('what is known at half size, and what is not filled in from there', () => {
    compare((k, out, a, b) => {
      const [w, h] = [Math.ceil(a.width / 2), Math.ceil(a.height / 2)]
      const coarse = (a.at < 0 ? plainStore : store).allocate(w, h, 4)
      const known = single(a, (i) => ((i * 3) % 7) / 6)
      const half = (a.at < 0 ? plainStore : store).allocate(w, h, 1)
      k.halveKnown(coarse, half, b, known)
      for (let i = 0; i < half.data.length; i++) coarse.data[i * 4] = half.data[i]!
      k.fill(out, 0, 0, 0, 0)
      k.addWeighted(out, undefined, a, [1, 1, 1, 1])
      k.fillIn(out, known, coarse)
    }, 1e-4)
  })
  test.each([
    [
      'discs',
      [-2, -1, 0, 1, 2].map(
        (row) => [row, 0.5 - 2 / (1 + row ** 2), 0.5 + 2 / (1 + row ** 2), 0.12] as const,
      ),
    ],
    [
      'leaning areas',
      [
        [-1, -1.25, 2.25, 0.2],
        [1, 0.5, 0.75, 0.3],
      ] as const,
    ],
    ['as they are', [[0, 0, 1, 1]] as const],
  ])('layers by place between them, laid over: %s', (_, runs) => {
    compare((k, out, a, b) => {
      const make = a.at < 0 ? plainStore : store
      // A band of pixels in layer 1, and some alone; rows of which nearly all is nearer, or all is behind.
      const places = single(a, (i) => {
        const y = Math.floor(i / width)
        return y % 23 < 4 ? 1 + (i % 3) / 4 : y % 23 < 12 ? 2 - (i % 19 === 0 ? 0.7 : 0) : 0
      })
      const [columns, rows] = [Math.ceil(width / 64), Math.ceil(height / 8)]
      const tiles = (value: (i: number) => number, from = 0) => {
        const made = make.allocate(columns, rows - from, 1)
        for (let i = 0; i < made.data.length; i++) made.data[i] = value(i)
        return made
      }
      const known = single(a, (i) => [0, 0.3, 1][i % 3]!)
      k.fill(out, 0, 0, 0, 0)
      k.addWeighted(out, undefined, b, [1, 1, 1, 1])
      const layer = { at: 1, runs, least: 0.01, isWeighed: true, top: 0 }
      k.layLayer(out, known, a, places, { ...layer, lit: tiles(() => 1), open: tiles(() => 1) })
      // Beyond its tiles, where nearer layers hide it and where none does; not from the top on.
      const from = Math.min(1, rows - 1)
      const lit = tiles((i) => [1, 1, 0][i % 3]!, from)
      const open = tiles((i) => [2, 1, 1, 0][i % 4]!, from)
      const more = { ...layer, at: 2, least: 0.2, isWeighed: false, top: from * 8, lit, open }
      k.layLayer(out, known, b, places, more)
      k.weigh(out, out, known, 0.5, 1)
    }, 1e-4)
  })
})

describe('what the kernels mean', () => {
  const both: readonly (readonly [string, Kernels])[] = [
    ['plain', plainKernels],
    ['SIMD', fast],
  ]
  const pixel = (kernels: Kernels, rgba: readonly number[], run: (k: Kernels, p: Picture) => void) => {
    const p = (kernels === fast ? store : plainStore).allocate(1, 1, 4)
    p.data.set(rgba)
    run(kernels, p)
    return [...p.data]
  }
  test.each(both)(
    '%s: decisions give worked values (ASC CDL 1.2: slope, offset, power, then BT.709 saturation)',
    (_, k) => {
      const graded = pixel(k, [0.5, 0.25, 0.125, 1], (kernels, p) => {
        kernels.decisionList(p, p, {
          slope: [1.2, 1, 0.9],
          offset: [0.05, 0, -0.02],
          power: [1, 2, 0.5],
          saturation: 0.5,
          isHeld: true,
        })
      })
      // By hand: 0.65, 0.0625, sqrt(0.0925) = 0.3041381; luminance 0.2048487.
      expect(graded[0]).toBeCloseTo(0.42742, 4)
      expect(graded[1]).toBeCloseTo(0.13367, 4)
      expect(graded[2]).toBeCloseTo(0.25449, 4)
      expect(graded[3]).toBe(1)
    },
  )
  test.each(both)('%s: the shoulder maps white to 1 and half of it by the paper’s equation 4', (_, k) => {
    const grey = (v: number) =>
      pixel(k, [v, v, v, 1], (kernels, p) => {
        kernels.shoulder(p, p, 1, 4)
      })[0]!
    expect(grey(4)).toBeCloseTo(1, 5)
    expect(grey(2)).toBeCloseTo((2 * (1 + 2 / 16)) / 3, 5)
  })
  test('antialiased edges have the mist of both sides: far nearer to the truth than by one distance a pixel', () => {
    // A near disc before far water, drawn 8 × 8 finer, with mist on every fine point and then averaged: the truth.
    const [size, fine] = [48, 8]
    const near = (x: number, y: number) => [0.55 + 0.05 * Math.sin(x), 0.3, 0.08, 1 + 0 * y]
    const far = (x: number, y: number) => [0.02 + 0 * x, 0.09 + 0.01 * Math.cos(y), 0.2, 1]
    const src = store.allocate(size, size, 4)
    const depth = store.allocate(size, size, 1)
    const out = store.allocate(size, size, 4)
    const truth = new Float32Array(size * size * 4)
    src.data.fill(0)
    const mist = shape()
    const behind = (p: readonly number[], w: number) =>
      p.map((v, c) => (c < 3 ? v * (1 - w) + [0.4, 0.5, 0.7][c]! * w : v))
    const isNear = (x: number, y: number) => Math.hypot(x - 23.3, y - 24.7) < 15
    for (let y = 0; y < size; y++)
      for (let x = 0; x < size; x++) {
        const i = y * size + x
        for (let k = 0; k < fine * fine; k++) {
          const [px, py] = [x + ((k % fine) + 0.5) / fine, y + (Math.floor(k / fine) + 0.5) / fine]
          const colour = isNear(px, py) ? near(px, py) : far(px, py)
          const misty = behind(colour, isNear(px, py) ? 0 : 0.75)
          for (let c = 0; c < 4; c++) {
            src.data[i * 4 + c]! += colour[c]! / fine ** 2
            truth[i * 4 + c]! += misty[c]! / fine ** 2
          }
        }
        depth.data[i] = isNear(x + 0.5, y + 0.5) ? 1 : 8
      }
    fast.mist(out, src, depth, undefined, mist)
    let [ours, naive, edges] = [0, 0, 0]
    for (let i = 0; i < size * size; i++) {
      const [x, y] = [i % size, Math.floor(i / size)]
      if (Math.abs(Math.hypot(x + 0.5 - 23.3, y + 0.5 - 24.7) - 15) > 1) continue
      edges++
      const plain = behind([...src.data.subarray(i * 4, i * 4 + 4)], depth.data[i] === 1 ? 0 : 0.75)
      for (let c = 0; c < 3; c++) {
        ours += (out.data[i * 4 + c]! - truth[i * 4 + c]!) ** 2
        naive += (plain[c]! - truth[i * 4 + c]!) ** 2
      }
    }
    expect(edges).toBeGreaterThan(80)
    expect(Math.sqrt(ours / edges)).toBeLessThan(0.025)
    expect(Math.sqrt(ours / naive)).toBeLessThan(0.2)
    // Away from edges it is the plain formula.
    expectClose(out.data.slice(0, 4), Float32Array.from(behind([...src.data.subarray(0, 4)], 0.75)))
  })
})

test('a table that changes nothing takes and gives the codes of IEC 61966-2-1, of any light and cover', () => {
  // An odd count, so that some pixels are left over from groups; a cube of two steps is the identity.
  const values = [0, 1e-7, 0.0031, 0.0031308, 0.0032, 0.04, 0.2, 0.5, 0.99, 1, 1.7, -0.002, -0.3, 3e-39]
  const covers = [1, 0.25, 0, 3]
  const count = values.length * covers.length + 3
  const [src, out, table] = [
    store.allocate(count, 1, 4),
    store.allocate(count, 1, 4),
    store.allocate(4, 2, 4),
  ]
  for (let i = 0; i < 8; i++) table.data.set([i & 1, (i >> 1) & 1, i >> 2, 1], i * 4)
  for (let i = 0; i < count; i++) {
    const [v, cover] = [values[i % values.length]!, covers[Math.floor(i / values.length) % 4]!]
    src.data.set([v * (cover || 1), 0.5 * v * (cover || 1), (cover || 1) / 3, cover], i * 4)
  }
  const encoded = (v: number) => (v <= 0.0031308 ? 12.92 * v : 1.055 * v ** (1 / 2.4) - 0.055)
  const decoded = (v: number) => (v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4)
  const held = (v: number) => Math.min(1, Math.max(0, v))
  for (const [takesEncoded, givesEncoded] of [
    [true, false],
    [false, true],
    [true, true],
  ] as const) {
    fast.lookUp(out, src, {
      table,
      size: 2,
      isCube: true,
      from: [0, 0, 0],
      to: [1, 1, 1],
      gain: 1,
      takesEncoded,
      givesEncoded,
    })
    for (let i = 0; i < count; i++) {
      const alpha = src.data[i * 4 + 3]!
      expect(out.data[i * 4 + 3]).toBe(alpha)
      for (const c of [0, 1, 2]) {
        const straight = src.data[i * 4 + c]! / (alpha || 1)
        const code = held(takesEncoded ? Math.sign(straight) * encoded(Math.abs(straight)) : straight)
        const wanted = (givesEncoded ? decoded(code) : code) * (alpha || 1)
        expect(
          Math.abs(out.data[i * 4 + c]! - wanted),
          `${i} ${c} ${takesEncoded} ${givesEncoded}`,
        ).toBeLessThan(3e-6 * Math.max(1, alpha))
      }
    }
  }
  for (const p of [src, out, table]) store.release(p)
})
