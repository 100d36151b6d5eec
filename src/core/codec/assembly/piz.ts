// @ts-nocheck: AssemblyScript, checked by its own compiler

/** Bits of the table of short codes. */
const tableBits: u64 = 14

/** Eight bytes from a bit of the stream on, the first bit the highest; zeros come in from below. */
@inline
function bitsAt(stream: usize, at: u32): u64 {
  const from = stream + ((at >>> 3) as usize)
  const shift = (at & 7) as u64
  const high = bswap<u64>(load<u64>(from)) << shift
  return shift == 0 ? high : high | ((load<u8>(from, 8) as u64) >> (8 - shift))
}

/** Symbols there are, the last to stand for a run; and the longest code. */
const symbols = 65537
const longest = 58

/**
 * The tables in front of coded values: lengths of the codes of symbols `from` to `to`, six bits each, runs of zeros shortened. From them: `short`,
 * 2¹⁴ entries of symbol << 6 | length by their first bits, 0 where a longer code begins; for each length its first code in `first`, and where its symbols begin in
 * `ordered` in `starts`, one more at the end. `lengths` has room for a byte of each symbol. Gives back how many bytes the table has, −1 where it can not be.
 */
export function readTables(
  bytes: usize, size: i32, from: i32, to: i32, lengths: usize, short: usize, first: usize, starts: usize, ordered: usize,
): i32 {
  memory.fill(starts, 0, (longest + 2) << 2)
  let at = 0
  let buffer: u32 = 0
  let have: u32 = 0
  for (let symbol = from; symbol <= to; ) {
    if (have < 6) {
      if (at >= size) return -1
      buffer = (buffer << 8) | (load<u8>(bytes + (at as usize)) as u32)
      at++
      have += 8
    }
    have -= 6
    const length = ((buffer >> have) & 63) as i32
    if (length < 59) {
      store<u8>(lengths + (symbol as usize), length as u8)
      if (length > 0) {
        const count = starts + ((length as usize) << 2)
        store<u32>(count, load<u32>(count, 4) + 1, 4)
      }
      symbol++
      continue
    }
    // Six bits that stand for a run of zeros: two and more of them, and six and more, which eight bits count.
    let run = length - 57
    if (length == 63) {
      while (have < 8) {
        if (at >= size) return -1
        buffer = (buffer << 8) | (load<u8>(bytes + (at as usize)) as u32)
        at++
        have += 8
      }
      have -= 8
      run = ((buffer >> have) & 255) as i32 + 6
    }
    if (symbol + run > to + 1) return -1
    memory.fill(lengths + (symbol as usize), 0, run as usize)
    symbol += run
  }
  for (let length = 1; length <= longest; length++) {
    const start = starts + ((length as usize) << 2)
    store<u32>(start, load<u32>(start) + load<u32>(start, 4), 4)
  }
  // Shorter codes have higher values than the beginnings of longer ones; within a length, codes rise with symbols.
  let code: u64 = 0
  for (let length = longest; length > 0; length--) {
    const start = starts + ((length as usize) << 2)
    store<u64>(first + ((length as usize) << 3), code)
    code = (code + ((load<u32>(start, 4) - load<u32>(start)) as u64)) >> 1
  }
  memory.fill(short, 0, (1 << (tableBits as i32)) << 2)
  // Where the next symbol of each length goes: `starts` moves on, and is moved back.
  for (let symbol = from; symbol <= to; symbol++) {
    const length = load<u8>(lengths + (symbol as usize)) as i32
    if (length == 0) continue
    const start = starts + ((length as usize) << 2)
    const place = load<u32>(start)
    store<u32>(start, place + 1)
    store<u32>(ordered + ((place as usize) << 2), symbol as u32)
  }
  for (let length = longest; length > 0; length--) {
    const start = starts + ((length as usize) << 2)
    store<u32>(start, load<u32>(start - 4))
  }
  store<u32>(starts, 0)
  for (let length: i32 = 1; length <= (tableBits as i32); length++) {
    const start = load<u32>(starts + ((length as usize) << 2)), end = load<u32>(starts + ((length as usize) << 2), 4)
    const span = 1 << ((tableBits as i32) - length)
    let entry = load<u64>(first + ((length as usize) << 3)) * (span as u64)
    for (let place = start; place < end; place++) {
      if (entry + (span as u64) > 1 << tableBits) return -1
      const value = (load<u32>(ordered + ((place as usize) << 2)) << 6) | (length as u32)
      for (let k = 0; k < span; k++) store<u32>(short + ((((entry as u32) + (k as u32)) as usize) << 2), value)
      entry += span as u64
    }
  }
  return at
}

