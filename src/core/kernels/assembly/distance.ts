// @ts-nocheck: AssemblyScript, checked by its own compiler
import { thread } from './thread'

// Distances of pixels to the edge of a shape. Sources: Felzenszwalb & Huttenlocher 2012, lower envelope of parabolas; Gustavson & Strand
// 2011, where an edge lies in a pixel that it covers in part.

/** Columns that are gone through together. */
const together = 16
const none = -1

/** For each pixel the row of the nearest one in its column that is in the shape (or, for `outside`, is not); strips y0..y1-1. */
export function nearestInColumns(out: usize, src: usize, outside: i32, width: i32, height: i32, y0: i32, y1: i32): void {
  const half = f32x4.splat(0.5)
  const flip = i32x4.splat(outside ? -1 : 0)
  const nowhere = i32x4.splat(none)
  const row = (width as usize) << 2
  for (let strip = y0; strip < y1; strip++) {
    const x0 = strip * together
    const x1 = min<i32>(width, x0 + together)
    const whole = x0 + ((x1 - x0) & ~3)
    for (let y = 0; y < height; y++) {
      const here = i32x4.splat(y)
      let x = x0
      for (; x < whole; x += 4) {
        const at = ((y * width + x) as usize) << 2
        const isSite = v128.xor(f32x4.ge(v128.load(src + at), half), flip)
        const above = y > 0 ? v128.load(out + at - row) : nowhere
        v128.store(out + at, v128.bitselect(here, above, isSite))
      }
      for (; x < x1; x++) {
        const at = ((y * width + x) as usize) << 2
        const isIn = load<f32>(src + at) >= 0.5 ? 1 : 0
        const above = y > 0 ? load<i32>(out + at - row) : none
        store<i32>(out + at, isIn != outside ? y : above)
      }
    }
    for (let y = height - 2; y >= 0; y--) {
      const here = i32x4.splat(y)
      let x = x0
      for (; x < whole; x += 4) {
        const at = ((y * width + x) as usize) << 2
        const below = v128.load(out + at + row)
        const own = v128.load(out + at)
        // Nearer below than above, or nothing above.
        const nearer = i32x4.lt_s(i32x4.sub(below, here), i32x4.sub(here, own))
        const isBelow = v128.and(i32x4.ne(below, nowhere), v128.or(i32x4.eq(own, nowhere), nearer))
        v128.store(out + at, v128.bitselect(below, own, isBelow))
      }
      for (; x < x1; x++) {
        const at = ((y * width + x) as usize) << 2
        const below = load<i32>(out + at + row)
        const own = load<i32>(out + at)
        if (below != none && (own == none || below - y < y - own)) store<i32>(out + at, below)
      }
    }
  }
}

@inline
function held(src: usize, x: i32, y: i32, width: i32, height: i32): f32 {
  const at = ((max<i32>(0, min<i32>(height - 1, y)) * width + max<i32>(0, min<i32>(width - 1, x))) as usize) << 2
  return min<f32>(1, max<f32>(0, load<f32>(src + at)))
}

/** How far the middle of a pixel lies from a straight edge that covers `a` of it; nx ≥ ny ≥ 0 is its direction, of length 1. */
@inline
function fromEdge(nx: f32, ny: f32, a: f32): f32 {
  const corner = (0.5 * ny) / nx
  if (a < corner) return (0.5 as f32) * (nx + ny) - sqrt<f32>(2 * nx * ny * a)
  if (a < (1.0 as f32) - corner) return ((0.5 as f32) - a) * nx
  return sqrt<f32>(2 * nx * ny * ((1.0 as f32) - a)) - (0.5 as f32) * (nx + ny)
}

/** A bell of σ = 0.9 pixels: what it gathers along a straight edge says its direction within half a degree. */
@inline
function bell(i: i32): f32 {
  return i == 0 ? 1 : i == 1 || i == -1 ? 0.5394 : 0.0847
}

/**
 * The straight edge through each pixel that is covered in part: its outward direction, how far the pixel's middle lies outside of it,
 * and 1; four zeros elsewhere, and where no direction can be told. Source: Gustavson & Strand 2011.
 */
