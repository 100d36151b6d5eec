import { guessPass } from '../passes/guess-pass.ts'
import type { Pass } from '../comp/media.ts'
import { readMaskHeaders } from './cryptomatte.ts'
import type { ExrChannel, ExrFile, ExrPart } from './exr-header.ts'

/** A pass of an EXR file and the part it lies in. */
export interface ExrPass extends Pass {
  readonly part: number
}

const order = ['R', 'G', 'B', 'A', 'X', 'Y', 'Z', 'U', 'V', 'RED', 'GREEN', 'BLUE', 'ALPHA']
const rank = (channel: string) => {
  const at = order.indexOf(channel.split('.').at(-1)!.toUpperCase())
  return at < 0 ? order.length : at
}

/** Level of an object mask channel ('objects01.B' of the layer 'objects' → 1). */
function maskLevel(channel: string, layer: string): number | undefined {
  if (!channel.startsWith(layer)) return undefined
  const digits = /^(\d\d)\.[^.]+$/.exec(channel.slice(layer.length))?.[1]
  return digits === undefined ? undefined : Number(digits)
}

/** The masks of a layer as one pass: four channels a level, by falling rank (ID, coverage, ID, coverage). */
function maskPass(layer: string, part: ExrPart, index: number): ExrPass | undefined {
  const channels = part.channels
    .filter((c) => maskLevel(c.name, layer) !== undefined)
    .toSorted((a, b) => maskLevel(a.name, layer)! - maskLevel(b.name, layer)! || rank(a.name) - rank(b.name))
  if (channels.length === 0 || channels.length % 4 !== 0) return undefined
  return {
    name: layer,
    kind: 'ids',
    channels: channels.map((c) => c.name),
    type: 'float',
    detail: { masks: 'ranked' },
    reason: 'its header lists object masks (Cryptomatte)',
    part: index,
  }
}

/** Layer of a channel name: what stands before the last dot; Z alone is depth, other bare names are the beauty. */
function layerOf(name: string): string {
  const dot = name.lastIndexOf('.')
  if (dot > 0) return name.slice(0, dot)
  if (/^(z|depth)$/i.test(name)) return 'depth'
  return /^(r|g|b|a|y|ry|by)$/i.test(name) ? 'beauty' : name
}

/**
 * Channels grouped into passes by layer; a part of several gives its name to what has no layer of its own. The levels of
 * object masks are one pass. Kinds are guessed from names and channels; what the values say is for who has read them.
 */
export function exrPasses(file: ExrFile): ExrPass[] {
  return file.parts.flatMap((part, index) => {
    const masks = readMaskHeaders(part.attributes).flatMap(({ layer }) => maskPass(layer, part, index) ?? [])
    const inMasks = new Set(masks.flatMap((m) => m.channels))
    const layers = new Map<string, ExrChannel[]>()
    for (const channel of part.channels) {
      if (inMasks.has(channel.name)) continue
      const own = layerOf(channel.name)
      const layer = own === 'beauty' && file.parts.length > 1 && part.name ? part.name : own
      layers.set(layer, [...(layers.get(layer) ?? []), channel])
    }
    const others = [...layers].map(([layer, channels]): ExrPass => {
      const sorted = channels.toSorted((a, b) => rank(a.name) - rank(b.name))
      const types = new Set(sorted.map((c) => c.type))
      const type = types.size === 1 ? sorted[0]!.type : 'float'
      const isPreview = masks.some((m) => m.name === layer)
      const guess = isPreview
        ? { kind: 'colour' as const, reason: 'the preview picture of object masks', detail: {} }
        : guessPass(
            layer,
            sorted.map((c) => c.name),
            type,
          )
      const name = isPreview ? `${layer} preview` : layer
      return { name, channels: sorted.map((c) => c.name), type, part: index, ...guess }
    })
    return [...others, ...masks]
  })
}
