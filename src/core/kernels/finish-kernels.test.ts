import { describe, expect, test } from 'vitest'
import { plainPicture, type Picture } from '../picture/picture.ts'
import { gaussWeights } from './pyramid.ts'
import type { GrainLine, Kernels, NoisePart, TileLists, Ways } from './kernels.ts'
import { plainKernels } from './plain-kernels.ts'
import { comparing, expectClose, fast, pair, sizes, store } from './try-kernels.ts'

const noiseParts: NoisePart[] = [
  { frequency: 0.043, from: [3.2, 250.9, 1.25], value: [4, 0], slopes: [0, 0] },
  { frequency: 0.31, from: [-3.2, 7, -2.5], value: [0, 2], slopes: [0, 0] },
  { frequency: 1.7, from: [0.1, 0.2, 0.3], value: [0.5, 0.1], slopes: [3, -3] },
]
const line = (sigmas: readonly number[]): GrainLine => {
  const each = sigmas.map((s) => gaussWeights(s))
  const most = Math.max(...each.map((w) => w.length))
  return Array.from(
    { length: most },
    (_, k) => each.map((w) => w[k] ?? 0) as [number, number, number, number],
  )
}

describe.each(sizes)('at %i × %i the kernels are as their plain twins:', (width, height) => {
  const compare = comparing(width, height)
  test('ways by noise, and what goes along them', () => {
    const right = pair(width, height, 4, 1),
      down = pair(width, height, 5, 1)
    const [plainWays, fastWays] = [0, 1].map((i) => ({ right: right[i]!, down: down[i]! })) as [Ways, Ways]
    for (const edge of ['empty', 'stretched', 'mirrored'] as const)
      for (const isHeld of [true, false]) {
        compare((k, out, a, b, m) => {
          k.warp(
            out,
            a,
            out.data.buffer === right[1].data.buffer ? fastWays : plainWays,
            isHeld ? m : undefined,
            edge,
          )
        }, 2e-5)
      }
    plainKernels.noiseWay(plainWays, noiseParts, [-7, 3])
    fast.noiseWay(fastWays, noiseParts, [-7, 3])
    for (const way of [right, down]) {
      expectClose(way[0].data, way[1].data, 2e-5)
      store.release(way[1])
    }
  })
  test('weighted sums', () => {
    compare((k, out, a, b) => {
      k.addWeighted(out, a, b, [0.5, 2, -1, 0.25])
    })
    compare((k, out, a) => {
      k.addWeighted(out, undefined, a, [0.5, 2, -1, 0.25])
    })
  })
  test('fringe, vignette, sharpen', () => {
    const waves = [
      { out: -1.3, share: [0, 0.1, 0.8, 0.3] },
      { out: 0, share: [0.2, 0.8, 0.2, 0.4] },
      { out: 1.2, share: [0.8, 0.1, 0, 0.3] },
    ] as const
    for (const growth of [1, 2.5])
      compare((k, out, a) => {
        k.fringe(out, a, waves, [width / 3, height], 3, 40, growth)
      }, 5e-5)
    compare((k, out, a) => {
      k.vignette(out, a, { by: 'angle', centre: [2, 1], focal: 30 }, [0, 0, 0])
    })
    compare((k, out, a) => {
      k.vignette(out, a, { by: 'oval', centre: [2, 1], radii: [9, 20], softness: 0.6 }, [0.2, 0, 1])
    }, 5e-6)
    compare((k, out, a, b) => {
      k.sharpen(out, a, b, 1.5, 0.1)
    })
  })
  test('grain', () => {
    const own = line([0.6, 0.8, 1.1, 0.8])
    const r = own.length - 1
    compare((k, out) => {
      k.grainRows(out, 12345, [-20, 7], own)
    })
    compare((k, out) => {
      k.grainRows(out, -5, [3, -9], own.slice(0, 1))
    })
    const [tall, fastTall] = pair(width, height + 2 * r, 6)
    const [src, fastSrc] = pair(width, height, 7)
    const [out, fastOut] = [plainPicture(width, height), store.allocate(width, height, 4)]
    const look = { shadows: 0.01, middle: 0.05, lights: 0.2, colour: 0.7 }
    plainKernels.grain(out, src, tall, own, look)
    fast.grain(fastOut, fastSrc, fastTall, own, look)
    expectClose(out.data, fastOut.data)
    for (const p of [fastTall, fastSrc, fastOut]) store.release(p)
  })
  test('means along lines and about a point', () => {
    for (const [slope, first, isSteep] of [
      [0, 0, false],
      [0.4, -width, false],
      [-1, -2, false],
      [0.4, -height, true],
      [-0.7, -2, true],
    ] as const)
      for (const [back, ahead] of [
        [0, 0],
        [0.3, 0.2],
        [1.4, 0.2],
        [6.25, 6.25],
      ] as const) {
        const [along, across] = isSteep ? [height, width] : [width, height]
        const run = (k: Kernels, out: Picture, a: Picture) => {
          k.fill(out, 0, 0, 0, 0)
          k.boxLines(out, a, { slope, first, isSteep }, back, ahead)
          // Lines outside are left as they are; the twin and the kernel differ in how near they go to the edge.
          for (let i = 0; i < out.data.length; i++) {
            const [x, row] = [(i >> 2) % along, Math.floor((i >> 2) / along)]
            const y = first + row + slope * x
            if (y < -0.999 || y > across - 0.001) out.data[i] = 0
          }
        }
        compare(run, 2e-5, [along, across + 2 * along])
      }
    for (const isSteep of [false, true]) {
      const [lines, fastLines] = isSteep ? pair(height, width + 6, 8) : pair(width, height + 6, 8)
      const [back, fastBack] = [plainPicture(width, height), store.allocate(width, height, 4)]
      plainKernels.boxBack(back, lines, { slope: 0.002, first: -2.3, isSteep })
      fast.boxBack(fastBack, fastLines, { slope: 0.002, first: -2.3, isSteep })
      expectClose(back.data, fastBack.data, 2e-5)
      for (const p of [fastLines, fastBack]) store.release(p)
    }
    for (const by of ['turn', 'distance'] as const)
      compare((k, out, a) => {
        k.aroundPoint(out, a, by, [width * 0.7, -2], 0.2)
      }, 2e-4)
  })
  test('codes without bands', () => {
    const [a, fa] = pair(width, height, 1)
    const codes = [plainKernels, fast].map((k, i) => {
      const out = new Uint8Array(width * height * 4)
      k.display(out, [a, fa][i]!, { gain: 0.7, channel: 'colour', checker: 2, dither: 12, from: [5, 3] })
      return out
    })
    // The kernel's table is fine, not exact: some values lie on the other side of a step.
    let apart = 0
    codes[0]!.forEach((v, i) => {
      expect(Math.abs(v - codes[1]![i]!)).toBeLessThanOrEqual(1)
      apart += v === codes[1]![i] ? 0 : 1
    })
    expect(apart).toBeLessThanOrEqual(codes[0]!.length / 40)
    store.release(fa)
  })
  test('light of lamps', () => {
    const lamps = [
      { at: [1, 2, 3], light: [1, 0.5, 2], limit: 0.3, size: 0 },
      { at: [-4, 0, 1], light: [3, 1, 0], limit: 2, size: 1.5 },
    ] as const
    compare((k, out, a, b) => {
      k.castLight(out, a, b, a, lamps)
    }, 2e-5)
  })
  test('motion', () => {
    const [a, fa] = pair(width, height, 1)
    const [b, fb] = pair(width, height, 2)
    const [d, fd] = pair(width, height, 3, 1)
    const count = Math.ceil(width / 16) * Math.ceil(height / 16)
    const [ways, fastWays] = [plainPicture(width, height), store.allocate(width, height, 4)]
    for (const { data } of [b, fb]) data.set([NaN, 1, 0, 0], 0)
    plainKernels.holdWays(ways, b, 2, 5)
    fast.holdWays(fastWays, fb, 2, 5)
    expectClose(ways.data, fastWays.data)
    // Ways that do not lie on the edge between counting and not.
    for (const { data } of [ways, fastWays]) data.forEach((v, i) => (data[i] = Math.round(v)))
    const [found, fastFound] = [new Float32Array(count * 13), new Float32Array(count * 13)]
    plainKernels.tileWays(found, ways, a, 0.5)
    fast.tileWays(fastFound, fastWays, fa, 0.5)
    for (let t = 0; t < count; t++) {
      const n = found[t * 13]!
      expect(fastFound[t * 13]).toBe(n)
      expectClose(found.subarray(t * 13, t * 13 + 5 + 2 * n), fastFound.subarray(t * 13, t * 13 + 5 + 2 * n))
    }
    // Tiles that three ways reach, or the last two of five.
    const entries = Int32Array.from({ length: count * 3 }, (_, i) => {
      const t = Math.floor(i / 3)
      return [t % 2 ? 3 : 0, t % 2 ? 2 : 3, t % 3 === 1 ? 1 : 0][i % 3]!
    })
    const lists: TileLists = { entries, ways: Float32Array.of(-1, 2, 2, 2, 0, 0, 3, 0, 0, 2) }
    const [out, fastOut] = [plainPicture(width, height), store.allocate(width, height, 4)]
    for (const depths of [true, false]) {
      const opening = { from: -0.4, to: 0.6, peak: 0.3 }
      plainKernels.smear(out, a, ways, depths ? d : undefined, lists, opening)
      fast.smear(fastOut, fa, fastWays, depths ? fd : undefined, lists, opening)
      // Random motion stands on edges everywhere: pixels that take the other side of one are few, or one.
      let apart = 0
      out.data.forEach((v, i) => (apart += Math.abs(v - fastOut.data[i]!) > 1e-4 ? 1 : 0))
      expect(apart).toBeLessThan(Math.max(4 + 1, 0.04 * out.data.length))
    }
    store.release(fastWays)
    for (const p of [fa, fb, fd, fastOut]) store.release(p)
  })
})
