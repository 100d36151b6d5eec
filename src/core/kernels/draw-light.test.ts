import { describe, expect, test } from 'vitest'
import { plainPicture, plainStore, type Picture } from '../picture/picture.ts'
import { castRays, drawSpikes, raysOver, type RayShape, type Spike } from './draw-light.ts'
import { lineTaps, profileTaps, type Taps, weightsOf } from './line-profile.ts'
import { plainKernels } from './plain-kernels.ts'
import { createLoneKernels } from './wasm-kernels.ts'
import { gaussianBlur } from './pyramid.ts'

const { kernels, store } = createLoneKernels(512)
const fast = { kernels, store }

/** Soft lights of several sizes and colours on black. */
function lights(width: number, height: number, softness = 1): Picture {
  const picture = store.allocate(width, height, 4)
  picture.data.fill(0)
  const spots = [
    [0.31, 0.42, 6, 3, 1],
    [0.62, 0.55, 1, 4, 2],
    [0.5, 0.2, 3, 3, 3],
    [0.77, 0.81, 9, 2, 5],
  ] as const
  for (const [x, y, r, g, b] of spots)
    for (let j = -1; j <= 1; j++)
      for (let i = -1; i <= 1; i++) {
        const [px, py] = [Math.floor(x * width) + i, Math.floor(y * height) + j]
        if (px >= 0 && py >= 0 && px < width && py < height)
          picture.data.set([r, g, b, 0], (py * width + px) * 4)
      }
  gaussianBlur(picture, picture, softness, fast)
  return picture
}

/** Value between the centres of pixels, 0 outside. */
function sampled(src: Picture, x: number, y: number, c: number): number {
  const [u, v] = [x - 0.5, y - 0.5]
  const [ix, iy] = [Math.floor(u), Math.floor(v)]
  const at = (sx: number, sy: number) =>
    sx < 0 || sy < 0 || sx >= src.width || sy >= src.height ? 0 : src.data[(sy * src.width + sx) * 4 + c]!
  const top = at(ix, iy) + (at(ix + 1, iy) - at(ix, iy)) * (u - ix)
  const bottom = at(ix, iy + 1) + (at(ix + 1, iy + 1) - at(ix, iy + 1)) * (u - ix)
  return top + (bottom - top) * (v - iy)
}

/** The integral along a line by 1,024 samples at their middles. */
function integral(
  src: Picture,
  x: number,
  y: number,
  dx: number,
  dy: number,
  length: number,
  exponent: number,
  c: number,
) {
  const samples = 1024
  let sum = 0
  for (let i = 0; i < samples; i++) {
    const s = (i + 0.5) / samples
    sum += sampled(src, x - dx * s * length, y - dy * s * length, c) * (1 - s) ** exponent
  }
  return (sum * length) / samples
}

/** Root of the mean squared difference over a grid of pixels, as a share of the reference's peak. */
function rmsShare(out: Picture, reference: (x: number, y: number, c: number) => number): number {
  let [sum, count, peak] = [0, 0, 0]
  for (let y = 1; y < out.height; y += 5)
    for (let x = 1; x < out.width; x += 5)
      for (let c = 0; c < 3; c++) {
        const wanted = reference(x + 0.5, y + 0.5, c)
        sum += (out.data[(y * out.width + x) * 4 + c]! - wanted) ** 2
        peak = Math.max(peak, wanted)
        count++
      }
  return Math.sqrt(sum / count) / peak
}

