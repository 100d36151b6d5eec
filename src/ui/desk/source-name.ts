import { frameOfMedia } from '../../core/comp/lane-time.ts'
import { frameNumbers, servingFrame, type MediaTable } from '../../core/comp/media.ts'
import { pictureInput } from '../../core/comp/recipe.ts'
import type { Lane, Link, Source } from '../../core/comp/schema.ts'

/** Where a link comes from, in short: 'grotto · emission', 'tap of Cave'. */
export function linkName(link: Link, media: MediaTable, lanes: readonly Lane[]): string {
  if (link.type === 'tap') return `tap of ${lanes.find((l) => l.id === link.lane)?.name ?? link.lane}`
  if (link.type === 'drawing') return 'Drawn shapes'
  if (link.type === 'input') return link.input === pictureInput ? 'the picture' : `input · ${link.input}`
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
  return source.type === 'tap' || source.type === 'input'
    ? linkName(source, media, lanes)
    : plainTitles[source.type]
}

/** What a lane begins with at a frame: of a sequence, which frame of it. */
export function sourceNote(
  { source, time }: Pick<Lane, 'source' | 'time'>,
  media: MediaTable,
  frame: number,
): string {
  if (source.type === 'pass') {
    const one = media[source.media]
    const pass = one?.passes.find((p) => p.name === source.pass)
    if (!one || frameNumbers(one).length < 2) return one?.name ?? source.media
    const shown = frameOfMedia(time, frame, one, pass)
    const serving = shown === undefined ? undefined : servingFrame(one, shown, pass).frame
    const words = serving === undefined ? 'nothing here' : `frame ${serving}`
    return `${one.name}, ${time?.frozen === undefined ? '' : 'frozen on '}${words}`
  }
  if (source.type === 'lanes') return 'bus'
  if (source.type === 'input') return 'comes in'
  return source.type === 'tap' ? 'live copy' : 'source'
}
