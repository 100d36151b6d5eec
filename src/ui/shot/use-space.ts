import { workingSpace, type WorkingSpace } from '../../core/colour/working.ts'
import { useShot } from './shot-context.tsx'

/** What red, green and blue are in this shot. */
export const useSpace = (): WorkingSpace => useShot((s) => workingSpace(s.comp.space))
