import type { PassStats } from '../formats/pass-stats.ts'
import type { PassDetail } from './pass-kind.ts'
import { passKinds, rulesOf, type PassKind } from './passes.ts'

/** What a pass probably is, in words why, and how its numbers are probably meant. */
export interface PassGuess {
  readonly kind: PassKind
  readonly reason: string
  readonly detail: PassDetail
}

/** Patterns of names, in the order in which they are asked, each with the kind that it says. */
const names = passKinds
  .map(rulesOf)
  .flatMap(({ kind, named }) => (named ? [{ kind, ...named }] : []))
  .sort((one, other) => one.rank - other.rank)

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
    for (const { kind, by } of names)
      for (const pattern of by) {
        const word = pattern.exec(layer)?.[0]
        if (word) return { kind, word }
      }
  return undefined
}

const shortNumber = (value: number) => String(Number(value.toPrecision(3)))

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
  const detail = rulesOf(found.kind).detail?.(plain(name), stats) ?? {}
  const why =
    detail.miss === undefined
      ? ''
      : `; nothing was hit where it is ${String(detail.miss)}: ${stats?.miss?.why ?? ''}`
  const shares =
    detail.vectors === 'shares' ? '; numbers this small are taken as shares of the frame, not pixels' : ''
  const back = detail.leads === 'back' ? '; taken as leading back to the last frame' : ''
  return { ...found, reason: found.reason + why + shares + back, detail }
}

/** Many different values in three channels: a preview picture of IDs, not IDs. */
function looksLikeColour({ channels, distinct }: PassStats): boolean {
  return channels.length === 3 && distinct > 2000
}
