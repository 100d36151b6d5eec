import type { Pass } from '../comp/media.ts'
import type { Viewing } from '../comp/schema.ts'
import type { DisplayOptions } from '../kernels/kernels.ts'
import type { Workshop } from '../kernels/pyramid.ts'
import type { Picture } from '../picture/picture.ts'

/** A colour table that a picture is looked at through. */
export interface ViewTable {
  readonly picture: Picture
  readonly pass: Pass
}

/**
 * Codes for a screen of a picture as it is looked at: plainly, under a soft shoulder, or through a colour table. Alpha is shown as it is, and
 * so is everything while a table is missing.
 */
export function displayViewed(
  codes: Uint8Array,
  picture: Picture,
  view: DisplayOptions,
  viewing: Viewing | undefined,
  table: ViewTable | undefined,
  { kernels, store }: Workshop,
): void {
  const entries = table?.pass.detail?.table
  const isPlain = view.channel === 'alpha' || (viewing?.type !== 'shoulder' && !(table && entries))
  if (isPlain) {
    kernels.display(codes, picture, view)
    return
  }
  const seen = store.allocate(picture.width, picture.height, 4)
  if (viewing?.type === 'shoulder') kernels.shoulder(seen, picture, view.gain, viewing.white)
  else if (table && entries) {
    const { size, cube: isCube, from, to } = entries
    const takesEncoded = viewing?.takes === 'srgb'
    kernels.lookUp(seen, picture, { table: table.picture, size, isCube, from, to, gain: view.gain, takesEncoded, givesEncoded: true }) // prettier-ignore
  }
  kernels.display(codes, seen, { ...view, gain: 1 })
  store.release(seen)
}
