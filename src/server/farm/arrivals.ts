import { createHash } from 'node:crypto'
import type { Media, MediaTable } from '../../core/comp/media.ts'
import { linksOf } from '../../core/comp/references.ts'
import type { Comp } from '../../core/comp/schema.ts'

/** Files of a media by frame, of one kind each: its own, and those of passes that lie beside. */
const kindsOf = ({ frames, beside = {} }: Media) => [frames, ...Object.values(beside)]

/**
 * Frames that can be rendered, each with what its files are called by their content: those of which every sequence that the comp uses has its file. A
 * media of one frame is a still and serves all. Frames outside the comp's range do not count.
 */
export function wholeFrames(comp: Comp, media: MediaTable): Map<number, string> {
  const used = [...new Set(linksOf(comp).flatMap(({ link }) => (link.type === 'pass' ? [link.media] : [])))]
  const kinds = used
    .flatMap((ref) => (media[ref] ? kindsOf(media[ref]) : []))
    .filter((frames) => Object.keys(frames).length > 0)
  const sequences = kinds.filter((frames) => Object.keys(frames).length > 1)
  const stills = kinds
    .filter((frames) => !sequences.includes(frames))
    .flatMap((frames) => Object.values(frames))
  const numbers = Object.keys(sequences[0] ?? kinds[0] ?? {}).map(Number)
  const whole = new Map<number, string>()
  for (const frame of numbers.sort((a, b) => a - b)) {
    if (frame < comp.frames.first || frame > comp.frames.last) continue
    const files = sequences.map((frames) => frames[frame])
    if (files.some((hash) => hash === undefined)) continue
    whole.set(
      frame,
      createHash('sha256')
        .update([...files, ...stills].join('\n'))
        .digest('hex')
        .slice(0, 32),
    )
  }
  return whole
}