export function edgeLines(out: usize, src: usize, width: i32, height: i32, y0: i32, y1: i32): void {
  const zero = f32x4.splat(0)
  const one = f32x4.splat(1)
  for (let y = y0; y < y1; y++)
    for (let x = 0; x < width; x++) {
      const i = (y * width + x) as usize
      if (x + 4 <= width) {
        // Mostly none of four has an edge.
        const four = v128.load(src + (i << 2))
        if (!v128.any_true(v128.and(f32x4.gt(four, zero), f32x4.lt(four, one)))) {
          v128.store(out + (i << 4), zero)
          v128.store(out + (i << 4), zero, 16)
          v128.store(out + (i << 4), zero, 32)
          v128.store(out + (i << 4), zero, 48)
          x += 3
          continue
        }
      }
      const a = load<f32>(src + (i << 2))
      let line = zero
      if (a > 0 && a < 1) {
        let gx: f32 = 0, gy: f32 = 0
        for (let j = -2; j <= 2; j++)
          for (let i = -2; i <= 2; i++) {
            const v = held(src, x + i, y + j, width, height) * bell(i) * bell(j)
            gx -= v * (i as f32)
            gy -= v * (j as f32)
          }
        const length = sqrt<f32>(gx * gx + gy * gy)
        if (length > 0.001) {
          const nx = gx / length, ny = gy / length
          const ax = abs<f32>(nx), ay = abs<f32>(ny)
          line = f32x4(nx, ny, fromEdge(max<f32>(ax, ay), min<f32>(ax, ay), a), 1)
        }
      }
      v128.store(out + (i << 4), line)
    }
}

/** Along an edge a line holds so far to either side of its pixel; beyond that it is a point. */
const lineReach: f32 = 0.6
const mostHops = 8
/** Sideways pixels within which a line is square across enough. */
const squareAcross: f32 = 0.3

/** How far along the edge from the pixel it was last asked for the nearest place is, in pixels. */
let foot: f32 = 0

/**
 * How far pixel x, y lies outside of the edge that runs through pixel px, py: off its line, and by how the edge bends, which the
 * directions of the lines beside it say. Off a circle of curvature k that a line touches: s²·k / (2·(1 + k·across)), s pixels along it.
 */
@inline
function acrossBent(lines: usize, x: i32, y: i32, px: i32, py: i32, width: i32, height: i32): f32 {
  const line = lines + (((py * width + px) as usize) << 4)
  const lx = load<f32>(line), ly = load<f32>(line, 4)
  const vx = (x - px) as f32, vy = (y - py) as f32
  const across = lx * vx + ly * vy + load<f32>(line, 8)
  const along = lx * vy - ly * vx
  foot = along
  let turned: f32 = 0, apart: f32 = 0
  for (let j = max<i32>(0, py - 1); j <= min<i32>(height - 1, py + 1); j++)
    for (let i = max<i32>(0, px - 1); i <= min<i32>(width - 1, px + 1); i++) {
      const other = lines + (((j * width + i) as usize) << 4)
      const ox = load<f32>(other), oy = load<f32>(other, 4)
      // A corner is no bend.
      if (!(load<f32>(other, 12) > 0) || lx * ox + ly * oy < 0.85) continue
      const step = lx * ((j - py) as f32) - ly * ((i - px) as f32)
      turned += (lx * oy - ly * ox) * step
      apart += step * step
    }
  if (apart < 0.5) return across
  const bend = min<f32>(0.5, max<f32>(-0.5, turned / apart))
  const grown = (1.0 as f32) + bend * across
  if (grown < 0.3) return across
  foot = along / grown
  return across + (bend * along * along) / (2 * grown)
}

/**
 * Distance to the edge of the shape, from the line through the pixel of it that is nearest, going along the edge until the line is the
 * one across from here. Where edges run between pixels, half a pixel less than the distance of pixels. Written only for pixels on one side; `outside`: those inside, negative. What is farther
 * than `reach` is beyond all reach; below 0 all is.
 */
