import type { WorkingName } from '../colour/working.ts'
import { inSpace } from '../formats/write-picture.ts'
import { linearToSrgb } from '../picture/colour.ts'
import { plainPicture, type Picture } from '../picture/picture.ts'

/** A picture made smaller to at most `width` pixels by the mean of the pixels that each new one covers. */
export function shrink(picture: Picture, width: number): Picture {
  const factor = Math.max(1, picture.width / width)
  const out = plainPicture(
    Math.round(picture.width / factor),
    Math.max(1, Math.round(picture.height / factor)),
    4,
  )
  for (let y = 0; y < out.height; y++)
    for (let x = 0; x < out.width; x++) {
      const [x0, y0] = [Math.floor(x * factor), Math.floor(y * factor)]
      const x1 = Math.min(picture.width, Math.max(x0 + 1, Math.floor((x + 1) * factor)))
      const y1 = Math.min(picture.height, Math.max(y0 + 1, Math.floor((y + 1) * factor)))
      const count = (x1 - x0) * (y1 - y0)
      for (let c = 0; c < 4; c++) {
        let sum = 0
        for (let sy = y0; sy < y1; sy++)
          for (let sx = x0; sx < x1; sx++)
            sum +=
              picture.data[(sy * picture.width + sx) * picture.channels + (picture.channels === 4 ? c : 0)]!
        out.data[(y * out.width + x) * 4 + c] = sum / count
      }
    }
  return out
}

/** Opaque 8-bit sRGB codes of a small picture, over a checker (side in pixels; 0 = black) where it is see-through. */
export function smallToCodes(
  { width, height, data: light }: Picture,
  checker: number,
  space: WorkingName | undefined,
): Uint8Array<ArrayBuffer> {
  const data = inSpace(light, 'rec709', space)
  const out = new Uint8Array(width * height * 4)
  for (let i = 0; i < width * height; i++) {
    const dark = (Math.floor((i % width) / checker) ^ Math.floor(Math.floor(i / width) / checker)) & 1
    const backing = checker ? (dark ? 0.09 : 0.045) * Math.max(0, 1 - data[i * 4 + 3]!) : 0
    for (let c = 0; c < 3; c++)
      out[i * 4 + c] = Math.round(255 * Math.min(1, Math.max(0, linearToSrgb(data[i * 4 + c]! + backing))))
    out[i * 4 + 3] = 255
  }
  return out
}

/** A picture made smaller to at most `width` pixels by taking single pixels: for data, which must not be averaged. */
export function sampleSmall(picture: Picture, width: number): Picture {
  const factor = Math.max(1, picture.width / width)
  const { channels } = picture
  const out = plainPicture(
    Math.round(picture.width / factor),
    Math.max(1, Math.round(picture.height / factor)),
    channels,
  )
  for (let y = 0; y < out.height; y++)
    for (let x = 0; x < out.width; x++) {
      const sx = Math.min(picture.width - 1, Math.floor((x + 0.5) * factor))
      const sy = Math.min(picture.height - 1, Math.floor((y + 0.5) * factor))
      const from = (sy * picture.width + sx) * channels
      out.data.set(picture.data.subarray(from, from + channels), (y * out.width + x) * channels)
    }
  return out
}
