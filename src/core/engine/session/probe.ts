import { fileAt } from '../../comp/media.ts'
import { isHuge } from '../work-area.ts'
import { objectAt } from '../../formats/object-masks.ts'
import type { Picture } from '../../picture/picture.ts'
import type { Handler } from './session-state.ts'

function pixelAt(
  { width, height, channels, data }: Picture,
  x: number,
  y: number,
): [number, number, number, number] | undefined {
  if (x < 0 || y < 0 || x >= width || y >= height) return undefined
  const i = (y * width + x) * channels
  return channels === 1
    ? [data[i]!, data[i]!, data[i]!, 1]
    : [data[i]!, data[i + 1]!, data[i + 2]!, data[i + 3]!]
}

/** The object at a pixel, as eight hexadecimal digits. */
function objectOf(picture: Picture, masks: 'ranked' | 'plain' | undefined, x: number, y: number) {
  const bits = masks && objectAt({ ...picture, x: 0, y: 0 }, masks, x, y)
  return bits ? { object: bits.toString(16).padStart(8, '0') } : {}
}

/** Values under a pixel of the full frame: of the picture that is shown, with the depths there; or of something else. */
export const probe: Handler<'probe'> = async (session, work, { frame, x, y, of, isExact }, isStale) => {
  const { comp, media } = work
  // A pass is as exact when only what lies around the pixel is loaded. Of pictures, light from far away would not be.
  const here = { x: Math.floor(x), y: Math.floor(y), width: 1, height: 1 }
  if (of) {
    const { picture, area } = await session.make(
      work,
      frame,
      1,
      of,
      isStale,
      of.type === 'pass' ? here : undefined,
    )
    const [px, py] = [Math.floor(x) + area.left, Math.floor(y) + area.top]
    const rgba = pixelAt(picture, px, py)
    const pass = of.type === 'pass' ? media[of.media]?.passes.find((p) => p.name === of.pass) : undefined
    const masks = pass?.kind === 'ids' ? (pass.detail?.masks ?? 'plain') : undefined
    return rgba && { rgba, reduction: 1, ...objectOf(picture, masks, px, py), data: [] }
  }
  const { shown } = session
  if (!shown) return undefined
  const made = isExact
    ? await session.make(
        work,
        frame,
        1,
        shown.target,
        isStale,
        isHuge(comp) ? { ...here, isFine: true } : undefined,
      )
    : undefined
  const seen = made
    ? { ...shown, picture: made.picture, reduction: 1, left: made.area.left, top: made.area.top }
    : shown
  const [px, py] = [
    Math.floor(x / seen.reduction) + seen.left,
    Math.floor(y / seen.reduction) + seen.top,
  ] as const
  const rgba = pixelAt(seen.picture, px, py)
  if (!rgba) return undefined
  const object = objectOf(seen.picture, seen.masks, px, py)
  const data: { name: string; value: number }[] = []
  for (const [ref, one] of Object.entries(media)) {
    const depth = one.passes.find((p) => p.kind === 'depth')
    const isUsed = comp.lanes.some((l) => l.source.type === 'pass' && l.source.media === ref)
    if (!depth || !isUsed || fileAt(one, frame, depth) === undefined) continue
    const target = { type: 'pass', media: ref, pass: depth.name } as const
    const { picture, area } = await session.make(work, frame, 1, target, isStale, here)
    const value = pixelAt(picture, Math.floor(x) + area.left, Math.floor(y) + area.top)?.[0]
    if (value !== undefined) data.push({ name: depth.name, value })
  }
  return { rgba, reduction: seen.reduction, ...object, data }
}
