// Hot loops over premultiplied RGBA float pictures in shared memory. Every function works on rows y0..y1-1
// of its output only, so that bands of one call may run on several threads at once; pointers are byte offsets.
// Each has a plain twin in ../plain-kernels.ts, where shapes, units and sources are written down.

export { joinOver, joinOperator, joinScreen, joinBlend, mix, addLight } from './join'
export { gains, colourMatrix, brightPass, weigh, unweigh, sanitise, fill } from './colour'
export { setThread } from './thread'
export { streakLines, streakBack, transpose, opticalDepth, rayLines, rayBack, lightLevels } from './streak'
export { nearestInColumns, distanceRows, edgeLines, edge } from './distance'
export { keyColour } from './key'
export { fourierRows, fourierColumns, filterSpectrum } from './fourier'
export { brightHalve, halve, upAdd, smooth, gaussRows, gaussColumns, boxReduce } from './blur'
export { halfToFloat, floatToHalf } from './half'
export { mist } from './mist'
export { countScope } from './scope'
export { distancesFrom, thinWithHeight } from './position'
export { toneTable, decisionList, hold, lookUp, shoulder } from './grade'
export { rowSums, sumOfRuns, slice, layOver } from './aperture'
export { resample } from './resample'
export { display } from './display'

/** First byte of memory that the program itself does not use. */
export function heapBase(): usize {
  return __heap_base
}
