import { cutName } from '../core/comp/cut-name.ts'
import { addPassLane } from '../core/comp/edits.ts'
import { frameNumber, intakeOrder, namedFor, namelessFrames } from '../core/comp/file-names.ts'
import { frameNumbers, framesOf, type MediaTable } from '../core/comp/media.ts'
import type { Comp } from '../core/comp/schema.ts'
import type * as v from 'valibot'
import { broughtInAnswer, knownAnswer, mediaAnswer } from '../contracts/answers.ts'
import { requestJson } from './request-json.ts'
import { sendFile } from './send-file.ts'

/** A file of this computer, or one of the server's intake folder. */
export type Incoming = File | { readonly intake: string }

export interface BringInProgress {
  readonly done: number
  readonly of: number
  readonly name: string
  readonly sentBytes: number
  readonly ofBytes: number
}

export interface BringInResult {
  /** All media of the shot afterwards; undefined when nothing came in. */
  readonly media: MediaTable | undefined
  /** What was refused, each with its file and reason. */
  readonly refused: readonly string[]
  /** How many were in the shot already and were not sent again. */
  readonly known: number
}

export const nameOf = (item: Incoming) =>
  item instanceof File ? item.name : item.intake.slice(item.intake.lastIndexOf('/') + 1)
const bytesOf = (item: Incoming) => (item instanceof File ? item.size : 0)
/** Files that are sent at the same time: one is read while the next is on its way. */
const lanes = 2

/** A file under another name. */
const renamed = (file: File, name: string) =>
  name === file.name ? file : new File([file], name, { lastModified: file.lastModified })

/** Files of a drop, those in folders too; numbers alone are frames of what their folder is called. */
export async function filesOf(data: DataTransfer): Promise<File[]> {
  const entries = [...data.items].map((item) => item.webkitGetAsEntry()).filter((entry) => entry !== null)
  const read = async (entry: FileSystemEntry): Promise<File[]> => {
    if (entry.isFile)
      return [
        await new Promise<File>((resolve, reject) => {
          ;(entry as FileSystemFileEntry).file(resolve, reject)
        }).then((file) => {
          const folder = entry.fullPath.split('/').at(-2)
          return folder ? renamed(file, namedFor(folder, file.name)) : file
        }),
      ]
    const reader = (entry as FileSystemDirectoryEntry).createReader()
    const inside: FileSystemEntry[] = []
    // A folder is read in portions until one is empty.
    for (;;) {
      const some = await new Promise<FileSystemEntry[]>((resolve, reject) => {
        reader.readEntries(resolve, reject)
      })
      if (some.length === 0) break
      inside.push(...some)
    }
    return (await Promise.all(inside.filter((e) => !e.name.startsWith('.')).map(read))).flat()
  }
  return (await Promise.all(entries.map(read))).flat()
}

/** Sends one file or names one of the intake folder to a route that takes one. */
export function sendIncoming<T>(
  contract: v.GenericSchema<unknown, T>,
  path: string,
  item: Incoming,
  signal: AbortSignal,
  onSent?: (bytes: number) => void,
): Promise<T> {
  return item instanceof File
    ? sendFile(contract, path, item, { signal, ...(onSent ? { onSent } : {}) })
    : requestJson(contract, path, 'POST', item, { signal })
}

/**
 * Files whose names are numbers alone, and whose folder nobody knows, under a name under which they take no frame's place:
 * they are new frames of `frames` or, where that has other frames of these numbers, of `frames 2` and so on.
 */
async function nameNameless(path: string, files: readonly Incoming[]): Promise<readonly Incoming[]> {
  const isNameless = (file: Incoming): file is File =>
    file instanceof File && namedFor(undefined, file.name) !== file.name
  const nameless = files.filter(isNameless)
  if (nameless.length === 0) return files
  const { media } = await requestJson(mediaAnswer, path)
  for (let count = 1; ; count++) {
    const name = count === 1 ? namelessFrames : `${namelessFrames} ${count}`
    const taken = new Set(Object.values(media).flatMap((m) => (m.name === name ? frameNumbers(m) : [])))
    const under = new Map(
      nameless.map((file) => [file as Incoming, renamed(file, namedFor(name, file.name))]),
    )
    const isFree = [...under.values()].every((file) => !taken.has(frameNumber(file.name) ?? NaN))
    if (isFree || (await knownIn(path, [...under.values()])).size > 0)
      return files.map((file) => under.get(file) ?? file)
  }
}

/** Which of these files are in a shot already, unchanged: their places in the list. */
async function knownIn(path: string, files: readonly File[]): Promise<ReadonlySet<number>> {
  if (files.length === 0) return new Set()
  const asked = files.map((f) => ({ name: f.name, bytes: f.size, modifiedMs: f.lastModified }))
  return new Set((await requestJson(knownAnswer, `${path}/known`, 'POST', { files: asked })).known)
}

/** Sends files into a shot, two at a time. What is refused does not keep the rest from coming in. */
export async function bringInFiles(
  shotId: string,
  files: readonly Incoming[],
  onProgress: (progress: BringInProgress) => void,
  signal: AbortSignal,
): Promise<BringInResult> {
  const path = `/api/shots/${shotId}/media`
  const ordered = intakeOrder(await nameNameless(path, files), nameOf)
  const known = await knownIn(
    path,
    ordered.filter((f) => f instanceof File),
  )
  let at = -1
  const wanted = ordered.filter((f) => !(f instanceof File) || !known.has(++at))
  const refused: string[] = []
  const sent = new Map<Incoming, number>()
  const ofBytes = wanted.reduce((sum, f) => sum + bytesOf(f), 0)
  let [next, done] = [0, 0]
  const isCut = () => signal.aborted
  const say = (item: Incoming) => {
    const sentBytes = [...sent.values()].reduce((sum, b) => sum + b, 0)
    onProgress({ done, of: wanted.length, name: nameOf(item), sentBytes, ofBytes })
  }
  const work = async () => {
    for (;;) {
      const item = wanted[next++]
      if (!item || isCut()) return
      say(item)
      try {
        await sendIncoming(broughtInAnswer, path, item, signal, (bytes) => {
          sent.set(item, bytes)
          say(item)
        })
      } catch (error) {
        if (!isCut()) refused.push(error instanceof Error ? error.message : String(error))
      }
      sent.set(item, bytesOf(item))
      done++
    }
  }
  await Promise.all(Array.from({ length: lanes }, work))
  const { media } = await requestJson(mediaAnswer, path)
  return { media, refused, known: known.size }
}

/** Whether a comp goes over the frames of its sequences, no more and no less. */
function spansMedia({ frames: { first, last } }: Comp, media: MediaTable): boolean {
  const range = framesOf(media)
  return range ? range.first === first && range.last === last : first === last
}

/**
 * The comp with a lane for each media that it did not have before, spanning the frames of its sequences. Where only
 * frames came, it spans them if it spanned what was there.
 */
export function withNewMedia(comp: Comp, before: MediaTable, after: MediaTable): Comp {
  let next = comp
  for (const [ref, { name, passes }] of Object.entries(after)) {
    if (ref in before) continue
    const pass = passes.find((p) => p.kind === 'colour') ?? passes[0]
    if (pass && pass.kind !== 'table')
      next = addPassLane(next, cutName(name), { type: 'pass', media: ref, pass: pass.name }, pass.kind)
  }
  // A table alone changes nothing of the shot.
  const range = next === comp && !spansMedia(comp, before) ? undefined : framesOf(after)
  if (range && spansMedia(next, after)) return next
  return range ? { ...next, frames: { ...next.frames, ...range } } : next
}
