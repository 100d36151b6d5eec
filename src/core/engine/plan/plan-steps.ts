import { workingSpace } from '../../colour/working.ts'
import { ownDials } from '../../comp/own-dials.ts'
import { partShown } from '../../comp/recipe.ts'
import type { FeedLink, Step } from '../../comp/schema.ts'
import type { DialValue } from '../../dials/dials.ts'
import type { Effect, FeedKind, WholeOf } from '../../effects/effect.ts'
import { effectOf } from '../../recipes/effect-of.ts'
import { linearAmount } from '../../picture/colour.ts'
import { pictureChannels } from '../place-pass.ts'
import { areaKey, workArea, type Part } from '../work-area.ts'
import { dialsOf } from './plan-dials.ts'
import { matteOf } from './plan-mattes.ts'
import { cutNode, treatmentOf, withFar, withoutPart } from './plan-part.ts'
import { allLight, catchesLight, caughtAnew, caughtFiner } from './plan-finer.ts'
import { node, type PlanNode } from './plan-node.ts'
import { placedNode, placedPart, colouredNode } from './plan-place.ts'
import { nothing, passBehind, passNode, tableNode } from './plan-passes.ts'
import { colourOf } from './plan-sources.ts'
import type { Planning } from './planning.ts'
import { travelOf } from './plan-travel.ts'

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

/** Names of the feeds that an effect takes light from, and that say which part of it. */
export function lightRoles(effect: Pick<Effect, 'feeds'>): { light?: string; part?: string } {
  const named = (role: 'light' | 'part') =>
    Object.entries(effect.feeds).find(([, feed]) => feed.role === role)?.[0]
  const [light, part] = [named('light'), named('part')]
  return { ...(light === undefined ? {} : { light }), ...(part === undefined ? {} : { part }) }
}

/** The feeds of a step that are connected, by name, with the light that is taken in its part; undefined (and reported) where one lacks. */
function feedsOf(
  p: Planning,
  step: Step,
  effect: Effect,
  dials: Record<string, DialValue>,
  picture: PlanNode,
  laneId: string,
  without?: Part,
): { readonly names: string[]; readonly feeds: PlanNode[] } | undefined {
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
  const { light: lightName, part: partName } = lightRoles(effect)
  /** Changes the light that it takes. */
  const relight = (change: (light: PlanNode) => PlanNode) => {
    const at = names.indexOf(lightName!)
    if (at >= 0) feeds[at] = change(feeds[at]!)
    else {
      names.push(lightName!)
      feeds.push(change(picture))
    }
  }
  const part = partName === undefined ? -1 : names.indexOf(partName)
  if (part >= 0 && lightName !== undefined) {
    const matte = feeds.splice(part, 1)[0]!
    names.splice(part, 1)
    relight((light) => withinMatte(p, light, matte))
  }
  if (without && lightName !== undefined) relight((light) => withoutPart(p, light, without))
  return { names, feeds }
}

/**
 * The light that a step catches after others that only gave light and move: what it catches of the small picture, and
 * what it would have missed of the picture that came to the first of them, where that is there at a larger size.
 */
function caughtSince(
  p: Planning,
  step: Step,
  dials: Record<string, DialValue>,
  laneId: string,
): PlanNode | undefined {
  const steps = laneId === p.master.id ? p.comp.master : p.comp.lanes.find((l) => l.id === laneId)?.steps
  const picture = p.stepInput(step.id)?.picture
  if (!steps || !picture) return undefined
  for (const before of steps.slice(0, steps.indexOf(step)).reverse()) {
    const effect = before.recipe ? undefined : effectOf(before)
    if (effect?.kind !== 'light' || dialsOf(p, before, effect, laneId)['alone']) return undefined
    const base = p.stepInput(before.id)?.picture
    const fine = base && caughtFiner(p, dials, (finer) => finer.stepInput(before.id)?.picture)
    if (fine) return caughtAnew(dials, picture, base, fine)
  }
  return undefined
}

