/** As many frames as one render may have, and from how many on one asks before. */
export const mostFrames = 100_000
export const manyFrames = 10_000

/** A list of frames that can not be read: what is wrong with it, where, and what to write. */
export class FrameListError extends Error {
  override name = 'FrameListError'
}

const furthest = 999_999_999

/**
 * Frames as people write them: '12', '1-48', every fifth of a range '1-100x5', and several of these with commas between them. Each frame once, by
 * rising number. Throws FrameListError.
 */
export function parseFrameList(text: string): number[] {
  const found = new Set<number>()
  const parts = text.split(/[,;\s]+/).filter((part) => part !== '')
  if (parts.length === 0) throw new FrameListError('No frames are named. Write 1-48, 1-100x5 or 3, 7, 12-15.')
  for (const part of parts) {
    const match = /^(-?\d{1,9})(?:-(-?\d{1,9})(?:x(\d{1,9}))?)?$/.exec(part)
    if (!match)
      throw new FrameListError(
        `${part.slice(0, 40)} is no frame and no range. Write 1-48, 1-100x5 or 3, 7, 12-15.`,
      )
    const first = Number(match[1])
    const last = match[2] === undefined ? first : Number(match[2])
    const step = match[3] === undefined ? 1 : Number(match[3])
    if (last < first) throw new FrameListError(`${part} goes backwards. Write ${last}-${first}.`)
    if (step === 0)
      throw new FrameListError(`${part} never gets on: after x write how many frames a step has.`)
    if (Math.max(Math.abs(first), Math.abs(last)) > furthest)
      throw new FrameListError(`${part} is further than frames go.`)
    if (Math.floor((last - first) / step) + 1 + found.size > mostFrames)
      throw new FrameListError(
        `${part} makes more than ${mostFrames.toLocaleString('en')} frames. Render it in parts.`,
      )
    for (let frame = first; frame <= last; frame += step) found.add(frame)
  }
  return [...found].sort((a, b) => a - b)
}

/** Frames in few words, as parseFrameList reads them: '1-48', '1-96x5, 100'. */
export function frameListWords(frames: readonly number[]): string {
  const words: string[] = []
  for (let i = 0; i < frames.length;) {
    const step = (frames[i + 1] ?? 0) - frames[i]!
    let end = i
    while (end + 1 < frames.length && frames[end + 1]! - frames[end]! === step) end++
    // Two frames of a kind are shorter by themselves, but for neighbours.
    if (end - i >= 2 || (end > i && step === 1)) {
      words.push(`${frames[i]!}-${frames[end]!}${step > 1 ? `x${step}` : ''}`)
      i = end + 1
    } else words.push(String(frames[i++]!))
  }
  return words.join(', ')
}
