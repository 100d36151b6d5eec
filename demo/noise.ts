/** A number in 0–1 from whole coordinates; the same everywhere. */
export function hash(x: number, y: number, z: number): number {
  let h = Math.imul(x, 0x8da6b343) ^ Math.imul(y, 0xd8163841) ^ Math.imul(z, 0xcb1ab31f)
  h = Math.imul(h ^ (h >>> 13), 0x5bd1e995)
  h = Math.imul(h ^ (h >>> 15), 0x27d4eb2d)
  return ((h ^ (h >>> 15)) >>> 0) / 4294967296
}

const [byX, byY, byZ] = [0x8da6b343, 0xd8163841, 0xcb1ab31f]

/** The rest of `hash`, of its three coordinates mixed. */
function mixed(from: number): number {
  let h = Math.imul(from ^ (from >>> 13), 0x5bd1e995)
  h = Math.imul(h ^ (h >>> 15), 0x27d4eb2d)
  return ((h ^ (h >>> 15)) >>> 0) / 4294967296
}

/** Smooth value noise, 0–1: between the hashes of the eight corners of a cell. */
export function noise(x: number, y: number, z: number): number {
  const ix = Math.floor(x)
  const iy = Math.floor(y)
  const iz = Math.floor(z)
  const fx = x - ix
  const fy = y - iy
  const fz = z - iz
  const u = fx * fx * (3 - 2 * fx)
  const v = fy * fy * (3 - 2 * fy)
  const w = fz * fz * (3 - 2 * fz)
  // A step of one coordinate adds its factor once more, so that each is multiplied once for all corners.
  const x0 = Math.imul(ix, byX)
  const x1 = (x0 + byX) | 0
  const y0 = Math.imul(iy, byY)
  const y1 = (y0 + byY) | 0
  const z0 = Math.imul(iz, byZ)
  const z1 = (z0 + byZ) | 0
  const low = y0 ^ z0
  const high = y1 ^ z0
  const lowFar = y0 ^ z1
  const highFar = y1 ^ z1
  const h000 = mixed(x0 ^ low)
  const h010 = mixed(x0 ^ high)
  const h001 = mixed(x0 ^ lowFar)
  const h011 = mixed(x0 ^ highFar)
  const a = h000 + u * (mixed(x1 ^ low) - h000)
  const b = h010 + u * (mixed(x1 ^ high) - h010)
  const c = h001 + u * (mixed(x1 ^ lowFar) - h001)
  const d = h011 + u * (mixed(x1 ^ highFar) - h011)
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
