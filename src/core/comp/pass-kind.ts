import * as v from 'valibot'
import { finite } from './parts.ts'
import type { PassStats } from '../formats/pass-stats.ts'

/** What a pass holds. Data kinds are never converted, blended or filtered as colour. */
export const passKinds = [
  'colour', 'light', 'depth', 'normal', 'position', 'motion', 'ids', 'matte', 'shadow', 'occlusion', 'table', 'other',
] as const // prettier-ignore
export type PassKind = (typeof passKinds)[number]

export const dataKinds: readonly PassKind[] = ['depth', 'normal', 'position', 'motion', 'ids', 'table']
/** Kinds whose values are light: converted to scene-linear and premultiplied on entry. */
export const colourKinds: readonly PassKind[] = ['colour', 'light']

/** How the numbers of a pass are meant; what is left out has the first of its choices. */
export const passDetailSchema = v.object({
  /** Depth: distance grows with the value; the value is 1 − distance (1 near); or 1 / distance. */
  depth: v.optional(v.picklist(['distance', 'flipped', 'inverse'])),
  /** Depth: the value from which on nothing was hit, in the file's own numbers (0: exactly that); null where there is none. */
  miss: v.optional(v.nullable(finite)),
  /** What one step of a distance or a position is. */
  unit: v.optional(v.picklist(['scene units', 'mm', 'cm', 'm', 'km', '0–1'])),
  /** Normals: −1 … 1, or packed into 0 … 1. */
  range: v.optional(v.picklist(['signed', 'packed'])),
  /** Normals and positions: axes of the scene, or of the camera. */
  space: v.optional(v.picklist(['world', 'camera'])),
  /** Object IDs: ranked by coverage with four channels a level (Cryptomatte), or one value or colour a pixel. */
  masks: v.optional(v.picklist(['ranked', 'plain'])),
  /** Of a colour table: how many entries along each side, lines or a cube, and what its ends stand for. */
  table: v.optional(
    v.object({
      size: v.pipe(v.number(), v.integer(), v.minValue(2), v.maxValue(65_536)),
      cube: v.boolean(),
      from: v.strictTuple([finite, finite, finite]),
      to: v.strictTuple([finite, finite, finite]),
    }),
  ),
})
export type PassDetail = v.InferOutput<typeof passDetailSchema>

/** What a pass probably is, in words why, and how its numbers are probably meant. */
export interface PassGuess {
  readonly kind: PassKind
  readonly reason: string
  readonly detail: PassDetail
}

/** Words of pass names as renderers spell them (common practice), each with what it says. */
const names: readonly (readonly [RegExp, PassKind])[] = [
  [/crypto(matte|object|material|asset)?/, 'ids'],
  [/(object|material|mat|asset|instance|primitive|obj|mesh|pass|render)_?(id|index|idx|ids|num|number)s?$|^(id|index)_?(object|material|ob|ma)|^ids?$|^index_?(ob|ma)$|^objects?$|^puzzle/, 'ids'],
  [/z_?depth|depth_?z|^z$|depth|distance|disparity|^mist$|^fog$|^z_?buffer$/, 'depth'],
  [/normals?|^n$|^nn$|^nrm$|^norm$|(^|_)(cam|camera|world|shading|bump|geo|smooth|view)_?n(rm|orm)?$/, 'normal'],
  [/positions?|^p$|^pos$|^wpp$|^world_?p(os|oint|oints)?$|^point_?world|^points?$|^p_?(world|cam|camera|ref)$|world_?coord/, 'position'],
  [/motion|velocity|^vectors?$|^speed$|(^|_)flow$|^mv$|^(forward|backward)s?$|^(fwd|bwd)(_|$)/, 'motion'],
  [/occlusion|^ao$|^amb_?occ/, 'occlusion'],
  [/shadow/, 'shadow'],
  [/matte|mask|alpha|^holdout|^coverage$|^opacity$/, 'matte'],
  [/emiss|emit|light|glow|reflect|refract|spec|diff|transmission|transmit|translucen|gloss|self_?ill|illumin|sss|subsurface|gi$|caustic|coat|sheen|volume|incandescence|direct/, 'light'],
  [/beauty|rgba?$|^colou?r$|combined|composite|^main$|albedo|texture|^uv$/, 'colour'],
] // prettier-ignore

