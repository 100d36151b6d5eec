import type { WorkingSpace } from '../colour/working.ts'
import type { JoinKernels } from './declarations/join.ts'
import type { ColourKernels } from './declarations/colour.ts'
import type { StreakKernels } from './declarations/streak.ts'
import type { DistanceKernels } from './declarations/distance.ts'
import type { KeyKernels } from './declarations/key.ts'
import type { FourierKernels } from './declarations/fourier.ts'
import type { BlockKernels } from './declarations/block.ts'
import type { BlurKernels } from './declarations/blur.ts'
import type { HalfKernels } from './declarations/half.ts'
import type { MatteKernels } from './declarations/matte.ts'
import type { MistKernels } from './declarations/mist.ts'
import type { ScopeKernels } from './declarations/scope.ts'
import type { PositionKernels } from './declarations/position.ts'
import type { GradeKernels } from './declarations/grade.ts'
import type { ApertureKernels } from './declarations/aperture.ts'
import type { ResampleKernels } from './declarations/resample.ts'
import type { DisplayKernels } from './declarations/display.ts'
import type { WarpKernels } from './declarations/warp.ts'
import type { SmearKernels } from './declarations/smear.ts'
import type { LensKernels } from './declarations/lens.ts'
import type { WaysKernels } from './declarations/ways.ts'
import type { LampKernels } from './declarations/lamp.ts'
export * from './declarations/join.ts'
export * from './declarations/colour.ts'
export * from './declarations/streak.ts'
export * from './declarations/distance.ts'
export * from './declarations/key.ts'
export * from './declarations/fourier.ts'
export * from './declarations/block.ts'
export * from './declarations/blur.ts'
export * from './declarations/half.ts'
export * from './declarations/matte.ts'
export * from './declarations/mist.ts'
export * from './declarations/scope.ts'
export * from './declarations/position.ts'
export * from './declarations/grade.ts'
export * from './declarations/aperture.ts'
export * from './declarations/resample.ts'
export * from './declarations/display.ts'
export * from './declarations/lamp.ts'
export * from './declarations/ways.ts'
export * from './declarations/lens.ts'
export * from './declarations/smear.ts'
export * from './declarations/warp.ts'

/**
 * The pixel loops everything is made from. There are two: SIMD WebAssembly over shared memory, and a plain
 * TypeScript twin that it is checked against. Output first, then sources, then scalars; `out` may be a source
 * unless said otherwise. Colour pictures are premultiplied scene-linear RGBA of equal size; a matte has one channel.
 * Nothing here allocates or validates. Each kind of loop has a file of its own in declarations/, with the twins and the calls.
 */
export interface Kernels
  extends
    JoinKernels,
    ColourKernels,
    StreakKernels,
    DistanceKernels,
    KeyKernels,
    FourierKernels,
    BlockKernels,
    BlurKernels,
    HalfKernels,
    MatteKernels,
    MistKernels,
    ScopeKernels,
    PositionKernels,
    GradeKernels,
    ApertureKernels,
    ResampleKernels,
    DisplayKernels,
    WarpKernels,
    SmearKernels,
    LensKernels,
    WaysKernels,
    LampKernels {
  /** What red, green and blue are, for all that asks for luminance or hue. */
  readonly space: WorkingSpace
  /** The same kernels for light of another working space. */
  inSpace(space: WorkingSpace): Kernels
  /** From now on `isStale` is asked between bands of work; when it says so, the kernel throws Cancelled. */
  watch(isStale: () => boolean): void
}
