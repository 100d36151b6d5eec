// @ts-nocheck: AssemblyScript, checked by its own compiler

// What comes out of files, laid into pictures.

/**
 * Rows of samples of `own` channels laid into a picture of `channels`, by bits; beyond them `outside`. A missing alpha is 1, and one channel
 * stands for all colours. `src` may be read 12 bytes beyond its end.
 */
export function layBlock(
  out: usize, src: usize, own: i32, channels: i32, left: i32, top: i32, w: i32, h: i32, outside: f32, width: i32, y0: i32, y1: i32,
): void {
  const from = max<i32>(0, left), to = min<i32>(width, left + w)
  for (let y = y0; y < y1; y++) {
    const row = out + ((((y * width) * channels) as usize) << 2)
    const isThere = y >= top && y < top + h && to > from
    if (!isThere || from > 0 || to < width) {
      const all = (width * channels) as usize
      for (let i: usize = 0; i < all; i++) store<f32>(row + (i << 2), outside)
      if (!isThere) continue
    }
    let at = src + (((((y - top) * w) + (from - left)) * own) as usize << 2)
    let target = row + (((from * channels) as usize) << 2)
    const step = (own as usize) << 2
    if (own == channels) memory.copy(target, at, ((to - from) as usize) * step)
    else if (channels == 1)
      for (let x = from; x < to; x++, at += step, target += 4) store<i32>(target, load<i32>(at))
    else if (own >= 3)
      for (let x = from; x < to; x++, at += step, target += 16) {
        const p = v128.load(at)
        v128.store(target, own == 3 ? f32x4.replace_lane(p, 3, 1) : p)
      }
    else if (own == 1)
      for (let x = from; x < to; x++, at += step, target += 16) v128.store(target, f32x4.replace_lane(v128.load32_splat(at), 3, 1))
    else
      for (let x = from; x < to; x++, at += step, target += 16) {
        v128.store(target, v128.load64_zero(at))
        store<f32>(target, 1, 12)
      }
  }
}

/** Whether a word is among `count` others that rise, as whole numbers without sign. */
@inline
function isAmong(word: u32, words: usize, count: i32): bool {
  let low = 0, high = count
  while (low < high) {
    const middle = (low + high) >> 1
    if (load<u32>(words + ((middle as usize) << 2)) < word) low = middle + 1
    else high = middle
  }
  return low < count && load<u32>(words + ((low as usize) << 2)) == word
}

/** Samples are pairs of an object's name and its cover; what chosen objects cover, held to 1. */
export function objectCover(
  out: usize, src: usize, own: i32, ids: usize, count: i32, left: i32, top: i32, w: i32, h: i32, width: i32, y0: i32, y1: i32,
): void {
  const from = max<i32>(0, left), to = min<i32>(width, left + w)
  const pairs = own >> 1, step = (own as usize) << 2
  for (let y = y0; y < y1; y++) {
    const row = out + (((y * width) as usize) << 2)
    const isThere = y >= top && y < top + h && to > from
    if (!isThere || from > 0 || to < width) {
      memory.fill(row, 0, (width as usize) << 2)
      if (!isThere) continue
    }
    let at = src + (((((y - top) * w) + (from - left)) * own) as usize << 2)
    // Neighbours mostly show the same object: what was asked last is not looked up again.
    let last: u32 = 0
    let isIn = isAmong(0, ids, count)
    for (let x = from; x < to; x++, at += step) {
      let sum: f32 = 0
      for (let k = 0; k < pairs; k++) {
        const pair = at + ((k as usize) << 3)
        const cover = load<f32>(pair, 4)
        if (cover == 0) continue
        const id = load<u32>(pair)
        if (id != last) {
          last = id
          isIn = isAmong(id, ids, count)
        }
        if (isIn) sum += cover
      }
      store<f32>(row + ((x as usize) << 2), sum > 0 ? min<f32>(1, sum) : 0)
    }
  }
}
