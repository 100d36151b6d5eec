import * as v from 'valibot'
import { parseComp } from '../../core/comp/schema.ts'
import type { MediaTable } from '../../core/comp/media.ts'
import { outputFormats } from '../../core/formats/write-picture.ts'
import { renderOptions } from '../../core/renders/render-options.ts'

// What workers and the server say to each other, as JSON over HTTP; docs/farm.md tells the ways.

export const farmPath = '/api/farm'

const token = v.pipe(v.string(), v.regex(/^[\w-]{24}$/, 'is no token'))
const id = v.pipe(v.string(), v.regex(/^\w{1,40}$/, 'is no id'))
const share = v.pipe(v.number(), v.minValue(0), v.maxValue(1))
const count = v.pipe(v.number(), v.integer(), v.minValue(0), v.maxValue(1e9))
/** A name in one folder. */
export const plainName = v.pipe(
  v.string(),
  v.minLength(1),
  v.maxLength(200),
  v.check((name) => !/[/\\\0]/.test(name) && !name.startsWith('.'), 'is no plain file name'),
)

export const handed = v.object({ renderId: id, frame: v.pipe(v.number(), v.integer()), token, mark: count })
export const workerState = v.object({
  seat: v.pipe(v.string(), v.regex(/^[\w.:-]{1,60}$/, 'is no name of a seat')),
  machine: v.pipe(v.string(), v.minLength(1), v.maxLength(120)),
  cores: count,
  build: v.pipe(v.string(), v.maxLength(80)),
  busy: share,
})
export const arriveBody = v.object({ worker: workerState })
export const takeBody = v.object({ worker: workerState, most: v.pipe(count, v.maxValue(64)) })
export const takeAnswer = v.object({ frames: v.array(handed) })
export const reportBody = v.object({
  frames: v.pipe(v.array(v.object({ handed, progress: share })), v.maxLength(256)),
})
export const reportAnswer = v.object({ tokens: v.array(v.string()) })
export const finishBody = v.object({
  handed,
  files: v.pipe(v.array(plainName), v.maxLength(40)),
  warnings: v.array(v.string()),
  pictureKey: v.pipe(v.string(), v.regex(/^[0-9a-f]{32}$/, 'is no key of a picture')),
  ms: count,
})
export const finishAnswer = v.object({ isTaken: v.boolean() })
export const failBody = v.object({ handed, problem: v.pipe(v.string(), v.maxLength(4000)) })
export const postponeBody = v.object({
  handed,
  problem: v.nullable(v.pipe(v.string(), v.maxLength(4000))),
})
export const planAnswer = v.object({
  renderId: v.string(),
  shotName: v.string(),
  comp: v.pipe(v.unknown(), v.transform(parseComp)),
  media: v.custom<MediaTable>((media) => typeof media === 'object' && media !== null),
  formats: v.array(v.picklist(outputFormats)),
  options: renderOptions,
  version: v.number(),
})
export const refusalAnswer = v.object({ error: v.object({ message: v.string() }) })
