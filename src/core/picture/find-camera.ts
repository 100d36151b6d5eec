import type { Picture } from './picture.ts'

type Point = readonly [number, number, number]

/** Pixels that are looked at; more hardly say more. */
const mostSamples = 1500

/**
 * Where the camera stood, from a position pass alone: the centre of the projection that takes the scene points to their pixels. Undefined where
 * the points do not say, as when all lie in one plane.
 *
 * isThere    whether a pixel has a surface
 *
 * Source: direct linear transformation with normalised points (Hartley & Zisserman 2003, chapter 7; from memory), for a camera without lens distortion.
 */
export function findCamera(position: Picture, isThere: (pixel: number) => boolean): Point | undefined {
  const { width, height, data } = position
  const stride = Math.max(1, Math.floor(Math.sqrt((width * height) / mostSamples)))
  const points: Point[] = []
  const pixels: [number, number][] = []
  for (let y = stride >> 1; y < height; y += stride)
    for (let x = stride >> 1; x < width; x += stride) {
      const i = y * width + x
      const [px, py, pz] = [data[i * 4]!, data[i * 4 + 1]!, data[i * 4 + 2]!]
      if (!isThere(i) || !(Math.abs(px) + Math.abs(py) + Math.abs(pz) < 1e6)) continue
      points.push([px, py, pz])
      pixels.push([(2 * (x + 0.5)) / width - 1, (2 * (y + 0.5) - height) / width])
    }
  if (points.length < 12) return undefined
  const mean = [0, 1, 2].map((c) => points.reduce((sum, p) => sum + p[c]!, 0) / points.length)
  const spread = Math.sqrt(
    points.reduce((sum, p) => sum + p.reduce((s, v, c) => s + (v - mean[c]!) ** 2, 0), 0) / points.length,
  )
  if (!(spread > 0)) return undefined
  // Each point gives two equations, (h, 0, −u·h) and (0, h, −v·h): of their squares only sums of products of h count.
  const sums = ([plain, byU, byV, bySquares]: Float64Array[]) => {
    const square = Array.from({ length: 12 }, () => new Float64Array(12))
    for (let a = 0; a < 4; a++)
      for (let b = 0; b < 4; b++) {
        const k = a * 4 + b
        square[a]![b] = square[a + 4]![b + 4] = plain![k]!
        square[a]![b + 8] = square[b + 8]![a] = -byU![k]!
        square[a + 4]![b + 8] = square[b + 8]![a + 4] = -byV![k]!
        square[a + 8]![b + 8] = bySquares![k]!
      }
    return square
  }
  const products = Array.from({ length: 4 }, () => new Float64Array(16))
  const [plain, byU, byV, bySquares] = products
  const h = new Float64Array(4).fill(1)
  for (const [i, p] of points.entries()) {
    const [u, v] = pixels[i]!
    for (let c = 0; c < 3; c++) h[c] = (p[c]! - mean[c]!) / spread
    for (let k = 0; k < 16; k++) {
      const product = h[k >> 2]! * h[k & 3]!
      plain![k]! += product
      byU![k]! += u * product
      byV![k]! += v * product
      bySquares![k]! += (u * u + v * v) * product
    }
  }
  const square = sums(products)
  const { values, vectors } = eigen(square)
  const order = values.map((_, i) => i).sort((a, b) => values[a]! - values[b]!)
  const [least, next, most] = [values[order[0]!]!, values[order[1]!]!, values[order[11]!]!]
  // A second solution as good as the first: the points do not say.
  if (!(next > 1e-7 * most) || least > 0.05 * next) return undefined
  const m = vectors.map((row) => row[order[0]!]!)
  const centre = solve3([m.slice(0, 3), m.slice(4, 7), m.slice(8, 11)], [-m[3]!, -m[7]!, -m[11]!])
  return (
    centre && [centre[0] * spread + mean[0]!, centre[1] * spread + mean[1]!, centre[2] * spread + mean[2]!]
  )
}

/** Eigenvalues of a symmetric matrix, and eigenvectors as columns, by Jacobi's rotations. Works in `square`. */
function eigen(square: Float64Array[]): { values: number[]; vectors: number[][] } {
  const n = square.length
  const vectors = square.map((_, i) => square.map((__, j): number => (i === j ? 1 : 0)))
  for (let sweep = 0; sweep < 30; sweep++) {
    let off = 0
    for (let p = 0; p < n; p++)
      for (let q = p + 1; q < n; q++) {
        const apq = square[p]![q]!
        off += apq * apq
        if (apq === 0) continue
        const theta = (square[q]![q]! - square[p]![p]!) / (2 * apq)
        const t = (theta < 0 ? -1 : 1) / (Math.abs(theta) + Math.sqrt(theta * theta + 1))
        const c = 1 / Math.sqrt(t * t + 1)
        const s = t * c
        for (let k = 0; k < n; k++) {
          const [akp, akq] = [square[k]![p]!, square[k]![q]!]
          square[k]![p] = c * akp - s * akq
          square[k]![q] = s * akp + c * akq
        }
        for (let k = 0; k < n; k++) {
          const [apk, aqk] = [square[p]![k]!, square[q]![k]!]
          square[p]![k] = c * apk - s * aqk
          square[q]![k] = s * apk + c * aqk
          const [vkp, vkq] = [vectors[k]![p]!, vectors[k]![q]!]
          vectors[k]![p] = c * vkp - s * vkq
          vectors[k]![q] = s * vkp + c * vkq
        }
      }
    if (off < 1e-22) break
  }
  return { values: square.map((row, i) => row[i]!), vectors }
}

/** Solves three equations by Cramer's rule; undefined where they do not say. */
function solve3(rows: readonly (readonly number[])[], right: readonly number[]): Point | undefined {
  const det = ([a, b, c]: readonly (readonly number[])[]) =>
    a![0]! * (b![1]! * c![2]! - b![2]! * c![1]!) -
    a![1]! * (b![0]! * c![2]! - b![2]! * c![0]!) +
    a![2]! * (b![0]! * c![1]! - b![1]! * c![0]!)
  const whole = det(rows)
  if (Math.abs(whole) < 1e-15) return undefined
  const part = (column: number) => det(rows.map((row, i) => row.with(column, right[i]!))) / whole
  return [part(0), part(1), part(2)]
}
