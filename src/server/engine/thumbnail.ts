import type { WorkingName } from '../../core/colour/working.ts'
import { shrink, smallToCodes } from '../../core/engine/shrink.ts'
import { writePng } from '../../core/formats/png.ts'
import type { Picture } from '../../core/picture/picture.ts'

const thumbnailWidth = 384

/** A small PNG of a finished picture for the list of shots. */
export function makeThumbnail(picture: Picture, space: WorkingName | undefined): Uint8Array {
  const small = shrink(picture, thumbnailWidth)
  return writePng(small.width, small.height, smallToCodes(small, 0, space))
}