/** Decodes values to at most `count` by what `readTables` made. Gives back how many there are, −1 for data that do not fit. */
export function decodeCodes(
  out: usize, count: i32, stream: usize, end: u32, short: usize, first: usize, starts: usize, ordered: usize, run: i32,
): i32 {
  let at: u32 = 0
  let o = 0
  while (at < end && o < count) {
    let bits = bitsAt(stream, at)
    // Of 64 bits four short codes can be taken without looking again.
    let left = 4
    while (left > 0 && at < end && o < count) {
      left--
      const entry = load<i32>(short + ((bits >> (64 - tableBits)) << 2) as usize)
      let symbol = entry >> 6
      let length = entry & 63
      if (length == 0) {
        bits = bitsAt(stream, at)
        left = 0
        length = tableBits as i32 + 1
        while (length <= 58 && (bits >> (64 - (length as u64))) < load<u64>(first + ((length as usize) << 3))) length++
        if (length > 58) return -1
        const place = (bits >> (64 - (length as u64))) - load<u64>(first + ((length as usize) << 3))
        const start = load<u32>(starts + ((length as usize) << 2))
        if (place >= ((load<u32>(starts + ((length as usize) << 2), 4) - start) as u64)) return -1
        symbol = load<i32>(ordered + (((start + (place as u32)) as usize) << 2))
      }
      at += length as u32
      bits <<= length as u64
      if (symbol != run) {
        store<u16>(out + ((o as usize) << 1), symbol as u16)
        o++
        continue
      }
      const repeat = (bitsAt(stream, at) >> 56) as i32
      at += 8
      left = 0
      if (o == 0 || o + repeat > count) return -1
      const value = load<u16>(out + ((o as usize) << 1) - 2)
      for (const to = o + repeat; o < to; o++) store<u16>(out + ((o as usize) << 1), value)
    }
  }
  return o
}

/** Every 16-bit value by a table. */
export function lookUp(data: usize, count: i32, table: usize): void {
  for (let at = data, end = data + ((count as usize) << 1); at < end; at += 2) store<u16>(at, load<u16>(table + ((load<u16>(at) as usize) << 1)))
}

// The two inverses: of sums and differences of fewer than 14 bits, and of those in arithmetic modulo 2^16.
@inline
function upper(low: v128, high: v128, isSmall: bool): v128 {
  return isSmall
    ? i16x8.add(i16x8.add(low, v128.and(high, i16x8.splat(1))), i16x8.shr_s(high, 1))
    : i16x8.sub(i16x8.add(high, i16x8.sub(low, i16x8.shr_u(high, 1))), i16x8.splat(-32768))
}
@inline
function lower(low: v128, high: v128, first: v128, isSmall: bool): v128 {
  return isSmall ? i16x8.sub(first, high) : i16x8.sub(low, i16x8.shr_u(high, 1))
}

let one: i32 = 0
let other: i32 = 0
/** The inverse of one pair, to `one` and `other`. */
@inline
function inverse(low: i32, high: i32, isSmall: bool): void {
  if (isSmall) {
    const h = (high << 16) >> 16
    const a = low + (h & 1) + (h >> 1)
    one = a & 0xffff
    other = (a - h) & 0xffff
  } else {
    other = (low - (high >> 1)) & 0xffff
    one = (high + other - 0x8000) & 0xffff
  }
}
@inline
function at16(at: usize): i32 {
  return load<u16>(at) as i32
}

