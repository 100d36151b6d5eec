import { plainPicture, type Picture } from '../picture/picture.ts'

/** How wide a small picture of a frame is at most. */
export const thumbnailWidth = 192

/** The small picture of a frame, beside its files. */
export const thumbnailName = (base: string): string => `${base}.thumb.webp`
export const isThumbnail = (file: string): boolean => file.endsWith('.thumb.webp')

/** A picture of four channels made smaller by means of whole squares of pixels, those at the right and the lower border cut; no wider than `width`. */
export function smallPicture({ width, height, data }: Picture, most = thumbnailWidth): Picture {
  const by = Math.max(1, Math.ceil(width / most))
  const [w, h] = [Math.ceil(width / by), Math.ceil(height / by)]
  const picture = plainPicture(w, h, 4)
  const out = picture.data
  for (let y = 0; y < h; y++)
    for (let x = 0; x < w; x++) {
      const [x1, y1] = [Math.min(width, (x + 1) * by), Math.min(height, (y + 1) * by)]
      const sums = [0, 0, 0, 0]
      for (let py = y * by; py < y1; py++)
        for (let px = x * by; px < x1; px++)
          for (let c = 0; c < 4; c++) sums[c]! += data[(py * width + px) * 4 + c]!
      const count = (x1 - x * by) * (y1 - y * by)
      for (let c = 0; c < 4; c++) out[(y * w + x) * 4 + c] = sums[c]! / count
    }
  return picture
}