export function distanceRows(
  out: usize, src: usize, lines: usize, nearest: usize, scratch: usize, scratchBytes: i32, outside: i32, reach: i32, width: i32, height: i32,
  y0: i32, y1: i32,
): void {
  const beyond: f32 = outside ? -1e9 : 1e9
  const sign: f32 = outside ? -1 : 1
  const most = reach * reach
  const sites = scratch + ((thread * scratchBytes) as usize)
  const borders = sites + ((width as usize) << 2)
  for (let y = y0; y < y1; y++) {
    const row = ((y * width) as usize) << 2
    let last = -1
    for (let q = 0; q < width && reach >= 0; q++) {
      const near = load<i32>(nearest + row + ((q as usize) << 2))
      if (near == none || near - y > reach || y - near > reach) continue
      // Inside a run of pixels of the shape none is nearest to one beside it.
      if (near == y && q > 0 && q < width - 1) {
        const at = nearest + row + ((q as usize) << 2)
        if (load<i32>(at - 4) == y && load<i32>(at + 4) == y) continue
      }
      const fq = ((y - near) * (y - near)) as f64
      let from: f64 = -1e30
      while (last >= 0) {
        const p = load<i32>(sites + ((last as usize) << 2))
        const up = y - load<i32>(nearest + row + ((p as usize) << 2))
        const fp = (up * up) as f64
        const rise = fq + ((q * q) as f64) - fp - ((p * p) as f64)
        // Neighbours are the most, and a division is slow.
        from = q - p == 1 ? rise * 0.5 : rise / ((2 * (q - p)) as f64)
        if (from > load<f64>(borders + ((last as usize) << 3))) break
        last--
        from = -1e30
      }
      last++
      store<i32>(sites + ((last as usize) << 2), q)
      store<f64>(borders + ((last as usize) << 3), from)
    }
    let k = 0
    for (let x = 0; x < width; x++) {
      const at = row + ((x as usize) << 2)
      if (last < 0 && x + 4 <= width) {
        // With no edge in reach all of this side is beyond.
        const four = v128.load(src + at)
        const isHere = v128.xor(f32x4.ge(four, f32x4.splat(0.5)), i32x4.splat(outside ? 0 : -1))
        const isSplit = v128.and(f32x4.gt(four, f32x4.splat(0)), f32x4.lt(four, f32x4.splat(1)))
        if (!v128.any_true(isSplit)) {
          v128.store(out + at, v128.bitselect(f32x4.splat(beyond), v128.load(out + at), isHere))
          x += 3
          continue
        }
      }
      const here = load<f32>(src + at)
      const isIn = here >= 0.5 ? 1 : 0
      if (isIn != outside) continue
      if (reach >= 0 && here > 0 && here < 1) {
        // The edge runs through this very pixel.
        const own = lines + (((y * width + x) as usize) << 4)
        store<f32>(out + at, load<f32>(own, 12) > 0 ? load<f32>(own, 8) : (0.5 as f32) - here)
        continue
      }
      if (last < 0) {
        store<f32>(out + at, beyond)
        continue
      }
      while (k < last && load<f64>(borders + (((k + 1) as usize) << 3)) < (x as f64)) k++
      const q = load<i32>(sites + ((k as usize) << 2))
      const near = load<i32>(nearest + row + ((q as usize) << 2))
      const squared = (x - q) * (x - q) + (y - near) * (y - near)
      if (squared > most) {
        store<f32>(out + at, beyond)
        continue
      }
      const whole = sqrt<f32>(squared as f32)
      const own = min<f32>(1, max<f32>(0, load<f32>(src + (((near * width + q) as usize) << 2))))
      // The pixel before the nearest one, on the way.
      const nx = q + (Math.floor(((x - q) as f64) / (whole as f64) + 0.5) as i32)
      const ny = near + (Math.floor(((y - near) as f64) / (whole as f64) + 0.5) as i32)
      const isThere = nx >= 0 && ny >= 0 && nx < width && ny < height && (nx != x || ny != y)
      const clear: f32 = outside ? 1 : 0
      const next = isThere ? min<f32>(1, max<f32>(0, load<f32>(src + (((ny * width + nx) as usize) << 2)))) : clear
      let best: f32 = 1e9
      if (next == clear && own == (1.0 as f32) - clear) best = whole - 0.5
      let cx = q, cy = near
      for (let hop = 0; hop < mostHops; hop++) {
        let line = lines + (((cy * width + cx) as usize) << 4)
        if (!(load<f32>(line, 12) > 0)) {
          // The edge may run through a neighbour.
          let least: f32 = 1e9
          let fx = -1, fy = -1
          for (let j = max<i32>(0, cy - 1); j <= min<i32>(height - 1, cy + 1); j++)
            for (let i = max<i32>(0, cx - 1); i <= min<i32>(width - 1, cx + 1); i++) {
              const other = lines + (((j * width + i) as usize) << 4)
              if (!(load<f32>(other, 12) > 0)) continue
              const ox = (x - i) as f32, oy = (y - j) as f32
              const away = sign * (load<f32>(other) * ox + load<f32>(other, 4) * oy + load<f32>(other, 8))
              const beside = max<f32>(0, abs<f32>(load<f32>(other) * oy - load<f32>(other, 4) * ox) - lineReach)
              if (away < 0) continue
              const far = away * away + beside * beside
              if (far < least) {
                least = far
                fx = i
                fy = j
              }
            }
          if (fx < 0) break
          cx = fx
          cy = fy
          line = lines + (((cy * width + cx) as usize) << 4)
        }
        const lx = load<f32>(line), ly = load<f32>(line, 4)
        const vx = (x - cx) as f32, vy = (y - cy) as f32
        const across = sign * (lx * vx + ly * vy + load<f32>(line, 8))
        const along = lx * vy - ly * vx
        const over = abs<f32>(along) - lineReach
        if (across >= 0) best = min<f32>(best, over > 0 ? sqrt<f32>(across * across + over * over) : across)
        // Not far at once: an edge that bends is left otherwise.
        const step = max<f32>(-2, min<f32>(2, along))
        const tx = cx + (Math.round((-ly * step) as f64) as i32), ty = cy + (Math.round((lx * step) as f64) as i32)
        const isStuck = hop == mostHops - 1 || (tx == cx && ty == cy) || tx < 0 || ty < 0 || tx >= width || ty >= height
        if (over <= 0 || isStuck) {
          // The line that is most square across from here counts, of the same stretch of edge; the next best says how the edge bends.
          let sx = cx, sy = cy
          let least = abs<f32>(along)
          const around = isStuck ? 2 : 1
          const most = (0.5 as f32) + (over > 0 ? sqrt<f32>(across * across + over * over) : across)
          for (let j = max<i32>(0, cy - around); j <= min<i32>(height - 1, cy + around) && least > squareAcross; j++)
            for (let i = max<i32>(0, cx - around); i <= min<i32>(width - 1, cx + around); i++) {
              const other = lines + (((j * width + i) as usize) << 4)
              if (!(load<f32>(other, 12) > 0)) continue
              const ox = (x - i) as f32, oy = (y - j) as f32
              const beside = abs<f32>(load<f32>(other) * oy - load<f32>(other, 4) * ox)
              const away = sign * (load<f32>(other) * ox + load<f32>(other, 4) * oy + load<f32>(other, 8))
              if (beside < least && away >= 0 && away < most) {
                least = beside
                sx = i
                sy = j
              }
            }
          const bent = acrossBent(lines, x, y, sx, sy, width, height)
          // No line is across from here where the edge bends from one pixel to the next; farther along it is another edge.
          if (across >= 0 && (over < 1 || abs<f32>(foot) < 1.2)) best = max<f32>(0, sign * bent)
          break
        }
        cx = tx
        cy = ty
      }
      // No edge that has a direction: how much the two are covered says where it is.
      if (best >= 1e9) best = whole + 0.5 - (outside ? 2 - own - next : own + next)
      store<f32>(out + at, sign * best)
    }
  }
}

