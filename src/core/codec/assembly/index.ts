// @ts-nocheck: AssemblyScript, checked by its own compiler
export { floatToHalf, halfToFloat } from '../../kernels/assembly/half'
export { restoreBytes, splitBytes } from './bytes'
export { decodeCodes, inverseWavelet, lookUp, readTables } from './piz'
export { anyNonFinite, interleave, pick, shareOut, sumFloats, sumHalves } from './cells'

/** Where memory is free from on, which the caller shares out. */
export function freeFrom(): usize {
  return __heap_base
}