describe('profiles', () => {
  test.each([0, 0.5, 1, 1.5, 2, 4])('of exponent %f follow their curve and keep its area', (exponent) => {
    for (const length of [3.3, 40, 700.7]) {
      const weights = weightsOf(profileTaps(length, exponent))
      const sum = weights.reduce((a, b) => a + b)
      expect(sum / (length / (exponent + 1))).toBeCloseTo(1, 2)
      // Half a sample at the source itself, then the curve; to the end where it has a hard one.
      if (length > 10)
        for (let t = 3; t < length - 2; t++)
          expect(Math.abs(weights[t]! - (1 - t / length) ** exponent), `${t}`).toBeLessThan(0.005)
    }
  })
  test('have a handful of taps however long they are, and none without a length', () => {
    expect(profileTaps(5000, 2).length).toBeLessThan(16)
    expect(profileTaps(5000, 3.3).length).toBeLessThan(20)
    expect(profileTaps(0, 2)).toEqual([])
  })
  test('change without a jump with the length', () => {
    for (let length = 5; length < 9; length += 0.1) {
      const [a, b] = [weightsOf(profileTaps(length, 0)), weightsOf(profileTaps(length + 0.001, 0))]
      for (let t = 0; t < 10; t++) expect(Math.abs((a[t] ?? 0) - (b[t] ?? 0))).toBeLessThan(0.002)
    }
  })
})

const origins: [string, [number, number]][] = [
  ['inside', [70.3, 31.8]],
  ['on a pixel border at the edge', [0, 50]],
  ['outside', [-60, 230]],
]