/** What a straight edge covers of a pixel whose middle lies `inside` of it: a trapezium, `long` ≥ `short` its middle line and its slopes. */
@inline
function trapezium(inside: v128, long: v128, short: v128): v128 {
  const half = f32x4.splat(0.5), one = f32x4.splat(1), zero = f32x4.splat(0)
  const ramp = f32x4.add(half, f32x4.div(inside, long))
  const away = f32x4.abs(inside)
  // What is left of the corner that is cut off.
  const left = f32x4.max(zero, f32x4.sub(f32x4.mul(half, f32x4.add(long, short)), away))
  const cut = f32x4.div(f32x4.mul(half, f32x4.mul(left, left)), f32x4.mul(long, f32x4.max(short, f32x4.splat(0.0001))))
  const corner = v128.bitselect(f32x4.sub(one, cut), cut, f32x4.gt(inside, zero))
  const isStraight = f32x4.le(away, f32x4.mul(half, f32x4.sub(long, short)))
  return f32x4.pmin(one, f32x4.pmax(zero, v128.bitselect(ramp, corner, isStraight)))
}

/** Cover by distance, and by how it grows to the right and down. */
@inline
function edgeCover(inside: v128, right: v128, down: v128, soft: f32): v128 {
  const one = f32x4.splat(1)
  const wider: f32 = min<f32>(1, max<f32>(0, soft - 1))
  const x = f32x4.abs(right), y = f32x4.abs(down)
  const grows = f32x4.sqrt(f32x4.add(f32x4.mul(x, x), f32x4.mul(y, y)))
  // Where the way is unclear, in the middle of a shape, the edge is taken as upright.
  const isClear = v128.and(f32x4.gt(grows, f32x4.splat(0.5)), f32x4.lt(grows, f32x4.splat(2)))
  const across = v128.bitselect(f32x4.div(f32x4.pmax(x, y), grows), one, isClear)
  const beside = v128.and(f32x4.div(f32x4.pmin(x, y), grows), isClear)
  const long = f32x4.add(across, f32x4.mul(f32x4.sub(f32x4.splat(max<f32>(soft, 1)), across), f32x4.splat(wider)))
  return trapezium(inside, long, f32x4.mul(beside, f32x4.splat(1 - wider)))
}

