import { readFile } from 'node:fs/promises'
import type { Pass } from '../../core/comp/media.ts'
import { encodePassBlock, type PassBlock } from '../../core/formats/pass-block.ts'
import type { MediaInfo } from './media-file.ts'
import { openMedia } from './raster-file.ts'
import { passPath, storedPath, writeWhole } from './store.ts'

/** Half codes or floats that are not finite. */
function countNonFinite(data: Uint16Array | Float32Array, isDepth: boolean): number {
  let count = 0
  if (data instanceof Uint16Array) {
    for (const code of data) if ((code & 0x7c00) === 0x7c00 && !(isDepth && code === 0x7c00)) count++
  } else for (const v of data) if (!Number.isFinite(v) && !(isDepth && v === Infinity)) count++
  return count
}

/** What is to be said of a pass's values; undefined when all are numbers. Infinite depth means that nothing was hit. */
export function valueWarning({ name, kind }: Pass, { data }: PassBlock): string | undefined {
  const bad = kind === 'ids' ? 0 : countNonFinite(data, kind === 'depth')
  return bad > 0
    ? `${bad} values of the pass ${name} are not numbers or infinite; they count as 0`
    : undefined
}

/** Decodes every pass of a stored file into the store; gives back what it holds, with what was noticed on the way. */
export async function decodeStored(hash: string): Promise<MediaInfo> {
  const file = await openMedia(new Uint8Array(await readFile(storedPath(hash))))
  const warnings = [...file.info.warnings]
  for (const pass of file.info.passes) {
    const { name } = pass
    const block = file.readPass(name)
    const warning = valueWarning(pass, block)
    if (warning) warnings.push(warning)
    await writeWhole(passPath(hash, name), encodePassBlock(block))
  }
  return { ...file.info, warnings }
}
