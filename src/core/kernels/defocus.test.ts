import { describe, expect, test } from 'vitest'
import type { Picture } from '../picture/picture.ts'
import { apertureBlur, apertureRuns, defocusByDepth, radiusCells, rimAt, type Aperture } from './defocus.ts'
import { random, fast as kernels, store } from './try-kernels.ts'

const disc: Aperture = { blades: 0, turn: 0, roundness: 0 }
const workshop = { kernels, store }

function filled(width: number, height: number, fill: (x: number, y: number) => readonly number[]): Picture {
  const made = store.allocate(width, height, fill(0, 0).length as 1 | 4)
  for (let i = 0; i < width * height; i++)
    made.data.set(fill(i % width, Math.floor(i / width)), i * made.channels)
  return made
}

/** The mean over a disc the direct way: each pixel within the radius, by how much of it lies inside (16 × 16 points). */
function bruteDisc(src: Picture, radius: number): Float32Array {
  const reach = Math.ceil(radius)
  const weights: [number, number, number][] = []
  for (let y = -reach; y <= reach; y++)
    for (let x = -reach; x <= reach; x++) {
      let inside = 0
      for (let k = 0; k < 256; k++) {
        const [px, py] = [x + ((k % 16) + 0.5) / 16 - 0.5, y + ((k >> 4) + 0.5) / 16 - 0.5]
        if (px * px + py * py < radius * radius) inside++
      }
      if (inside > 0) weights.push([x, y, inside / 256])
    }
  const all = weights.reduce((sum, [, , w]) => sum + w, 0)
  const hold = (i: number, n: number) => Math.min(n - 1, Math.max(0, i))
  const out = new Float32Array(src.data.length)
  for (let y = 0; y < src.height; y++)
    for (let x = 0; x < src.width; x++)
      for (const [dx, dy, w] of weights) {
        const from = (hold(y + dy, src.height) * src.width + hold(x + dx, src.width)) * 4
        for (let c = 0; c < 4; c++) out[(y * src.width + x) * 4 + c]! += (src.data[from + c]! * w) / all
      }
  return out
}

