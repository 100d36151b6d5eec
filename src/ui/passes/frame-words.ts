import {
  frameNumbers,
  framesOfPass,
  missingFrames,
  numberRanges,
  type Media,
  type Pass,
} from '../../core/comp/media.ts'

/** 'frames 1 to 48, missing 3, 7–9' for a sequence; 'still' for one file. */
export function frameWords(media: Media, pass?: Pass): string {
  const frames = framesOfPass(media, pass)
  const numbers = Object.keys(frames).map(Number)
  if (numbers.length < 2) return frameNumbers(media).length < 2 ? 'still' : `frame ${numbers.join()} only`
  const missing = missingFrames(frames)
  const gaps = missing.length > 0 ? `, missing ${numberRanges(missing)}` : ''
  return `frames ${Math.min(...numbers)} to ${Math.max(...numbers)}${gaps}`
}
