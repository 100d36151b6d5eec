import sharp from 'sharp'
import {
  codesOf8,
  encodePicture,
  inSpace,
  isByLibrary,
  straightened,
  toCodes,
  type OutputFormat,
  type FileChoice,
} from '../../core/formats/write-picture.ts'
import { jpegWithProfile, tiffWithProfile, writeIcc } from '../../core/formats/icc-write.ts'
import { writePng, type PngTag } from '../../core/formats/png.ts'
import type { MediaTable } from '../../core/comp/media.ts'
import type { Comp } from '../../core/comp/schema.ts'
import type { Picture } from '../../core/picture/picture.ts'
import type { NodeEngine } from '../engine/node-engine.ts'
import { nodeZlib } from '../media/node-zlib.ts'

/** What codes for a screen mean. */
export const screenTag = (screen: Comp['screen']): PngTag =>
  screen === 'gamma-2.4' ? { power: 2.4 } : { primaries: screen === 'p3' ? 12 : 1 }

/** A frame that is rendered: its comp says how it is looked at. */
export interface RenderedFrame {
  readonly comp: Comp
  readonly media: MediaTable
  readonly frame: number
}

/** 8-bit codes of a picture as it is looked at, straight, with its alpha; light over nothing has none and is not seen. */
export async function straightCodes(
  engine: NodeEngine,
  picture: Picture,
  of: RenderedFrame,
): Promise<Uint8Array> {
  const straight = straightened(picture.data)
  const codes = await engine.shownCodes({ ...picture, data: straight }, of)
  for (let i = 3; i < codes.length; i += 4)
    codes[i] = Math.round(255 * Math.min(1, Math.max(0, straight[i]!)))
  return codes
}

/**
 * A finished picture as a file of any kind. TIFF is 16 bits of codes under the sRGB curve, straight, deflated; JPEG 8 bits over black, quality 95, both with a profile; a
 * review picture is PNG of 8 bits as the comp is looked at, over black, or straight with its alpha. 8 bits are dithered where the comp says nothing else.
 */
export async function encodeFile(
  picture: Picture,
  format: OutputFormat,
  name: string,
  engine: NodeEngine,
  of: RenderedFrame,
  exr: FileChoice = {},
): Promise<Uint8Array> {
  const dither = of.comp.dither === false ? undefined : of.frame
  if (!isByLibrary(format)) {
    const choice = { ...exr, working: of.comp.space }
    return encodePicture(picture, format, name, engine.kernels, nodeZlib, dither, choice)
  }
  const { width, height } = picture
  const raw = { raw: { width, height, channels: 4 } } as const
  // A profile can say any primaries; codes of half the range would be lost on those of ACES.
  const space = exr.space === 'p3-d65' || exr.space === 'rec2020' ? exr.space : 'rec709'
  switch (format) {
    case 'review':
      return writePng(width, height, await engine.shownCodes(picture, of), screenTag(of.comp.screen))
    case 'review-straight':
      return writePng(width, height, await straightCodes(engine, picture, of), screenTag(of.comp.screen))
    case 'tiff16': {
      const codes = toCodes(inSpace(straightened(picture.data), space, of.comp.space), 65535) as Uint16Array
      const tiff = await sharp(codes, raw).toColourspace('rgb16').tiff({ compression: 'deflate' }).toBuffer()
      return tiffWithProfile(tiff, writeIcc(space))
    }
    case 'jpeg': {
      const codes = codesOf8(inSpace(picture.data, space, of.comp.space), width, dither)
      for (let i = 3; i < codes.length; i += 4) codes[i] = 255
      const jpeg = sharp(codes, raw).removeAlpha().jpeg({ quality: 95, chromaSubsampling: '4:4:4' })
      return jpegWithProfile(await jpeg.toBuffer(), writeIcc(space))
    }
  }
}
