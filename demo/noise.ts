/** A number in 0–1 from whole coordinates; the same everywhere. */
export function hash(x: number, y: number, z: number): number {
  let h = Math.imul(x, 0x8da6b343) ^ Math.imul(y, 0xd8163841) ^ Math.imul(z, 0xcb1ab31f)
  h = Math.imul(h ^ (h >>> 13), 0x5bd1e995)
  h = Math.imul(h ^ (h >>> 15), 0x27d4eb2d)
  return ((h ^ (h >>> 15)) >>> 0) / 4294967296
}

/** Smooth value noise, 0–1. */
export function noise(x: number, y: number, z: number): number {
  const [ix, iy, iz] = [Math.floor(x), Math.floor(y), Math.floor(z)]
  const fx = x - ix
  const fy = y - iy
  const fz = z - iz
  const u = fx * fx * (3 - 2 * fx)
  const v = fy * fy * (3 - 2 * fy)
  const w = fz * fz * (3 - 2 * fz)
  const a = hash(ix, iy, iz) + u * (hash(ix + 1, iy, iz) - hash(ix, iy, iz))
  const b = hash(ix, iy + 1, iz) + u * (hash(ix + 1, iy + 1, iz) - hash(ix, iy + 1, iz))
  const c = hash(ix, iy, iz + 1) + u * (hash(ix + 1, iy, iz + 1) - hash(ix, iy, iz + 1))
  const d = hash(ix, iy + 1, iz + 1) + u * (hash(ix + 1, iy + 1, iz + 1) - hash(ix, iy + 1, iz + 1))
  const e = a + v * (b - a)
  return e + w * (c + v * (d - c) - e)
}

/** Octaves of noise, −1–1, each half as strong and about twice as fine. */
export function fractal(x: number, y: number, z: number, octaves: number): number {
  let sum = 0
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