/** Feeds and dials of a step that moves, whose light is caught at a larger size where what comes to it is there; undefined where it is not. */
function caughtFeeds(
  p: Planning,
  step: Step,
  effect: Effect,
  dials: Record<string, DialValue>,
  { names, feeds }: { readonly names: readonly string[]; readonly feeds: readonly PlanNode[] },
  laneId: string,
) {
  const { light } = lightRoles(effect)
  if (!p.finer || light === undefined || effect.overTime || !catchesLight(dials)) return undefined
  const at = names.indexOf(light)
  const caught =
    caughtFiner(p, dials, (finer) => {
      const picture = finer.stepInput(step.id)?.picture
      const there =
        picture && feedsOf(finer, step, effect, dialsOf(finer, step, effect, laneId), picture, laneId)
      return there && (there.feeds[there.names.indexOf(light)] ?? picture)
    }) ?? (at < 0 ? caughtSince(p, step, dials, laneId) : undefined)
  if (!caught) return undefined
  const fed =
    at < 0
      ? { names: [...names, light], feeds: [...feeds, caught] }
      : { names: [...names], feeds: feeds.toSpliced(at, 1, caught) }
  return { fed, taken: { ...dials, ...allLight } }
}

/** The effect's own result for a picture, before amount and matte: the light alone for effects that give light; of all but a part, where that is said. */
export function effectNode(
  p: Planning,
  step: Step,
  effect: Effect,
  picture: PlanNode,
  laneId: string,
  without?: Part,
): PlanNode | undefined {
  const dials = dialsOf(p, step, effect, laneId)
  const own = feedsOf(p, step, effect, dials, picture, laneId, without)
  if (!own) return undefined
  const finer = without ? undefined : caughtFeeds(p, step, effect, dials, own, laneId)
  const { fed, taken } = finer ?? { fed: own, taken: dials }
  if (effect.instead !== undefined) return fed.feeds[fed.names.indexOf(effect.instead)]
  if (effect.affine) return placedNode(p, effect.affine(dials as never), picture, step.id)
  const { frame } = p
  const { rate, first } = p.comp.frames
  const over = effect.overTime?.(dials as never, {
    frame,
    rate,
    firstFrame: first,
    travel: (from, to) => travelOf(p, laneId, step.id, from, to),
  })
  if (over) return overTimeNode(p, step, effect, over, laneId)
  const { reduction } = p
  const { width, height, canvasWidth: frameWidth } = p.area
  const sizes = { width, height, frameWidth, whole: wholeOf(p) }
  const ready = effect.prepare?.(dials as never, { ...sizes, frame, rate, reduction })
  const prepared =
    ready && node(`${effect.id}@${effect.version} ${ready.key}`, [], (_, workshop) => ready.make(workshop))
  const times = (effect.framesNeeded?.(dials as never, { frame, rate }) ?? []).filter((t) => t !== frame)
  const others = times.flatMap((t) => p.at(t).stepInput(step.id)?.picture ?? [])
  const overview = effect.surveys?.(dials as never) ? overviewOf(p, step, effect, laneId) : undefined
  const anywhere = anywhereOf(p, step, effect, laneId)
  const applied = { picture, ...fed, dials: taken, others, times, prepared, overview, anywhere }
  return appliedNode(p, step, effect, applied, 'apply')
}

interface Applied {
  readonly picture: PlanNode
  readonly names: readonly string[]
  readonly feeds: readonly PlanNode[]
  readonly dials: Record<string, DialValue>
  readonly others?: readonly PlanNode[]
  readonly times?: readonly number[]
  readonly prepared?: PlanNode | undefined
  /** What comes to the step of the whole frame, smaller: its picture, and its feeds in the same order. */
  readonly overview?: readonly PlanNode[] | undefined
  /** The feeds of the whole frame of which it reads single pixels, in the order in which it names them. */
  readonly anywhere?: readonly PlanNode[] | undefined
}

/** The whole, where only a part of it is made. */
function wholeOf({ part, comp, reduction }: Planning): WholeOf | undefined {
  const { width, height } = workArea(comp, reduction)
  return part && { size: [width, height], from: [part.rect.x, part.rect.y] }
}

