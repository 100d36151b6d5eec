// @ts-nocheck: AssemblyScript, checked by its own compiler
// Pixels between pixels, four at once, by Catmull–Rom.

// Loaded in the loop, where written out they would be made anew each time; see maths.ts.
const numbers = memory.data<f32>([0.5, 1, 1.5, 2.5, -0.5])
@inline
function number(k: usize): v128 {
  return v128.load32_splat(numbers + (k << 2))
}
@inline
function lane(v: v128, k: i32): v128 {
  if (k == 0) return v128.shuffle<f32>(v, v, 0, 0, 0, 0)
  if (k == 1) return v128.shuffle<f32>(v, v, 1, 1, 1, 1)
  return k == 2 ? v128.shuffle<f32>(v, v, 2, 2, 2, 2) : v128.shuffle<f32>(v, v, 3, 3, 3, 3)
}

/** Weights of the outer and the inner neighbour on the side that lies a share t away, in each of four pixels; `rest` is what t lacks of 1. */
@inline
function outer(t: v128, rest: v128): v128 {
  return f32x4.mul(f32x4.mul(number(4), t), f32x4.mul(rest, rest))
}
@inline
function inner(t: v128): v128 {
  return f32x4.add(number(1), f32x4.mul(f32x4.mul(t, t), f32x4.sub(f32x4.mul(number(2), t), number(3))))
}

@inline
function across(row: usize, x0: v128, x1: v128, x2: v128, x3: v128): v128 {
  return f32x4.add(
    f32x4.add(f32x4.mul(v128.load(row), x0), f32x4.mul(v128.load(row, 16), x1)),
    f32x4.add(f32x4.mul(v128.load(row, 32), x2), f32x4.mul(v128.load(row, 48), x3)),
  )
}

/** Pixel k of four: sixteen of the picture, weighed. */
@inline
function sixteen(
  out: usize, src: usize, place: i32, k: i32, stride: usize, x0: v128, x1: v128, x2: v128, x3: v128, y0: v128, y1: v128, y2: v128, y3: v128,
): void {
  const at = src + ((place as usize) << 4)
  const a = lane(x0, k), b = lane(x1, k), c = lane(x2, k), d = lane(x3, k)
  // Put down halfway: compilers begin with all that is read, and sixteen pixels are more than a processor holds.
  const to = out + ((k as usize) << 4)
  v128.store(to, f32x4.add(f32x4.mul(across(at, a, b, c, d), lane(y0, k)), f32x4.mul(across(at + stride, a, b, c, d), lane(y1, k))))
  const more = f32x4.add(f32x4.mul(across(at + 2 * stride, a, b, c, d), lane(y2, k)), f32x4.mul(across(at + 3 * stride, a, b, c, d), lane(y3, k)))
  v128.store(to, f32x4.add(v128.load(to), more))
}

/** Four pixels by where they lie between the centres of pixels of `src`, if all of what they take in lies within it; false, and nothing, if not. */
@inline
export function betweenFour(out: usize, src: usize, u: v128, v: v128, width: i32, height: i32): bool {
  const wholeX = f32x4.floor(u), wholeY = f32x4.floor(v)
  const ix = i32x4.trunc_sat_f32x4_s(wholeX), iy = i32x4.trunc_sat_f32x4_s(wholeY)
  const one = i32x4.splat(1)
  const isInside = v128.and(
    v128.and(i32x4.ge_s(ix, one), i32x4.lt_s(ix, i32x4.splat(width - 2))),
    v128.and(i32x4.ge_s(iy, one), i32x4.lt_s(iy, i32x4.splat(height - 2))),
  )
  if (!i32x4.all_true(isInside)) return false
  const tx = f32x4.sub(u, wholeX), ty = f32x4.sub(v, wholeY)
  const restX = f32x4.sub(number(1), tx), restY = f32x4.sub(number(1), ty)
  const w0 = outer(tx, restX), w1 = inner(tx), w2 = inner(restX), w3 = outer(restX, tx)
  const h0 = outer(ty, restY), h1 = inner(ty), h2 = inner(restY), h3 = outer(restY, ty)
  const at4 = i32x4.add(i32x4.mul(i32x4.sub(iy, one), i32x4.splat(width)), i32x4.sub(ix, one))
  const stride = (width as usize) << 4
  sixteen(out, src, i32x4.extract_lane(at4, 0), 0, stride, w0, w1, w2, w3, h0, h1, h2, h3)
  sixteen(out, src, i32x4.extract_lane(at4, 1), 1, stride, w0, w1, w2, w3, h0, h1, h2, h3)
  sixteen(out, src, i32x4.extract_lane(at4, 2), 2, stride, w0, w1, w2, w3, h0, h1, h2, h3)
  sixteen(out, src, i32x4.extract_lane(at4, 3), 3, stride, w0, w1, w2, w3, h0, h1, h2, h3)
  return true
}
