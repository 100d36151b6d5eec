import { FormatError } from './format-error.ts'

/** A table of colours from a .cube file. */
export interface CubeTable {
  readonly title: string
  /** A cube whose red runs fastest; else a line for each channel. */
  readonly isCube: boolean
  /** Entries along each side, or of a line. */
  readonly size: number
  readonly from: readonly [number, number, number]
  readonly to: readonly [number, number, number]
  /** Red, green and blue of size³ or size entries. */
  readonly values: Float32Array
}

const [mostCube, mostLine] = [129, 65_536]
const mostBytes = 100e6

/** Whether a file begins as a .cube file may: text that names the size of its table. */
export function isCube(bytes: Uint8Array): boolean {
  const head = new TextDecoder('latin1').decode(bytes.subarray(0, 16_384))
  return !head.includes('\0') && /(^|[\r\n])[ \t]*LUT_[13]D_SIZE[ \t]/.test(head)
}

/**
 * Reads a .cube file: TITLE, DOMAIN_MIN and DOMAIN_MAX, LUT_1D_SIZE or LUT_3D_SIZE, comments, then the entries. Ranges of one
 * number for all channels (LUT_3D_INPUT_RANGE) are common practice and read too. Throws FormatError that names the line.
 * Source: Cube LUT Specification 1.0 (Adobe, 2013).
 */
export function parseCube(bytes: Uint8Array): CubeTable {
  const fail = (line: number, message: string): never => {
    throw new FormatError('cube', -1, line > 0 ? `line ${line}: ${message}` : message)
  }
  if (bytes.length > mostBytes) fail(0, 'it is larger than 100 MB')
  const lines = new TextDecoder().decode(bytes).split(/\r\n|\r|\n/)
  let title = ''
  let size = 0
  let isCubic = false
  let [from, to]: [[number, number, number], [number, number, number]] = [
    [0, 0, 0],
    [1, 1, 1],
  ]
  let values = new Float32Array(0)
  let count = 0
  for (const [index, raw] of lines.entries()) {
    const line = index + 1
    const text = raw.trim()
    if (text === '' || text.startsWith('#')) continue
    const [word, ...rest] = text.split(/\s+/)
    const numbers = (wanted: number, given: readonly string[]): number[] => {
      const found = given.map(Number)
      if (given.length !== wanted || !found.every(Number.isFinite))
        fail(
          line,
          `wants ${wanted === 1 ? 'a number' : `${wanted} numbers`}, but holds “${text.slice(0, 60)}”`,
        )
      return found
    }
    switch (word) {
      case 'TITLE':
        title = text.slice(5).trim().replace(/^"|"$/g, '')
        continue
      case 'DOMAIN_MIN':
        from = numbers(3, rest) as [number, number, number]
        continue
      case 'DOMAIN_MAX':
        to = numbers(3, rest) as [number, number, number]
        continue
      case 'LUT_1D_INPUT_RANGE':
      case 'LUT_3D_INPUT_RANGE': {
        const [low, high] = numbers(2, rest) as [number, number]
        ;[from, to] = [
          [low, low, low],
          [high, high, high],
        ]
        continue
      }
      case 'LUT_1D_SIZE':
      case 'LUT_3D_SIZE': {
        if (size > 0)
          fail(line, 'a second table begins here; files of two tables are not read, save them as one')
        isCubic = word === 'LUT_3D_SIZE'
        size = numbers(1, rest)[0]!
        const most = isCubic ? mostCube : mostLine
        if (!Number.isInteger(size) || size < 2 || size > most)
          fail(line, `the size ${rest.join(' ')} is not a whole number from 2 to ${most}`)
        values = new Float32Array(3 * (isCubic ? size ** 3 : size))
        continue
      }
      default:
        if (/^[A-Za-z_]/.test(word!)) {
          // Words that are not known say nothing about the entries.
          if (/^LUT_/.test(word!)) fail(line, `“${word}” is not known`)
          continue
        }
        if (size === 0) fail(line, 'entries come before the size of the table')
        if (count === values.length)
          fail(line, `there are more than the ${values.length / 3} entries that its size says`)
        values.set(numbers(3, [word!, ...rest]), count)
        count += 3
    }
  }
  if (size === 0) fail(0, 'it does not say the size of its table (LUT_1D_SIZE or LUT_3D_SIZE)')
  if (count < values.length)
    fail(
      0,
      `it holds ${count / 3} entries, but its size says ${values.length / 3}; it may have been cut short`,
    )
  if (from.some((low, c) => !(low < to[c]!)))
    fail(
      0,
      `its domain from ${from.join(' ')} to ${to.join(' ')} is empty; DOMAIN_MIN must be below DOMAIN_MAX`,
    )
  return { title, isCube: isCubic, size, from, to, values }
}
