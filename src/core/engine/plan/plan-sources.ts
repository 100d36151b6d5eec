import { assertNever } from '../../assert.ts'
import { shapesAt, shapesEver } from '../../comp/drawing-at.ts'
import { masterId } from '../../comp/edits.ts'
import { ownDials } from '../../comp/own-dials.ts'
import type { Link, Setting, Source } from '../../comp/schema.ts'
import type { Rgb } from '../../picture/picture.ts'
import { drawShapes } from '../../shapes/draw-shapes.ts'
import type { GradientEnd } from '../../kernels/declarations/colour.ts'
import { pictureChannels } from '../place-pass.ts'
import { areaKey } from '../work-area.ts'
import { node, type PlanNode } from './plan-node.ts'
import { flat, nothing, passNode } from './plan-passes.ts'
import type { Planning } from './planning.ts'

export function tapNode(
  p: Planning,
  link: Link & { type: 'tap' },
  laneId: string,
  stepId?: string,
): PlanNode | undefined {
  const lane = link.lane === masterId ? p.master : p.comp.lanes.find((l) => l.id === link.lane)
  if (!lane) {
    p.report(laneId, stepId, `The lane ${link.lane} it takes its picture from is missing. Choose another.`)
    return undefined
  }
  // An earlier point of a lane that is being planned is there already; only a later one closes a loop.
  const known = p.knownPoint(lane, link.after)
  if (known) return known
  if (p.isOpen(lane.id)) {
    p.report(laneId, stepId, `${p.loopWords(lane.id)} Cut one of these links.`)
    return undefined
  }
  return p.lanePoint(lane, link.after)
}

/** The cover of drawn shapes at this frame; undefined (and reported) where there is no such drawing. */
export function drawingNode(
  p: Planning,
  { drawing: id, shape: only }: Link & { type: 'drawing' },
  laneId: string,
  stepId?: string,
): PlanNode | undefined {
  const drawing = p.comp.drawings.find((d) => d.id === id)
  if (!drawing) {
    p.report(laneId, stepId, `The drawing ${id} is missing. Choose another, or draw it anew.`)
    return undefined
  }
  if (only !== undefined && !shapesEver(drawing).some((s) => s.id === only)) {
    p.report(laneId, stepId, `${drawing.name} has no shape ${only} any more. Choose another, or all of it.`)
    return undefined
  }
  const all = shapesAt(
    drawing,
    p.frame,
    (setting) => p.value(setting, undefined, { laneId, stepId }),
    p.comp.canvas,
  )
  // Alone it meets none before it.
  const shapes =
    only === undefined ? all : all.filter((s) => s.id === only).map((s) => ({ ...s, by: 'union' as const }))
  const { width, height, left, top } = p.area
  const { reduction } = p
  return node(`shapes ${JSON.stringify(shapes)} ${areaKey(p.area)}/${reduction}`, [], (_, workshop) => {
    const out = workshop.store.allocate(width, height, 1)
    drawShapes(out, shapes, { scale: 1 / reduction, left, top }, workshop)
    return out
  })
}

/** A matte filled with a colour. */
export function filledMatte(
  p: Planning,
  matte: PlanNode,
  [r, g, b]: readonly [number, number, number],
): PlanNode {
  return node(`filled ${r} ${g} ${b}`, [matte], ([m], { kernels, store }) => {
    const out = store.allocate(m!.width, m!.height, 4)
    kernels.fill(out, r, g, b, 1)
    kernels.weigh(out, out, m!, 0, 1)
    return out
  })
}

/** The four-channel picture at the end of a link; undefined (and reported) where there is none. */
export function colourOf(p: Planning, link: Link, laneId: string, stepId?: string): PlanNode | undefined {
  if (link.type === 'tap') return tapNode(p, link, laneId, stepId)
  if (link.type === 'drawing') {
    const drawn = drawingNode(p, link, laneId, stepId)
    return drawn && filledMatte(p, drawn, [1, 1, 1])
  }
  if (link.type === 'input') {
    // Inputs were connected before the plan; this lane stands where nothing comes in.
    p.report(laneId, stepId, 'It is meant for the inside of a recipe, where something comes in.')
    return undefined
  }
  const found = passNode(p, link, laneId, stepId)
  if (!found || pictureChannels(found.pass) === 4) return found?.node
  return node('grey', [found.node], ([src], { store }) => {
    const out = store.allocate(src!.width, src!.height, 4)
    for (let i = 0; i < src!.data.length; i++) {
      out.data.fill(src!.data[i]!, i * 4, i * 4 + 3)
      out.data[i * 4 + 3] = 1
    }
    return out
  })
}

export function sourceNode(p: Planning, source: Source, laneId: string): PlanNode {
  const colourNow = (colour: Setting) => p.value(colour, ownDials.colour, { laneId }) as unknown as Rgb
  const coverNow = (alpha: Setting) => p.value(alpha, ownDials.alpha, { laneId }) as number
  switch (source.type) {
    case 'drawing': {
      const drawn = drawingNode(p, source, laneId)
      return drawn ? filledMatte(p, drawn, colourNow(source.colour ?? [1, 1, 1])) : nothing(p)
    }
    case 'colour': {
      const [r, g, b] = colourNow(source.colour)
      const a = coverNow(source.alpha)
      return flat(p, r * a, g * a, b * a, a)
    }
    case 'gradient': {
      const { width, height, left, top } = p.area
      const { reduction } = p
      const end = ({ at, colour, alpha }: typeof source.from): GradientEnd => {
        const [x, y] = p.value(at, ownDials.at, { laneId }) as unknown as readonly [number, number]
        const [[r, g, b], a] = [colourNow(colour), coverNow(alpha)]
        return { at: [x / reduction + left, y / reduction + top], value: [r * a, g * a, b * a, a] }
      }
      const [from, to] = [end(source.from), end(source.to)]
      const key = JSON.stringify([source.shape, from, to])
      return node(`gradient ${key} ${areaKey(p.area)}/${reduction}`, [], (_, { kernels, store }) => {
        const out = store.allocate(width, height, 4)
        kernels.gradient(out, source.shape, from, to)
        return out
      })
    }
    case 'lanes':
      return p.joined(laneId === masterId ? undefined : laneId)
    case 'pass':
    case 'input':
    case 'tap':
      return colourOf(p, source, laneId) ?? nothing(p)
    default:
      return assertNever(source)
  }
}
