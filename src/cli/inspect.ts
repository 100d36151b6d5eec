import { readFile, stat } from 'node:fs/promises'
import { passStats } from '../core/formats/pass-stats.ts'
import { readingWarning, valueWarning } from '../server/media/decode-file.ts'
import type { MediaFile } from '../server/media/media-file.ts'
import { openMedia } from '../server/media/raster-file.ts'
import { FormatError } from '../core/formats/format-error.ts'
import { UsageError } from './usage-error.ts'

const largestFile = 4e9

/** Reads a file whole, with words for what may go wrong. */
export async function readInput(path: string): Promise<Uint8Array<ArrayBuffer>> {
  const found = await stat(path).catch(() => undefined)
  if (!found) throw new UsageError('not-found', `${path}: there is no such file`)
  if (!found.isFile()) throw new UsageError('not-a-file', `${path}: is not a file`)
  if (found.size > largestFile)
    throw new UsageError('too-large', `${path}: is larger than ${largestFile / 1e9} GB`)
  return new Uint8Array(await readFile(path))
}

/** Opens a file of pictures. Throws UsageError where it can not be read. */
export async function openInput(file: string): Promise<MediaFile> {
  const bytes = await readInput(file)
  try {
    return await openMedia(bytes)
  } catch (error) {
    throw error instanceof FormatError ? new UsageError('unreadable', `${file}: ${error.message}`) : error
  }
}

/** '12,34' → [12, 34]. */
function parsePoint(text: string): [number, number] {
  const match = /^(-?\d+),(-?\d+)$/.exec(text)
  if (!match) throw new UsageError('usage', `--pixel wants X,Y in whole numbers, but met ${text}`)
  return [Number(match[1]), Number(match[2])]
}

const jsonNumber = (v: number) =>
  Number.isNaN(v) ? 'nan' : v === Infinity ? 'inf' : v === -Infinity ? '-inf' : v

/** `zafiro inspect`: what a picture file holds, and stored values at pixels. Gives back what to print. */
export async function inspect(path: string, pixels: readonly string[], asJson: boolean): Promise<string> {
  const points = pixels.map(parsePoint)
  const bytes = await readInput(path)
  const file: MediaFile = await openMedia(bytes)
  const found = file.storedPixels(points)
  const missing = points.find((_, i) => !found[i])
  const noticed = file.info.passes.flatMap((pass) => {
    const stats = passStats(file.readPass(pass.name, { isData: true }))
    return [valueWarning(pass, stats), readingWarning(pass, file.info, stats)]
  })
  const warnings = [...file.info.warnings, ...noticed.filter((w) => w !== undefined), ...file.noticed()]
  const { words, doubt } = file.info.colour
  const info = { ...file.info, colour: { words, ...(doubt === undefined ? {} : { doubt }) }, warnings }
  if (missing) {
    const [x0, y0, x1, y1] = info.dataWindow
    throw new UsageError(
      'outside',
      `${path}: there is no pixel ${missing.join(',')}; its data window is ${x0},${y0} to ${x1},${y1}`,
    )
  }
  const flat = points.flatMap(([x, y], i) => found[i]!.map(({ part, values }) => ({ x, y, part, values })))
  if (asJson) {
    const shown = flat.map((p) => ({
      ...p,
      values: Object.fromEntries(Object.entries(p.values).map(([k, v]) => [k, jsonNumber(v)])),
    }))
    const passes = info.passes.map(({ name, kind, channels }) => ({ name, kind, channels }))
    return JSON.stringify({ file: path, ...info, passes, pixels: shown }, undefined, 2)
  }
  return [
    `${path}: ${info.format.toUpperCase()}, ${info.width} × ${info.height}, data window ${info.dataWindow.join(' ')}`,
    ...info.parts.map(
      (p) => `part ${p.name || '(unnamed)'}: ${p.type}, ${p.compression}, ${p.channels.length} channels`,
    ),
    `  colour: ${info.colour.words}`,
    ...info.passes.map(
      (p) => `  ${p.name.padEnd(16)} ${p.kind.padEnd(9)} ${p.type.padEnd(6)} ${p.channels.join(' ')}`,
    ),
    ...info.warnings.map((w) => `warning: ${w}`),
    ...flat.map(
      ({ x, y, part, values }) =>
        `${x},${y}${part ? ` (${part})` : ''}: ${Object.entries(values)
          .map(([k, v]) => `${k}=${v}`)
          .join(' ')}`,
    ),
  ].join('\n')
}
