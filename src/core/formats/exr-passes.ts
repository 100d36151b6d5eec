import { guessPassKind, type Pass } from '../comp/media.ts'
import type { ExrChannel, ExrFile } from './exr-header.ts'

/** A pass of an EXR file and the part it lies in. */
export interface ExrPass extends Pass {
  readonly part: number
}

const order = ['R', 'G', 'B', 'A', 'X', 'Y', 'Z', 'U', 'V', 'RED', 'GREEN', 'BLUE', 'ALPHA']
const rank = (channel: string) => {
  const at = order.indexOf(channel.split('.').at(-1)!.toUpperCase())
  return at < 0 ? order.length : at
}

/** Layer of a channel name: what stands before the last dot; Z alone is depth, other bare names are the beauty. */
function layerOf(name: string): string {
  const dot = name.lastIndexOf('.')
  if (dot > 0) return name.slice(0, dot)
  if (/^(z|depth)$/i.test(name)) return 'depth'
  return /^(r|g|b|a|y|ry|by)$/i.test(name) ? 'beauty' : name
}

/** Channels grouped into passes by layer; a part of several gives its name to what has no layer of its own. */
export function exrPasses(file: ExrFile): ExrPass[] {
  return file.parts.flatMap((part, index) => {
    const layers = new Map<string, ExrChannel[]>()
    for (const channel of part.channels) {
      const own = layerOf(channel.name)
      const layer = own === 'beauty' && file.parts.length > 1 && part.name ? part.name : own
      layers.set(layer, [...(layers.get(layer) ?? []), channel])
    }
    return [...layers].map(([name, channels]) => {
      const sorted = channels.toSorted((a, b) => rank(a.name) - rank(b.name))
      const types = new Set(sorted.map((c) => c.type))
      const type = types.size === 1 ? sorted[0]!.type : 'float'
      return {
        name,
        kind: guessPassKind(name, sorted.length),
        channels: sorted.map((c) => c.name),
        type,
        part: index,
      }
    })
  })
}