describe('rays', () => {
  const [width, height] = [161, 97]
  const cast = (light: Picture, shape: Partial<RayShape>) => {
    const out = store.allocate(light.width, light.height, 4)
    castRays(out, light, { origin: [70.3, 31.8], length: 60, exponent: 1, gain: 1, ...shape }, fast)
    return out
  }
  test.each(origins)('from %s are within 0.5 % of the peak of an integral by 1,024 samples', (_, origin) => {
    const light = lights(width, height)
    for (const exponent of [0, 1, 2]) {
      const out = cast(light, { origin, exponent, length: 45 })
      const error = rmsShare(out, (x, y, c) => {
        const r = Math.hypot(x - origin[0], y - origin[1])
        const [dx, dy] = [(x - origin[0]) / r, (y - origin[1]) / r]
        // What lies beyond the origin belongs to the ray the other way.
        return integral(light, x, y, dx, dy, Math.min(45, r), 0, c) === 0
          ? 0
          : Array.from({ length: 1024 }, (__, i) => ((i + 0.5) / 1024) * 45)
              .filter((t) => t <= r)
              .reduce(
                (sum, t) => sum + sampled(light, x - dx * t, y - dy * t, c) * (1 - t / 45) ** exponent,
                0,
              ) *
              (45 / 1024)
      })
      expect(error).toBeLessThan(0.005)
    }
  })
  test('a point gives no light towards the origin nor beyond its length; exponent 0 is constant, 1 linear', () => {
    const light = store.allocate(300, 41, 4)
    light.data.fill(0)
    for (let y = 18; y < 23; y++)
      for (let x = 58; x < 63; x++) light.data.fill(1, (y * 300 + x) * 4, (y * 300 + x) * 4 + 3)
    const along = (exponent: number) => {
      const out = cast(light, { origin: [20.5, 20.5], exponent, length: 200 })
      return (x: number) => out.data[(20 * 300 + x) * 4]!
    }
    const [flat, linear] = [along(0), along(1)]
    for (let x = 0; x < 56; x++) expect(flat(x)).toBeCloseTo(0, 6)
    for (const x of [70, 120, 200, 255]) expect(flat(x)).toBeCloseTo(5, 1)
    expect(flat(265)).toBeCloseTo(0, 6)
    for (const x of [80, 160, 240]) expect(linear(x)).toBeCloseTo(5 * (1 - (x - 60) / 200), 1)
  })
  test('are symmetric about their origin', () => {
    const light = store.allocate(101, 101, 4)
    for (let i = 0; i < 101 * 101; i++) {
      const r = Math.hypot((i % 101) - 50, Math.floor(i / 101) - 50)
      light.data.fill(r < 8 ? 1 : 0, i * 4, i * 4 + 4)
    }
    const out = cast(light, { origin: [50.5, 50.5], length: 30 })
    const at = (x: number, y: number) => out.data[((50 + y) * 101 + 50 + x) * 4]!
    for (const [x, y] of [
      [12, 3],
      [20, 20],
      [5, 30],
    ] as const)
      for (const other of [at(-x, y), at(x, -y), at(y, x), at(-y, -x)])
        expect(Math.abs(other - at(x, y))).toBeLessThan(0.02)
  })
  test('what stands in the way takes the light behind it, in its share', () => {
    const light = store.allocate(200, 21, 4)
    light.data.fill(0)
    for (let y = 0; y < 21; y++) light.data.fill(1, (y * 200 + 20) * 4, (y * 200 + 24) * 4)
    const wall = (value: number) => {
      const occluder = store.allocate(200, 21, 1)
      occluder.data.forEach((_, i) => {
        occluder.data[i] = i % 200 >= 60 && i % 200 < (value === 1 ? 63 : 61) ? value : 0
      })
      const out = cast(light, { origin: [-1000, 10.5], length: 150, exponent: 0, occluder })
      return [50, 100].map((x) => out.data[(10 * 200 + x) * 4]!)
    }
    expect(wall(0)[1]).toBeCloseTo(4, 1)
    expect(wall(1)[0]).toBeCloseTo(4, 1)
    expect(wall(1)[1]).toBeLessThan(0.05)
    expect(wall(0.5)[1]).toBeCloseTo(2, 2)
  })
  test('nothing gets through a wall one pixel wide, however it runs and wherever the rays cross it', () => {
    const light = store.allocate(121, 121, 4)
    light.data.fill(0)
    for (let y = 52; y < 69; y++)
      for (let x = 52; x < 69; x++) light.data.fill(10, (y * 121 + x) * 4, (y * 121 + x) * 4 + 3)
    // A ring of single pixels around the light: each step of it upright, level or slanted.
    const occluder = store.allocate(121, 121, 1)
    const isWall = (x: number, y: number) => Math.round(Math.hypot(x - 60.2, y - 59.7)) === 30
    occluder.data.forEach((_, i) => {
      occluder.data[i] = isWall(i % 121, Math.floor(i / 121)) ? 1 : 0
    })
    for (const origin of [
      [60.5, 60.5],
      [60.1, 59.3],
    ] as [number, number][]) {
      const open = cast(light, { origin, length: 200, exponent: 0 })
      const blocked = cast(light, { origin, length: 200, exponent: 0, occluder })
      let [worst, through] = [0, 0]
      for (let i = 0; i < 121 * 121; i++) {
        const from = Math.hypot((i % 121) - 60.2, Math.floor(i / 121) - 59.7)
        if (from < 32.5 || from > 55) continue
        worst = Math.max(worst, blocked.data[i * 4]! / open.data[i * 4]!)
        through++
      }
      expect(through).toBeGreaterThan(3000)
      expect(worst).toBeLessThan(0.002)
    }
  })
  test('from an origin at infinity, of no length, on one pixel: defined', () => {
    for (const origin of [
      [1e30, -1e30],
      [0, 0],
      [80, 48.5],
    ] as [number, number][])
      for (const length of [0, 0.2, 1e6])
        for (const [w, h] of [
          [1, 1],
          [3, 2],
          [161, 97],
        ] as const)
          expect(cast(lights(w, h), { origin, length }).data.every(Number.isFinite)).toBe(true)
    expect(raysOver(1920, 1080, [960, 540]).count).toBeGreaterThan(3400)
  })
})

