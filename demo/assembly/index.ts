// @ts-nocheck: AssemblyScript, checked by its own compiler
export { setStage, setJelly } from './scene'
export { freeUntil, outside, trace, sampleAt } from './shade'
