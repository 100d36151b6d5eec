import { addLane } from '../core/comp/edits.ts'
import { framesOf, type MediaTable } from '../core/comp/media.ts'
import type { Comp } from '../core/comp/schema.ts'
import { sendFile } from './request-json.ts'

export interface BringInResult {
  /** All media of the shot afterwards; undefined when nothing came in. */
  readonly media: MediaTable | undefined
  readonly notes: readonly string[]
  /** What was refused, each with its file and reason. */
  readonly refused: readonly string[]
}

/** Files of a drop, those in folders too, by name. */
export async function filesOf(data: DataTransfer): Promise<File[]> {
  const entries = [...data.items].map((item) => item.webkitGetAsEntry()).filter((entry) => entry !== null)
  const read = async (entry: FileSystemEntry): Promise<File[]> => {
    if (entry.isFile)
      return [
        await new Promise<File>((resolve, reject) => {
          ;(entry as FileSystemFileEntry).file(resolve, reject)
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
    return (await Promise.all(inside.map(read))).flat()
  }
  const files = (await Promise.all(entries.map(read))).flat()
  return files.sort((a, b) => a.name.localeCompare(b.name, 'en', { numeric: true }))
}

/** Sends files into a shot one after the other. What is refused does not keep the rest from coming in. */
export async function bringInFiles(
  shotId: string,
  files: readonly File[],
  onProgress: (done: number, name: string) => void,
  signal: AbortSignal,
): Promise<BringInResult> {
  let media: MediaTable | undefined
  let notes: readonly string[] = []
  const refused: string[] = []
  const isAborted = () => signal.aborted
  for (const [i, file] of files.entries()) {
    if (isAborted()) break
    onProgress(i, file.name)
    try {
      const answer = await sendFile<{ media: MediaTable; notes: string[] }>(
        `/api/shots/${shotId}/media`,
        file,
        signal,
      )
      media = answer.media
      notes = answer.notes
    } catch (error) {
      if (!isAborted()) refused.push(error instanceof Error ? error.message : String(error))
    }
  }
  return { media, notes, refused }
}

/** The comp with a lane for each media that it did not have before, spanning the frames of its sequences. */
export function withNewMedia(comp: Comp, before: MediaTable, after: MediaTable): Comp {
  let next = comp
  for (const [ref, { name, passes }] of Object.entries(after)) {
    if (ref in before) continue
    const pass = passes.find((p) => p.kind === 'colour') ?? passes[0]
    if (pass) next = addLane(next, name.slice(0, 120), { type: 'pass', media: ref, pass: pass.name })
  }
  const range = framesOf(after)
  return range ? { ...next, frames: { ...next.frames, ...range } } : next
}