describe('spikes', () => {
  const [width, height] = [121, 89]
  const shape = { exponent: 1.5, gain: 1, colourSpread: 0 }
  const drawn = (light: Picture, spikes: readonly Spike[], more = {}) => {
    const out = store.allocate(light.width, light.height, 4)
    drawSpikes(out, light, spikes, { ...shape, ...more }, fast)
    return out
  }
  test.each([0, 17, 45, 63.4, 90, 121, 180, 205, 270, 333])(
    'at %f° are within 0.5 % of the peak of an integral by 1,024 samples',
    (angle) => {
      const light = lights(width, height, 0.8)
      const [dx, dy] = [Math.cos((angle * Math.PI) / 180), Math.sin((angle * Math.PI) / 180)]
      const out = drawn(light, [{ angle, length: 50 }])
      expect(rmsShare(out, (x, y, c) => integral(light, x, y, dx, dy, 50, 1.5, c))).toBeLessThan(0.005)
    },
  )
  test('are smooth along any angle: no copies, no steps', () => {
    const light = store.allocate(401, 401, 4)
    light.data.fill(0)
    light.data.fill(100, (200 * 401 + 200) * 4, (200 * 401 + 200) * 4 + 3)
    gaussianBlur(light, light, 0.8, fast)
    for (const angle of [3, 22.5, 38, 71]) {
      const out = drawn(light, [{ angle, length: 180 }], { exponent: 1 })
      // All light of a column (a row, where it is steep): it falls as a straight line does, and so does its brightest pixel.
      const isSteep = angle > 45
      const per = isSteep ? Math.sin((angle * Math.PI) / 180) : Math.cos((angle * Math.PI) / 180)
      const across = (t: number) =>
        Array.from(
          { length: 401 },
          (_, s) => out.data[(isSteep ? (200 + t) * 401 + s : s * 401 + 200 + t) * 4]!,
        )
      const sum = (t: number) => across(t).reduce((a, b) => a + b)
      const reach = 180 * per
      for (let t = 10; t < reach - 10; t++) {
        expect(sum(t) / sum(5), `${angle} ${t}`).toBeCloseTo((1 - t / reach) / (1 - 5 / reach), 2)
        expect(Math.max(...across(t)) / sum(t), `${angle} ${t}`).toBeGreaterThan(0.25)
      }
    }
  })
  test('with spread colours red reaches farther than blue, and each keeps its light', () => {
    const light = store.allocate(301, 31, 4)
    light.data.fill(0)
    light.data.fill(50, (15 * 301 + 20) * 4, (15 * 301 + 20) * 4 + 3)
    const out = drawn(light, [{ angle: 0, length: 200 }], { colourSpread: 1 })
    const sums = [0, 1, 2].map((c) => out.data.reduce((sum, v, i) => (i % 4 === c ? sum + v : sum), 0))
    expect(sums[0]! / sums[1]!).toBeCloseTo(1, 2)
    expect(sums[2]! / sums[1]!).toBeCloseTo(1, 2)
    const at = (x: number) => Array.from(out.data.slice((15 * 301 + x) * 4, (15 * 301 + x) * 4 + 3))
    expect(at(225)[0]).toBeGreaterThan(0)
    for (const v of at(225).slice(1)) expect(Math.abs(v)).toBeLessThan(1e-9)
  })
})

describe.each([
  [1, 1],
  [2, 1],
  [3, 7],
  [23, 17],
])('the fast lines equal their plain twins at %i × %i', (width, height) => {
  const both = (
    work: (
      out: Picture,
      src: Picture,
      by: { kernels: typeof plainKernels; store: typeof plainStore },
      occluder: Picture,
    ) => void,
  ) => {
    const make = (take: (w: number, h: number, c: 1 | 4) => Picture) => {
      const [src, out, occluder] = [take(width, height, 4), take(width, height, 4), take(width, height, 1)]
      src.data.forEach((_, i) => {
        src.data[i] = ((i * 7919) % 13) / 4
      })
      occluder.data.forEach((_, i) => {
        occluder.data[i] = [0, 0, 0.4, 0, 1][i % 5]!
      })
      return { src, out, occluder }
    }
    const a = make((w, h, c) => plainPicture(w, h, c))
    const b = make((w, h, c) => store.allocate(w, h, c))
    work(a.out, a.src, { kernels: plainKernels, store: plainStore }, a.occluder)
    work(b.out, b.src, fast, b.occluder)
    a.out.data.forEach((v, i) => {
      expect(Math.abs(v - b.out.data[i]!)).toBeLessThan(2e-3 * Math.max(1, Math.abs(v)))
    })
    for (const p of Object.values(b)) store.release(p)
  }
  test('rays, with and without something in the way', () => {
    for (const origin of [
      [width / 3, height / 2],
      [-9, 4],
    ] as [number, number][])
      for (const isBlocked of [false, true])
        both((out, src, by, occluder) => {
          castRays(
            out,
            src,
            {
              origin,
              length: 8.3,
              exponent: 1.4,
              gain: 0.5,
              occluder: isBlocked ? occluder : undefined,
              gainAt: (a) => 1 + Math.sin(a) / 2,
            },
            by,
          )
        })
  })
  test('spikes all round, with spread colours and without', () => {
    for (const colourSpread of [0, 0.7])
      both((out, src, by) => {
        drawSpikes(
          out,
          src,
          [0, 40, 90, 130, 220].map((angle) => ({ angle, length: 6.5 })),
          { exponent: 1, gain: 1, colourSpread },
          by,
        )
      })
  })
  test('levels of light', () => {
    both((out, src, { kernels: k }) => {
      k.lightLevels(out, src, 0.3, 1.6, 1.8)
    })
    both((out, src, { kernels: k }) => {
      k.lightLevels(out, src, 0, 1, 1)
    })
  })
})

