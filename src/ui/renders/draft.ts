import type { OutputSpace } from '../../core/colour/spaces.ts'
import type { OutputFormat } from '../../core/formats/write-picture.ts'
import type { WrittenCompression } from '../../core/formats/exr-write.ts'
import { layerKinds } from '../../core/renders/exr-layers.ts'
import { nameProblem, usualName } from '../../core/renders/file-name.ts'
import type { Delivery, RenderSize } from '../../core/renders/render-options.ts'
import type { RenderSettings } from '../../core/renders/render-settings.ts'

export type LayerKind = (typeof layerKinds)[number]

/** What a render is asked for while it is being chosen: texts as they are typed. */
export interface Draft {
  readonly formats: readonly OutputFormat[]
  readonly sizeText: string
  readonly width: string
  readonly name: string
  readonly layers: readonly LayerKind[]
  readonly compression: WrittenCompression
  /** Usually EXR is as the shot is worked in, and all else Rec.709. */
  readonly space: OutputSpace | 'usual'
  /** Where files are put, too; the data folder alone where left out. */
  readonly deliver: Delivery | undefined
}

export const usualDraft: Draft = {
  formats: ['exr', 'png16'],
  sizeText: '1',
  width: '',
  name: usualName,
  layers: [],
  compression: 'zip',
  space: 'usual',
  deliver: undefined,
}

export const writesExr = ({ formats }: Pick<Draft, 'formats'>): boolean =>
  formats.some((f) => f.startsWith('exr'))

export const draftSize = ({ sizeText, width }: Draft): RenderSize =>
  sizeText === 'width' ? { width: Number(width) } : (Number(sizeText) as 1 | 2 | 4)

const isWidth = (text: string) =>
  Number.isInteger(Number(text)) && Number(text) >= 16 && Number(text) <= 16_384

/** What keeps it from being asked for, in words; undefined where nothing does. An empty width is not wrong yet. */
export function draftProblem(draft: Draft): string | undefined {
  const named = nameProblem(draft.name)
  if (named) return named
  if (draft.sizeText === 'width' && draft.width !== '' && !isWidth(draft.width))
    return 'A width is a whole number from 16 to 16384 pixels.'
  return undefined
}

export const isComplete = (draft: Draft): boolean =>
  draft.formats.length > 0 &&
  draftProblem(draft) === undefined &&
  (draft.sizeText !== 'width' || isWidth(draft.width))

/** As it is asked for and kept; what is as usual is left out. */
export function settingsOf(draft: Draft): RenderSettings {
  const size = draftSize(draft)
  const { formats, name, layers, compression, space, deliver } = draft
  const isExr = writesExr(draft)
  return {
    formats: [...formats],
    options: {
      ...(size === 1 ? {} : { size }),
      ...(name === usualName ? {} : { name }),
      ...(isExr && layers.length > 0 ? { layers: Object.fromEntries(layers.map((k) => [k, true])) } : {}),
      ...(isExr && compression !== 'zip' ? { compression } : {}),
      ...(space === 'usual' ? {} : { space }),
      // In one order, so that settings can be compared.
      ...(deliver ? { deliver: { root: deliver.root, folder: deliver.folder, there: deliver.there } } : {}),
    },
  }
}

/** Settings to be chosen further. */
export function draftOf({ formats, options }: RenderSettings): Draft {
  const { size = 1, name = usualName, layers = {}, compression = 'zip', space = 'usual', deliver } = options
  return {
    formats,
    sizeText: typeof size === 'number' ? String(size) : 'width',
    width: typeof size === 'number' ? '' : String(size.width),
    // What a render was called so as not to meet older files is not the name that was wished.
    name: deliver?.there === 'version' ? name.replace(/-v\d{3,}(?=[._-]?\{frame)/, '') : name,
    layers: layerKinds.filter((kind) => layers[kind]),
    compression,
    space,
    deliver,
  }
}
