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
  const values = block.data instanceof Float32Array ? block.data : new Float32Array(block.data.length)
  const fitsWhole = block.channels === channels && block.width === area.width && block.height === area.height
  const isWhole = fitsWhole && block.x + area.left === 0 && block.y + area.top === 0
  if (block.data instanceof Uint16Array) kernels.halfToFloat(isWhole ? picture.data : values, block.data)
  else if (isWhole) picture.data.set(values)
  if (!isWhole) scatter(picture, values, block, area, rules.outside)
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
  { store }: Workshop,
): Picture {
  const matte = objectMatte(block, masks, ids)
  const picture = store.allocate(area.width, area.height, 1)
  scatter(picture, matte, { ...block, channels: 1 }, area)
  return picture
}

/** The bits of 1. */
const oneBits = 0x3f800000

function scatter(
  picture: Picture,
  values: Float32Array,
  block: PassBlock,
  area: WorkArea,
  outside = 0,
): void {
  // By words, so that the bits of IDs stay what they are.
  const data = new Uint32Array(picture.data.buffer, picture.data.byteOffset, picture.data.length)
  const from32 = new Uint32Array(values.buffer, values.byteOffset, values.length)
  const { channels } = picture
  picture.data.fill(outside)
  const left = block.x + area.left
  const top = block.y + area.top
  const from = Math.max(0, -left)
  const to = Math.min(block.width, area.width - left)
  const own = block.channels
  const shared = Math.min(channels, own)
  for (let y = Math.max(0, -top); y < Math.min(block.height, area.height - top); y++) {
    let source = (y * block.width + from) * own
    let target = ((y + top) * area.width + from + left) * channels
    if (channels === own) {
      data.set(from32.subarray(source, source + Math.max(0, to - from) * own), target)
      continue
    }
    for (let x = from; x < to; x++, source += own, target += channels) {
      for (let c = 0; c < shared; c++) data[target + c] = from32[source + c]!
      if (channels === 4 && own < 4) data[target + 3] = oneBits
      // One channel stands for grey wherever a colour is wanted.
      if (channels === 4 && own === 1) data[target + 1] = data[target + 2] = from32[source]!
    }
  }
}