/**
 * Cover of a shape that is grown by `spread`: 0.5 at its edge, over `soft` pixels; an edge of one pixel covers what a straight one does that
 * lies across the way in which distance grows. `out` is not `distance`.
 */
export function edge(out: usize, distance: usize, spread: f32, soft: f32, width: i32, height: i32, y0: i32, y1: i32): void {
  const grown = f32x4.splat(spread), half = f32x4.splat(0.5)
  // Farther from the edge all is covered or nothing.
  const far = f32x4.splat(max<f32>(soft * 0.5, 0.75))
  const slope = f32x4.splat((1 as f32) / soft)
  for (let y = y0; y < y1; y++) {
    const here = distance + (((y * width) as usize) << 2)
    const above = distance + (((max<i32>(0, y - 1) * width) as usize) << 2)
    const below = distance + (((min<i32>(height - 1, y + 1) * width) as usize) << 2)
    const to = out + (((y * width) as usize) << 2)
    const perRow = f32x4.splat(y > 0 && y < height - 1 ? 0.5 : 1)
    for (let x = 0; x < width; ) {
      const at = (x as usize) << 2
      if (x + 4 <= width) {
        const inside = f32x4.sub(grown, v128.load(here + at))
        if (!v128.any_true(f32x4.lt(f32x4.abs(inside), far))) {
          v128.store(to + at, v128.and(f32x4.splat(1), f32x4.gt(inside, f32x4.splat(0))))
          x += 4
          continue
        }
        if (soft >= 2) {
          const cover = f32x4.add(half, f32x4.mul(inside, slope))
          v128.store(to + at, f32x4.pmin(f32x4.splat(1), f32x4.pmax(f32x4.splat(0), cover)))
          x += 4
          continue
        }
        if (x > 0 && x + 4 < width) {
          const right = f32x4.mul(f32x4.sub(v128.load(here + at + 4), v128.load(here + at - 4)), half)
          const down = f32x4.mul(f32x4.sub(v128.load(below + at), v128.load(above + at)), perRow)
          v128.store(to + at, edgeCover(inside, right, down, soft))
          x += 4
          continue
        }
      }
      const left = (max<i32>(0, x - 1) as usize) << 2, next = (min<i32>(width - 1, x + 1) as usize) << 2
      const right = (load<f32>(here + next) - load<f32>(here + left)) * (x > 0 && x < width - 1 ? 0.5 : 1)
      const down = f32x4.mul(f32x4.splat(load<f32>(below + at) - load<f32>(above + at)), perRow)
      const inside = f32x4.sub(grown, f32x4.splat(load<f32>(here + at)))
      store<f32>(to + at, f32x4.extract_lane(edgeCover(inside, f32x4.splat(right), down, soft), 0))
      x++
    }
  }
}