/** What comes to a step of the whole frame, where only a part of it is made. */
function overviewOf(p: Planning, step: Step, effect: Effect, laneId: string): PlanNode[] | undefined {
  const far = p.part?.far
  const picture = far?.stepInput(step.id)?.picture
  const fed = picture && feedsOf(far, step, effect, dialsOf(far, step, effect, laneId), picture, laneId)
  return fed && [picture, ...fed.feeds]
}

/** Feeds of the whole frame that a step reads single pixels of, where only a part of it is made. */
function anywhereOf(
  p: Planning,
  step: Step,
  { readsAnywhere, feeds }: Effect,
  laneId: string,
): PlanNode[] | undefined {
  if (!p.part || !readsAnywhere) return undefined
  const found = readsAnywhere.map((name) => {
    const link = step.feeds[name]
    return link && feedOf(p.part!.whole, link, feeds[name]!.kind, laneId, step.id)
  })
  return found.every((feed) => feed !== undefined) ? found : undefined
}

/** What an effect's own code makes of pictures. */
function appliedNode(
  p: Planning,
  step: Step,
  effect: Effect,
  { picture, names, feeds, dials, others = [], times = [], prepared, overview = [], anywhere = [] }: Applied,
  by: 'apply' | 'each',
): PlanNode {
  const { frame, reduction } = p
  const { rate } = p.comp.frames
  const passes = Object.fromEntries(
    names.map((name) => [name, step.feeds[name] && passBehind(p, step.feeds[name].from)]),
  )
  const what = `${effect.id}@${effect.version} ${by} ${JSON.stringify(dials)} [${names.join()}] ${times.map((t) => t - frame).join()} ${effect.varies(dials as never) ? `${frame}/${rate}` : ''}${p.part ? areaKey(p.area) : ''}`
  return node(
    what,
    [picture, ...feeds, ...others, ...(prepared ? [prepared] : []), ...overview, ...anywhere],
    ([src, ...all], workshop) => {
      const fed = all.slice(0, all.length - anywhere.length)
      const wholeFeeds = all.slice(fed.length)
      const out = workshop.store.allocate(src!.width, src!.height, 4)
      const byName = Object.fromEntries(names.map((name, i) => [name, fed[i]!]))
      const [whole, ...wholeFed] = overview.length > 0 ? fed.slice(-overview.length) : []
      effect[by]!({
        ...workshop,
        out,
        picture: src!,
        feeds: byName,
        passes,
        otherFrames: new Map(
          others.length === times.length ? times.map((t, i) => [t, fed[names.length + i]!]) : [],
        ),
        dials: dials as never,
        prepared: prepared ? fed[names.length + others.length] : undefined,
        overview: whole && {
          picture: whole,
          feeds: Object.fromEntries(names.map((name, i) => [name, wholeFed[i]!])),
        },
        anywhere:
          wholeFeeds.length > 0
            ? {
                feeds: Object.fromEntries(effect.readsAnywhere!.map((name, i) => [name, wholeFeeds[i]!])),
                from: [p.part!.rect.x, p.part!.rect.y],
              }
            : undefined,
        frame,
        rate,
        reduction,
        corner: [-p.area.left, -p.area.top],
        frameSize: [p.area.canvasWidth, p.area.canvasHeight],
        whole: wholeOf(p),
      })
      return out
    },
    { stepId: step.id },
  )
}