/** 'Z Depth' and 'zDepth' → 'z_depth'. */
const plain = (name: string) =>
  name
    .replace(/([a-z])([A-Z])/g, '$1_$2')
    .replace(/[\s-]+/g, '_')
    .toLowerCase()

/** The kind that a name alone says, with the part of the name that says it. */
export function kindOfName(name: string): { kind: PassKind; word: string } | undefined {
  const layers = name.split('.').map(plain).reverse()
  for (const layer of layers)
    for (const [pattern, kind] of names) {
      const word = pattern.exec(layer)?.[0]
      if (word) return { kind, word }
    }
  return undefined
}

const shortNumber = (value: number) => String(Number(value.toPrecision(3)))

function detailOf(kind: PassKind, name: string, stats: PassStats | undefined): PassDetail {
  const word = plain(name)
  const first = stats?.channels[0]
  switch (kind) {
    case 'depth': {
      const isUnit = first !== undefined && first.low >= 0 && first.high <= 1 && first.infinite === 0
      if (/disparity|inverse|inv_?depth/.test(word)) return { depth: 'inverse' }
      const miss = stats?.miss && !isUnit ? { miss: stats.miss.value } : {}
      return { depth: 'distance', unit: isUnit ? '0–1' : 'scene units', ...miss }
    }
    case 'normal':
      return {
        range: stats && stats.channels.slice(0, 3).every((c) => c.low >= 0) ? 'packed' : 'signed',
        space: /cam|view|eye|screen/.test(word) ? 'camera' : 'world',
      }
    case 'ids':
      return { masks: 'plain' }
    case 'position':
      return { space: /cam|view|eye/.test(word) ? 'camera' : 'world', unit: 'scene units' }
    default:
      return {}
  }
}

/** What values say where the name says nothing. */
function kindOfValues(
  { channels, unitLength, isWhole }: PassStats,
  type: string,
  letters: string,
): Omit<PassGuess, 'detail'> | undefined {
  const [first] = channels
  if (!first) return undefined
  if (type === 'uint' || (channels.length === 1 && isWhole && first.high > 1 && type !== 'uint8'))
    return { kind: 'ids', reason: 'it holds whole numbers' }
  if (channels.length === 1) {
    if (first.infinite > 0 || first.high > 2)
      return {
        kind: 'depth',
        reason: `one channel from ${shortNumber(first.low)} to ${first.infinite > 0 ? 'infinity' : shortNumber(first.high)}`,
      }
    return { kind: 'matte', reason: 'one channel between 0 and 1' }
  }
  const isVector = letters === 'xyz'
  if (channels.length === 3 && (isVector || channels.some((c) => c.low < -0.2)) && unitLength > 0.9)
    return { kind: 'normal', reason: 'its vectors have length 1' }
  if (channels.length === 3 && channels.some((c) => c.low < -1))
    return { kind: 'position', reason: 'three channels with values far below 0' }
  if (isVector) return { kind: 'position', reason: 'its channels are x, y and z, and not of length 1' }
  if (channels.length === 2) return { kind: 'motion', reason: 'two channels' }
  return undefined
}

/**
 * What a pass probably is, by its channels' names in the order of the file's kind (RGBA, xyz): by its name; else by its values, where they have been looked at; else by its channels.
 * The names are those in common use across renderers (common practice).
 */
export function guessPass(
  name: string,
  channelNames: readonly string[],
  type: string,
  stats?: PassStats,
): PassGuess {
  const channels = channelNames.length
  const letters = channelNames.map((c) => c.slice(c.lastIndexOf('.') + 1).toLowerCase()).join('')
  const named = kindOfName(name)
  const found =
    named && !(named.kind === 'ids' && stats && looksLikeColour(stats))
      ? { kind: named.kind, reason: `its name says “${named.word}”` }
      : ((stats && kindOfValues(stats, type, letters)) ??
        (channels >= 3
          ? { kind: 'colour' as const, reason: `it has ${channels} channels` }
          : { kind: 'other' as const, reason: 'neither its name nor its values tell' }))
  const detail = detailOf(found.kind, name, stats)
  const why =
    detail.miss === undefined
      ? ''
      : `; nothing was hit where it is ${String(detail.miss)}: ${stats?.miss?.why ?? ''}`
  return { ...found, reason: found.reason + why, detail }
}

/** Many different values in three channels: a preview picture of IDs, not IDs. */
function looksLikeColour({ channels, distinct }: PassStats): boolean {
  return channels.length === 3 && distinct > 2000
}
