import type { MediaTable } from '../../core/comp/media.ts'
import type { Lane, Link, Source } from '../../core/comp/schema.ts'

/** Where a link comes from, in short: 'grotto · emission', 'tap of Cave'. */
export function linkName(link: Link, media: MediaTable, lanes: readonly Lane[]): string {
  if (link.type === 'tap') return `tap of ${lanes.find((l) => l.id === link.lane)?.name ?? link.lane}`
  if (link.type === 'drawing') return 'Drawn shapes'
  return `${media[link.media]?.name ?? link.media} · ${link.pass}`
}

const plainTitles = {
  colour: 'Flat colour',
  gradient: 'Gradient',
  lanes: 'Lanes in it',
  drawing: 'Drawn shapes',
} as const

export function sourceTitle(source: Source, media: MediaTable, lanes: readonly Lane[]): string {
  if (source.type === 'pass') return source.pass
  return source.type === 'tap' ? linkName(source, media, lanes) : plainTitles[source.type]
}

export function sourceNote(source: Source, media: MediaTable): string {
  if (source.type === 'pass') return media[source.media]?.name ?? source.media
  if (source.type === 'lanes') return 'bus'
  return source.type === 'tap' ? 'live copy' : 'source'
}
