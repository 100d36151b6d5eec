// @ts-nocheck: AssemblyScript, checked by its own compiler

/** Sums along rows: out(x) = src(0) + … + src(x), for four channels or one. */
export function rowSums(out: usize, src: usize, channels: i32, width: i32, y0: i32, y1: i32): void {
  for (let y = y0; y < y1; y++) {
    const start = (y * width) as usize
    if (channels == 4) {
      let lo = f64x2.splat(0), hi = f64x2.splat(0)
      for (let x = 0; x < width; x++) {
        const at = (start + x) << 4
        const p = v128.load(src + at)
        lo = f64x2.add(lo, f64x2.promote_low_f32x4(p))
        hi = f64x2.add(hi, f64x2.promote_low_f32x4(v128.shuffle<i64>(p, p, 1, 1)))
        v128.store(out + at, v128.shuffle<i64>(f32x4.demote_f64x2_zero(lo), f32x4.demote_f64x2_zero(hi), 0, 2))
      }
    } else {
      let sum: f64 = 0
      for (let x = 0; x < width; x++) {
        sum += load<f32>(src + ((start + x) << 2)) as f64
        store<f32>(out + ((start + x) << 2), sum as f32)
      }
    }
  }
}

@inline
function heldAt(i: i32, n: i32): i32 {
  return max<i32>(0, min<i32>(n - 1, i))
}

/** The sum of a row from its start to `x`, a place between pixels' left edges; beyond the ends the outermost pixel goes on. */
@inline
function upTo(sums: usize, row: usize, x: f32, width: i32): v128 {
  const whole = floor<f32>(x)
  const i = whole as i32
  const part = x - whole
  const first = v128.load(sums + (row << 4))
  if (i < 0) return f32x4.mul(first, f32x4.splat(x))
  const lastSum = v128.load(sums + ((row + width - 1) << 4))
  if (i >= width) {
    const end = width > 1 ? f32x4.sub(lastSum, v128.load(sums + ((row + width - 2) << 4))) : lastSum
    return f32x4.add(lastSum, f32x4.mul(end, f32x4.splat(x - (width as f32))))
  }
  const before = i > 0 ? v128.load(sums + ((row + i - 1) << 4)) : f32x4.splat(0)
  return f32x4.add(before, f32x4.mul(f32x4.sub(v128.load(sums + ((row + i) << 4)), before), f32x4.splat(part)))
}

@inline
function upTo1(sums: usize, row: usize, x: f32, width: i32): f32 {
  const whole = floor<f32>(x)
  const i = whole as i32
  const part = x - whole
  if (i < 0) return load<f32>(sums + (row << 2)) * x
  const lastSum = load<f32>(sums + ((row + width - 1) << 2))
  if (i >= width) {
    const end = width > 1 ? lastSum - load<f32>(sums + ((row + width - 2) << 2)) : lastSum
    return lastSum + end * (x - (width as f32))
  }
  const before: f32 = i > 0 ? load<f32>(sums + ((row + i - 1) << 2)) : 0
  return before + (load<f32>(sums + ((row + i) << 2)) - before) * part
}

/**
 * Sum over an area given by runs of four floats: in which row, where it begins and ends from the pixel's left edge, its weight. Sums are
 * those of rowSums; rows beyond the picture repeat its edge.
 */
