import type { Pass } from '../comp/media.ts'
import { objectMatte } from '../formats/object-masks.ts'
import type { PassBlock } from '../formats/pass-block.ts'
import type { FrameSize } from '../passes/pass-kind.ts'
import type { Workshop } from '../kernels/pyramid.ts'
import { rulesOf } from '../passes/passes.ts'
import type { Picture } from '../picture/picture.ts'
import type { WorkArea } from './work-area.ts'

/** Channels that a pass has as a picture: depth is one, whatever its file repeats it in. */
export function pictureChannels({ kind, channels }: Pick<Pass, 'kind' | 'channels'>): 1 | 4 {
  return channels.length === 1 || rulesOf(kind).isSingle ? 1 : 4
}

/**
 * Lays a pass into the work area of the frame; outside its data window is empty (0; depth is the largest float). A picture of
 * one channel takes the first; of four, missing channels are 0 and missing alpha is 1. Depth becomes distance and normals
 * −1 … 1, motion pixels of the full `frame`, however the file means them. NaN and infinities become 0 and are counted, but infinite depth is kept as "nothing
 * was hit". IDs are bits and stay as they are.
 */
export function placePass(
  block: PassBlock,
  area: WorkArea,
  pass: Pick<Pass, 'kind' | 'channels' | 'type' | 'detail'>,
  workshop: Workshop,
  frame: FrameSize = { width: area.canvasWidth, height: area.canvasHeight },
): { picture: Picture; replaced: number } {
  const { kernels, store } = workshop
  const channels = pictureChannels(pass)
  const rules = rulesOf(pass.kind)
  const picture = store.allocate(area.width, area.height, channels)
  const fitsWhole = block.channels === channels && block.width === area.width && block.height === area.height
  const isWhole = fitsWhole && block.x + area.left === 0 && block.y + area.top === 0
  if (!isWhole) kernels.layBlock(picture, block, cornerOf(block, area), rules.outside ?? 0)
  else if (block.data instanceof Uint16Array) kernels.halfToFloat(picture.data, block.data)
  else picture.data.set(block.data)
  if (rules.isBits) return { picture, replaced: 0 }
  if (pass.type === 'uint') {
    const words = new Uint32Array(picture.data.buffer, picture.data.byteOffset, picture.data.length)
    for (let i = 0; i < words.length; i++) picture.data[i] = words[i]!
  }
  const infinite = rules.takesInfinite ? 0 : kernels.sanitise(picture)
  const replaced = infinite + (rules.settle?.(picture, pass.detail, frame) ?? 0)
  return { picture, replaced }
}

/** The coverage of objects as a picture of one channel over the work area. */
export function placeObjects(
  block: PassBlock,
  area: WorkArea,
  masks: 'ranked' | 'plain',
  ids: ReadonlySet<number>,
  { kernels, store }: Workshop,
): Picture {
  const picture = store.allocate(area.width, area.height, 1)
  const corner = cornerOf(block, area)
  if (masks === 'ranked' && block.data instanceof Float32Array)
    kernels.objectCover(picture, block, corner, Uint32Array.from(ids).sort())
  else kernels.layBlock(picture, { ...block, channels: 1, data: objectMatte(block, masks, ids) }, corner, 0)
  return picture
}

/** Where in the work area a pass begins. */
const cornerOf = (block: PassBlock, area: WorkArea) => [block.x + area.left, block.y + area.top] as const
