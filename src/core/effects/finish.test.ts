import { describe, expect, test } from 'vitest'
import { defaultDials, findEffect } from './registry.ts'
import { kernels, picture, single, store, tried } from './try-effect.ts'

// The last steps against what is known without them: exact moments, closed forms and laws of physics.

/** How much of a pixel a disc covers, by 8 × 8 points. */
function discCover(cx: number, cy: number, r: number, x: number, y: number): number {
  if (Math.hypot(x + 0.5 - cx, y + 0.5 - cy) > r + 1) return 0
  if (Math.hypot(x + 0.5 - cx, y + 0.5 - cy) < r - 1) return 1
  let inside = 0
  for (let j = 0; j < 8; j++)
    for (let i = 0; i < 8; i++) if (Math.hypot(x + (i + 0.5) / 8 - cx, y + (j + 0.5) / 8 - cy) < r) inside++
  return inside / 64
}

interface Disc {
  readonly at: readonly [number, number]
  readonly r: number
  readonly way: readonly [number, number]
  readonly colour: readonly [number, number, number]
  readonly depth: number
}

const [width, height] = [128, 96]
/** Discs over each other, the nearest on top, some time after the frame; behind them a ground, or nothing. */
function scene(discs: readonly Disc[], t: number, ground?: readonly number[]): Float64Array {
  const out = new Float64Array(width * height * 4)
  const byDepth = discs.toSorted((a, b) => b.depth - a.depth)
  for (let p = 0; p < width * height; p++) {
    const [x, y] = [p % width, Math.floor(p / width)]
    let here = ground ? [...ground] : [0, 0, 0, 0]
    for (const { at, r, way, colour } of byDepth) {
      const a = discCover(at[0] + way[0] * t, at[1] + way[1] * t, r, x, y)
      here = [...colour, 1].map((v, c) => v * a + here[c]! * (1 - a))
    }
    out.set(here, p * 4)
  }
  return out
}

/** The mean of so many exact moments. */
function exposed(
  discs: readonly Disc[],
  from: number,
  to: number,
  ground?: readonly number[],
  count = 256,
): Float64Array {
  const sum = new Float64Array(width * height * 4)
  for (let i = 0; i < count; i++)
    scene(discs, from + ((i + 0.5) / count) * (to - from), ground).forEach((v, k) => (sum[k]! += v / count))
  return sum
}

function smeared(
  discs: readonly Disc[],
  dials: Record<string, number>,
  ground?: readonly number[],
  hasDepth = true,
) {
  const now = scene(discs, 0, ground)
  const src = picture(width, height, (x, y) => [
    ...now.subarray((y * width + x) * 4, (y * width + x) * 4 + 4),
  ])
  const front = (x: number, y: number) =>
    discs.toSorted((a, b) => a.depth - b.depth).find(({ at, r }) => discCover(at[0], at[1], r, x, y) > 0)
  const motion = picture(width, height, (x, y) => [...(front(x, y)?.way ?? [0, 0]), 0, 1])
  const depth = single(width, height, (x, y) => front(x, y)?.depth ?? 3.4e38)
  const out = tried('motion-blur', src, dials, hasDepth ? { motion, depth } : { motion })
  return { out, src }
}

/** Root mean square of what two differ by, over the peak. */
function rms(a: ArrayLike<number>, b: ArrayLike<number>, peak: number, channel?: number): number {
  let [sum, count] = [0, 0]
  for (let i = 0; i < a.length; i++)
    if (channel === undefined || i % 4 === channel) {
      sum += (a[i]! - b[i]!) ** 2
      count++
    }
  return Math.sqrt(sum / count) / peak
}

