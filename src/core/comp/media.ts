import * as v from 'valibot'

/** What a pass holds. Data kinds are never converted, blended or filtered as colour. */
export const passKinds = [
  'colour', 'light', 'depth', 'normal', 'position', 'motion', 'ids', 'matte', 'other',
] as const // prettier-ignore
export type PassKind = (typeof passKinds)[number]

export const passSchema = v.object({
  /** Its layer name in the file, or 'beauty' for the unnamed one. */
  name: v.string(),
  kind: v.picklist(passKinds),
  /** Full channel names in the file, red (x) first. */
  channels: v.array(v.string()),
  type: v.picklist(['half', 'float', 'uint', 'uint8', 'uint16']),
})
export type Pass = v.InferOutput<typeof passSchema>

/** One piece of media as the comp sees it: which file holds which frame, and the passes in them. */
export interface Media {
  readonly name: string
  /** Content hash of the file by frame number. A still has one entry. */
  readonly frames: Readonly<Record<number, string>>
  readonly passes: readonly Pass[]
}
/** By the id that comps use. */
export type MediaTable = Readonly<Record<string, Media>>

export const dataKinds: readonly PassKind[] = ['depth', 'normal', 'position', 'motion', 'ids']

/** The file for a comp frame: its own, else the last before it, else the first (ends are held). */
export function fileAt(media: Media, frame: number): string | undefined {
  const numbers = Object.keys(media.frames)
    .map(Number)
    .sort((a, b) => a - b)
  const found = numbers.findLast((n) => n <= frame) ?? numbers[0]
  return found === undefined ? undefined : media.frames[found]
}

/** Frame numbers between the first and the last that have no file, by rising number. */
export function missingFrames(media: Pick<Media, 'frames'>): number[] {
  const numbers = Object.keys(media.frames).map(Number)
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
    .map((m) => Object.keys(m.frames).map(Number))
    .filter((n) => n.length > 1)
    .flat()
  return numbers.length === 0 ? undefined : { first: Math.min(...numbers), last: Math.max(...numbers) }
}

const guesses: [RegExp, PassKind][] = [
  [/^(depth|z|zdepth|depthz)$/i, 'depth'],
  [/normal|^n$/i, 'normal'],
  [/position|^p$/i, 'position'],
  [/motion|velocity|vector/i, 'motion'],
  [/crypto|^objects?\d*$|object_?id|^ids?$/i, 'ids'],
  [/emission|emit|light|glow|reflect|specular|diffuse/i, 'light'],
  [/matte|mask|alpha/i, 'matte'],
]

/** What a pass probably is, from its name and number of channels. */
export function guessPassKind(name: string, channels: number): PassKind {
  const last = name.split('.').at(-1)!
  const found = guesses.find(([pattern]) => pattern.test(last))?.[1]
  if (found) return found
  return channels >= 3 ? 'colour' : 'other'
}
