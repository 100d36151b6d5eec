import { frameOfMedia } from '../comp/lane-time.ts'
import { servingFrame, type MediaTable } from '../comp/media.ts'
import { linksOf } from '../comp/references.ts'
import type { Comp } from '../comp/schema.ts'

/** Frames of media that are missing on a frame of the comp, with what stands for them, each once: a picture made with them is not whole. */
export function gapWords(comp: Comp, media: MediaTable, frame: number): string[] {
  const words = linksOf(comp).flatMap(({ link, place }) => {
    if (link.type !== 'pass') return []
    const one = media[link.media]
    const pass = one?.passes.find((p) => p.name === link.pass)
    const lane = place.use === 'viewing' ? undefined : comp.lanes.find((l) => l.id === place.laneId)
    const shown = one && frameOfMedia(lane?.time, frame, one, pass)
    if (!one || !pass || shown === undefined) return []
    const { frame: serving, isGap } = servingFrame(one, shown, pass)
    if (!isGap) return []
    return `Frame ${shown} of ${one.name} is missing; ${serving === undefined ? 'nothing' : `frame ${serving}`} stands for it.`
  })
  return [...new Set(words)]
}