export function sumOfRuns(out: usize, sums: usize, channels: i32, runs: usize, count: i32, width: i32, height: i32, y0: i32, y1: i32): void {
  // Pixels whose runs all lie inside need no care at the ends.
  let inner = 0, outer = width
  for (let k = 0; k < count; k++) {
    const from = load<f32>(runs + ((k as usize) << 4), 4), to = load<f32>(runs + ((k as usize) << 4), 8)
    inner = max<i32>(inner, 1 - (floor<f32>(from) as i32))
    outer = min<i32>(outer, width - 1 - (floor<f32>(to) as i32))
  }
  inner = min<i32>(inner, width)
  outer = max<i32>(inner, outer)
  for (let y = y0; y < y1; y++) {
    const start = (y * width) as usize
    if (channels == 4) {
      for (let x = 0; x < width; x++) v128.store(out + ((start + x) << 4), f32x4.splat(0))
    } else memory.fill(out + (start << 2), 0, (width as usize) << 2)
    for (let k = 0; k < count; k++) {
      const run = runs + ((k as usize) << 4)
      const row = (heldAt(y + (load<f32>(run) as i32), height) * width) as usize
      const from = load<f32>(run, 4), to = load<f32>(run, 8), weight = load<f32>(run, 12)
      const factor = f32x4.splat(weight)
      const i0 = floor<f32>(from) as i32, i1 = floor<f32>(to) as i32
      const part0 = f32x4.splat(from - (i0 as f32)), part1 = f32x4.splat(to - (i1 as f32))
      if (channels == 4) {
        for (let x = 0; x < inner; x++) {
          const at = out + ((start + x) << 4)
          v128.store(at, f32x4.add(v128.load(at), f32x4.mul(factor, f32x4.sub(upTo(sums, row, (x as f32) + to, width), upTo(sums, row, (x as f32) + from, width)))))
        }
        let a = sums + ((row + (inner + i0 - 1)) << 4), b = sums + ((row + (inner + i1 - 1)) << 4)
        let at = out + ((start + inner) << 4)
        let a0 = inner < outer ? v128.load(a) : factor, b0 = inner < outer ? v128.load(b) : factor
        for (let x = inner; x < outer; x++) {
          const a1 = v128.load(a, 16), b1 = v128.load(b, 16)
          const sum = f32x4.sub(f32x4.add(b0, f32x4.mul(f32x4.sub(b1, b0), part1)), f32x4.add(a0, f32x4.mul(f32x4.sub(a1, a0), part0)))
          v128.store(at, f32x4.add(v128.load(at), f32x4.mul(factor, sum)))
          a0 = a1
          b0 = b1
          a += 16
          b += 16
          at += 16
        }
        for (let x = outer; x < width; x++) {
          const end = out + ((start + x) << 4)
          v128.store(end, f32x4.add(v128.load(end), f32x4.mul(factor, f32x4.sub(upTo(sums, row, (x as f32) + to, width), upTo(sums, row, (x as f32) + from, width)))))
        }
      } else {
        let x = 0
        for (; x < inner; x++) {
          const at = out + ((start + x) << 2)
          store<f32>(at, load<f32>(at) + weight * (upTo1(sums, row, (x as f32) + to, width) - upTo1(sums, row, (x as f32) + from, width)))
        }
        for (; x + 4 <= outer; x += 4) {
          const a = sums + ((row + (x + i0 - 1)) << 2), b = sums + ((row + (x + i1 - 1)) << 2), at = out + ((start + x) << 2)
          const a0 = v128.load(a), b0 = v128.load(b)
          const sum = f32x4.sub(
            f32x4.add(b0, f32x4.mul(f32x4.sub(v128.load(b, 4), b0), part1)),
            f32x4.add(a0, f32x4.mul(f32x4.sub(v128.load(a, 4), a0), part0)),
          )
          v128.store(at, f32x4.add(v128.load(at), f32x4.mul(factor, sum)))
        }
        for (; x < width; x++) {
          const at = out + ((start + x) << 2)
          store<f32>(at, load<f32>(at) + weight * (upTo1(sums, row, (x as f32) + to, width) - upTo1(sums, row, (x as f32) + from, width)))
        }
      }
    }
  }
}

/** The share of each pixel that lies in layer `at` of those it is placed between; of one channel out, the share in it or behind it. */
export function slice(out: usize, src: usize, places: usize, at: f32, channels: i32, width: i32, y0: i32, y1: i32): void {
  const end: usize = (y1 * width) as usize
  for (let i: usize = (y0 * width) as usize; i < end; i++) {
    const from = load<f32>(places + (i << 2)) - at
    if (channels == 4) {
      const share = max<f32>(0, (1.0 as f32) - abs<f32>(from))
      v128.store(out + (i << 4), f32x4.mul(v128.load(src + (i << 4)), f32x4.splat(share)))
    } else store<f32>(out + (i << 2), min<f32>(1, max<f32>(0, (1.0 as f32) - from)))
  }
}

/**
 * Lays a blurred layer over what lies behind it: the layer is divided by how much of it was to be seen; where next to nothing was, what is
 * behind stays. `known` holds how far the picture so far is one.
 */
export function layOver(out: usize, known: usize, layer: usize, seen: usize, width: i32, y0: i32, y1: i32): void {
  const end: usize = (y1 * width) as usize
  for (let i: usize = (y0 * width) as usize; i < end; i++) {
    const share = load<f32>(seen + (i << 2))
    if (!(share > 0.0005)) continue
    const p = f32x4.mul(v128.load(layer + (i << 4)), f32x4.splat((1.0 as f32) / share))
    const cover = min<f32>(1, max<f32>(0, f32x4.extract_lane(p, 3)))
    const trust = min<f32>(1, share * 64)
    const o = v128.load(out + (i << 4))
    const whole = f32x4.add(p, f32x4.mul(o, f32x4.splat((1.0 as f32) - cover)))
    v128.store(out + (i << 4), f32x4.add(f32x4.mul(whole, f32x4.splat(trust)), f32x4.mul(o, f32x4.splat((1.0 as f32) - trust))))
    const before = load<f32>(known + (i << 2))
    store<f32>(known + (i << 2), trust + ((1.0 as f32) - trust) * before)
  }
}
