import * as v from 'valibot'
import { outputFormats, type OutputFormat } from '../core/formats/write-picture.ts'
import { outputSpaces, type OutputSpace } from '../core/colour/spaces.ts'
import { writtenCompressions, type WrittenCompression } from '../core/formats/exr-write.ts'
import { layerKinds, type ExrLayers } from '../core/renders/exr-layers.ts'
import { FrameListError, parseFrameList } from '../core/renders/frame-list.ts'
import { renderSize, type RenderSize } from '../core/renders/render-options.ts'
import { UsageError } from './usage-error.ts'

/** Frames of a list. Throws UsageError. */
export function parseFrames(text: string): number[] {
  try {
    return parseFrameList(text)
  } catch (error) {
    if (error instanceof FrameListError) throw new UsageError('usage', `--frames: ${error.message}`)
    throw error
  }
}

/** '1', '1/2', '1/4' or a width in pixels. Throws UsageError. */
export function parseSize(text: string): RenderSize {
  const share = { '1': 1, '1/2': 2, '1/4': 4 }[text] as 1 | 2 | 4 | undefined
  const size = share ?? { width: Number(text) }
  if (v.safeParse(renderSize, size).success) return size
  throw new UsageError(
    'usage',
    `--scale wants 1, 1/2, 1/4 or a width from 16 to 16384 pixels, but met ${text}`,
  )
}

/** A kind of file. Throws UsageError. */
export function parseFormat(text: string): OutputFormat {
  const format = outputFormats.find((f) => f === text)
  if (!format)
    throw new UsageError('usage', `--format wants one of ${outputFormats.join(', ')}, but met ${text}`)
  return format
}

/** What colours are written as. Throws UsageError. */
export function parseSpace(text: string): OutputSpace {
  const found = outputSpaces.find((s) => s === text.toLowerCase())
  if (!found)
    throw new UsageError('usage', `--space wants one of ${outputSpaces.join(', ')}, but met ${text}`)
  return found
}

/** How EXR files are packed. Throws UsageError. */
export function parseCompression(text: string): WrittenCompression {
  const found = writtenCompressions.find((c) => c === text.toLowerCase())
  if (!found)
    throw new UsageError(
      'usage',
      `--compression wants one of ${writtenCompressions.join(', ')}, but met ${text}`,
    )
  return found
}

/** 'lights,mattes' → what goes into an EXR beside the picture. Throws UsageError. */
export function parseLayers(text: string | undefined): ExrLayers {
  const kinds = (text ?? '')
    .split(',')
    .map((one) => one.trim())
    .filter((one) => one !== '')
  const unknown = kinds.find((one) => !layerKinds.some((k) => k === one))
  if (unknown !== undefined)
    throw new UsageError('usage', `--layers wants some of ${layerKinds.join(', ')}, but met ${unknown}`)
  return Object.fromEntries(kinds.map((kind) => [kind, true]))
}