test('few lights, at corners and borders too, near and far beyond the picture', () => {
  const lights = [
    [0, 0, 9000],
    [89, 67, 2],
    [63, 64, 30],
    [64, 31, 5],
    [89, 0, 0.5],
    [20, 66, 700],
  ] as const
  for (const [length, exponent, colourSpread] of [
    [6.5, 1, 0],
    [40, 1.5, 0.7],
    [300, 0.5, 0.4],
  ] as const) {
    const drawn = ([{ kernels: plainKernels, store: plainStore }, fast] as const).map((by) => {
      const [src, out, rays] = [0, 1, 2].map(() => by.store.allocate(90, 68, 4)) as [
        Picture,
        Picture,
        Picture,
      ]
      src.data.fill(0)
      for (const [x, y, light] of lights) src.data.set([light, light / 2, light / 3, light], (y * 90 + x) * 4)
      const spikes = [
        [0, 1],
        [180, 0.6],
        [37, 1],
        [90, 1],
        [250, 0.3],
      ].map(([angle, part]) => ({ angle: angle!, length: length * part! }))
      drawSpikes(out, src, spikes, { exponent, gain: 1, colourSpread }, by)
      castRays(rays, src, { origin: [40.2, -4], length, exponent, gain: 0.5 }, by)
      return [Float32Array.from(out.data), Float32Array.from(rays.data)] as const
    })
    for (const which of [0, 1] as const)
      drawn[0]![which].forEach((v, i) => {
        // Beside the brightest light its own rounding remains, and what its profile is rounded off by where it is long.
        expect(Math.abs(v - drawn[1]![which][i]!)).toBeLessThan(
          2e-3 * Math.max(1, Math.abs(v)) + (length > 10 ? 1e-3 : 1e-6) * 9000,
        )
      })
  }
})

test.each([
  ['inside', [70.3, 31.8]],
  ['at the edge', [0, 50]],
  ['outside', [-60, 230]],
  ['far left', [-700, 40]],
  ['in a part', [90, 60]],
] as [string, [number, number]][])(
  'rays from %s are left out near their origin as the twin leaves them out',
  (name, origin) => {
    const [width, height] = [151, 107]
    const random = (seed: number) => {
      let state = seed
      return () => (state = (Math.imul(state, 1664525) + 1013904223) >>> 0) / 2 ** 32
    }
    const whole = name === 'in a part' ? { size: [400, 300], from: [120, 90] } : undefined
    for (const [length, exponent] of [
      [30, 0.5],
      [90, 1.5],
      [900, 2],
    ] as const) {
      const [plain, quick] = ([{ kernels: plainKernels, store: plainStore }, fast] as const).map((by) => {
        const [src, out] = [by.store.allocate(width, height, 4), by.store.allocate(width, height, 4)]
        const next = random(5)
        for (let i = 0; i < src.data.length; i++) src.data[i] = next() < 0.8 ? 0 : next() * 4
        const shape = { origin, length, exponent, gain: 1, gainAt: (a: number) => 1 + Math.sin(9 * a) / 2 }
        castRays(out, src, { ...shape, whole: whole as never }, by)
        return Float32Array.from(out.data)
      }) as [Float32Array, Float32Array]
      const peak = plain.reduce((most, v) => Math.max(most, v), 0)
      expect(peak).toBeGreaterThan(5)
      let worst = 0
      plain.forEach((v, i) => {
        worst = Math.max(worst, Math.abs(v - quick[i]!))
      })
      expect(worst / peak, `${length}`).toBeLessThan(2e-3)
    }
  },
)

