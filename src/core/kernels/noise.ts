const permutation = [
  151, 160, 137, 91, 90, 15, 131, 13, 201, 95, 96, 53, 194, 233, 7, 225, 140, 36, 103, 30, 69, 142, 8, 99, 37,
  240, 21, 10, 23, 190, 6, 148, 247, 120, 234, 75, 0, 26, 197, 62, 94, 252, 219, 203, 117, 35, 11, 32, 57,
  177, 33, 88, 237, 149, 56, 87, 174, 20, 125, 136, 171, 168, 68, 175, 74, 165, 71, 134, 139, 48, 27, 166, 77,
  146, 158, 231, 83, 111, 229, 122, 60, 211, 133, 230, 220, 105, 92, 41, 55, 46, 245, 40, 244, 102, 143, 54,
  65, 25, 63, 161, 1, 216, 80, 73, 209, 76, 132, 187, 208, 89, 18, 169, 200, 196, 135, 130, 116, 188, 159, 86,
  164, 100, 109, 198, 173, 186, 3, 64, 52, 217, 226, 250, 124, 123, 5, 202, 38, 147, 118, 126, 255, 82, 85,
  212, 207, 206, 59, 227, 47, 16, 58, 17, 182, 189, 28, 42, 223, 183, 170, 213, 119, 248, 152, 2, 44, 154,
  163, 70, 221, 153, 101, 155, 167, 43, 172, 9, 129, 22, 39, 253, 19, 98, 108, 110, 79, 113, 224, 232, 178,
  185, 112, 104, 218, 246, 97, 228, 251, 34, 242, 193, 238, 210, 144, 12, 191, 179, 162, 241, 81, 51, 145,
  235, 249, 14, 239, 107, 49, 192, 214, 31, 181, 199, 106, 157, 184, 84, 204, 176, 115, 121, 50, 45, 127, 4,
  150, 254, 138, 236, 205, 93, 222, 114, 67, 29, 24, 72, 243, 141, 128, 195, 78, 66, 215, 61, 156, 180,
]

const fade = (t: number) => t * t * t * (t * (t * 6 - 15) + 10)
const mix = (t: number, a: number, b: number) => a + t * (b - a)

/** Dot product with one of twelve directions to the middles of a cube's edges. */
function gradient(hash: number, x: number, y: number, z: number): number {
  const h = hash & 15
  const u = h < 8 ? x : y
  const v = h < 4 ? y : h === 12 || h === 14 ? x : z
  return (h & 1 ? -u : u) + (h & 2 ? -v : v)
}

/** Gradient noise, about −1…1, 0 at whole numbers; repeats every 256. Source: Perlin 2002, Improving Noise. */
export function noise3(x: number, y: number, z: number): number {
  const [fx, fy, fz] = [Math.floor(x), Math.floor(y), Math.floor(z)]
  const at = (i: number) => permutation[i & 255]!
  const [rx, ry, rz] = [x - fx, y - fy, z - fz]
  const [u, v, w] = [fade(rx), fade(ry), fade(rz)]
  const corner = (i: number, j: number, k: number) =>
    gradient(at(at(at(fx + i) + fy + j) + fz + k), rx - i, ry - j, rz - k)
  const edge = (j: number, k: number) => mix(u, corner(0, j, k), corner(1, j, k))
  return mix(w, mix(v, edge(0, 0), edge(1, 0)), mix(v, edge(0, 1), edge(1, 1)))
}

/** The same noise with its slopes across and down. */
export function noiseSlopes(
  x: number,
  y: number,
  z: number,
): readonly [value: number, across: number, down: number] {
  const [fx, fy, fz] = [Math.floor(x), Math.floor(y), Math.floor(z)]
  const at = (i: number) => permutation[i & 255]!
  const [rx, ry, rz] = [x - fx, y - fy, z - fz]
  const slope = (t: number) => 30 * t * t * (t - 1) * (t - 1)
  let [value, across, down] = [0, 0, 0]
  for (let corner = 0; corner < 8; corner++) {
    const [i, j, k] = [corner & 1, (corner >> 1) & 1, corner >> 2]
    const hash = at(at(at(fx + i) + fy + j) + fz + k)
    const share = gradient(hash, rx - i, ry - j, rz - k)
    const [u, v, w] = [i ? fade(rx) : 1 - fade(rx), j ? fade(ry) : 1 - fade(ry), k ? fade(rz) : 1 - fade(rz)]
    value += u * v * w * share
    across += v * w * ((i ? slope(rx) : -slope(rx)) * share + u * gradient(hash, 1, 0, 0))
    down += u * w * ((j ? slope(ry) : -slope(ry)) * share + v * gradient(hash, 0, 1, 0))
  }
  return [value, across, down]
}

/** Uniform 0–1 from whole numbers, the same on every machine. Source: the finaliser of MurmurHash3 (public domain). */
export function hashUnit(...parts: readonly number[]): number {
  let hash = 0x9e3779b9
  for (const part of parts) {
    hash = Math.imul(hash ^ part, 0x85ebca6b)
    hash = Math.imul(hash ^ (hash >>> 13), 0xc2b2ae35)
    hash ^= hash >>> 16
  }
  return (hash >>> 0) / 2 ** 32
}
