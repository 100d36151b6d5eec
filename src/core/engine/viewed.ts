import type { Pass } from '../comp/media.ts'
import { inverse, toWorking } from '../colour/spaces.ts'
import type { Screen, Viewing } from '../comp/schema.ts'
import type { DisplayOptions } from '../kernels/kernels.ts'
import type { Workshop } from '../kernels/pyramid.ts'
import type { Picture } from '../picture/picture.ts'

/** A colour table that a picture is looked at through. */
export interface ViewTable {
  readonly picture: Picture
  readonly pass: Pass
}

/** From linear Rec.709 to the light of P3 screens, on RGBA. */
export const p3Matrix = [0, 1, 2].flatMap((row) => [
  ...inverse(toWorking('p3-d65')).slice(row * 3, row * 3 + 3),
  0,
])

/**
 * Codes for a screen of a picture as it is looked at: plainly, under a soft shoulder, or through a colour table; then, on a screen that is not
 * sRGB, for its primaries and its curve. Alpha is shown as it is, and so is everything while a table is missing. Single channels are those of the picture, not of the screen.
 */
export function displayViewed(
  codes: Uint8Array,
  picture: Picture,
  view: DisplayOptions,
  { viewing, screen }: { readonly viewing?: Viewing | undefined; readonly screen?: Screen | undefined },
  table: ViewTable | undefined,
  { kernels, store }: Workshop,
): void {
  const curve = screen === 'gamma-2.4' ? 'power-2.4' : 'srgb'
  /** For the screen that it is. */
  const show = (of: Picture, gain: number) => {
    if (screen !== 'p3' || view.channel !== 'colour') {
      kernels.display(codes, of, { ...view, gain, curve })
      return
    }
    const out = store.allocate(of.width, of.height, 4)
    kernels.colourMatrix(out, of, p3Matrix, 1)
    kernels.display(codes, out, { ...view, gain })
    store.release(out)
  }
  const entries = table?.pass.detail?.table
  const isPlain = view.channel === 'alpha' || (viewing?.type !== 'shoulder' && !(table && entries))
  if (isPlain) {
    show(picture, view.gain)
    return
  }
  const seen = store.allocate(picture.width, picture.height, 4)
  if (viewing?.type === 'shoulder') kernels.shoulder(seen, picture, view.gain, viewing.white)
  else if (table && entries) {
    const { size, cube: isCube, from, to } = entries
    const takesEncoded = viewing?.takes === 'srgb'
    kernels.lookUp(seen, picture, { table: table.picture, size, isCube, from, to, gain: view.gain, takesEncoded, givesEncoded: true }) // prettier-ignore
  }
  show(seen, 1)
  store.release(seen)
}
