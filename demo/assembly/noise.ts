// @ts-nocheck: AssemblyScript, checked by its own compiler
const byX: i32 = 0x8da6b343
const byY: i32 = 0xd8163841
const byZ: i32 = 0xcb1ab31f

@inline
function stir(h: i32): i32 {
  h = (h ^ (h >>> 13)) * 0x5bd1e995
  h = (h ^ (h >>> 15)) * 0x27d4eb2d
  return h ^ (h >>> 15)
}

/** A number in 0–1 from whole coordinates; the same everywhere. */
export function hash(x: i32, y: i32, z: i32): f64 {
  return <f64>(<u32>stir((x * byX) ^ (y * byY) ^ (z * byZ))) / 4294967296.0
}

// Hashes of whole coordinates, which repeat after so many of them. A row has its first once more at its end, so that neighbours lie together.
const columns = 64
const rows = 32
const layers = 64
const table = new StaticArray<f32>((columns + 1) * rows * layers)
for (let z = 0; z < layers; z++)
  for (let y = 0; y < rows; y++)
    for (let x = 0; x <= columns; x++)
      // About 0 they are those of the coordinates themselves.
      table[(z * rows + y) * (columns + 1) + x] = <f32>(
        hash(
          (((x & (columns - 1)) + columns / 2) & (columns - 1)) - columns / 2,
          ((y + rows / 2) & (rows - 1)) - rows / 2,
          ((z + layers / 2) & (layers - 1)) - layers / 2,
        )
      )

@inline
function pair(row: i32, x: i32): usize {
  return changetype<usize>(table) + (<usize>(row * (columns + 1) + x) << 2)
}

/** Added to a double, it leaves the nearest whole number in the lowest bits; much quicker than floor and conversion. */
export const magic = 6755399441055744.0

/** Smooth value noise, 0–1: between the hashes of the eight corners of a cell. */
export function noise(x: f64, y: f64, z: f64): f64 {
  const tx = x - 0.5 + magic
  const ty = y - 0.5 + magic
  const tz = z - 0.5 + magic
  const ix = <i32>reinterpret<i64>(tx)
  const iy = <i32>reinterpret<i64>(ty)
  const iz = <i32>reinterpret<i64>(tz)
  const fx = <f32>(x - (tx - magic))
  const fy = <f32>(y - (ty - magic))
  const fz = <f32>(z - (tz - magic))
  const u: f32 = fx * fx * (3 - 2 * fx)
  const v: f32 = fy * fy * (3 - 2 * fy)
  const w: f32 = fz * fz * (3 - 2 * fz)
  const x0 = ix & (columns - 1)
  const y0 = iy & (rows - 1)
  const y1 = (y0 + 1) & (rows - 1)
  const near = (iz & (layers - 1)) * rows
  const far = ((iz + 1) & (layers - 1)) * rows
  // Lanes: low left, low right, high left, high right.
  const front = v128.load64_lane(pair(near + y1, x0), v128.load64_zero(pair(near + y0, x0)), 1)
  const back = v128.load64_lane(pair(far + y1, x0), v128.load64_zero(pair(far + y0, x0)), 1)
  const along = f32x4.add(front, f32x4.mul(f32x4.splat(w), f32x4.sub(back, front)))
  const a = f32x4.extract_lane(along, 0)
  const b = f32x4.extract_lane(along, 1)
  const c = f32x4.extract_lane(along, 2)
  const d = f32x4.extract_lane(along, 3)
  const e: f32 = a + u * (b - a)
  return <f64>(e + v * (c + u * (d - c) - e))
}

/** Octaves of noise, −1–1, each half as strong and about twice as fine. */
export function fractal(x: f64, y: f64, z: f64, octaves: i32): f64 {
  let sum = 0.0
  let gain = 0.5
  for (let i = 0; i < octaves; i++) {
    sum += gain * (2 * noise(x, y, z) - 1)
    // Turned a little each time, so that the lattice does not show.
    const turned = 1.6 * x + 1.2 * z + 11.3
    z = 1.6 * z - 1.2 * x + 5.7
    x = turned
    y = 2.02 * y + 3.1
    gain *= 0.5
  }
  return sum
}

/** Sine to about 1e-7, by a polynomial over a quarter turn. */
export function sine(x: f64): f64 {
  const turns = x * 0.15915494309189535
  let t = turns - nearest(turns)
  // Folded into −1/4 … 1/4 of a turn, where the odd polynomial holds.
  if (t > 0.25) t = 0.5 - t
  else if (t < -0.25) t = -0.5 - t
  const a = t * 6.283185307179586
  const s = a * a
  return a * (1 + s * (-1.0 / 6 + s * (1.0 / 120 + s * (-1.0 / 5040 + s * (1.0 / 362880 - s / 39916800)))))
}

/** Cosine, as `sine`. */
@inline
export function cosine(x: f64): f64 {
  return sine(x + 1.5707963267948966)
}
