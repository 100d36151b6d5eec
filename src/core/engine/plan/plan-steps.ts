import { ownDials } from '../../comp/own-dials.ts'
import type { FeedLink, Step } from '../../comp/schema.ts'
import { scaledDial, type DialValue } from '../../dials/dials.ts'
import type { Effect, FeedKind } from '../../effects/effect.ts'
import { defaultDials, findEffect } from '../../effects/registry.ts'
import type { ResampleFilter } from '../../kernels/kernels.ts'
import { chained, inverse, unmoved, type Affine } from '../../picture/affine.ts'
import { linearAmount, linearChain, type LinearColour } from '../../picture/colour.ts'
import { pictureChannels } from '../place-pass.ts'
import { matteOf } from './plan-mattes.ts'
import { node, type PlanNode } from './plan-node.ts'
import { nothing, passBehind, passNode, tableNode } from './plan-passes.ts'
import { colourOf } from './plan-sources.ts'
import type { Planning } from './planning.ts'

/** What a feed brings: mattes and distances have one channel, all else four; . */
export function feedOf(
  p: Planning,
  link: FeedLink,
  kind: FeedKind,
  laneId: string,
  stepId: string,
): PlanNode | undefined {
  switch (kind) {
    case 'matte':
      return matteOf(p, link, laneId, stepId)
    case 'depth': {
      const found = link.from.type === 'pass' ? passNode(p, link.from, laneId, stepId) : undefined
      if (found && pictureChannels(found.pass) === 1) return found.node
      const picture = colourOf(p, link.from, laneId, stepId)
      return (
        picture &&
        node('first channel', [picture], ([src], { store }) => {
          const out = store.allocate(src!.width, src!.height, 1)
          for (let i = 0; i < out.data.length; i++) out.data[i] = src!.data[i * 4]!
          return out
        })
      )
    }
    case 'table':
      return tableNode(p, link.from, laneId, stepId)
    default:
      return colourOf(p, link.from, laneId, stepId)
  }
}

/** Values of a step's dials at this frame; px dials in pixels of the reduced frame. */
export function dialsOf(p: Planning, step: Step, effect: Effect, laneId = ''): Record<string, DialValue> {
  const all = { ...defaultDials(effect, p.comp.canvas), ...step.dials }
  return Object.fromEntries(
    Object.entries(effect.dials).map(([key, dial]) => {
      const value = p.value(all[key] as Step['dials'][string], dial, { laneId, stepId: step.id })
      return [key, scaledDial(dial, value, { reduction: p.reduction, marginPx: p.area.marginPx })]
    }),
  )
}

/** Names of the feeds that an effect takes light from, and that say which part of it. */
export function lightRoles(effect: Pick<Effect, 'feeds'>): { light?: string; part?: string } {
  const named = (role: 'light' | 'part') =>
    Object.entries(effect.feeds).find(([, feed]) => feed.role === role)?.[0]
  const [light, part] = [named('light'), named('part')]
  return { ...(light === undefined ? {} : { light }), ...(part === undefined ? {} : { part }) }
}

/** The effect's own result for a picture, before amount and matte: the light alone for effects that give light. */
export function effectNode(
  p: Planning,
  step: Step,
  effect: Effect,
  picture: PlanNode,
  laneId: string,
): PlanNode | undefined {
  const dials = dialsOf(p, step, effect, laneId)
  const names: string[] = []
  const feeds: PlanNode[] = []
  const needed: readonly string[] = effect.needs?.(dials as never) ?? []
  for (const [name, { required, kind }] of Object.entries(effect.feeds)) {
    const link = step.feeds[name]
    const found = link && feedOf(p, link, kind, laneId, step.id)
    if (found) {
      names.push(name)
      feeds.push(found)
    } else if (link || required || needed.includes(name)) {
      if (!link)
        p.report(laneId, step.id, `${effect.title} needs its ${name} feed. Connect one in its dials.`)
      return undefined
    }
  }
  if (effect.affine) return placedNode(p, effect.affine(dials as never), picture, step.id)
  const { light: lightName, part: partName } = lightRoles(effect)
  const part = partName === undefined ? -1 : names.indexOf(partName)
  if (part >= 0 && lightName !== undefined) {
    const matte = feeds.splice(part, 1)[0]!
    names.splice(part, 1)
    const light = names.indexOf(lightName)
    const lit = withinMatte(p, light < 0 ? picture : feeds[light]!, matte)
    if (light < 0) {
      names.push(lightName)
      feeds.push(lit)
    } else feeds[light] = lit
  }
  const { frame, reduction } = p
  const { rate } = p.comp.frames
  const { width, height, canvasWidth: frameWidth } = p.area
  const own = effect.prepare?.(dials as never, { width, height, frameWidth, frame, rate, reduction })
  const passes = Object.fromEntries(
    names.map((name) => [name, step.feeds[name] && passBehind(p, step.feeds[name].from)]),
  )
  const prepared =
    own && node(`${effect.id}@${effect.version} ${own.key}`, [], (_, workshop) => own.make(workshop))
  const times = (effect.framesNeeded?.(dials as never, { frame, rate }) ?? []).filter((t) => t !== frame)
  const others = times.flatMap((t) => p.at(t).stepInput(step.id)?.picture ?? [])
  const what = `${effect.id}@${effect.version} ${JSON.stringify(dials)} [${names.join()}] ${times.map((t) => t - frame).join()} ${effect.varies(dials as never) ? `${frame}/${rate}` : ''}`
  return node(
    what,
    [picture, ...feeds, ...others, ...(prepared ? [prepared] : [])],
    ([src, ...fed], workshop) => {
      const out = workshop.store.allocate(src!.width, src!.height, 4)
      const byName = Object.fromEntries(names.map((name, i) => [name, fed[i]!]))
      effect.apply({
        ...workshop,
        out,
        picture: src!,
        feeds: byName,
        passes,
        otherFrames: new Map(
          others.length === times.length ? times.map((t, i) => [t, fed[names.length + i]!]) : [],
        ),
        dials: dials as never,
        prepared: prepared ? fed.at(-1) : undefined,
        frame,
        rate,
        reduction,
      })
      return out
    },
    { stepId: step.id },
  )
}

