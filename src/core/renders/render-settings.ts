import * as v from 'valibot'
import { outputFormats } from '../formats/write-picture.ts'
import { renderOptions } from './render-options.ts'

/** What a render is asked for, without its frames: kept under a name to be asked for again. */
export const renderSettings = v.object({
  formats: v.pipe(v.array(v.picklist(outputFormats)), v.minLength(1, 'Choose at least one format')),
  options: renderOptions,
})
export type RenderSettings = v.InferOutput<typeof renderSettings>

export const settingsName = v.pipe(
  v.string(),
  v.trim(),
  v.minLength(1, 'wants a name'),
  v.maxLength(80, 'wants at most 80 letters'),
)
/** As many are kept. */
export const mostSettings = 200
