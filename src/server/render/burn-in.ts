import { existsSync } from 'node:fs'
import { dirname, join } from 'node:path'
import sharp from 'sharp'

const fontInPackages = join('node_modules', 'dejavu-fonts-ttf', 'ttf', 'DejaVuSansMono.ttf')
/** The font that ships with the application: programs lie in a folder beside its packages. */
const fontFile = [process.cwd(), join(dirname(process.argv[1] ?? '.'), '..')]
  .map((folder) => join(/*turbopackIgnore: true*/ folder, fontInPackages))
  .find((path) => existsSync(/*turbopackIgnore: true*/ path))

/** What is written onto a frame of a movie. */
export interface BurntWords {
  readonly shot: string
  readonly frame: number
  readonly version: number
}

/** '0042  Grotto descent  v003'. */
export const burntText = ({ shot, frame, version }: BurntWords): string =>
  `${frame < 0 ? '-' : ''}${String(Math.abs(frame)).padStart(4, '0')}  ${shot}  v${String(version).padStart(3, '0')}`

const escaped = (text: string) =>
  text.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;')

/** 8-bit RGBA codes with words in the lower left corner, on a strip of half black; a thirtieth of the height, at least 10 pixels. */
export async function burntIn(
  codes: Uint8Array,
  { width, height }: { readonly width: number; readonly height: number },
  words: BurntWords,
): Promise<Uint8Array> {
  const size = Math.max(10, Math.round(height / 30))
  const pad = Math.round(size / 2)
  const text = await sharp({
    text: {
      text: `<span foreground="white">${escaped(burntText(words))}</span>`,
      ...(fontFile === undefined ? {} : { fontfile: fontFile }),
      font: `DejaVu Sans Mono ${size}px`,
      rgba: true,
    },
  })
    .extend({ top: pad, bottom: pad, left: pad, right: pad, background: { r: 0, g: 0, b: 0, alpha: 0 } })
    .png()
    .toBuffer({ resolveWithObject: true })
  // Longer than the frame is wide: its end is cut off.
  const [w, h] = [Math.min(width, text.info.width), Math.min(height, text.info.height)]
  const strip = await sharp({
    create: { width: w, height: h, channels: 4, background: { r: 0, g: 0, b: 0, alpha: 0.5 } },
  })
    .composite([
      { input: await sharp(text.data).extract({ left: 0, top: 0, width: w, height: h }).toBuffer() },
    ])
    .png()
    .toBuffer()
  return sharp(codes, { raw: { width, height, channels: 4 } })
    .composite([{ input: strip, left: 0, top: height - h }])
    .ensureAlpha()
    .raw()
    .toBuffer()
}