describe('motion blur', () => {
  const disc: Disc = { at: [60.3, 47.8], r: 15.2, way: [52, -21], colour: [3, 1, 0.2], depth: 5 }
  test.each([[[52, -21]], [[-3, 44]], [[0.6, 0]], [[30, 30]]] as const)(
    'smears a disc that goes by %j a frame as 256 exact moments do, colour and alpha alike',
    (way) => {
      const one = { ...disc, way }
      const { out } = smeared([one], { shutter: 270, opens: -120 })
      const exact = exposed([one], -120 / 360, 150 / 360)
      expect(rms(out, exact, 3)).toBeLessThan(0.01)
      expect(rms(out, exact, 1, 3)).toBeLessThan(0.01)
      for (let i = 0; i < out.length; i += 4) expect(out[i]!).toBeCloseTo(3 * out[i + 3]!, 4)
    },
  )
  test('on a ground that stands still, and with a pass that moves all of it', () => {
    const exact = exposed([disc], -0.25, 0.25, [0.2, 0.3, 0.4, 1])
    const { out } = smeared([disc], { shutter: 180, opens: -90 }, [0.2, 0.3, 0.4, 1])
    expect(rms(out, exact, 3)).toBeLessThan(0.01)
    for (let i = 3; i < out.length; i += 4) expect(out[i]!).toBeCloseTo(1, 5)
  })
  test('two discs that cross stay in front of each other by depth', () => {
    const discs: Disc[] = [
      { at: [44, 37], r: 14, way: [40, 10], colour: [1, 0.1, 0.1], depth: 3 },
      { at: [70, 52], r: 12, way: [-10, -34], colour: [0.1, 1, 0.3], depth: 8 },
    ]
    const exact = exposed(discs, -0.3, 0.3, undefined, 96)
    const { out } = smeared(discs, { shutter: 216, opens: -108 })
    expect(rms(out, exact, 1)).toBeLessThan(0.01)
    expect(rms(out, exact, 1, 3)).toBeLessThan(0.01)
    // The near one is never seen through the far one: with their distances changed round the picture is another.
    const turned = discs.map((d, i) => ({ ...d, depth: [8, 3][i]! }))
    expect(
      rms(smeared(turned, { shutter: 216, opens: -108 }).out, exposed(turned, -0.3, 0.3, undefined, 96), 1),
    ).toBeLessThan(0.01)
    expect(rms(out, exposed(turned, -0.3, 0.3, undefined, 96), 1)).toBeGreaterThan(0.012)
  })
  test('a picture that turns and grows smears as 256 moments of its formula do, whatever each pixel’s own way is', () => {
    // A picture with a formula, soft enough to be known between pixels; each pixel goes its own way.
    const shade = (x: number, y: number, c: number) => 1 + Math.sin(x / (4 + c)) * Math.cos(y / (5 + c / 2))
    const [cx, cy, turn, grow] = [61.3, 50.2, 0.5, 0.15]
    // Where what is at a place was, a time before: turned and scaled about a point, straight on as a vector says.
    const way = (x: number, y: number) =>
      [grow * (x - cx) - turn * (y - cy), turn * (x - cx) + grow * (y - cy)] as const
    const src = picture(width, height, (x, y) => [0, 1, 2].map((c) => shade(x + 0.5, y + 0.5, c)).concat(1))
    const motion = picture(width, height, (x, y) => [...way(x + 0.5, y + 0.5), 0, 1])
    const out = tried('motion-blur', src, { shutter: 216, opens: -108 }, { motion })
    let [sum, count, moved] = [0, 0, 0]
    for (let y = 24; y < height - 24; y++)
      for (let x = 24; x < width - 24; x++)
        for (const c of [0, 1, 2]) {
          let exact = 0
          for (let m = 0; m < 256; m++) {
            const t = -0.3 + (0.6 * (m + 0.5)) / 256
            // p = q + t · way(q) solved for q, by the inverse of a 2 × 2 matrix.
            const [a, b] = [1 + t * grow, t * turn]
            const [px, py] = [x + 0.5 - cx, y + 0.5 - cy]
            const det = a * a + b * b
            exact += shade(cx + (a * px + b * py) / det, cy + (a * py - b * px) / det, c) / 256
          }
          const i = (y * width + x) * 4 + c
          sum += (out[i]! - exact) ** 2
          moved += (src.data[i]! - exact) ** 2
          count++
        }
    expect(Math.sqrt(moved / count)).toBeGreaterThan(0.05)
    expect(Math.sqrt(sum / count) / 2).toBeLessThan(0.01)
  })
  test.each([0.3, 1.4, 2.6, 3.5, 7.2, 23.7, 40])(
    'what moves as a whole by %d px is its mean along that way, with a sharp centre as it is weighed',
    (length) => {
      // A picture with a formula, so that no pixel is between others in the reference.
      const shade = (x: number, y: number, c: number) => 1 + Math.sin(x / (5 + c)) * Math.cos(y / (6 + c / 2))
      const src = picture(width, height, (x, y) => [0, 1, 2].map((c) => shade(x + 0.5, y + 0.5, c)).concat(1))
      for (const angle of [0, 20, 90, 160, 251])
        for (const centre of [0, 0.7]) {
          const [dx, dy] = [
            length * Math.cos((angle * Math.PI) / 180),
            length * Math.sin((angle * Math.PI) / 180),
          ]
          const motion = picture(width, height, () => [dx, dy, 0, 1])
          const out = tried('motion-blur', src, { shutter: 360, opens: -180, centre }, { motion })
          let most = 0
          for (let y = 26; y < height - 26; y += 7)
            for (let x = 26; x < width - 26; x += 5) {
              let [sum, weights] = [0, 0]
              for (let m = 0; m < 512; m++) {
                const s = (m + 0.5) / 512
                const weight = 1 - centre * Math.abs(2 * s - 1)
                weights += weight
                sum += weight * shade(x + 0.5 - dx * (s - 0.5), y + 0.5 - dy * (s - 0.5), 1)
              }
              most = Math.max(most, Math.abs(out[(y * width + x) * 4 + 1]! - sum / weights))
            }
          expect(most / 2, `${angle}° ${centre}`).toBeLessThan(0.01)
        }
    },
  )
  test('motion that is no number, infinite or as wide as the frame is held; a shutter of 0 changes nothing, one of 720 is two frames', () => {
    const src = picture(40, 30, (x, y) => [x / 40, y / 30, 1, 1])
    const wild = picture(40, 30, (x, y) => [
      [NaN, Infinity, -1e30, 4000][(x + y) % 4]!,
      x % 3 ? -1e9 : NaN,
      0,
      1,
    ])
    const out = tried('motion-blur', src, { longest: 12 }, { motion: wild })
    expect(out.every((v) => Number.isFinite(v) && v >= 0 && v <= 1.0001)).toBe(true)
    expect(tried('motion-blur', src, { shutter: 0 }, { motion: wild })).toEqual(src.data)
    const still = picture(40, 30, () => [0, 0, 0, 0])
    expect(tried('motion-blur', src, { shutter: 720 }, { motion: still })).toEqual(src.data)
    const point = picture(64, 1, (x) => [x === 32 ? 1 : 0, 0, 0, x === 32 ? 1 : 0])
    const along = picture(64, 1, () => [10, 0, 0, 1])
    const two = tried('motion-blur', point, { shutter: 720, opens: -360 }, { motion: along })
    expect(Array.from(two).filter((v, i) => i % 4 === 3 && v > 0.02).length).toBeLessThanOrEqual(21)
    expect(Array.from(two).reduce((sum, v, i) => sum + (i % 4 === 3 ? v : 0), 0)).toBeCloseTo(1, 3)
    expect(
      tried(
        'motion-blur',
        picture(1, 1, () => [2, 1, 0, 1]),
        {},
        { motion: picture(1, 1, () => [9, 9, 0, 1]) },
      ),
    ).toEqual(Float32Array.of(2, 1, 0, 1))
  })
})

