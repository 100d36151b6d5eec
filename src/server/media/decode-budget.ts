import { totalmem } from 'node:os'
import { FormatError } from '../../core/formats/format-error.ts'

/** Bytes that a decoding process may take while it works on one file; less on small machines. */
export const decodeBudget = Math.min(5e9, totalmem() / 3)

/** While it is read, a sample lies in memory as it is stored, as light, and as it is sent: up to ten bytes in all. */
const bytesPerSample = 10
export const mostSamples = decodeBudget / bytesPerSample

/**
 * Refuses what would not fit into memory, before anything of it is allocated. Throws FormatError.
 */
export function checkSamples(format: string, width: number, height: number, channels: number): void {
  const samples = width * height * channels
  if (samples > mostSamples)
    throw new FormatError(
      format,
      0,
      `its ${width} × ${height} pixels of ${channels} channels want more memory than one file is given here (${(decodeBudget / 1e9).toFixed(1)} GB); write it smaller, or with fewer passes in a file`,
    )
}
