import type { Pass } from '../comp/media.ts'
import { pictureMatrix, rec709, workingSpace, type WorkingName } from '../colour/working.ts'
import { throughProcess } from '../colour/process.ts'
import { inverse, multiply, toWorking } from '../colour/spaces.ts'
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
const p3Matrix = pictureMatrix(inverse(toWorking('p3-d65')))

/** From the light of a working space to that of a screen, as a matrix of a picture; undefined where it is the same. */
export function screenMatrix({ screen, space }: Looked): number[] | undefined {
  const toRec709 = workingSpace(space).toRec709
  if (screen === 'p3') return pictureMatrix(multiply(inverse(toWorking('p3-d65')), toRec709))
  return workingSpace(space) === rec709 ? undefined : pictureMatrix(toRec709)
}

/** How a comp is looked at, and what its light is. */
export interface Looked {
  readonly viewing?: Viewing | undefined
  readonly screen?: Screen | undefined
  readonly space?: WorkingName | undefined
}

/** How small pictures of a comp are looked at: as the large one, but those for P3 in sRGB, since they are drawn where all others are. */
export function lookedSmall({ viewing, screen, space }: Looked): Looked {
  return { viewing, space, screen: screen === 'p3' ? undefined : screen }
}

/**
 * Codes for a screen of a picture as it is looked at: plainly, under a soft shoulder, or through a colour table; then, on a screen that is not
 * sRGB, for its primaries and its curve. Light of another working space is brought to linear Rec.709 first, which shoulders and tables are made for. Alpha is shown as it is, and so is everything while a table is missing. Single channels are those of the picture, not of the screen.
 */
export function displayViewed(
  codes: Uint8Array,
  picture: Picture,
  view: DisplayOptions,
  { viewing, screen, space }: Looked,
  table: ViewTable | undefined,
  { kernels: all, store }: Workshop,
): void {
  const working = workingSpace(space)
  // Single channels are those of the picture: luminance is by its own space.
  const kernels = all.inSpace(working)
  if (working !== rec709 && view.channel === 'colour') {
    const seen = store.allocate(picture.width, picture.height, 4)
    kernels.colourMatrix(seen, picture, pictureMatrix(working.toRec709), 1)
    displayViewed(codes, seen, view, { viewing, screen }, table, { kernels: all, store })
    store.release(seen)
    return
  }
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
  const { table: entries, process } = table?.pass.detail ?? {}
  const isPlain =
    view.channel === 'alpha' || (viewing?.type !== 'shoulder' && !(table && (entries ?? process)))
  if (isPlain) {
    show(picture, view.gain)
    return
  }
  const seen = store.allocate(picture.width, picture.height, 4)
  if (viewing?.type === 'shoulder') kernels.shoulder(seen, picture, view.gain, viewing.white)
  else if (table && process) {
    const by = { gain: view.gain, takesEncoded: viewing?.takes === 'srgb', givesEncoded: true }
    throughProcess(seen.data, picture.data, process, { data: table.picture.data, stride: 4 }, by)
  } else if (table && entries) {
    const { size, cube: isCube, from, to } = entries
    const takesEncoded = viewing?.takes === 'srgb'
    kernels.lookUp(seen, picture, {
      table: table.picture,
      size,
      isCube,
      from,
      to,
      gain: view.gain,
      takesEncoded,
      givesEncoded: true,
    })
  }
  show(seen, 1)
  store.release(seen)
}