/** Coordinates as colours: what moves them shows its ways. */
const places = (w: number, h: number) => picture(w, h, (x, y) => [x + 0.5, y + 0.5, 0, 1])
const at = (data: Float32Array, w: number, x: number, y: number, c: number) => data[(y * w + x) * 4 + c]!
/** How far each pixel went, from coordinates that were moved. */
const wayAt = (data: Float32Array, w: number, x: number, y: number): [number, number] => [
  x + 0.5 - at(data, w, x, y, 0),
  y + 0.5 - at(data, w, x, y, 1),
]

describe('noise warp', () => {
  const [w, h] = [160, 120]
  test('strength 0 and a hold of all give the input to the bit; a part that is held stays', () => {
    const src = picture(w, h, (x, y) => [((x * 7 + y) % 13) - 2, x * y, 1e4 / (x + 1), (x % 3) / 2])
    expect(tried('noise-warp', src, { strength: 0 })).toEqual(src.data)
    expect(tried('noise-warp', src, {}, { hold: single(w, h, () => 1) })).toEqual(src.data)
    const half = tried('noise-warp', src, { size: 20 }, { hold: single(w, h, (x) => (x < 80 ? 1 : 0)) })
    for (let i = 0; i < 79 * 4; i++) expect(half[w * 4 * 50 + i]).toBe(src.data[w * 4 * 50 + i])
    expect(half.slice(w * 4 * 50 + 400)).not.toEqual(src.data.slice(w * 4 * 50 + 400))
  })
  test('a field that is the same everywhere is the same as placing, whole pixels to the bit', () => {
    const src = picture(w, h, (x, y) => [Math.sin(x * 0.7) + y / 50, (x * y) % 3, x % 2, 1])
    for (const [dx, dy] of [
      [3, -2],
      [2.25, 0.6],
    ] as const) {
      const ways = { right: single(w, h, () => dx), down: single(w, h, () => dy) }
      const out = store.allocate(w, h, 4)
      kernels.warp(out, src, ways, undefined, 'empty')
      const placed = tried('place', src, { moveX: dx, moveY: dy, filter: 'cubic' })
      let worst = 0
      out.data.forEach((v, i) => (worst = Math.max(worst, Math.abs(v - placed[i]!))))
      expect(worst).toBeLessThan(Number.isInteger(dx) ? 1e-7 : 2e-5)
    }
  })
  test('swirling squeezes nothing: its divergence, by differences, is under 0.001 a pixel', () => {
    const out = tried('noise-warp', places(w, h), { swirl: true, size: 60, strength: 6, octaves: 1 })
    let [worst, far] = [0, 0]
    for (let y = 20; y < h - 20; y++)
      for (let x = 20; x < w - 20; x++) {
        // Central differences of fourth order, so that the difference itself is no divergence.
        const along = (dx: number, dy: number, c: 0 | 1) => {
          const f = (k: number) => wayAt(out, w, x + dx * k, y + dy * k)[c]
          return (8 * (f(1) - f(-1)) - (f(2) - f(-2))) / 12
        }
        worst = Math.max(worst, Math.abs(along(1, 0, 0) + along(0, 1, 1)))
        far = Math.max(far, Math.abs(along(1, 0, 0)))
      }
    expect(far).toBeGreaterThan(0.05)
    expect(worst).toBeLessThan(1e-3)
    // Without it, parts come together and go apart.
    const plain = tried('noise-warp', places(w, h), { size: 60, strength: 6, octaves: 1 })
    const [a, b] = [
      wayAt(plain, w, 81, 60)[0] - wayAt(plain, w, 79, 60)[0],
      wayAt(plain, w, 80, 61)[1] - wayAt(plain, w, 80, 59)[1],
    ]
    expect(Math.abs(a + b)).toBeGreaterThan(0.01)
  })
  test('along an angle parts move on that line only, and as far as the strength at most', () => {
    const out = tried('noise-warp', places(w, h), {
      way: 'along',
      angle: 30,
      strength: 9,
      size: 25,
      octaves: 3,
    })
    let far = 0
    for (let y = 15; y < h - 15; y += 5)
      for (let x = 15; x < w - 15; x += 5) {
        const [dx, dy] = wayAt(out, w, x, y)
        expect(dx * Math.sin(Math.PI / 6) - dy * Math.cos(Math.PI / 6)).toBeCloseTo(0, 1)
        far = Math.max(far, Math.hypot(dx, dy))
      }
    expect(far).toBeGreaterThan(2)
    expect(far).toBeLessThan(9)
  })
  test('what is squeezed keeps its mean: stripes of a pixel become grey, not other stripes', () => {
    const stripes = picture(w, h, (x) => [x % 2, x % 2, x % 2, 1])
    // To a quarter of its width, by a field that grows evenly.
    const ways = { right: single(w, h, (x) => -(x + 0.5 - 80) * 3), down: single(w, h, () => 0) }
    const out = store.allocate(w, h, 4)
    kernels.warp(out, stripes, ways, undefined, 'mirrored')
    for (let x = 64; x < 96; x++) expect(at(out.data, w, x, 60, 0)).toBeCloseTo(0.5, 1)
  })
  test('it changes from frame to frame as its speed says, and is the same again at the same time', () => {
    const effect = findEffect('noise-warp')!
    const made = (frame: number, dials: Record<string, number> = {}) => {
      const out = store.allocate(w, h, 4)
      const src = places(w, h)
      effect.apply({
        out,
        picture: src,
        feeds: {},
        dials: { ...defaultDials(effect), ...dials } as never,
        frame,
        rate: 24,
        prepared: undefined,
        reduction: 1,
        kernels,
        store,
      })
      return out.data
    }
    expect(made(3)).toEqual(made(3))
    expect(made(3)).not.toEqual(made(4))
    expect(made(3, { speed: 0 })).toEqual(made(40, { speed: 0 }))
    // Noise that only drifts is the same some pixels on.
    const [a, b] = [made(0, { speed: 0, driftX: 48 }), made(12, { speed: 0, driftX: 48 })]
    expect(wayAt(a, w, 60, 60)[0]).toBeCloseTo(wayAt(b, w, 84, 60)[0], 3)
  })
})

