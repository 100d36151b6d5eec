// @ts-nocheck: AssemblyScript, checked by its own compiler
// Colours between the centres of pixels; u and v count from the centre of the first pixel.

@inline
export function held(i: i32, n: i32): i32 {
  return i < 0 ? 0 : i >= n ? n - 1 : i
}

@inline
function lerp(a: v128, b: v128, part: v128): v128 {
  return f32x4.add(a, f32x4.mul(f32x4.sub(b, a), part))
}

/** At one place; beyond the edge its pixels repeat. */
@inline
export function between(src: usize, u: f32, v: f32, width: i32, height: i32): v128 {
  return betweenFrom(src, 0, 0, u, v, width, height)
}

/** At a place counted from a pixel: however large the picture, it is as exact as it is near. */
export function betweenFrom(src: usize, px: i32, py: i32, u: f32, v: f32, width: i32, height: i32): v128 {
  const x = floor<f32>(u), y = floor<f32>(v)
  const ix = px + (x as i32), iy = py + (y as i32)
  const x0 = held(ix, width), x1 = held(ix + 1, width), y0 = held(iy, height) * width, y1 = held(iy + 1, height) * width
  const part = f32x4.splat(u - x)
  const top = lerp(v128.load(src + (((y0 + x0) as usize) << 4)), v128.load(src + (((y0 + x1) as usize) << 4)), part)
  const low = lerp(v128.load(src + (((y1 + x0) as usize) << 4)), v128.load(src + (((y1 + x1) as usize) << 4)), part)
  return lerp(top, low, f32x4.splat(v - y))
}

/** At a place counted from a pixel, quickly where that lies inside. */
@inline
export function nearBetweenFrom(src: usize, px: i32, py: i32, u: f32, v: f32, width: i32, height: i32): v128 {
  const x = floor<f32>(u), y = floor<f32>(v)
  const ix = px + (x as i32), iy = py + (y as i32)
  if (!(ix >= 0 && iy >= 0 && ix < width - 1 && iy < height - 1)) return betweenFrom(src, px, py, u, v, width, height)
  const at = src + (((iy * width + ix) as usize) << 4)
  return pixel4(at, (width as usize) << 4, f32x4.splat(u - x), f32x4.splat(v - y))
}

/** Whether all places between two lie where `inner` needs no edge. */
@inline
export function areInside(u0: f32, v0: f32, u1: f32, v1: f32, width: i32, height: i32): bool {
  const right = (width - 1) as f32, bottom = (height - 1) as f32
  return u0 >= 0 && u1 >= 0 && v0 >= 0 && v1 >= 0 && u0 < right && u1 < right && v0 < bottom && v1 < bottom
}

/** Whether all of four places, counted from a pixel, lie where `pixel4` needs no edge. */
@inline
export function fourInsideFrom(px: i32, py: i32, u: v128, v: v128, width: i32, height: i32): bool {
  const left = f32x4.splat(-px as f32), top = f32x4.splat(-py as f32)
  const isRight = v128.and(f32x4.ge(u, left), f32x4.lt(u, f32x4.splat((width - 1 - px) as f32)))
  return i32x4.all_true(v128.and(isRight, v128.and(f32x4.ge(v, top), f32x4.lt(v, f32x4.splat((height - 1 - py) as f32)))))
}

/** Whether all of four places lie where `pixel4` needs no edge. */
@inline
export function fourInside(u: v128, v: v128, width: i32, height: i32): bool {
  const zero = f32x4.splat(0)
  const isRight = v128.and(f32x4.ge(u, zero), f32x4.lt(u, f32x4.splat((width - 1) as f32)))
  return i32x4.all_true(v128.and(isRight, v128.and(f32x4.ge(v, zero), f32x4.lt(v, f32x4.splat((height - 1) as f32)))))
}

