import { readFile } from 'node:fs/promises'
import { join } from 'node:path'
import sharp from 'sharp'
import { readExrHeader } from '../../core/formats/exr-header.ts'
import { readExrPart } from '../../core/formats/exr-read.ts'
import { isReview, toCodes } from '../../core/formats/write-picture.ts'
import { halfTable } from '../../core/picture/half.ts'
import { folders } from '../home.ts'
import { nodeZlib } from '../media/node-zlib.ts'

/** Pictures of 8 bits by the sRGB curve out of an EXR that this product has written: its R, G, B, A as they are. */
async function fromExr(bytes: Uint8Array): Promise<Buffer> {
  const { planes } = readExrPart(bytes, readExrHeader(bytes), 0, { zlib: nodeZlib })
  const [width, height] = [planes.get('R')!.width, planes.get('R')!.height]
  const halves = halfTable()
  const data = new Float32Array(width * height * 4)
  for (const [c, name] of ['R', 'G', 'B', 'A'].entries()) {
    const { values } = planes.get(name)!
    for (let i = 0; i < values.length; i++)
      data[i * 4 + c] = values instanceof Uint16Array ? halves[values[i]!]! : values[i]!
  }
  return opaque(Buffer.from(toCodes(data, 255).buffer), width, height)
}

const opaque = (codes: Buffer, width: number, height: number) =>
  sharp(codes, { raw: { width, height, channels: 4 } })
    .removeAlpha()
    .png({ compressionLevel: 2 })
    .toBuffer()

/** A frame of a render to be looked at: what is as on screen, else any other of its files; undefined where it has none. */
export async function shownPicture(renderId: string, files: readonly string[]): Promise<Buffer | undefined> {
  const name =
    files.find((f) => isReview(f, false)) ??
    files.find((f) => /\.(png|tif|jpg)$/.test(f)) ??
    files.find((f) => f.endsWith('.exr'))
  if (name === undefined) return undefined
  const path = join(/*turbopackIgnore: true*/ folders.renders, renderId, name)
  const bytes = await readFile(path)
  if (name.endsWith('.exr')) return fromExr(bytes)
  return isReview(name, false) ? bytes : sharp(bytes).flatten({ background: 'black' }).png().toBuffer()
}