describe('the lens', () => {
  test('fringe keeps what is flat and the sum of light, and moves an edge at the corner as far as it says', () => {
    const flat = picture(60, 40, () => [0.7, 0.2, 3, 0.5])
    const out = tried('lens-fringe', flat, { amount: 6 })
    for (let i = 0; i < out.length; i++)
      expect(Math.abs(out[i]! - flat.data[i]!)).toBeLessThan(1e-3 * flat.data[i]!)
    expect(tried('lens-fringe', flat, { amount: 0 })).toEqual(flat.data)
    // White lights all over a larger picture.
    const [w, h] = [400, 300]
    const lights = picture(w, h, (x, y) =>
      x > 40 && y > 40 && x < w - 40 && y < h - 40 && (x * 31 + y * 17) % 97 === 0
        ? [5, 5, 5, 1]
        : [0, 0, 0, 0],
    )
    const sum = (data: Float32Array) => data.reduce((s, v, i) => s + (i % 4 < 3 ? v : 0), 0)
    expect(
      Math.abs(
        sum(tried('lens-fringe', lights, { amount: 2, centre: [w / 2, h / 2] })) / sum(lights.data) - 1,
      ),
    ).toBeLessThan(1e-3)
    // An edge across the way to the corner: where red, green and blue each cross the half, at half the diagonal.
    const [cx, cy, corner] = [w / 2, h / 2, Math.hypot(w, h) / 2]
    const [ux, uy] = [w / 2 / corner, h / 2 / corner]
    const edge = picture(w, h, (x, y) =>
      (x + 0.5 - cx) * ux + (y + 0.5 - cy) * uy < corner - 16 ? [1, 1, 1, 1] : [0, 0, 0, 1],
    )
    const fringed = tried('lens-fringe', edge, { amount: 5, growth: 1, centre: [cx, cy] })
    const crossing = (c: number) => {
      let total = 0
      for (let r = corner - 40; r < corner - 2; r += 0.25) {
        const [x, y] = [Math.floor(cx + ux * r), Math.floor(cy + uy * r)]
        total += at(fringed, w, x, y, c) * 0.25
      }
      return total - 24
    }
    const share = (corner - 16) / corner
    expect(crossing(0)).toBeCloseTo(5 * share, 0)
    expect(crossing(2)).toBeCloseTo(-5 * share, 0)
    expect(Math.abs(crossing(1))).toBeLessThan(0.3)
    expect(crossing(0) - crossing(2)).toBeGreaterThan(9)
  })
  test('vignette follows cos⁴ at three angles, and leaves the middle', () => {
    const [w, h] = [801, 3]
    const out = tried(
      'vignette',
      picture(w, h, () => [1, 1, 1, 1]),
      { field: 90, centre: [w / 2, h / 2], colour: [0, 0, 0] },
    )
    for (const degrees of [0, 20, 40]) {
      // A quarter turn is seen across: tan θ = r / (half the width).
      const x = Math.round(w / 2 + Math.tan((degrees * Math.PI) / 180) * (w / 2) - 0.5)
      const angle = Math.atan((x + 0.5 - w / 2) / (w / 2))
      expect(at(out, w, x, 1, 1)).toBeCloseTo(Math.cos(angle) ** 4, 5)
    }
    expect(at(out, w, 400, 1, 3)).toBe(1)
    const free = tried(
      'vignette',
      picture(200, 100, () => [2, 2, 2, 1]),
      { by: 'free', size: 50, roundness: 1, softness: 0, centre: [100, 50], colour: [0, 1, 0] },
    )
    const radius = Math.hypot(200, 100) / 4
    expect(at(free, 200, Math.floor(100 + radius - 2), 50, 0)).toBe(2)
    expect([
      at(free, 200, Math.floor(100 + radius + 2), 50, 0),
      at(free, 200, Math.floor(100 + radius + 2), 50, 1),
    ]).toEqual([0, 1])
  })
})

