// @ts-nocheck: AssemblyScript, checked by its own compiler

/** Sums of sixteen differences to 128, each with those before it. */
@inline
function running(d: v128): v128 {
  const none = i8x16.splat(0)
  let v = v128.xor(d, i8x16.splat(-128))
  v = i8x16.add(v, v128.shuffle<u8>(none, v, 0, 16, 17, 18, 19, 20, 21, 22, 23, 24, 25, 26, 27, 28, 29, 30))
  v = i8x16.add(v, v128.shuffle<u8>(none, v, 0, 1, 16, 17, 18, 19, 20, 21, 22, 23, 24, 25, 26, 27, 28, 29))
  v = i8x16.add(v, v128.shuffle<u8>(none, v, 0, 1, 2, 3, 16, 17, 18, 19, 20, 21, 22, 23, 24, 25, 26, 27))
  return i8x16.add(v, v128.shuffle<u8>(none, v, 0, 1, 2, 3, 4, 5, 6, 7, 16, 17, 18, 19, 20, 21, 22, 23))
}

@inline
function lastOf(v: v128): v128 {
  return v128.shuffle<u8>(v, v, 15, 15, 15, 15, 15, 15, 15, 15, 15, 15, 15, 15, 15, 15, 15, 15)
}

/** See restoreBytes of ../../formats/exr-codecs.ts. One sum runs through both halves; where the second begins is summed first, so that both run at once. */
export function restoreBytes(out: usize, packed: usize, count: i32): void {
  const middle = (count + 1) >> 1
  const pairs = count >> 1
  let odd: i32 = 128
  let i = 0
  let sums = i8x16.splat(0)
  for (; i + 16 <= middle; i += 16) sums = i8x16.add(sums, v128.load(packed + (i as usize)))
  const wide = i16x8.add(i16x8.extend_low_i8x16_u(sums), i16x8.extend_high_i8x16_u(sums))
  for (let k = 0; k < 8; k++) {
    v128.store(out, wide)
    odd += load<u16>(out + ((k as usize) << 1)) as i32
  }
  for (; i < middle; i++) odd += load<u8>(packed + (i as usize)) as i32
  odd -= middle << 7
  const second = packed + (middle as usize)
  let a = i8x16.splat(-128), b = i8x16.splat(odd as i8)
  for (i = 0; i + 16 <= pairs; i += 16) {
    a = i8x16.add(running(v128.load(packed + (i as usize))), lastOf(a))
    b = i8x16.add(running(v128.load(second + (i as usize))), lastOf(b))
    const target = out + ((i as usize) << 1)
    v128.store(target, v128.shuffle<u8>(a, b, 0, 16, 1, 17, 2, 18, 3, 19, 4, 20, 5, 21, 6, 22, 7, 23))
    v128.store(target, v128.shuffle<u8>(a, b, 8, 24, 9, 25, 10, 26, 11, 27, 12, 28, 13, 29, 14, 30, 15, 31), 16)
  }
  let even: i32 = i8x16.extract_lane_u(a, 15)
  odd = i8x16.extract_lane_u(b, 15)
  for (; i < pairs; i++) {
    even += (load<u8>(packed + (i as usize)) as i32) + 128
    odd += (load<u8>(second + (i as usize)) as i32) + 128
    store<u8>(out + ((i as usize) << 1), even as u8)
    store<u8>(out + ((i as usize) << 1), odd as u8, 1)
  }
  if (count & 1) store<u8>(out + (count as usize) - 1, (even + (load<u8>(packed + (middle as usize) - 1) as i32) + 128) as u8)
}

/** Differences of sixteen bytes to the one before each; the first to the last of `before`. */
@inline
function apart(v: v128, before: v128): v128 {
  const shifted = v128.shuffle<u8>(before, v, 15, 16, 17, 18, 19, 20, 21, 22, 23, 24, 25, 26, 27, 28, 29, 30)
  return v128.xor(i8x16.sub(v, shifted), i8x16.splat(-128))
}

/** See splitBytes of ../../formats/exr-codecs.ts. */
export function splitBytes(out: usize, bytes: usize, count: i32): void {
  const middle = (count + 1) >> 1
  const pairs = count >> 1
  const second = out + (middle as usize)
  let a = i8x16.splat(-128), b = i8x16.splat(0)
  // The second half goes on from the last of the first.
  if (count > 1) b = i8x16.splat(load<u8>(bytes + ((middle as usize) << 1) - 2) as i8)
  let i = 0
  for (; i + 16 <= pairs; i += 16) {
    const from = bytes + ((i as usize) << 1)
    const low = v128.load(from), high = v128.load(from, 16)
    const even = v128.shuffle<u8>(low, high, 0, 2, 4, 6, 8, 10, 12, 14, 16, 18, 20, 22, 24, 26, 28, 30)
    const odd = v128.shuffle<u8>(low, high, 1, 3, 5, 7, 9, 11, 13, 15, 17, 19, 21, 23, 25, 27, 29, 31)
    v128.store(out + (i as usize), apart(even, a))
    v128.store(second + (i as usize), apart(odd, b))
    a = even
    b = odd
  }
  let even: i32 = i8x16.extract_lane_u(a, 15), odd: i32 = i8x16.extract_lane_u(b, 15)
  for (; i < middle; i++) {
    const byte = load<u8>(bytes + ((i as usize) << 1)) as i32
    store<u8>(out + (i as usize), (byte - even + 128) as u8)
    even = byte
    if (i >= pairs) break
    const next = load<u8>(bytes + ((i as usize) << 1), 1) as i32
    store<u8>(second + (i as usize), (next - odd + 128) as u8)
    odd = next
  }
}