@inline
export function pixel4(at: usize, stride: usize, fx: v128, fy: v128): v128 {
  return lerp(lerp(v128.load(at), v128.load(at, 16), fx), lerp(v128.load(at + stride), v128.load(at + stride, 16), fx), fy)
}

/** The sum of two of four places, put down: compilers begin with all that is read, and sixteen pixels are more than a processor holds. */
let firstTwo: v128 = f32x4.splat(0)

/** The sum of four places inside, each times what lies at `weights`, every `step` bytes. */
@inline
export function fourWeighed(src: usize, u: v128, v: v128, width: i32, weights: usize, step: usize): v128 {
  const x = f32x4.floor(u), y = f32x4.floor(v)
  const fx = f32x4.sub(u, x), fy = f32x4.sub(v, y)
  const at = i32x4.shl(i32x4.add(i32x4.mul(i32x4.trunc_sat_f32x4_s(y), i32x4.splat(width)), i32x4.trunc_sat_f32x4_s(x)), 4)
  const stride = (width as usize) << 4
  const a = pixel4(src + (i32x4.extract_lane(at, 0) as usize), stride, v128.shuffle<f32>(fx, fx, 0, 0, 0, 0), v128.shuffle<f32>(fy, fy, 0, 0, 0, 0))
  const b = pixel4(src + (i32x4.extract_lane(at, 1) as usize), stride, v128.shuffle<f32>(fx, fx, 1, 1, 1, 1), v128.shuffle<f32>(fy, fy, 1, 1, 1, 1))
  firstTwo = f32x4.add(f32x4.mul(a, v128.load(weights)), f32x4.mul(b, v128.load(weights + step)))
  const c = pixel4(src + (i32x4.extract_lane(at, 2) as usize), stride, v128.shuffle<f32>(fx, fx, 2, 2, 2, 2), v128.shuffle<f32>(fy, fy, 2, 2, 2, 2))
  const d = pixel4(src + (i32x4.extract_lane(at, 3) as usize), stride, v128.shuffle<f32>(fx, fx, 3, 3, 3, 3), v128.shuffle<f32>(fy, fy, 3, 3, 3, 3))
  return f32x4.add(
    firstTwo,
    f32x4.add(f32x4.mul(c, v128.load(weights + 2 * step)), f32x4.mul(d, v128.load(weights + 3 * step))),
  )
}

/** The sum of four places inside. */
@inline
export function four(src: usize, u: v128, v: v128, width: i32): v128 {
  const x = f32x4.floor(u), y = f32x4.floor(v)
  const fx = f32x4.sub(u, x), fy = f32x4.sub(v, y)
  const at = i32x4.shl(i32x4.add(i32x4.mul(i32x4.trunc_sat_f32x4_s(y), i32x4.splat(width)), i32x4.trunc_sat_f32x4_s(x)), 4)
  const stride = (width as usize) << 4
  const a = pixel4(src + (i32x4.extract_lane(at, 0) as usize), stride, v128.shuffle<f32>(fx, fx, 0, 0, 0, 0), v128.shuffle<f32>(fy, fy, 0, 0, 0, 0))
  const b = pixel4(src + (i32x4.extract_lane(at, 1) as usize), stride, v128.shuffle<f32>(fx, fx, 1, 1, 1, 1), v128.shuffle<f32>(fy, fy, 1, 1, 1, 1))
  firstTwo = f32x4.add(a, b)
  const c = pixel4(src + (i32x4.extract_lane(at, 2) as usize), stride, v128.shuffle<f32>(fx, fx, 2, 2, 2, 2), v128.shuffle<f32>(fy, fy, 2, 2, 2, 2))
  const d = pixel4(src + (i32x4.extract_lane(at, 3) as usize), stride, v128.shuffle<f32>(fx, fx, 3, 3, 3, 3), v128.shuffle<f32>(fy, fy, 3, 3, 3, 3))
  return f32x4.add(firstTwo, f32x4.add(c, d))
}
