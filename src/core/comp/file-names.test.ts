import { expect, test } from 'vitest'
import { frameNumber, mediaName, namedFor } from './file-names.ts'

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
    // The number before the word for a pass; two digits before a layer's word are part of its name.
    ['quay wall.1001.beauty.exr', 'quay wall.beauty', 1001],
    ['cave_0012_depth.exr', 'cave_depth', 12],
    ['cave-7.Normal.exr', 'cave.Normal', 7],
    ['cave_0012_matte.png', 'cave_matte', 12],
    ['cave_02_matte.png', 'cave_02_matte', undefined],
    ['cave_02_final.png', 'cave_02_final', undefined],
    ['cave_depth.0012.exr', 'cave_depth', 12],
  ]
  for (const [file, name, number] of cases)
    expect([mediaName(file), frameNumber(file)], file).toEqual([name, number])
})

test('a number for a name is a frame of what its folder is called', () => {
  const cases: [string | undefined, string, string][] = [
    ['plates', '0001.exr', 'plates.0001.exr'],
    ['plates', '0001.depth.exr', 'plates.0001.depth.exr'],
    ['plates', '0001_sketch.exr', '0001_sketch.exr'],
    ['plates', 'cave.0001.exr', 'cave.0001.exr'],
    [undefined, '-3.png', 'frames.-3.png'],
    ['', '12.png', 'frames.12.png'],
  ]
  for (const [folder, file, name] of cases) expect(namedFor(folder, file)).toBe(name)
  expect([mediaName('plates.0001.depth.exr'), frameNumber('frames.-3.png')]).toEqual(['plates.depth', -3])
})