describe('grain', () => {
  const [w, h] = [256, 256]
  const made = (dials: Record<string, number>, frame = 1, level = 0.18, alpha = 1) => {
    const effect = findEffect('grain')!
    const src = picture(w, h, () => [level * alpha, level * alpha, level * alpha, alpha])
    const out = store.allocate(w, h, 4)
    effect.apply({
      out,
      picture: src,
      feeds: {},
      dials: { ...defaultDials(effect), ...dials } as never,
      frame,
      rate: 24,
      prepared: undefined,
      reduction: 1,
      kernels,
      store,
    })
    const data = out.data.slice()
    for (const p of [src, out]) store.release(p)
    return data
  }
  const channel = (data: Float32Array, c: number) =>
    Float64Array.from({ length: w * h }, (_, i) => data[i * 4 + c]!)
  const mean = (v: Float64Array) => v.reduce((a, b) => a + b, 0) / v.length
  const deviation = (v: Float64Array) => {
    const m = mean(v)
    return Math.sqrt(v.reduce((s, x) => s + (x - m) ** 2, 0) / v.length)
  }
  test.each([0, 1.3, 3])(
    'of size %d has the deviation that is asked for at three levels, and no mean',
    (size) => {
      const asked = { size, shadows: 0.01, middle: 0.02, lights: 0.05, colour: 1, blue: 1 }
      for (const [level, sigma] of [
        [0, 0.01],
        [0.18, 0.02],
        [1, 0.05],
        [9, 0.05],
      ] as const) {
        const data = made(asked, 5, level)
        for (const c of [0, 1, 2]) {
          // Coarser grain is fewer grains: its mean and deviation are known less well.
          const grains = (w * h) / Math.max(1, size * size * 3)
          expect(Math.abs(mean(channel(data, c)) - level)).toBeLessThan(
            Math.max(0.001 * level, (4 * sigma) / Math.sqrt(grains)),
          )
          expect(Math.abs(deviation(channel(data, c)) / sigma - 1)).toBeLessThan(0.06)
        }
      }
    },
  )
  test('brightness stays within 0.1 %, cover too, and empty parts stay empty', () => {
    const data = made({ middle: 0.01, colour: 0 })
    expect(Math.abs(mean(channel(data, 1)) / 0.18 - 1)).toBeLessThan(0.001)
    expect(made({}, 1, 0.5, 0).every((v) => v === 0)).toBe(true)
    expect(new Set(channel(made({}, 1, 0.5, 0.25), 3))).toEqual(new Set([0.25]))
  })
  test('its width is as its size says: neighbours are alike by exp(−d² / 4σ²)', () => {
    const size = 4
    const v = channel(made({ size, colour: 1, middle: 0.02, green: 1 }), 1)
    const m = mean(v)
    const variance = deviation(v) ** 2
    const alike = (d: number) => {
      let [s, n] = [0, 0]
      for (let y = 0; y < h; y++)
        for (let x = 0; x + d < w; x++) {
          s += (v[y * w + x]! - m) * (v[y * w + x + d]! - m)
          n++
        }
      return s / n / variance
    }
    const sigma = size / 2.3548
    for (const d of [1, 2, 4])
      expect(Math.abs(alike(d) - Math.exp(-(d * d) / (4 * sigma * sigma)))).toBeLessThan(0.05)
    expect(Math.abs(alike(24))).toBeLessThan(0.04)
  })
  test('no frame of a hundred is like another, and each is the same again', () => {
    const frames = Array.from({ length: 100 }, (_, i) => channel(made({ size: 0 }, i), 0).slice(0, 4096))
    for (let i = 0; i < 100; i++)
      for (let k = i + 1; k < 100; k++) {
        let same = 0
        for (let p = 0; p < 256; p++) same += frames[i]![p] === frames[k]![p] ? 1 : 0
        expect(same).toBeLessThan(16)
      }
    expect(made({ seed: 7 }, 12)).toEqual(made({ seed: 7 }, 12))
    expect(made({ seed: 7 }, 12)).not.toEqual(made({ seed: 8 }, 12))
  })
})

