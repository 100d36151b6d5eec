import type { Picture } from '../picture/picture.ts'
import type { Workshop } from './pyramid.ts'

/** Who sees, and how large the picture is to them. */
export interface Eye {
  /** Degrees of the field of view that the frame's width fills. */
  readonly field: number
  /** Years. */
  readonly age: number
  /** 0 for very dark eyes, 0.5 brown, 1 blue-green, 1.2 light blue. */
  readonly pigment: number
}

/**
 * Veil of a glare source at an angle θ (degrees, 0.1–100), per unit of its illuminance, in 1/sr: 10/θ³ + [5/θ² + 0.1 p/θ] · [1 + (A/62.5)⁴]
 * + 0.0025 p. Nearer than 0.1° it stays as it is there. Source: CIE 146:2002, general disability glare equation (from memory).
 */
export function glareVeil(degrees: number, { age, pigment }: Pick<Eye, 'age' | 'pigment'>): number {
  const angle = Math.min(100, Math.max(0.1, degrees))
  const older = 1 + (age / 62.5) ** 4
  return 10 / angle ** 3 + (5 / angle ** 2 + (0.1 * pigment) / angle) * older + 0.0025 * pigment
}

/** Pixels from the middle within which the veil is computed for each. */
const steepWithin = 48

const powerAbove = (n: number) => 2 ** Math.ceil(Math.log2(Math.max(2, n)))

/** The largest side that is transformed whole; a larger picture is glared at a smaller size, as its veil is soft. */
const mostSide = 2048

/** How the glare of a picture is computed: at which size, how far it reaches, and the size of its transform. */
export function glareSize(width: number, height: number) {
  const factor = 2 ** Math.max(0, Math.ceil(Math.log2(Math.max(width, height) / mostSide)))
  const [w, h] = [Math.ceil(width / factor), Math.ceil(height / factor)]
  const reach = Math.max(2, Math.floor(Math.max(w, h) / 2))
  return { factor, w, h, reach, sides: [powerAbove(w + reach), powerAbove(h + reach)] as const }
}

/**
 * The transform of an eye's point spread for pictures of a size: its light sums to 1; red + i·green holds what is near, blue + i·alpha
 * what is far, and both together make the whole.
 */
export function glareSpectrum(
  width: number,
  height: number,
  eye: Eye,
  frameWidth: number,
  { kernels, store }: Workshop,
): Picture {
  const { factor, reach, sides } = glareSize(width, height)
  const perPixel = (eye.field * factor) / frameWidth
  // The curve is steep near its middle: there it is computed for every pixel, farther out between whole pixels of a table.
  const table = Array.from({ length: reach + 2 }, (_, r) => glareVeil(r * perPixel, eye))
  const veilAt = (r: number) => {
    if (r < steepWithin) return glareVeil(r * perPixel, eye)
    const i = Math.floor(r)
    return table[i]! + (table[i + 1]! - table[i]!) * (r - i)
  }
  const spectrum = store.allocate(sides[0], sides[1], 4)
  const { data } = spectrum
  data.fill(0)
  let sum = 0
  for (let y = 0; y <= reach; y++)
    for (let x = 0; x <= reach; x++) {
      const r = Math.sqrt(x * x + y * y)
      if (r <= reach) sum += (x === 0 ? 1 : 2) * (y === 0 ? 1 : 2) * veilAt(r)
    }
  const span = Math.log2(reach)
  for (let y = 0; y <= reach; y++)
    for (let x = 0; x <= reach; x++) {
      const r = Math.sqrt(x * x + y * y)
      if (r > reach) continue
      const value = veilAt(r) / sum
      const far = Math.log2(Math.max(1, r)) / span
      for (const row of y === 0 ? [0] : [y, sides[1] - y])
        for (const column of x === 0 ? [0] : [x, sides[0] - x]) {
          const i = (row * sides[0] + column) * 4
          data[i] = value * (1 - far)
          data[i + 2] = value * far
        }
    }
  kernels.fourier(spectrum, false)
  return spectrum
}

/** The light of `src` as an eye scatters it: near and far light times their colours, black outside. `out` may be `src`. */
export function glare(
  out: Picture,
  src: Picture,
  spectrum: Picture,
  near: readonly [number, number, number],
  far: readonly [number, number, number],
  { kernels, store }: Workshop,
): void {
  const { factor, w, h } = glareSize(src.width, src.height)
  const [pw, ph] = [spectrum.width, spectrum.height]
  const small = factor === 1 ? src : store.allocate(w, h, 4)
  if (factor > 1) kernels.boxReduce(small, src, factor)
  const sum = store.allocate(w, h, 4)
  kernels.fill(sum, 0, 0, 0, 0)
  const plane = store.allocate(pw, ph, 4)
  const part = store.allocate(w, h, 4)
  const isOne = near.every((v, c) => v === far[c])
  for (const lane of [0, 2] as const) {
    kernels.fill(plane, 0, 0, 0, 0)
    for (let y = 0; y < h; y++) plane.data.set(small.data.subarray(y * w * 4, (y + 1) * w * 4), y * pw * 4)
    kernels.fourier(plane, false)
    kernels.filterSpectrum(plane, spectrum, isOne ? 'both' : lane === 0 ? 'near' : 'far')
    kernels.fourier(plane, true, h)
    for (let y = 0; y < h; y++) part.data.set(plane.data.subarray(y * pw * 4, (y * pw + w) * 4), y * w * 4)
    const [r, g, b] = lane === 0 ? near : far
    const scale = 1 / (pw * ph)
    kernels.gains(part, part, r * scale, g * scale, b * scale, 0)
    kernels.addLight(sum, sum, part, 'add', false)
    if (isOne) break
  }
  if (factor === 1) out.data.set(sum.data)
  else kernels.resample(out, sum, [1 / factor, 0, 0, 0, 1 / factor, 0], 'cubic')
  for (const picture of [part, plane, sum, ...(factor > 1 ? [small] : [])]) store.release(picture)
}
