const rotate = (v: number, by: number) => (v << by) | (v >>> (32 - by))

/** MurmurHash3 x86 32-bit of bytes (public domain, A. Appleby). */
export function murmur3(bytes: Uint8Array, seed: number): number {
  const scramble = (k: number) => Math.imul(rotate(Math.imul(k, 0xcc9e2d51), 15), 0x1b873593)
  let h = seed | 0
  const whole = bytes.length & ~3
  for (let i = 0; i < whole; i += 4) {
    const k = bytes[i]! | (bytes[i + 1]! << 8) | (bytes[i + 2]! << 16) | (bytes[i + 3]! << 24)
    h = (Math.imul(rotate(h ^ scramble(k), 13), 5) + 0xe6546b64) | 0
  }
  let rest = 0
  for (let i = bytes.length - 1; i >= whole; i--) rest = (rest << 8) | bytes[i]!
  if (whole < bytes.length) h ^= scramble(rest)
  h ^= bytes.length
  h = Math.imul(h ^ (h >>> 16), 0x85ebca6b)
  h = Math.imul(h ^ (h >>> 13), 0xc2b2ae35)
  return (h ^ (h >>> 16)) >>> 0
}
