import type { OutputFormat } from '../../core/formats/write-picture.ts'
import type { RenderSize } from '../../core/renders/render-options.ts'

export const formatNames: Readonly<Record<OutputFormat, string>> = {
  exr: 'EXR, half, premultiplied',
  png16: 'PNG, 16 bit, straight',
  png8: 'PNG, 8 bit, straight',
  'exr-straight': 'EXR, half, straight',
  'png16-premultiplied': 'PNG, 16 bit, premultiplied',
  'png8-premultiplied': 'PNG, 8 bit, premultiplied',
  'exr-float': 'EXR, float, premultiplied',
  tiff16: 'TIFF, 16 bit, straight',
  jpeg: 'JPEG, over black',
  review: 'As on screen, for movies',
  'review-straight': 'As on screen, with alpha',
}

export const sizeWords = (size: RenderSize): string =>
  size === 1 ? 'full size' : size === 2 ? 'half size' : size === 4 ? 'a quarter' : `${size.width} px wide`
