import { expect, test } from 'vitest'
import { restoreBytes, splitBytes } from './exr-codecs.ts'

/** As OpenEXR's own description has it: differences first, then the halves one byte each in turn. */
function plainly(packed: Uint8Array): number[] {
  const summed = [...packed]
  for (let i = 1; i < summed.length; i++) summed[i] = (summed[i - 1]! + summed[i]! - 128) & 255
  const middle = Math.ceil(summed.length / 2)
  return summed.map((_, i) => summed[i % 2 === 0 ? i / 2 : middle + (i - 1) / 2]!)
}

test.each([0, 1, 2, 3, 4, 5, 15, 16, 17, 31, 32, 33, 63, 64, 65, 256, 4097, 70001])(
  '%d bytes come out of their differences and halves, and go back',
  (count) => {
    const packed = Uint8Array.from({ length: count }, (_, i) => (Math.imul(i + 1, 2654435761) >>> 13) & 255)
    expect([...restoreBytes(packed)]).toEqual(plainly(packed))
    expect([...splitBytes(restoreBytes(packed))]).toEqual([...packed])
    // A part of a larger buffer, as files are read.
    const within = new Uint8Array(count + 3).subarray(3)
    within.set(packed)
    expect([...restoreBytes(within)]).toEqual(plainly(packed))
  },
)