/** The part of a picture inside a matte. */
export function withinMatte(p: Planning, picture: PlanNode, matte: PlanNode): PlanNode {
  return node('within', [picture, matte], ([src, m], { kernels, store }) => {
    const out = store.allocate(src!.width, src!.height, 4)
    kernels.weigh(out, src!, m!, 0, 1)
    return out
  })
}

/** A picture through a colour matrix; through one before already, both are one pass over memory. */
export function colouredNode(p: Planning, linear: LinearColour, picture: PlanNode, stepId: string): PlanNode {
  const before = picture.coloured
  const from = before?.from ?? picture
  const { matrix: whole, alpha: cover } = before ? linearChain(before, linear) : linear
  return node(
    `linear ${whole.join(' ')} ${cover}`,
    [from],
    ([src], { kernels, store }) => {
      const out = store.allocate(src!.width, src!.height, 4)
      kernels.colourMatrix(out, src!, whole, cover)
      return out
    },
    { stepId, coloured: { from, matrix: whole, alpha: cover } },
  )
}

/** A picture placed elsewhere; placed before already, it is resampled once for both. */
export function placedNode(
  p: Planning,
  { matrix, filter }: { matrix: Affine; filter: ResampleFilter },
  picture: PlanNode,
  stepId: string,
): PlanNode {
  const { from, matrix: before } = picture.placed ?? { from: picture, matrix: unmoved }
  const whole = chained(before, matrix)
  const back = inverse(whole)
  return node(
    `place ${whole.join(' ')} ${filter}`,
    [from],
    ([src], { kernels, store }) => {
      const out = store.allocate(src!.width, src!.height, 4)
      if (back) kernels.resample(out, src!, back, filter)
      else kernels.fill(out, 0, 0, 0, 0)
      return out
    },
    { stepId, placed: { from, matrix: whole } },
  )
}

/** How far a step acts at this frame. */
const amountOf = (p: Planning, step: Step, laneId = '') =>
  p.value(step.amount, ownDials.amount, { laneId, stepId: step.id }) as number

export function mixed(
  p: Planning,
  before: PlanNode,
  after: PlanNode,
  step: Step,
  matte: PlanNode | undefined,
): PlanNode {
  const amount = amountOf(p, step)
  if (amount === 1 && !matte) return after
  return node(
    `mix ${amount}`,
    matte ? [before, after, matte] : [before, after],
    ([a, b, m], { kernels, store }) => {
      const out = store.allocate(a!.width, a!.height, 4)
      kernels.mix(out, a!, b!, m, amount)
      return out
    },
  )
}

/** The picture after a step, and the light it gives when it is of that kind. */
export function stepNode(
  p: Planning,
  step: Step,
  picture: PlanNode,
  laneId: string,
): { after: PlanNode; light?: PlanNode } {
  const amount = amountOf(p, step, laneId)
  if (amount === 0 || !p.value(step.on, ownDials.on, { laneId, stepId: step.id })) return { after: picture }
  const effect = findEffect(step.effect)
  if (!effect) {
    p.report(
      laneId,
      step.id,
      `The effect ${step.effect} is not part of this Zafiro. The step is kept and left out.`,
    )
    return { after: picture }
  }
  const linear = effect.linear?.(dialsOf(p, step, effect, laneId) as never)
  if (linear && !step.matte) return { after: colouredNode(p, linearAmount(linear, amount), picture, step.id) }
  const result = linear
    ? colouredNode(p, linear, picture, step.id)
    : effectNode(p, step, effect, picture, laneId)
  if (!result) return { after: picture }
  const matte = step.matte && matteOf(p, step.matte, laneId, step.id)
  if (step.matte && !matte) return { after: picture }
  if (effect.kind === 'filter') return { after: mixed(p, picture, result, step, matte) }
  const { join, coverAlpha, alone } = dialsOf(p, step, effect, laneId)
  const light = mixed(p, nothing(p), result, step, matte)
  const after = node(
    `light ${String(join)} ${String(coverAlpha)}`,
    [alone ? nothing(p) : picture, light],
    ([src, l], { kernels, store }) => {
      const out = store.allocate(src!.width, src!.height, 4)
      kernels.addLight(out, src!, l!, join as 'add' | 'screen', coverAlpha as boolean)
      return out
    },
  )
  return { after, light }
}
