import { expect, test } from 'vitest'
import { frameNumber, mediaName } from './intake.ts'

test('frame numbers are found in the ways files are numbered (common practice)', () => {
  const cases: [string, string, number | undefined][] = [
    ['grotto.0001.exr', 'grotto', 1],
    ['cave_depth.0012.exr', 'cave_depth', 12],
    ['plume_7.png', 'plume', 7],
    ['plume-007.png', 'plume', 7],
    ['grotto.-003.exr', 'grotto', -3],
    ['v2_final.png', 'v2_final', undefined],
    ['käse 🧀.0007.png', 'käse 🧀', 7],
    ['0001.exr', '0001', undefined],
    // A date with a time of day is no frame number.
    ['x.20261127133552.png', 'x.20261127133552', undefined],
    ['x.999999999.png', 'x', 999999999],
    ['x.0000000000000012.png', 'x', 12],
    ['x.-0.png', 'x', 0],
  ]
  for (const [file, name, number] of cases)
    expect([mediaName(file), frameNumber(file)], file).toEqual([name, number])
})
