import { plainJoin } from './declarations/join.ts'
import { plainColour } from './declarations/colour.ts'
import { plainStreak } from './declarations/streak.ts'
import { plainDistance } from './declarations/distance.ts'
import { plainKey } from './declarations/key.ts'
import { plainFourier } from './declarations/fourier.ts'
import { plainBlock } from './declarations/block.ts'
import { plainBlur } from './declarations/blur.ts'
import { plainHalf } from './declarations/half.ts'
import { plainMatte } from './declarations/matte.ts'
import { plainMist } from './declarations/mist.ts'
import { plainScope } from './declarations/scope.ts'
import { plainPosition } from './declarations/position.ts'
import { plainGrade } from './declarations/grade.ts'
import { plainAperture } from './declarations/aperture.ts'
import { plainResample } from './declarations/resample.ts'
import { plainDisplay } from './declarations/display.ts'
import { plainWarp } from './declarations/warp.ts'
import { plainSmear } from './declarations/smear.ts'
import { plainLens } from './declarations/lens.ts'
import { plainWays } from './declarations/ways.ts'
import { plainLamp } from './declarations/lamp.ts'
import { rec709, type WorkingSpace } from '../colour/working.ts'
import type { Kernels } from './kernels.ts'

/** The kernels as the simplest loops that are right: the reference that the fast ones are checked against. */
const plainIn = (space: WorkingSpace): Kernels => ({
  space,
  inSpace: plainIn,
  watch: () => undefined,
  ...plainJoin(space),
  ...plainColour(space),
  ...plainStreak(space),
  ...plainDistance,
  ...plainKey(space),
  ...plainFourier,
  ...plainBlock,
  ...plainBlur(space),
  ...plainHalf,
  ...plainMatte(space),
  ...plainMist,
  ...plainScope,
  ...plainPosition,
  ...plainGrade(space),
  ...plainAperture,
  ...plainResample,
  ...plainDisplay(space),
  ...plainWarp,
  ...plainSmear,
  ...plainLens(space),
  ...plainWays,
  ...plainLamp,
})

export const plainKernels: Kernels = plainIn(rec709)
