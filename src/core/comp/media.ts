import * as v from 'valibot'
import { workingNames, type WorkingName } from '../colour/working.ts'
import { encodings, type Encoding } from '../colour/curves.ts'
import { primariesNames } from '../colour/spaces.ts'
import { passDetailSchema } from '../passes/pass-kind.ts'
import { passKinds, rulesOf } from '../passes/passes.ts'

export const passSchema = v.object({
  /** Its layer name in the file, or 'beauty' for the unnamed one. */
  name: v.string(),
  kind: v.picklist(passKinds),
  /** Full channel names in the file, red (x) first. */
  channels: v.array(v.string()),
  type: v.picklist(['half', 'float', 'uint', 'uint8', 'uint16']),
  /** How its numbers are meant. */
  detail: v.optional(passDetailSchema),
  /** Why it is taken for its kind; absent when it was said by hand. */
  reason: v.optional(v.string()),
  /** Files that hold it, where it comes in files of its own beside the others: a key of `beside`. */
  beside: v.optional(v.string()),
  /** Its name in its file, where that is another. */
  inFile: v.optional(v.string()),
})
export type Pass = v.InferOutput<typeof passSchema>

/** Colour multiplied by alpha, not multiplied, or alpha not to be used. */
export const alphaUses = ['premultiplied', 'straight', 'ignored'] as const
export type AlphaUse = (typeof alphaUses)[number]

/** How files are read where their own word is overruled by hand. */
export const readingSchema = v.object({
  encoding: v.optional(v.picklist(encodings)),
  primaries: v.optional(v.picklist(primariesNames)),
  alpha: v.optional(v.picklist(alphaUses)),
})
export type Reading = v.InferOutput<typeof readingSchema>

/** How a pass is to be read: as light, or as the numbers that are stored. */
export interface ReadAs extends Reading {
  readonly isData: boolean
  /** What light is brought into; linear Rec.709 where left out. */
  readonly into?: WorkingName
}

/** How a media's pass is read: kinds of light by the file's word or the media's, all else as stored. */
export function readAsOf({ reading }: Pick<Media, 'reading'>, { kind }: Pick<Pass, 'kind'>): ReadAs {
  return rulesOf(kind).isLight ? { ...reading, isData: false } : { isData: true }
}

/** Short text that tells ways of reading apart; '' for the file's own word. */
export function readAsKey({ isData, encoding, alpha, primaries, into }: ReadAs): string {
  if (isData) return 'data'
  const parts = [encoding, alpha, primaries, into && `into ${into}`]
  return parts.filter((part) => part !== undefined).join('+')
}

/** The inverse of readAsKey; undefined for other texts. */
export function parseReadAs(key: string): ReadAs | undefined {
  if (key === 'data') return { isData: true }
  const parts = key === '' ? [] : key.split('+')
  const encoding = encodings.find((e) => parts.includes(e))
  const alpha = alphaUses.find((a) => parts.includes(a))
  const primaries = primariesNames.find((p) => parts.includes(p))
  const into = workingNames.find((name) => parts.includes(`into ${name}`))
  const found = {
    isData: false,
    ...(encoding ? { encoding } : {}),
    ...(alpha ? { alpha } : {}),
    ...(primaries ? { primaries } : {}),
    ...(into ? { into } : {}),
  }
  return readAsKey(found) === key ? found : undefined
}

/** What stands for a missing frame: its neighbour before (or after), the nearest one, or nothing at all. */
export const gapFillings = ['hold', 'nearest', 'black'] as const
export type GapFilling = (typeof gapFillings)[number]