/** Two rows of the finest level: blocks of two by two, `words` 16-bit words a sample. Gives back how many samples are through. */
@inline
function finest(row: usize, below: usize, nx: i32, words: i32, isSmall: bool): i32 {
  const stride = words << 4
  let x = 0
  for (; x + 16 / words <= nx; x += 16 / words) {
    const at = row + ((x * words) as usize) * 2, to = below + ((x * words) as usize) * 2
    const p = v128.load(at), q = v128.load(at, 16), r = v128.load(to), s = v128.load(to, 16)
    const a0 = upper(p, r, isSmall), a1 = upper(q, s, isSmall)
    const b0 = lower(p, r, a0, isSmall), b1 = lower(q, s, a1, isSmall)
    if (words == 1) {
      const ae = v128.shuffle<u16>(a0, a1, 0, 2, 4, 6, 8, 10, 12, 14), ao = v128.shuffle<u16>(a0, a1, 1, 3, 5, 7, 9, 11, 13, 15)
      const be = v128.shuffle<u16>(b0, b1, 0, 2, 4, 6, 8, 10, 12, 14), bo = v128.shuffle<u16>(b0, b1, 1, 3, 5, 7, 9, 11, 13, 15)
      const t0 = upper(ae, ao, isSmall), u0 = upper(be, bo, isSmall)
      const t1 = lower(ae, ao, t0, isSmall), u1 = lower(be, bo, u0, isSmall)
      v128.store(at, v128.shuffle<u16>(t0, t1, 0, 8, 1, 9, 2, 10, 3, 11))
      v128.store(at, v128.shuffle<u16>(t0, t1, 4, 12, 5, 13, 6, 14, 7, 15), 16)
      v128.store(to, v128.shuffle<u16>(u0, u1, 0, 8, 1, 9, 2, 10, 3, 11))
      v128.store(to, v128.shuffle<u16>(u0, u1, 4, 12, 5, 13, 6, 14, 7, 15), 16)
    } else {
      const ae = v128.shuffle<u32>(a0, a1, 0, 2, 4, 6), ao = v128.shuffle<u32>(a0, a1, 1, 3, 5, 7)
      const be = v128.shuffle<u32>(b0, b1, 0, 2, 4, 6), bo = v128.shuffle<u32>(b0, b1, 1, 3, 5, 7)
      const t0 = upper(ae, ao, isSmall), u0 = upper(be, bo, isSmall)
      const t1 = lower(ae, ao, t0, isSmall), u1 = lower(be, bo, u0, isSmall)
      v128.store(at, v128.shuffle<u32>(t0, t1, 0, 4, 1, 5))
      v128.store(at, v128.shuffle<u32>(t0, t1, 2, 6, 3, 7), 16)
      v128.store(to, v128.shuffle<u32>(u0, u1, 0, 4, 1, 5))
      v128.store(to, v128.shuffle<u32>(u0, u1, 2, 6, 3, 7), 16)
    }
  }
  return x
}

/** One level of one word of the samples: blocks whose corners lie p samples apart, from column `x` on. */
@inline
function level(data: usize, nx: i32, ny: i32, words: i32, p: i32, isSmall: bool): void {
  const across = ((p * words) as usize) << 1, row = ((nx * words) as usize) << 1
  const down = row * (p as usize)
  const p2 = p << 1
  let y = 0
  for (; y <= ny - p2; y += p2) {
    const line = data + row * (y as usize)
    let x = 0
    if (p == 1 && words <= 2) x = words == 1 ? finest(line, line + down, nx, 1, isSmall) : finest(line, line + down, nx, 2, isSmall)
    for (; x <= nx - p2; x += p2)
      for (let word = 0; word < words; word++) {
        const at = line + ((x * words + word) as usize) * 2
        inverse(at16(at), at16(at + down), isSmall)
        const leftUp = one, leftLow = other
        inverse(at16(at + across), at16(at + across + down), isSmall)
        const rightUp = one, rightLow = other
        inverse(leftUp, rightUp, isSmall)
        store<u16>(at, one as u16)
        store<u16>(at + across, other as u16)
        inverse(leftLow, rightLow, isSmall)
        store<u16>(at + down, one as u16)
        store<u16>(at + across + down, other as u16)
      }
    if (nx & p)
      for (let word = 0; word < words; word++) {
        const at = line + ((x * words + word) as usize) * 2
        inverse(at16(at), at16(at + down), isSmall)
        store<u16>(at, one as u16)
        store<u16>(at + down, other as u16)
      }
  }
  if (ny & p)
    for (let x = 0; x <= nx - p2; x += p2)
      for (let word = 0; word < words; word++) {
        const at = data + row * (y as usize) + ((x * words + word) as usize) * 2
        inverse(at16(at), at16(at + across), isSmall)
        store<u16>(at, one as u16)
        store<u16>(at + across, other as u16)
      }
}

/** The wavelet of PIZ undone over nx × ny samples of `words` 16-bit words each, which lie side by side. */
export function inverseWavelet(data: usize, nx: i32, ny: i32, words: i32, isSmall: i32): void {
  let p = 1
  while (p <= min<i32>(nx, ny)) p <<= 1
  for (p >>= 2; p >= 1; p >>= 1)
    if (isSmall) level(data, nx, ny, words, p, true)
    else level(data, nx, ny, words, p, false)
}