describe('cast light', () => {
  /** A plane that faces the camera, its points a hundredth of a unit apart. */
  const [w, h] = [201, 101]
  const position = picture(w, h, (x, y) => [(x - 100) / 100, (y - 50) / 100, 7, 1])
  const facing = (n: readonly number[]) => picture(w, h, () => [...n, 1])
  const grey = picture(w, h, () => [0.5, 0.5, 0.5, 1])
  const lamp = { lamps: '1', at1: [100.5, 50.5], power1: 3, colour1: [1, 1, 1], size1: 0, nearest: 1e-6 }
  const under = (dials: Record<string, unknown>, n = [0, 0, -1], x = 100) =>
    at(tried('cast-light', grey, { ...lamp, ...dials }, { position, normal: facing(n) }), w, x, 50, 1)
  test('falls with the square of the distance', () => {
    for (const distance of [0.5, 1, 4])
      expect(under({ distance1: distance })).toBeCloseTo((0.5 * 3) / distance ** 2, 5)
    expect(under({ distance1: 0.1, nearest: 0.5 })).toBeCloseTo((0.5 * 3) / 0.25, 5)
  })
  test('falls with the cosine on surfaces that turn away, and is nothing behind them', () => {
    // The lamp stands two units in front of the middle, whichever way the surface looks where it is lit.
    for (const degrees of [0, 35, 70, 100]) {
      const a = (degrees * Math.PI) / 180
      const normal = picture(w, h, (x) => (x === 100 ? [0, 0, -1, 1] : [Math.sin(a), 0, -Math.cos(a), 1]))
      const out = tried('cast-light', grey, { ...lamp, distance1: 2 }, { position, normal })
      const way = [-0.01, 0, -2]
      const cosine = (way[0]! * Math.sin(a) + way[2]! * -Math.cos(a)) / Math.hypot(...way)
      expect(at(out, w, 101, 50, 1)).toBeCloseTo(Math.max(0, (1.5 * cosine) / (4 + 1e-4)), 4)
    }
  })
  test('no surface, no light: no normal, no position, a lamp that stands on nothing', () => {
    expect(under({}, [0, 0, 0])).toBe(0)
    const holes = picture(w, h, (x) => (x < 50 ? [0, 0, 0, 1] : [(x - 100) / 100, 0, 7, 1]))
    const out = tried('cast-light', grey, lamp, { position: holes, normal: facing([0, 0, -1]) })
    expect(at(out, w, 20, 50, 1)).toBe(0)
    expect(at(out, w, 120, 50, 1)).toBeGreaterThan(0)
    const off = tried(
      'cast-light',
      grey,
      { ...lamp, at1: [10, 50] },
      {
        position: holes,
        normal: facing([0, 0, -1]),
      },
    )
    expect(off.every((v) => v === 0)).toBe(true)
  })
  test('many lamps add, and normals of any length count the same', () => {
    const two = {
      ...lamp,
      lamps: '2',
      at2: [100.5, 50.5],
      distance1: 1,
      distance2: 2,
      power2: 8,
      colour2: [1, 1, 1],
      size2: 0,
    }
    expect(under(two)).toBeCloseTo(0.5 * (3 + 8 / 4), 5)
    expect(under({ distance1: 1 }, [0, 0, -9])).toBeCloseTo(1.5, 5)
  })
})