/** One piece of media as the comp sees it: which file holds which frame, and the passes in them. */
export interface Media {
  readonly name: string
  /** Content hash of the file by frame number. A still has one entry. */
  readonly frames: Readonly<Record<number, string>>
  /** The same for passes that come in files of their own, by the pass they are named for. */
  readonly beside?: Readonly<Record<string, Readonly<Record<number, string>>>>
  readonly passes: readonly Pass[]
  /** What the files say of their colour. */
  readonly encoding?: Encoding
  readonly alpha?: AlphaUse
  /** What its colours are and how that is known, in words, and what is not sure. */
  readonly colour?: { readonly words: string; readonly doubt?: string | undefined }
  /** What was said otherwise by hand. */
  readonly reading?: Reading
  /** Why frames could not be read, by number. */
  readonly broken?: Readonly<Record<number, string>>
  /** 'hold' where left out. */
  readonly gaps?: GapFilling
}
/** By the id that comps use. */
export type MediaTable = Readonly<Record<string, Media>>

/** Files of a pass by frame: its own, or those of the media. */
export function framesOfPass(media: Media, pass?: Pass): Readonly<Record<number, string>> {
  return (pass?.beside === undefined ? media.frames : media.beside?.[pass.beside]) ?? {}
}

/** Numbers of a media's frames with all passes, by rising number. */
export function frameNumbers(media: Media): number[] {
  const all = [media.frames, ...Object.values(media.beside ?? {})].flatMap((f) => Object.keys(f).map(Number))
  return [...new Set(all)].sort((a, b) => a - b)
}

/**
 * The frame whose file serves a comp frame: its own; else, as the media says, the last before it, the nearest (the earlier of two), or
 * none. Before the first and after the last frame the ends are held, except that a black gap is a gap. `isGap` where files lie on
 * both sides of it.
 */
export function servingFrame(
  media: Media,
  frame: number,
  pass?: Pass,
): { readonly frame: number | undefined; readonly isGap: boolean } {
  const frames = framesOfPass(media, pass)
  if (frames[frame] !== undefined) return { frame, isGap: false }
  const numbers = Object.keys(frames)
    .map(Number)
    .sort((a, b) => a - b)
  const before = numbers.findLast((n) => n <= frame)
  const after = numbers.find((n) => n > frame)
  const isGap = before !== undefined && after !== undefined
  if (isGap && media.gaps === 'black') return { frame: undefined, isGap }
  if (isGap && media.gaps === 'nearest' && after - frame < frame - before) return { frame: after, isGap }
  return { frame: before ?? after, isGap }
}

/** The file for a comp frame; undefined where none serves it. */
export function fileAt(media: Media, frame: number, pass?: Pass): string | undefined {
  const { frame: serving } = servingFrame(media, frame, pass)
  return serving === undefined ? undefined : framesOfPass(media, pass)[serving]
}

/** Frame numbers between the first and the last that have no file, by rising number. */
export function missingFrames(frames: Readonly<Record<number, string>>): number[] {
  const numbers = Object.keys(frames).map(Number)
  const [first, last] = [Math.min(...numbers), Math.max(...numbers)]
  // A gap of this size is another take, not missing frames.
  if (numbers.length === 0 || last - first > 100_000) return []
  const there = new Set(numbers)
  return Array.from({ length: last - first + 1 }, (_, i) => first + i).filter((n) => !there.has(n))
}

/** Numbers in words: '3, 7–9'. */
export function numberRanges(numbers: readonly number[]): string {
  const ranges: [number, number][] = []
  for (const n of numbers) {
    const last = ranges.at(-1)
    if (last?.[1] === n - 1) last[1] = n
    else ranges.push([n, n])
  }
  return ranges.map(([from, to]) => (from === to ? String(from) : `${from}–${to}`)).join(', ')
}

/** The range from the first to the last frame of all sequences; undefined when there are only stills. */
export function framesOf(table: MediaTable): { first: number; last: number } | undefined {
  const numbers = Object.values(table)
    .map(frameNumbers)
    .filter((n) => n.length > 1)
    .flat()
  return numbers.length === 0 ? undefined : { first: Math.min(...numbers), last: Math.max(...numbers) }
}