describe('defocus', () => {
  test.each([1.3, 4, 20])(
    'a radius of %d px equals a disc summed pixel by pixel, under 1 % RMS of the picture',
    (radius) => {
      const next = random(5)
      const src = filled(97, 71, (x, y) => [
        Math.max(0, next()),
        (x % 16 < 2 ? 8 : 0.1) + 0.01 * y,
        Math.max(0, next()) ** 3,
        1,
      ])
      const out = store.allocate(97, 71, 4)
      apertureBlur(out, src, radius, disc, workshop)
      const truth = bruteDisc(src, radius)
      const sum = (of: (i: number) => number) => truth.reduce((s, _, i) => s + of(i) ** 2, 0)
      expect(Math.sqrt(sum((i) => out.data[i]! - truth[i]!) / sum((i) => truth[i]!))).toBeLessThan(0.01)
    },
  )
  test.each([
    ['a triangle, turned', 3, 17, 9.4],
    ['a pentagon', 5, 0, 6.1],
    ['a hexagon on its side', 6, 30, 12.7],
    ['a square, turned', 4, 11, 2.3],
  ] as const)(
    '%s equals a polygon summed point by point, its middle and its borders, alpha 0, below 0 and far above 1 too',
    (_, blades, turn, radius) => {
      // What a point becomes, mirrored, is what a pixel gathers: a point is inside where it is on the inner side of every straight blade.
      const blade = (2 * Math.PI) / blades
      const inner = radius * Math.cos(blade / 2)
      const isInside = (x: number, y: number) =>
        Array.from({ length: blades }, (__, k) => (turn * Math.PI) / 180 + (k + 0.5) * blade).every(
          (angle) => x * Math.cos(angle) + y * Math.sin(angle) <= inner,
        )
      const reach = Math.ceil(radius)
      const cells: [dx: number, dy: number, weight: number][] = []
      for (let dy = -reach; dy <= reach; dy++)
        for (let dx = -reach; dx <= reach; dx++) {
          let count = 0
          for (let k = 0; k < 1024; k++)
            if (isInside(-(dx + ((k % 32) + 0.5) / 32 - 0.5), -(dy + ((k >> 5) + 0.5) / 32 - 0.5))) count++
          if (count > 0) cells.push([dx, dy, count])
        }
      const all = cells.reduce((sum, [, , w]) => sum + w, 0)
      // Wider than a tile, no multiple of one; a light of 400 near a corner.
      const [w, h] = [83, 29]
      const next = random(blades)
      const src = filled(w, h, (x, y) => [
        x === 3 && y === 2 ? 400 : next() - 0.1,
        x / w,
        x % 9 < 2 ? 6 : 0.02,
        [0, 1, 0.4][(x >> 3) % 3]!,
      ])
      const out = store.allocate(w, h, 4)
      apertureBlur(out, src, radius, { blades, turn, roundness: 0 }, workshop)
      const hold = (i: number, n: number) => Math.min(n - 1, Math.max(0, i))
      const [square, error] = [new Float64Array(4), new Float64Array(4)]
      for (let y = 0; y < h; y++)
        for (let x = 0; x < w; x++)
          for (let c = 0; c < 4; c++) {
            const truth = cells.reduce(
              (sum, [dx, dy, share]) =>
                sum + (share / all) * src.data[(hold(y + dy, h) * w + hold(x + dx, w)) * 4 + c]!,
              0,
            )
            square[c]! += truth ** 2
            error[c]! += (out.data[(y * w + x) * 4 + c]! - truth) ** 2
          }
      for (const [c, sum] of square.entries())
        expect(Math.sqrt(error[c]! / sum), `channel ${c}`).toBeLessThan(0.01)
    },
  )
  test('a bright point keeps its energy and becomes the shape of the aperture', () => {
    const src = filled(81, 81, (x, y) => (x === 40 && y === 40 ? [900, 300, 0, 1] : [0, 0, 0, 1]))
    const out = store.allocate(81, 81, 4)
    for (const aperture of [disc, { blades: 5, turn: 20, roundness: 0.3 }]) {
      apertureBlur(out, src, 15, aperture, workshop)
      expect(out.data.reduce((s, v, i) => (i % 4 === 0 ? s + v : s), 0) / 900).toBeCloseTo(1, 3)
    }
    const area = (blades: number, roundness: number) =>
      apertureRuns(30, { blades, turn: 7, roundness }).area / 900
    // A circle, and regular polygons in it: n/2 · sin(2π/n).
    expect(area(0, 0)).toBeCloseTo(Math.PI, 2)
    expect(area(6, 1)).toBeCloseTo(Math.PI, 2)
    for (const n of [3, 5, 6, 8]) expect(area(n, 0)).toBeCloseTo((n / 2) * Math.sin((2 * Math.PI) / n), 2)
    expect(rimAt({ blades: 6, turn: 0, roundness: 0 }, 0)).toBeCloseTo(1, 9)
  })
  test('by depth, one distance for all is the constant blur of its own radius, wherever it lies in the range', () => {
    const next = random(9)
    const src = filled(60, 40, () => [Math.max(0, next()), Math.max(0, next()), 0.2, 1])
    const [a, b] = [store.allocate(60, 40, 4), store.allocate(60, 40, 4)]
    // Borders of cells and their neighbours in single precision among them.
    const radii = [...radiusCells(12).slice(1, -1), 6, 12, 0.6, 9.3].flatMap((r) => [
      r,
      r * (1 - 2e-7),
      r * (1 + 2e-7),
    ])
    for (const radius of radii.filter((r) => r <= 12))
      for (const side of [-1, 1]) {
        const nearness = filled(60, 40, () => [side * radius])
        apertureBlur(a, src, Math.fround(radius), disc, workshop)
        defocusByDepth(b, src, nearness, { behind: 12, inFront: 12 }, disc, workshop)
        const worst = a.data.reduce((most, v, i) => Math.max(most, Math.abs(v - b.data[i]!)), 0)
        expect(worst, `${side * radius}`).toBeLessThan(1e-4)
      }
  })
  test('a focus pull never stands still and never jumps: a point on a plane, and on a slope, has the radius of its distance within 2 %', () => {
    // The mean square distance from the middle of a disc is half its radius squared; a pixel's own spread is 1/6.
    const radiusOf = (out: Picture) => {
      let [all, square] = [0, 0]
      for (let i = 0; i < 101 * 101; i++) {
        const v = out.data[i * 4]!
        all += v
        square += v * (((i % 101) - 50) ** 2 + (Math.floor(i / 101) - 50) ** 2)
      }
      return Math.sqrt(2 * (square / all - 1 / 6))
    }
    const src = filled(101, 101, (x, y) => (x === 50 && y === 50 ? [1000, 0, 0, 1] : [0, 0, 0, 1]))
    const out = store.allocate(101, 101, 4)
    for (let r = 3; r < 30; r += 0.37) {
      defocusByDepth(
        out,
        src,
        filled(101, 101, () => [-r]),
        { behind: 30, inFront: 0 },
        disc,
        workshop,
      )
      expect(Math.abs(radiusOf(out) / r - 1)).toBeLessThan(0.02)
      // A slope through all radii, r at the middle.
      const slope = filled(101, 101, (x) => [-Math.max(0, Math.min(30, r + (x - 50) * 0.02))])
      defocusByDepth(out, src, slope, { behind: 30, inFront: 0 }, disc, workshop)
      expect(Math.abs(radiusOf(out) / r - 1)).toBeLessThan(0.02)
    }
  }, 60_000)
  test('rims are antialiased all around: cover of each pixel by 32 × 32 points, for discs and polygons, the right way round', () => {
    const inside: Record<string, (x: number, y: number) => boolean> = {
      disc: (x, y) => x * x + y * y < 1,
      // Corners at 10° and every 120° on, clockwise on screen (y down), straight between: inside of three lines.
      triangle: (x, y) =>
        [70, 190, 310].every(
          (a) => x * Math.cos((a * Math.PI) / 180) + y * Math.sin((a * Math.PI) / 180) < 0.5,
        ),
    }
    const apertures: Record<string, Aperture> = { disc, triangle: { blades: 3, turn: 10, roundness: 0 } }
    for (const name of ['disc', 'triangle'])
      for (const radius of [5.3, 16, 20.5, 33]) {
        const side = 2 * Math.ceil(radius) + 5
        const mid = (side - 1) / 2
        const src = filled(side, side, (x, y) => (x === mid && y === mid ? [1, 0, 0, 1] : [0, 0, 0, 1]))
        const out = store.allocate(side, side, 4)
        apertureBlur(out, src, radius, apertures[name]!, workshop)
        const { area } = apertureRuns(radius, apertures[name]!)
        for (let y = 0; y < side; y++)
          for (let x = 0; x < side; x++) {
            let cover = 0
            for (let k = 0; k < 1024; k++) {
              const [px, py] = [x - mid + ((k % 32) + 0.5) / 32 - 0.5, y - mid + ((k >> 5) + 0.5) / 32 - 0.5]
              if (inside[name]!(px / radius, py / radius)) cover++
            }
            expect(
              Math.abs(out.data[(y * side + x) * 4]! * area - cover / 1024),
              `${name} ${radius} at ${x} ${y}`,
            ).toBeLessThan(0.05)
          }
      }
  }, 60_000)
  // A red half before a blue one, at x = 40: one of them in focus.
  const halves = (nearLeft: number, right: number, radius: { behind: number; inFront: number }) => {
    const src = filled(80, 24, (x) => (x < 40 ? [1, 0, 0, 1] : [0, 0, 1, 1]))
    const nearness = filled(80, 24, (x) => [x < 40 ? nearLeft : right])
    const out = store.allocate(80, 24, 4)
    defocusByDepth(out, src, nearness, radius, disc, workshop)
    return (x: number) => [...out.data.subarray((12 * 80 + x) * 4, (12 * 80 + x) * 4 + 4)]
  }
  test('what is in focus keeps its edge, and takes nothing from the blur behind it', () => {
    const at = halves(0, -10, { behind: 10, inFront: 10 })
    expect(at(39)).toEqual([1, 0, 0, 1])
    for (const x of [40, 43, 60])
      expect(at(x)).toEqual([0, 0, 1, 1].map((v) => expect.closeTo(v, 3) as number))
  })
  test('what is in front spreads over what is in focus, half of it at its edge, and opaque all through', () => {
    const at = halves(10, 0, { behind: 10, inFront: 10 })
    const red = (x: number) => at(x)[0]!
    expect((red(39) + red(40)) / 2).toBeCloseTo(0.5, 1)
    // The share of a disc that lies beyond a chord (segment of a circle).
    const segment = (d: number) => (Math.acos(d / 10) - (d / 10) * Math.sqrt(1 - (d / 10) ** 2)) / Math.PI
    for (const d of [3, 6, 9]) {
      expect(red(40 + d - 1)).toBeCloseTo(segment(d - 0.5), 1)
      expect(red(40 - d)).toBeCloseTo(1 - segment(d - 0.5), 1)
    }
    for (let x = 10; x < 70; x++) {
      expect(at(x)[3]).toBeCloseTo(1, 3)
      expect(at(x)[0]! + at(x)[2]!).toBeCloseTo(1, 3)
    }
    expect(red(52)).toBeCloseTo(0, 6)
  })
  test('small things in front, far apart, are laid over what is in focus as discs summed pixel by pixel; elsewhere nothing changes', () => {
    const [w, h] = [301, 61]
    const isThing = (x: number, y: number) => Math.hypot(x - 62, y - 7) < 5 || Math.hypot(x - 257, y - 44) < 6
    const ground = [0.2, 0.3, 0.5, 1]
    const src = filled(w, h, (x, y) => (isThing(x, y) ? [9, 3, 1, 1] : ground))
    const things = filled(w, h, (x, y) => (isThing(x, y) ? [9, 3, 1, 1] : [0, 0, 0, 0]))
    const out = store.allocate(w, h, 4)
    const nearness = filled(w, h, (x, y) => [isThing(x, y) ? 9.3 : 0])
    defocusByDepth(out, src, nearness, { behind: 0, inFront: 12 }, disc, workshop)
    const blurred = bruteDisc(things, Math.fround(9.3))
    let [worst, untouched] = [0, 0]
    for (let i = 0; i < out.data.length; i++) {
      const open = 1 - blurred[i - (i % 4) + 3]!
      if (open === 1) untouched++
      worst = Math.max(worst, Math.abs(out.data[i]! - (blurred[i]! + ground[i % 4]! * open)))
    }
    expect(untouched / out.data.length).toBeGreaterThan(0.8)
    // Of light of 9: the rim is cut a little differently.
    expect(worst).toBeLessThan(0.03)
  })
  // Radii over a picture of 160 × 30 pixels whose right end may be bright.
  const surfaces: Record<string, (x: number, y: number) => number> = {
    'from the front to the focus': (x) => (x > 120 ? 0 : 14 * (1 - x / 120)),
    'from far behind to the focus': (x) => (x > 120 ? 0 : -14 * (1 - x / 120)),
    'through the focus, from before it to behind it': (x) => 14 * (1 - x / 60),
    'waves behind the focus': (x, y) => -7 - 6.9 * Math.sin(x / 5) * Math.cos(y / 7),
    'steps behind the focus': (x, y) => -[0, 2.2, 13.7, 5, 9.1][((x >> 3) + (y >> 2)) % 5]!,
    'holes to infinity, a pixel each': (x, y) => (x % 13 === 5 && y % 11 === 3 ? -14 : -0.9 - x / 90),
  }
  test.each(Object.entries(surfaces))(
    'an opaque surface stays opaque and even, without seams, and nothing bright shines through: %s',
    (name, nearnessAt) => {
      const isSlope = name.startsWith('from')
      const src = filled(160, 30, (x) => (x > 140 && isSlope ? [100, 100, 100, 1] : [0.1, 0.1, 0.1, 1]))
      const out = store.allocate(160, 30, 4)
      const nearness = filled(160, 30, (x, y) => [nearnessAt(x, y)])
      defocusByDepth(out, src, nearness, { behind: 14, inFront: 14 }, disc, workshop)
      for (let y = 0; y < 30; y++)
        for (let x = 0; x < (isSlope ? 120 : 160); x++) {
          expect(Math.abs(out.data[(y * 160 + x) * 4]! / 0.1 - 1), `${x} ${y}`).toBeLessThan(0.001)
          expect(Math.abs(out.data[(y * 160 + x) * 4 + 3]! - 1), `${x} ${y}`).toBeLessThan(0.001)
        }
    },
  )
})
