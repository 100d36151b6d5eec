import { defaultDials } from '../../effects/registry.ts'
import { effectOf } from '../../recipes/effect-of.ts'
import { findStep, type Comp, type Lane, type Setting } from '../../comp/schema.ts'
import { chained, unmoved } from '../../picture/affine.ts'
import { settingAt } from '../../tracks/track-at.ts'
import type { Follow, Measure } from '../../tracks/track.ts'
import type { Reading } from '../readings.ts'
import { singleMatte } from './plan-mattes.ts'
import { keyOf } from './plan-node.ts'
import { colourOf } from './plan-sources.ts'
import { dialsOf } from './plan-dials.ts'
import { inSpaceOf } from './plan-space.ts'
import type { Planning, Reader } from './planning.ts'

// What settings follow and measure, at the frame and size of a plan at full size.

/** The same at the frame of a plan; undefined while it has to be made first, empty where there is nothing. */
function readHere(
  p: Planning,
  what: Follow['of'] | Measure,
  { laneId, stepId }: Reader,
): Reading | undefined {
  switch (what.type) {
    case 'matte': {
      const matte = singleMatte(p, what.matte, laneId, stepId)
      const node = matte && inSpaceOf(p.comp, matte)
      return node ? p.need({ what: 'centre', node, key: keyOf(`centre(${node.key})`), area: p.area }) : []
    }
    case 'measure': {
      const light = colourOf(p, what.of, laneId, stepId)
      const within = what.inside && singleMatte(p, what.inside, laneId, stepId)
      if (!light || (what.inside && !within)) return []
      const node = inSpaceOf(p.comp, light)
      const inside = within && inSpaceOf(p.comp, within)
      const key = keyOf(`brightness ${what.what}(${node.key},${inside?.key ?? ''})`)
      return p.need({ what: what.what, node, key, area: p.area, ...(inside && { inside }) })
    }
    case 'placement': {
      const lane = p.comp.lanes.find((l) => l.id === what.lane)
      if (!lane) {
        p.report(laneId, stepId, `The lane ${what.lane} whose place it follows is missing. Choose another.`)
        return []
      }
      return placementOf(p, lane)
    }
    case 'point': {
      const step = findStep(p.comp, what.step)
      const effect = effectOf(step)
      const setting =
        step && (step.dials[what.key] ?? (effect && defaultDials(effect, p.comp.canvas)[what.key]))
      if (setting === undefined) {
        p.report(laneId, stepId, `The point ${what.key} that it follows is missing. Choose another.`)
        return []
      }
      const value = p.value(setting as Setting, undefined, { laneId, stepId: what.step })
      return Array.isArray(value) && value.length === 2 ? (value as number[]) : []
    }
  }
}

/** Where the placing steps of a lane put the middle of the frame. */
function placementOf(p: Planning, lane: Lane): Reading {
  let matrix = unmoved
  for (const step of lane.steps) {
    const effect = effectOf(step)
    if (!effect?.affine || p.value(step.on) === false) continue
    matrix = chained(matrix, effect.affine(dialsOf(p, step, effect) as never).matrix)
  }
  const [a, b, c, d, e, f] = matrix
  const { left, top, canvasWidth, canvasHeight } = p.area
  const [x, y] = [canvasWidth / 2 + left, canvasHeight / 2 + top]
  return [a * x + b * y + c - left, d * x + e * y + f - top]
}

/** As far as a gap is looked over for what lies beyond it, in frames: each of them may have to be read. */
const furthestBridge = 24

/** A reading on a frame; what is not there on it is bridged between the nearest frames that have it, and said. */
export function readOn(
  p: Planning,
  what: Follow['of'] | Measure,
  frame: number,
  reader: Reader,
): Reading | undefined {
  const at = (f: number) => readHere(p.at(f), what, reader)
  const here = at(frame)
  if (!here || here.length > 0) return here
  const { first, last } = p.comp.frames
  const find = (by: 1 | -1): { frame: number; reading: Reading } | 'unknown' | undefined => {
    for (let f = frame + by; f >= first && f <= last && Math.abs(f - frame) <= furthestBridge; f += by) {
      const reading = at(f)
      if (!reading) return 'unknown'
      if (reading.length > 0) return { frame: f, reading }
    }
    return undefined
  }
  const [before, after] = [find(-1), find(1)]
  if (before === 'unknown' || after === 'unknown') return undefined
  const thing = what.type === 'measure' ? 'What it measures' : 'What it follows'
  if (!before && !after) {
    p.report(
      reader.laneId,
      reader.stepId,
      `${thing} is not on frame ${frame}, nor on any within ${furthestBridge} frames. Its keys count.`,
    )
    return undefined
  }
  p.report(
    reader.laneId,
    reader.stepId,
    `${thing} is not on frame ${frame}; ${before && after ? `bridged from frame ${before.frame} to ${after.frame}` : `held from frame ${(before ?? after)!.frame}`}.`,
  )
  if (!before || !after) return (before ?? after)!.reading
  const t = (frame - before.frame) / (after.frame - before.frame)
  return before.reading.map((v, i) => v + (after.reading[i]! - v) * t)
}

/** The value of a setting on the frame of a plan. */
export function valueOn(p: Planning, setting: Setting, reader: Reader) {
  return settingAt(setting, p.frame, {
    rate: p.comp.frames.rate,
    first: p.comp.frames.first,
    read: (what, frame) => p.read(what, frame, reader),
  })
}

/** What a loop of followers is told by. */
export const readWords = (comp: Comp, what: Follow['of'] | Measure): string => {
  const lane = (id: string) => comp.lanes.find((l) => l.id === id)?.name ?? id
  switch (what.type) {
    case 'placement':
      return `the place of ${lane(what.lane)}`
    case 'point':
      return `${what.key} of ${effectOf(findStep(comp, what.step))?.title ?? what.step}`
    case 'matte':
      return what.matte.from.type === 'tap' ? lane(what.matte.from.lane) : 'a matte'
    case 'measure':
      return what.of.type === 'tap' ? lane(what.of.lane) : 'a pass'
  }
}
