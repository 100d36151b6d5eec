// @ts-nocheck: AssemblyScript, checked by its own compiler

/** Numbers of a lamp: place (3), colour times power (3), what the distance counts as at least, size. */
const lampBytes: usize = 32

/** Light of all lamps on four pixels, each lit where `isThere`: pixel after pixel at `out`, times the surface's colour. */
@inline
function lightFour(out: usize, position: usize, normal: usize, surface: usize, a: usize, b: usize, c: usize, lamps: usize, count: i32): void {
  const zero = f32x4.splat(0)
  let p = v128.load(position), q = v128.load(position + a), r = v128.load(position + b), s = v128.load(position + c)
  let pq = v128.shuffle<f32>(p, q, 0, 4, 1, 5), rs = v128.shuffle<f32>(r, s, 0, 4, 1, 5)
  const px = v128.shuffle<f32>(pq, rs, 0, 1, 4, 5), py = v128.shuffle<f32>(pq, rs, 2, 3, 6, 7)
  const pz = v128.shuffle<f32>(v128.shuffle<f32>(p, q, 2, 6, 2, 6), v128.shuffle<f32>(r, s, 2, 6, 2, 6), 0, 1, 4, 5)
  p = v128.load(normal)
  q = v128.load(normal + a)
  r = v128.load(normal + b)
  s = v128.load(normal + c)
  pq = v128.shuffle<f32>(p, q, 0, 4, 1, 5)
  rs = v128.shuffle<f32>(r, s, 0, 4, 1, 5)
  const nx = v128.shuffle<f32>(pq, rs, 0, 1, 4, 5), ny = v128.shuffle<f32>(pq, rs, 2, 3, 6, 7)
  const nz = v128.shuffle<f32>(v128.shuffle<f32>(p, q, 2, 6, 2, 6), v128.shuffle<f32>(r, s, 2, 6, 2, 6), 0, 1, 4, 5)
  const length = f32x4.sqrt(f32x4.add(f32x4.add(f32x4.mul(nx, nx), f32x4.mul(ny, ny)), f32x4.mul(nz, nz)))
  const isPlaced = v128.or(v128.or(f32x4.ne(px, zero), f32x4.ne(py, zero)), f32x4.ne(pz, zero))
  const isThere = v128.and(f32x4.gt(length, f32x4.splat(1e-6)), isPlaced)
  let red = zero, green = zero, blue = zero
  const one = f32x4.splat(1)
  for (let k = 0; k < count; k++) {
    const lamp = lamps + (k as usize) * lampBytes
    const dx = f32x4.sub(v128.load32_splat(lamp), px), dy = f32x4.sub(v128.load32_splat(lamp, 4), py)
    const dz = f32x4.sub(v128.load32_splat(lamp, 8), pz)
    const d2 = f32x4.add(f32x4.add(f32x4.mul(dx, dx), f32x4.mul(dy, dy)), f32x4.mul(dz, dz))
    const d = f32x4.sqrt(d2)
    const along = f32x4.add(f32x4.add(f32x4.mul(nx, dx), f32x4.mul(ny, dy)), f32x4.mul(nz, dz))
    const cosine = v128.bitselect(f32x4.div(along, f32x4.mul(length, d)), one, f32x4.gt(d, zero))
    // A large lamp is seen round the bend of a surface.
    const size = load<f32>(lamp, 28)
    let facing = f32x4.pmax(zero, cosine)
    if (size > 0) {
      const wrap = f32x4.div(f32x4.splat(size), f32x4.add(f32x4.splat(size), d))
      facing = f32x4.pmax(zero, f32x4.div(f32x4.add(cosine, wrap), f32x4.add(one, wrap)))
    }
    const limit = load<f32>(lamp, 24)
    const fall = v128.and(f32x4.div(facing, f32x4.pmax(d2, f32x4.splat(limit * limit))), isThere)
    red = f32x4.add(red, f32x4.mul(v128.load32_splat(lamp, 12), fall))
    green = f32x4.add(green, f32x4.mul(v128.load32_splat(lamp, 16), fall))
    blue = f32x4.add(blue, f32x4.mul(v128.load32_splat(lamp, 20), fall))
  }
  pq = v128.shuffle<f32>(red, green, 0, 4, 1, 5)
  rs = v128.shuffle<f32>(red, green, 2, 6, 3, 7)
  lay(out, surface, v128.shuffle<f32>(pq, blue, 0, 1, 4, 4))
  if (a) lay(out + a, surface + a, v128.shuffle<f32>(pq, blue, 2, 3, 5, 5))
  if (b) lay(out + b, surface + b, v128.shuffle<f32>(rs, blue, 0, 1, 6, 6))
  if (c) lay(out + c, surface + c, v128.shuffle<f32>(rs, blue, 2, 3, 7, 7))
}

@inline
function lay(out: usize, surface: usize, light: v128): void {
  v128.store(out, f32x4.replace_lane(f32x4.mul(light, v128.load(surface)), 3, 0))
}

/** See LampKernels.castLight. */
export function castLight(
  out: usize, position: usize, normal: usize, surface: usize, lamps: usize, count: i32, width: i32, y0: i32, y1: i32,
): void {
  const end = ((y1 * width) as usize) << 4
  let at = ((y0 * width) as usize) << 4
  for (; at + 64 <= end; at += 64) lightFour(out + at, position + at, normal + at, surface + at, 16, 32, 48, lamps, count)
  for (; at < end; at += 16) lightFour(out + at, position + at, normal + at, surface + at, 0, 0, 0, lamps, count)
}
