import type { WorkingSpace } from '../colour/working.ts'
import { toneEntries, toneEntry } from '../kernels/kernels.ts'
import type { Workshop } from '../kernels/pyramid.ts'
import type { Picture } from '../picture/picture.ts'

/** A table of tones for the kernel: four values for the light of each entry. Slow beside a small picture: effects keep it as long as their dials stand still. */
export function toneTableOf(
  valuesAt: (light: number) => readonly [number, number, number, number],
): Float32Array {
  const table = new Float32Array(toneEntries * 4)
  for (let i = 0; i < toneEntries; i++) table.set(valuesAt(toneEntry(i)), i * 4)
  return table
}

/** The table as something that `prepare` makes. */
export function preparedTable(table: (space: WorkingSpace) => Float32Array): (workshop: Workshop) => Picture {
  return ({ kernels, store }) => {
    const picture = store.allocate(toneEntries, 1, 4)
    picture.data.set(table(kernels.space))
    return picture
  }
}
