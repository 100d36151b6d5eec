// What names of files say: frame numbers, and passes in files of their own.

const passWords =
  /^(beauty|rgba?|combined|z|depth|zdepth|normals?|nrm|positions?|pos|motion|velocity|vectors?|emission|emissive|crypto\w*|ids?|objectids?|diffuse|specular|reflections?|refractions?|ao|occlusion|uv|albedo|sss|transmission|volume)$/i
/** Words that name a pass as often as a drawn layer. */
const unsureWords = /^(shadows?|matte|mask|alpha|light|glow)$/i

/**
 * What a file name says of passes in files of their own: 'cave_depth' → depth of cave. `isSure` is false for words that
 * may also name a layer of its own. Undefined where the name ends with no such word (common practice).
 */
export function splitPassName(
  mediaName: string,
): { base: string; pass: string; isSure: boolean } | undefined {
  const found = /^(.+)[._-]([A-Za-z]\w*?)$/.exec(mediaName)
  const [base, pass] = [found?.[1], found?.[2]]
  if (!base || !pass) return undefined
  const isSure = passWords.test(pass)
  return isSure || unsureWords.test(pass) ? { base, pass: pass.toLowerCase(), isSure } : undefined
}

/** Digits at the end of a name that are no frame number, such as a date with a time of day, have more places than this. */
const mostDigits = 9

/**
 * A file name with its number last: some write the frame before the word for the pass ('cave.0001.depth.exr' is as good as
 * 'cave.depth.0001.exr'; common practice). Before a word that may also name a layer of its own, fewer than three digits
 * are part of the name ('cave_02_light.png').
 */
function numberLast(fileName: string): string {
  const found = /^(.+?)([._]-?\d+|-\d+)([._-])([A-Za-z]\w*?)(\.[^.]+)$/.exec(fileName)
  if (!found) return fileName
  const [, base, number, between, word, ending] = found as unknown as [string, ...string[]]
  const isFrame = passWords.test(word!) || (unsureWords.test(word!) && /\d{3}/.test(number!))
  return isFrame ? `${base}${between}${word}${number}${ending}` : fileName
}

/** What frames are called that have a number for a name and lie in no folder that is known. */
export const namelessFrames = 'frames'

/** The name of a file, or, where that is a number alone, with its folder's before it: '0001.exr' in plates → 'plates.0001.exr'. */
export function namedFor(folder: string | undefined, fileName: string): string {
  const found = /^-?\d+(?:[._-]([A-Za-z]\w*))?\.[^.]+$/.exec(fileName)
  const word = found?.[1]
  const isNameless = found !== null && (word === undefined || passWords.test(word))
  return isNameless ? `${folder?.trim() ? folder : namelessFrames}.${fileName}` : fileName
}

/**
 * Frame number in a file name: the last digits before the ending, or before a word for a pass, after a dot, a line or an
 * underscore ('grotto.0001.exr' → 1, 'grotto-12.png' → 12, 'grotto.-003.exr' → −3, 'grotto.0001.depth.exr' → 1). More
 * than nine digits are part of the name.
 */
export function frameNumber(fileName: string): number | undefined {
  const found = /(?:[._](-?\d+)|-(\d+))\.[^.]+$/.exec(numberLast(fileName))
  const digits = found?.[1] ?? found?.[2]
  if (digits === undefined || digits.replace(/^-?0*/, '').length > mostDigits) return undefined
  // Not −0, which no table holds.
  return Number(digits) + 0
}

/** The name without frame number and ending: files that share it are frames of one sequence. */
export function mediaName(fileName: string): string {
  const number = frameNumber(fileName) === undefined ? '' : '(?:[._]-?\\d+|-\\d+)?'
  return numberLast(fileName).replace(new RegExp(`${number}\\.[^.]+$`), '') || fileName
}

/** The order in which files come in best: lists of names first, then pictures, then those named for a pass of them; by number. */
export function intakeOrder<T>(files: readonly T[], nameOf: (file: T) => string): T[] {
  const rank = (name: string) => {
    if (/\.json$/i.test(name)) return 0
    const split = splitPassName(mediaName(name))
    return !split ? 1 : split.isSure ? 2 : 3
  }
  const keyed = files.map((file) => ({ file, name: nameOf(file), rank: rank(nameOf(file)) }))
  keyed.sort((a, b) => a.rank - b.rank || a.name.localeCompare(b.name, 'en', { numeric: true }))
  return keyed.map(({ file }) => file)
}
