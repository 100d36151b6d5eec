import type { PassBlock } from '../formats/pass-block.ts'
import type { Workshop } from '../kernels/pyramid.ts'
import type { Picture } from '../picture/picture.ts'
import type { WorkArea } from './work-area.ts'

/**
 * Lays a pass into the work area of the full frame; outside its data window is empty (0; depth +∞ becomes the
 * largest float). A picture of one channel takes the first; of four, missing channels are 0 and missing alpha is 1.
 * NaN and infinities become 0 and are counted, but infinite depth is kept as "nothing was hit".
 */
export function placePass(
  block: PassBlock,
  area: WorkArea,
  channels: 1 | 4,
  isDepth: boolean,
  workshop: Workshop,
): { picture: Picture; replaced: number } {
  const { kernels, store } = workshop
  const picture = store.take(area.width, area.height, channels)
  const values = block.data instanceof Float32Array ? block.data : new Float32Array(block.data.length)
  const fitsWhole = block.channels === channels && block.width === area.width && block.height === area.height
  const isWhole = fitsWhole && block.x + area.marginPx === 0 && block.y + area.marginPx === 0
  if (block.data instanceof Uint16Array) kernels.halfToFloat(isWhole ? picture.data : values, block.data)
  else if (isWhole) picture.data.set(values)
  if (!isWhole) scatter(picture, values, block, area, isDepth)
  if (isDepth) {
    let replaced = 0
    for (let i = 0; i < picture.data.length; i++) {
      const d = picture.data[i]!
      if (d === Infinity) picture.data[i] = farthest
      else if (!Number.isFinite(d)) {
        picture.data[i] = 0
        replaced++
      }
    }
    return { picture, replaced }
  }
  return { picture, replaced: kernels.sanitise(picture) }
}

/** Stands for "nothing was hit" in depth: finite, so that it can be computed with. */
export const farthest = 3.4028234663852886e38

function scatter(
  picture: Picture,
  values: Float32Array,
  block: PassBlock,
  area: WorkArea,
  isDepth: boolean,
): void {
  const { data, channels } = picture
  data.fill(isDepth ? farthest : 0)
  const left = block.x + area.marginPx
  const top = block.y + area.marginPx
  const from = Math.max(0, -left)
  const to = Math.min(block.width, area.width - left)
  for (let y = Math.max(0, -top); y < Math.min(block.height, area.height - top); y++)
    for (let x = from; x < to; x++) {
      const source = (y * block.width + x) * block.channels
      const target = ((y + top) * area.width + x + left) * channels
      for (let c = 0; c < Math.min(channels, block.channels); c++) data[target + c] = values[source + c]!
      if (channels === 4 && block.channels < 4) data[target + 3] = 1
      // One channel stands for grey wherever a colour is wanted.
      if (channels === 4 && block.channels === 1) data[target + 1] = data[target + 2] = values[source]!
    }
}