describe('long lines, looked up at nodes,', () => {
  /** A row of lights through the kernel, and as the weights of its profiles say. */
  const both = (
    lights: readonly (readonly [x: number, value: number])[],
    width: number,
    nodes: number,
    ahead?: Taps,
    behind?: Taps,
  ) => {
    const [src, out] = [store.allocate(width, 1, 4), store.allocate(width, 1, 4)]
    const lit = store.allocate(Math.ceil(width / 64), 1, 1)
    src.data.fill(0)
    for (const [x, value] of lights) src.data.set([value, value, value, value], x * 4)
    kernels.litTiles(lit, src)
    kernels.streakLines(out, src, lit, { slope: 0, first: 0, isSteep: false }, nodes, ahead, behind)
    const wanted = [0, 1, 2, 3].map((c) => {
      const line = new Float64Array(width)
      for (const [way, taps] of [
        [1, ahead],
        [-1, behind],
      ] as const) {
        const own = taps?.[taps.length === 3 ? c : 0]
        if (own)
          for (const [t, weight] of weightsOf(own).entries())
            for (const [x, value] of lights) {
              const at = x + way * t
              if (at >= 0 && at < width) line[at]! += weight * value
            }
      }
      return line
    })
    const made = Float32Array.from(out.data)
    for (const picture of [src, out, lit]) store.release(picture)
    return {
      at: (x: number, c: number) => made[x * 4 + c]!,
      wanted: (x: number, c: number) => wanted[c]![x]!,
    }
  }
  const next = (seed: number) => {
    let state = seed
    return () => {
      state = (Math.imul(state, 1664525) + 1013904223) >>> 0
      return state / 2 ** 32
    }
  }
  test('are within 0.4 % of the peak of a single light, whatever their length, exponent, colours and place', () => {
    const random = next(7)
    const steps = new Set<number>()
    for (let run = 0; run < 120; run++) {
      const width = 40 + Math.floor(random() * 1500)
      const exponent = random() < 0.2 ? 1 : random() * 4
      const length = 3 + random() ** 2 * 1400
      const isSpread = random() < 0.5
      const taps = (way: 1 | -1): Taps => {
        const of = (scale: number) => profileTaps(length * scale, exponent, 1 / scale, way)
        return isSpread ? [of(1.1), of(1), of(0.85)] : [of(1)]
      }
      const [ahead, behind] = [random() < 0.8 ? taps(1) : undefined, random() < 0.6 ? taps(-1) : undefined]
      steps.add(lineTaps(ahead, behind).step)
      const x = Math.floor(random() * width)
      const { at, wanted } = both([[x, 3]], width, Math.floor(random() * 40) - 20, ahead, behind)
      let worst = 0
      for (let i = 0; i < width; i++)
        for (let c = 0; c < (isSpread ? 3 : 4); c++)
          worst = Math.max(worst, Math.abs(at(i, c) - wanted(i, c)))
      expect(worst, `${length} ${exponent} ${width} ${x}`).toBeLessThan(3 * 0.004)
      if (isSpread) for (let i = 0; i < width; i++) expect(at(i, 3)).toBe(0)
    }
    expect([...steps].toSorted((a, b) => a - b)).toEqual([4, 8, 16])
  })
  test('keep their light, and many lights beside each other are nearer still', () => {
    const random = next(11)
    for (const length of [90, 200, 700]) {
      const lights = Array.from({ length: 400 }, (_, i) => [1200 + i, 1 + random()] as const)
      const { at, wanted } = both(
        lights,
        2800,
        3,
        [profileTaps(length, 1.5)],
        [profileTaps(length * 0.7, 2, 1, -1)],
      )
      let [made, all, worst, peak] = [0, 0, 0, 0]
      for (let x = 0; x < 2800; x++) {
        made += at(x, 1)
        all += wanted(x, 1)
        worst = Math.max(worst, Math.abs(at(x, 1) - wanted(x, 1)))
        peak = Math.max(peak, wanted(x, 1))
      }
      expect(Math.abs(made / all - 1)).toBeLessThan(1e-3)
      expect(worst / peak).toBeLessThan(1e-3)
    }
  })
  test('leave nothing behind a bright light, and no light where there is none', () => {
    const { at } = both(
      [
        [400, 60000],
        [900, 0.01],
      ],
      1400,
      5,
      [profileTaps(300, 2)],
      [profileTaps(250, 1.5, 1, -1)],
    )
    for (let x = 720; x < 1300; x++) expect(at(x, 0), `${x}`).toBeLessThan(0.0101)
    for (let x = 1216; x < 1400; x++) expect(Math.abs(at(x, 0))).toBeLessThan(1e-7)
    expect(at(902, 0)).toBeCloseTo(0.00987, 5)
    for (let x = 0; x < 130; x++) expect(Math.abs(at(x, 0))).toBeLessThan(1e-7)
  })
})

