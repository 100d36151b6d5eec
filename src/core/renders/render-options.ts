import * as v from 'valibot'
import { outputSpaces } from '../colour/spaces.ts'
import { writtenCompressions } from '../formats/exr-write.ts'
import { exrLayers } from './exr-layers.ts'
import { nameProblem } from './file-name.ts'

/** How large a render is: a share of the frame, or a width in pixels. */
export const renderSize = v.union([
  v.picklist([1, 2, 4]),
  v.object({
    width: v.pipe(
      v.number(),
      v.integer(),
      v.minValue(16, 'wants at least 16 pixels'),
      v.maxValue(16_384, 'wants at most 16384 pixels'),
    ),
  }),
])
export type RenderSize = v.InferOutput<typeof renderSize>

/** What is done where a file of a name is there: the new one in its place, the old one kept, or a name of its own for the new one. */
export const ifThere = ['replace', 'skip', 'version'] as const

/** A folder that files are put into, below a root that the start command allows. */
export const delivery = v.object({
  root: v.string(),
  folder: v.pipe(v.string(), v.maxLength(400, 'is longer than 400 letters')),
  there: v.picklist(ifThere),
})
export type Delivery = v.InferOutput<typeof delivery>

/** What a render does beyond its frames and kinds of files. What is left out is as usual: full size, the usual names. */
export const renderOptions = v.object({
  size: v.optional(renderSize),
  /** What goes into EXR files beside the picture. */
  layers: v.optional(exrLayers),
  /** How EXR files are packed; usually ZIP. */
  compression: v.optional(v.picklist(writtenCompressions)),
  /** What colours are written as; Rec.709 where left out. */
  space: v.optional(v.picklist(outputSpaces)),
  /** Frames that come are finished with the look that the render began with, whatever the shot becomes. */
  keepsLook: v.optional(v.boolean()),
  /** Where files are put beside the data folder. */
  deliver: v.optional(delivery),
  name: v.optional(
    v.pipe(
      v.string(),
      v.rawCheck(({ dataset, addIssue }) => {
        const problem = dataset.typed ? nameProblem(dataset.value) : undefined
        if (problem) addIssue({ message: problem })
      }),
    ),
  ),
})
export type RenderOptions = v.InferOutput<typeof renderOptions>

/** Pixels of a render of a frame of so many. */
export function sizeOf(
  size: RenderSize | undefined,
  { width, height }: { readonly width: number; readonly height: number },
): { readonly width: number; readonly height: number } {
  if (size === undefined || size === 1) return { width, height }
  if (typeof size === 'number') return { width: Math.ceil(width / size), height: Math.ceil(height / size) }
  return { width: size.width, height: Math.max(1, Math.round((height * size.width) / width)) }
}