/** What comes to a step at several times, added up one after the other. */
function overTimeNode(
  p: Planning,
  step: Step,
  effect: Effect,
  { times, holdsMedia = false }: NonNullable<ReturnType<NonNullable<Effect['overTime']>>>,
  laneId: string,
): PlanNode | undefined {
  const shares: { node: PlanNode; weights: [number, number, number, number] }[] = []
  for (const { frame, weights } of times) {
    const there = p.at(frame, holdsMedia ? p.mediaFrame : undefined)
    const picture = there.stepInput(step.id)?.picture
    if (!picture) return undefined
    const dials = dialsOf(there, step, effect, laneId)
    const fed = effect.each && feedsOf(there, step, effect, dials, picture, laneId)
    if (effect.each && !fed) return undefined
    const one = fed ? appliedNode(there, step, effect, { picture, ...fed, dials }, 'each') : picture
    // What stands still for a while is added once.
    const last = shares.at(-1)
    if (last?.node.key === one.key) weights.forEach((w, c) => (last.weights[c]! += w))
    else shares.push({ node: one, weights: [...weights] })
  }
  const isWhole = (weights: readonly number[]) => weights.every((w) => Math.abs(w - 1) < 1e-9)
  if (shares.length === 1 && isWhole(shares[0]!.weights)) return shares[0]!.node
  return (
    shares.reduce<PlanNode | undefined>(
      (sum, { node: one, weights }) =>
        node(
          `add ${weights.join(' ')}`,
          sum ? [sum, one] : [one],
          (inputs, { kernels, store }) => {
            const [before, share] = sum ? [inputs[0], inputs[1]!] : [undefined, inputs[0]!]
            const out = store.allocate(share.width, share.height, 4)
            kernels.addWeighted(out, before, share, weights)
            return out
          },
          { stepId: step.id },
        ),
      undefined,
    ) ?? nothing(p)
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

/** The picture after a step that is made of lanes; its light is what they have added. */
function compoundNode(
  p: Planning,
  step: Step,
  picture: PlanNode,
  laneId: string,
): { after: PlanNode; light?: PlanNode } {
  const open = step.recipe!.inputs.find(({ key, required }) => required && !step.feeds[key])
  if (open) {
    p.report(laneId, step.id, `${step.recipe!.name} needs its ${open.name}. Connect it in its dials.`)
    return { after: picture }
  }
  const matte = step.matte && matteOf(p, step.matte, laneId, step.id)
  if (step.matte && !matte) return { after: picture }
  const after = mixed(p, picture, p.inside(step.id), step, matte)
  const light = node('added by a recipe', [picture, after], ([before, now], { kernels, store }) => {
    const out = store.allocate(now!.width, now!.height, 4)
    kernels.addWeighted(out, undefined, now!, [1, 1, 1, 1])
    const less = store.allocate(now!.width, now!.height, 4)
    kernels.addWeighted(less, out, before!, [-1, -1, -1, -1])
    store.release(out)
    return less
  })
  const part = step.recipe!.parts ? dialsOf(p, step, effectOf(step)!, laneId)[partShown] : 'all'
  return { after: part === 'light' ? light : part === 'thing' ? picture : after, light }
}

/** What an effect makes; where only a part of the frame is made and it gives light, that from all around too. */
function resultNode(
  p: Planning,
  step: Step,
  effect: Effect,
  picture: PlanNode,
  laneId: string,
): PlanNode | undefined {
  if (p.part && effect.affine) return placedPart(p, step, effect, laneId)
  const near = effectNode(p, step, effect, picture, laneId)
  if (!near || !p.part || treatmentOf(p, step, effect, laneId) !== 'apart') return near
  const { far, rect } = p.part
  const there = far.stepInput(step.id)
  const light = there && effectNode(far, step, effect, there.picture, laneId, rect)
  return light ? withFar(p, near, light) : near
}

/** A step that is made on the whole frame, of which only a part is wanted. */
function cutStep(p: Planning, step: Step, picture: PlanNode, laneId: string): ReturnType<typeof stepNode> {
  const { whole } = p.part!
  const there = whole.stepInput(step.id)
  if (!there) return { after: picture }
  const { after, light } = stepNode(whole, step, there.picture, laneId)
  return { after: cutNode(p, after), ...(light && { light: cutNode(p, light) }) }
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
  const effect = effectOf(step)
  if (!effect) {
    p.report(
      laneId,
      step.id,
      `The effect ${step.effect} is not part of this Zafiro. The step is kept and left out.`,
    )
    return { after: picture }
  }
  if (step.recipe) return compoundNode(p, step, picture, laneId)
  if (p.part && treatmentOf(p, step, effect, laneId) === 'whole') return cutStep(p, step, picture, laneId)
  const linear = effect.linear?.(dialsOf(p, step, effect, laneId) as never, workingSpace(p.comp.space))
  if (linear && !step.matte) return { after: colouredNode(p, linearAmount(linear, amount), picture, step.id) }
  const result = linear
    ? colouredNode(p, linear, picture, step.id)
    : resultNode(p, step, effect, picture, laneId)
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