describe('blur and sharpen', () => {
  const [w, h] = [90, 70]
  const src = picture(w, h, (x, y) => [
    ((x * 5 + y * 3) % 17) / 8,
    x > 40 ? 1 : 0,
    Math.exp(-((x - 30) ** 2 + (y - 40) ** 2) / 8),
    1,
  ])
  /** Between pixels, edges repeat. */
  const between = (u: number, v: number, c: number) => {
    const held = (i: number, n: number) => Math.min(n - 1, Math.max(0, i))
    const [x, y] = [Math.floor(u - 0.5), Math.floor(v - 0.5)]
    const [fx, fy] = [u - 0.5 - x, v - 0.5 - y]
    const p = (i: number, k: number) => at(src.data, w, held(x + i, w), held(y + k, h), c)
    return (p(0, 0) * (1 - fx) + p(1, 0) * fx) * (1 - fy) + (p(0, 1) * (1 - fx) + p(1, 1) * fx) * fy
  }
  const walked =
    (way: (x: number, y: number, s: number) => readonly [number, number]) =>
    (x: number, y: number, c: number) => {
      let sum = 0
      for (let i = 0; i < 1000; i++) sum += between(...way(x + 0.5, y + 0.5, (i + 0.5) / 500 - 1), c) / 1000
      return sum
    }
  const apart = (out: Float32Array, of: (x: number, y: number, c: number) => number) => {
    let [sum, n] = [0, 0]
    for (let y = 1; y < h; y += 5)
      for (let x = 1; x < w; x += 4)
        for (const c of [0, 1, 2]) {
          sum += (at(out, w, x, y, c) - of(x, y, c)) ** 2
          n++
        }
    return Math.sqrt(sum / n)
  }
  test.each([0, 90, 37, 120, 205])(
    'along %i° it is the integral along the line, in the middle and at borders',
    (angle) => {
      const [cos, sin] = [Math.cos((angle * Math.PI) / 180), Math.sin((angle * Math.PI) / 180)]
      const out = tried('blur', src, { by: 'angle', angle, length: 31 })
      expect(
        apart(
          out,
          walked((x, y, s) => [x + cos * s * 15.5, y + sin * s * 15.5]),
        ),
      ).toBeLessThan(0.035)
      expect(tried('blur', src, { by: 'angle', angle, length: 0 })).toEqual(src.data)
    },
  )
  test('towards a point and around one it is the integral on that way', () => {
    const c = [33, 20] as const
    const zoom = tried('blur', src, { by: 'zoom', centre: c, amount: 30 })
    expect(
      apart(
        zoom,
        walked((x, y, s) => [c[0] + (x - c[0]) * (1 + 0.15 * s), c[1] + (y - c[1]) * (1 + 0.15 * s)]),
      ),
    ).toBeLessThan(0.015)
    const spin = tried('blur', src, { by: 'spin', centre: c, turn: 24 })
    expect(
      apart(
        spin,
        walked((x, y, s) => {
          const [cos, sin] = [Math.cos((12 * s * Math.PI) / 180), Math.sin((12 * s * Math.PI) / 180)]
          return [c[0] + cos * (x - c[0]) - sin * (y - c[1]), c[1] + sin * (x - c[0]) + cos * (y - c[1])]
        }),
      ),
    ).toBeLessThan(0.01)
  })
  test('sharpen is what a soft copy lacks, beyond the threshold, and makes no halo below 0', () => {
    const soft = tried('blur', src, { radius: 2 })
    const out = tried('sharpen', src, { radius: 2, amount: 1.5, threshold: 0.05 })
    for (let i = 0; i < out.length; i++) {
      const [p, d] = [src.data[i]!, src.data[i]! - soft[i]!]
      const wanted = i % 4 === 3 ? p : Math.max(0, p + 1.5 * Math.sign(d) * Math.max(0, Math.abs(d) - 0.05))
      expect(out[i]).toBeCloseTo(wanted, 4)
    }
    const dark = picture(3, 1, (x) => [x === 1 ? -2 : 1, 0, 0, 1])
    expect(at(tried('sharpen', dark, { radius: 1, amount: 3 }), 3, 1, 0, 0)).toBe(-2)
  })
})
