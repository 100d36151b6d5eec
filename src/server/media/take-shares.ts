import type { Pass } from '../../core/comp/media.ts'
import { rulesOf } from '../../core/passes/passes.ts'
import type { MediaInfo } from './media-file.ts'

/** How a file is to be taken: with a name for its pass where it holds one pass of several files. */
export interface TakeOptions {
  readonly passName?: string
  /** Two threads take it at once, where it can be shared. */
  readonly threads?: 1 | 2
  /** Only a share of its passes, of several that are taken at once. */
  readonly share?: readonly [index: number, of: number]
}

/**
 * Passes in shares of about as many channels, for threads that take them at once. Depth stays with the first picture that has alpha, which may
 * say where nothing was hit.
 */
export function sharesOf(passes: readonly Pass[], of: number): ReadonlySet<string>[] {
  const shares = Array.from({ length: of }, () => ({ names: new Set<string>(), channels: 0 }))
  const colour = passes.find((p) => p.channels.length === 4 && rulesOf(p.kind).isLight)
  const isFirst = (p: Pass) => p === colour || p.kind === 'depth' || p.channels.length === 1
  for (const pass of [...passes].sort((a, b) => Number(isFirst(b)) - Number(isFirst(a)))) {
    const least = shares.reduce((a, b) => (b.channels < a.channels ? b : a))
    const share = isFirst(pass) ? shares[0]! : least
    share.names.add(pass.name)
    share.channels += pass.channels.length
  }
  return shares.map(({ names }) => names)
}

/** What was found in a share of a file, and the passes of all of it in their order. */
export interface TakenShare {
  readonly info: MediaInfo
  readonly order: readonly string[]
}

/** What shares of a file said, as one who took all of it would have. */
export function joinShares(shares: readonly TakenShare[]): MediaInfo {
  const { info, order } = shares[0]!
  const place = (p: Pass) => order.indexOf(p.inFile ?? p.name)
  return {
    ...info,
    passes: shares.flatMap((s) => s.info.passes).sort((a, b) => place(a) - place(b)),
    warnings: [...new Set(shares.flatMap((s) => s.info.warnings))],
  }
}
