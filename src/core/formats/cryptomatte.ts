import { murmur3 } from '../murmur3.ts'
import type { ExrAttribute } from './exr-header.ts'

// Source: Cryptomatte specification 1.2 (open specification).

/** MurmurHash3 x86-32 of the UTF-8 bytes of a name, seed 0. */
export function hashName(name: string): number {
  return murmur3(new TextEncoder().encode(name), 0)
}

/** A hash as the bits of a float that is neither zero-like nor NaN: bit 23 is flipped where the exponent is all 0 or 1. */
export function hashToFloat(hash: number): number {
  const exponent = (hash >>> 23) & 255
  const bits = Uint32Array.of(exponent === 0 || exponent === 255 ? hash ^ (1 << 23) : hash)
  return new Float32Array(bits.buffer)[0]!
}

/** Header entries that describe object masks in a layer of the given name; with the bits of the ID of an object where they are not its name's hash. */
export function cryptomatteHeader(
  layer: string,
  objects: readonly string[] | ReadonlyMap<number, string>,
): [name: string, text: string][] {
  const hex = (v: number) => v.toString(16).padStart(8, '0')
  const bitsOf = (name: string) => new Uint32Array(Float32Array.of(hashToFloat(hashName(name))).buffer)[0]!
  const prefix = `cryptomatte/${hex(hashName(layer)).slice(0, 7)}`
  const named =
    objects instanceof Map
      ? [...(objects as ReadonlyMap<number, string>)].map(([bits, name]) => [name, hex(bits)])
      : (objects as readonly string[]).map((name) => [name, hex(bitsOf(name))])
  const manifest = Object.fromEntries(named) as Record<string, string>
  return [
    [`${prefix}/name`, layer],
    [`${prefix}/hash`, 'MurmurHash3_32'],
    [`${prefix}/conversion`, 'uint32_to_float32'],
    [`${prefix}/manifest`, JSON.stringify(manifest)],
  ]
}

/** What a header says of the object masks in one layer. */
export interface MaskHeader {
  /** Begin of the names of its channels: `<layer>00.R` … */
  readonly layer: string
  /** Name of an object by the bits of its ID. */
  readonly objects: ReadonlyMap<number, string>
  /** File beside the picture that lists the objects, where the header does not. */
  readonly manifestFile?: string
}

/** Names by ID bits out of a manifest (JSON: hexadecimal ID by name); undefined when it is none. */
export function parseManifest(text: string): Map<number, string> | undefined {
  let data: unknown
  try {
    data = JSON.parse(text)
  } catch {
    return undefined
  }
  if (typeof data !== 'object' || data === null || Array.isArray(data)) return undefined
  const found = new Map<number, string>()
  for (const [name, hex] of Object.entries(data))
    if (typeof hex === 'string' && /^[0-9a-f]{1,8}$/i.test(hex)) found.set(Number.parseInt(hex, 16), name)
  return found
}

/** All object mask layers that the attributes of a part describe. A manifest that can not be read is left out. */
export function readMaskHeaders(attributes: ReadonlyMap<string, ExrAttribute>): MaskHeader[] {
  const text = (key: string) => {
    const found = attributes.get(key)
    return found?.type === 'string' ? new TextDecoder().decode(found.value) : undefined
  }
  return [...attributes.keys()].flatMap((key) => {
    const prefix = /^(cryptomatte\/[^/]+)\/name$/.exec(key)?.[1]
    const layer = prefix && text(key)
    if (!prefix || !layer) return []
    const manifest = text(`${prefix}/manifest`)
    const manifestFile = text(`${prefix}/manif_file`)
    const objects =
      (manifest !== undefined ? parseManifest(manifest) : undefined) ?? new Map<number, string>()
    return [{ layer, objects, ...(manifestFile ? { manifestFile } : {}) }]
  })
}
