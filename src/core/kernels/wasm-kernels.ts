import { fastJoin } from './declarations/join.ts'
import { fastColour } from './declarations/colour.ts'
import { fastStreak } from './declarations/streak.ts'
import { fastDistance } from './declarations/distance.ts'
import { fastKey } from './declarations/key.ts'
import { fastFourier } from './declarations/fourier.ts'
import { fastBlock } from './declarations/block.ts'
import { fastBlur } from './declarations/blur.ts'
import { fastHalf } from './declarations/half.ts'
import { fastMatte } from './declarations/matte.ts'
import { fastMist } from './declarations/mist.ts'
import { fastScope } from './declarations/scope.ts'
import { fastPosition } from './declarations/position.ts'
import { fastGrade } from './declarations/grade.ts'
import { fastAperture } from './declarations/aperture.ts'
import { fastResample } from './declarations/resample.ts'
import { fastDisplay } from './declarations/display.ts'
import { fastWarp } from './declarations/warp.ts'
import { fastSmear } from './declarations/smear.ts'
import { fastLens } from './declarations/lens.ts'
import { fastWays } from './declarations/ways.ts'
import { fastLamp } from './declarations/lamp.ts'
import { rec709, type WorkingSpace } from '../colour/working.ts'
import { kernelCalls, type KernelCalls } from './kernel-calls.ts'
import { KernelMemory } from './kernel-memory.ts'
import type { Kernels } from './kernels.ts'
import { ThreadPool, createControl, createKernelMemory, instantiateKernels } from './thread-pool.ts'

/** The kernels as SIMD WebAssembly on a shared memory, with row bands computed by all threads of the pool. */
export function createWasmKernels(store: KernelMemory, pool: ThreadPool): Kernels {
  const made = new Map<WorkingSpace, Kernels>()
  const inSpace = (space: WorkingSpace): Kernels => {
    const known = made.get(space)
    if (known) return known
    const kernels = kernelsIn(kernelCalls(store, pool, space), inSpace)
    made.set(space, kernels)
    return kernels
  }
  return inSpace(rec709)
}

function kernelsIn(calls: KernelCalls, inSpace: Kernels['inSpace']): Kernels {
  const { pool, space } = calls
  return {
    space,
    inSpace,
    watch: (isStale) => {
      pool.watch(isStale)
    },
    ...fastJoin(calls),
    ...fastColour(calls),
    ...fastStreak(calls),
    ...fastDistance(calls),
    ...fastKey(calls),
    ...fastFourier(calls),
    ...fastBlock(calls),
    ...fastBlur(calls),
    ...fastHalf(calls),
    ...fastMatte(calls),
    ...fastMist(calls),
    ...fastScope(calls),
    ...fastPosition(calls),
    ...fastGrade(calls),
    ...fastAperture(calls),
    ...fastResample(calls),
    ...fastDisplay(calls),
    ...fastWarp(calls),
    ...fastSmear(calls),
    ...fastLens(calls),
    ...fastWays(calls),
    ...fastLamp(calls),
  }
}

/** A memory of its own, the pictures in it and the kernels on it; `workers` other threads serve the control block. */
export function createKernels(memory: WebAssembly.Memory, control: SharedArrayBuffer, workers: number) {
  const exports = instantiateKernels(memory)
  const store = new KernelMemory(memory, exports.heapBase())
  return { store, kernels: createWasmKernels(store, new ThreadPool(exports, control, workers)) }
}

/** Kernels on the calling thread alone. */
export function createLoneKernels(maximumMiB = 1024) {
  return createKernels(createKernelMemory(maximumMiB), createControl(), 0)
}