describe('in a part of a picture, of light that lies in the part,', () => {
  const [width, height] = [211, 140]
  const [left, top, across, down] = [96, 32, 83, 77]
  const whole = store.allocate(width, height, 4)
  const part = store.allocate(across, down, 4)
  whole.data.fill(0)
  for (const [x, y, r, g, b] of [
    [103, 40, 6, 3, 1],
    [141, 71, 1, 40, 2],
    [150, 99, 3, 3, 9],
  ] as const)
    whole.data.set([r, g, b, 0], (y * width + x) * 4)
  const row = (y: number) => ((y + top) * width + left) * 4
  for (let y = 0; y < down; y++)
    part.data.set(whole.data.subarray(row(y), row(y) + across * 4), y * across * 4)
  const out = [store.allocate(width, height, 4), store.allocate(across, down, 4)] as const
  const worst = () => {
    const [all, own] = out
    const peak = all.data.reduce((most, v) => Math.max(most, v), 0)
    expect(peak).toBeGreaterThan(0.01)
    return (
      Math.max(
        ...own.data.map((v, i) =>
          Math.abs(v - all.data[row(Math.floor(i / (across * 4))) + (i % (across * 4))]!),
        ),
      ) / peak
    )
  }
  test.each([
    ...origins,
    ['within the part', [131.7, 60.2]],
    ['at its corner', [96, 32]],
    ['left of it', [20.3, 90.1]],
    ['far below', [400, 9000]],
    ['at infinity', [-1e30, 1e29]],
  ] as [string, [number, number]][])('rays from %s are those of the whole', (_, origin) => {
    const shape = {
      length: 90,
      exponent: 1,
      gain: 1,
      gainAt: (angle: number) => 1 + 0.5 * Math.sin(7 * angle),
    }
    castRays(out[0], whole, { ...shape, origin }, fast)
    const own: [number, number] = [origin[0] - left, origin[1] - top]
    castRays(
      out[1],
      part,
      { ...shape, origin: own, whole: { size: [width, height], from: [left, top] } },
      fast,
    )
    // Angles are floats: nine thousand pixels away their last place is a hundredth of one.
    expect(worst()).toBeLessThan(5e-4)
  })
  test.each([0, 17, 63.4, 90, 205, 270, 301.9])('spikes at %f° are too', (angle) => {
    const spikes = [{ angle, length: 60 }]
    const shape = { exponent: 1.5, gain: 1, colourSpread: 0.4 }
    drawSpikes(out[0], whole, spikes, shape, fast)
    drawSpikes(out[1], part, spikes, { ...shape, from: [left, top] }, fast)
    expect(worst()).toBeLessThan(1e-3)
  })
})
