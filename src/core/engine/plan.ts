import { assertNever } from '../assert.ts'
import { settingAt } from '../comp/animation.ts'
import { shapesAt } from '../comp/drawing-at.ts'
import {
  fileAt,
  framesOfPass,
  readAsKey,
  readAsOf,
  type MediaTable,
  type Pass,
  type ReadAs,
} from '../comp/media.ts'
import type { Comp, FeedLink, Lane, Link, MatteLink, Source, Step } from '../comp/schema.ts'
import { masterId } from '../comp/edits.ts'
import { matteOfStep } from '../comp/references.ts'
import { contentHash } from '../content-hash.ts'
import { drawShapes } from '../shapes/draw-shapes.ts'
import type { DialValue } from '../effects/dials.ts'
import { caughtBy, type CatchValues } from '../effects/catch-light.ts'
import { defaultDials, findEffect } from '../effects/registry.ts'
import type { Effect, FeedKind } from '../effects/effect.ts'
import { linearAmount, linearChain, type LinearColour } from '../picture/colour.ts'
import { edgeRange, type ResampleFilter } from '../kernels/kernels.ts'
import type { Workshop } from '../kernels/pyramid.ts'
import { chained, inverse, unmoved, type Affine } from '../picture/affine.ts'
import type { Picture } from '../picture/picture.ts'
import { passFilter, renormalise } from '../formats/reduce-pass.ts'
import { paintGradient } from './gradient.ts'
import { combineMattes, extractMatte, meanReduce, pickNearest, type MatteUse } from './matte.ts'
import { farthest, pictureChannels } from './place-pass.ts'
import { workArea, type Reduction, type WorkArea } from './work-area.ts'

/** A pass of a file, as an engine asks for it. */
export interface PassRef {
  readonly hash: string
  readonly pass: Pass
  readonly as: ReadAs
  readonly reduction: Reduction
  /** The entries of a colour table, not a picture of them in the frame. */
  readonly isTable?: boolean
  /** Hexadecimal IDs: the coverage of these objects is asked for, not the pass. */
  readonly objects?: readonly string[]
}

/**
 * One picture to be computed. `key` says everything that its pixels depend on; equal keys are equal pictures.
 * Inputs come first; `make` takes its result from the workshop's store.
 */
export interface PlanNode {
  readonly key: string
  readonly inputs: readonly PlanNode[]
  /** Where it comes from; one with inputs too is made from them when they are there, and loaded when they are not. */
  readonly load?: PassRef
  make(inputs: readonly Picture[], workshop: Workshop): Picture
  /** The step this picture belongs to, for messages. */
  readonly stepId?: string
  /** It is only another picture placed elsewhere: what places it again starts from that one. */
  readonly placed?: { readonly from: PlanNode; readonly matrix: Affine }
  /** It is only another picture with other colours: what is linear on it again starts from that one. */
  readonly coloured?: { readonly from: PlanNode } & LinearColour
}

/** Something of the comp that can not be computed; the rest still is. */
export interface PlanProblem {
  readonly laneId: string
  readonly stepId?: string
  readonly message: string
}

/** What to compute: the whole picture, a lane's own picture at a point of it, or the light a step gives. */
export type Target =
  | { readonly type: 'picture' }
  | { readonly type: 'lane'; readonly lane: string; readonly after?: string }
  | { readonly type: 'light'; readonly step: string }
  /** Where a step acts, or a lane joins: its matte. */
  | { readonly type: 'matte'; readonly lane: string; readonly step?: string }
  /** What a step takes its light from: its light feed, or the picture that comes to it. */
  | { readonly type: 'light-input'; readonly step: string }
  /** A feed of a step as it comes in. */
  | { readonly type: 'feed'; readonly step: string; readonly feed: string }
  /** How much of the light that comes to a step passes its threshold: one channel, 0–1. */
  | { readonly type: 'caught'; readonly step: string }
  /** A pass as it came in. */
  | {
      readonly type: 'pass'
      readonly media: string
      readonly pass: string
      /** Of an ID pass: the coverage of these objects. */
      readonly objects?: readonly string[]
    }

export interface Planned {
  readonly node: PlanNode
  readonly area: WorkArea
  readonly problems: readonly PlanProblem[]
}

let counter = 0
let [young, old] = [new Map<string, string>(), new Map<string, string>()]
const mostInterned = 50_000

/**
 * Short stand-in for a long key. The same for the same key as long as it is used now and then: two generations are kept, so that
 * eight hours of dragging do not fill the memory; a key that comes back later stands for a picture that has been dropped long since.
 */
function intern(key: string): string {
  const known = young.get(key) ?? old.get(key)
  const short = known ?? `#${++counter}`
  young.set(key, short)
  if (young.size > mostInterned) [young, old] = [new Map<string, string>(), young]
  return short
}

function node(
  what: string,
  inputs: readonly PlanNode[],
  make: PlanNode['make'],
  more: Partial<PlanNode> = {},
): PlanNode {
  return { key: intern(`${what}(${inputs.map((i) => i.key).join(',')})`), inputs, make, ...more }
}

/** A picture that is loaded. */
function loaded(key: string, load: PassRef): PlanNode {
  return {
    key,
    inputs: [],
    load,
    make: () => {
      throw new Error('Internal mistake: a pass was not loaded')
    },
  }
}

/** Builds the nodes for one comp at one frame and size. Lane points are built once, so that taps share them. */
class Planner {
  readonly problems: PlanProblem[] = []
  readonly area: WorkArea
  private readonly full: WorkArea
  private readonly lanePoints = new Map<string, PlanNode>()
  private readonly open: string[] = []

  constructor(
    private readonly comp: Comp,
    private readonly media: MediaTable,
    private readonly frame: number,
    private readonly reduction: Reduction,
  ) {
    this.area = workArea(comp, reduction)
    this.full = workArea(comp, 1)
  }

  flat(r: number, g: number, b: number, a: number): PlanNode {
    const { width, height } = this.area
    return node(`flat ${r} ${g} ${b} ${a} ${width}x${height}`, [], (_, { kernels, store }) => {
      const out = store.take(width, height, 4)
      kernels.fill(out, r, g, b, a)
      return out
    })
  }

  private get nothing(): PlanNode {
    return this.flat(0, 0, 0, 0)
  }

  private report(laneId: string, stepId: string | undefined, message: string): void {
    this.problems.push({ laneId, message, ...(stepId ? { stepId } : {}) })
  }

  private pass(
    link: Link & { type: 'pass' },
    laneId: string,
    stepId?: string,
  ): { node: PlanNode; pass: Pass } | undefined {
    const media = this.media[link.media]
    const pass = media?.passes.find((p) => p.name === link.pass)
    const hash = media && fileAt(media, this.frame, pass)
    const isGap = hash === undefined && media && pass && Object.keys(framesOfPass(media, pass)).length > 0
    if (isGap) return { node: this.gap(pass), pass }
    if (!media || !pass || !hash) {
      const what = !media
        ? `the media ${link.media} is`
        : !pass
          ? `${media.name} has no pass named ${link.pass}; it is`
          : `${media.name} has no frames; the picture is`
      this.report(
        laneId,
        stepId,
        `${what.charAt(0).toUpperCase()}${what.slice(1)} missing. Choose another source.`,
      )
      return undefined
    }
    const as = readAsOf(media, pass)
    const { width, height, marginPx } = this.full
    const name = `pass ${hash} ${pass.inFile ?? pass.name} ${pass.kind} ${readAsKey(as)} ${JSON.stringify(pass.detail ?? {})} ${width}x${height}+${marginPx}`
    const whole = loaded(intern(name), { hash, pass, as, reduction: 1 })
    if (this.reduction === 1) return { node: whole, pass }
    return { node: this.reduced(whole, pass, { hash, pass, as, reduction: this.reduction }), pass }
  }

  /** What a pass is on a frame that it leaves black: nothing, infinitely far away. */
  private gap(pass: Pass): PlanNode {
    if (pictureChannels(pass) === 4) return this.nothing
    const { width, height } = this.area
    const value = pass.kind === 'depth' ? farthest : 0
    return node(`gap ${value} ${width}x${height}`, [], (_, { store }) => {
      const out = store.take(width, height, 1)
      out.data.fill(value)
      return out
    })
  }

  /** A picture of the full frame at this plan's size, made smaller as its kind wants it. */
  private reduced(whole: PlanNode, pass: Pass, load?: PassRef): PlanNode {
    const channels = pictureChannels(pass)
    const { width: w, height: h } = this.area
    const factor = this.reduction
    const filter = passFilter(pass)
    return node(
      `reduce ${factor} ${filter}`,
      [whole],
      ([src], { kernels, store }) => {
        const out = store.take(w, h, channels)
        if (filter === 'pick') pickNearest(out, src!, factor)
        else if (channels === 1) meanReduce(out, src!, factor)
        else kernels.boxReduce(out, src!, factor)
        if (filter === 'normal' || filter === 'packed') renormalise(out.data, 4, false)
        return out
      },
      load ? { load } : {},
    )
  }

  /** The coverage of chosen objects. */
  private objects(
    link: Link & { type: 'pass' },
    ids: readonly string[],
    laneId: string,
    stepId?: string,
  ): PlanNode | undefined {
    const found = this.pass(link, laneId, stepId)
    const hash = found && fileAt(this.media[link.media]!, this.frame, found.pass)
    if (!found) return undefined
    const asMatte: Pass = { ...found.pass, kind: 'matte', channels: found.pass.channels.slice(0, 1) }
    if (!hash) return this.gap(asMatte)
    const { width, height, marginPx } = this.full
    const name = `objects ${hash} ${found.pass.inFile ?? found.pass.name} ${ids.toSorted().join(',')} ${width}x${height}+${marginPx}`
    const whole = loaded(intern(name), {
      hash,
      pass: found.pass,
      as: { isData: true },
      reduction: 1,
      objects: ids,
    })
    return this.reduction === 1 ? whole : this.reduced(whole, asMatte)
  }

  /** The four-channel picture at the end of a link; undefined (and reported) where there is none. */
  private colourOf(link: Link, laneId: string, stepId?: string): PlanNode | undefined {
    if (link.type === 'tap') return this.tap(link, laneId, stepId)
    if (link.type === 'drawing') {
      const drawn = this.drawing(link, laneId, stepId)
      return drawn && this.filled(drawn, [1, 1, 1])
    }
    const found = this.pass(link, laneId, stepId)
    if (!found || pictureChannels(found.pass) === 4) return found?.node
    return node('grey', [found.node], ([src], { store }) => {
      const out = store.take(src!.width, src!.height, 4)
      for (let i = 0; i < src!.data.length; i++) {
        out.data.fill(src!.data[i]!, i * 4, i * 4 + 3)
        out.data[i * 4 + 3] = 1
      }
      return out
    })
  }

  /** What a feed brings: mattes and distances have one channel, all else four; . */
  private feedOf(link: FeedLink, kind: FeedKind, laneId: string, stepId: string): PlanNode | undefined {
    switch (kind) {
      case 'matte':
        return this.matteOf(link, laneId, stepId)
      case 'depth': {
        const found = link.from.type === 'pass' ? this.pass(link.from, laneId, stepId) : undefined
        if (found && pictureChannels(found.pass) === 1) return found.node
        const picture = this.colourOf(link.from, laneId, stepId)
        return (
          picture &&
          node('first channel', [picture], ([src], { store }) => {
            const out = store.take(src!.width, src!.height, 1)
            for (let i = 0; i < out.data.length; i++) out.data[i] = src!.data[i * 4]!
            return out
          })
        )
      }
      case 'table':
        return this.table(link.from, laneId, stepId)
      default:
        return this.colourOf(link.from, laneId, stepId)
    }
  }

  /** The entries of a colour table. */
  table(link: Link, laneId: string, stepId?: string): PlanNode | undefined {
    const pass = this.passBehind(link)
    const hash = link.type === 'pass' && pass && fileAt(this.media[link.media]!, this.frame, pass)
    if (!hash || pass.kind !== 'table') {
      this.report(laneId, stepId, 'Its table is missing, or no table. Bring in a .cube file and choose it.')
      return undefined
    }
    const load: PassRef = { hash, pass, as: { isData: true }, reduction: 1, isTable: true }
    return loaded(intern(`table ${hash}`), load)
  }

  private passBehind(link: Link): Pass | undefined {
    return link.type === 'pass' ? this.media[link.media]?.passes.find((p) => p.name === link.pass) : undefined
  }

  private tap(link: Link & { type: 'tap' }, laneId: string, stepId?: string): PlanNode | undefined {
    const lane = this.comp.lanes.find((l) => l.id === link.lane)
    if (!lane) {
      this.report(
        laneId,
        stepId,
        `The lane ${link.lane} it takes its picture from is missing. Choose another.`,
      )
      return undefined
    }
    // An earlier point of a lane that is being planned is there already; only a later one closes a loop.
    const known = this.lanePoints.get(`${lane.id} ${link.after ?? ''}`)
    if (known) return known
    if (this.open.includes(lane.id)) {
      this.report(laneId, stepId, `${this.loopWords(lane.id)} Cut one of these links.`)
      return undefined
    }
    return this.lanePoint(lane, link.after)
  }

  /** A matte with what is joined to it in turn: the greater, the product, or what the further one leaves. */
  private matteOf(link: MatteLink, laneId: string, stepId?: string): PlanNode | undefined {
    let whole = this.singleMatte(link, laneId, stepId)
    for (const more of link.also ?? []) {
      const next = this.singleMatte(more, laneId, stepId)
      if (!whole || !next) return undefined
      const { by } = more
      whole = node(`matte ${by}`, [whole, next], ([a, b], { store }) => {
        const out = store.take(a!.width, a!.height, 1)
        combineMattes(out.data, a!.data, b!.data, by)
        return out
      })
    }
    return whole
  }

  private singleMatte(feed: FeedLink, laneId: string, stepId?: string): PlanNode | undefined {
    const { from } = feed
    const objects =
      from.type === 'pass' && feed.objects ? this.objects(from, feed.objects, laneId, stepId) : undefined
    const single = from.type === 'pass' && !objects ? this.pass(from, laneId, stepId) : undefined
    const drawn = from.type === 'drawing' ? this.drawing(from, laneId, stepId) : undefined
    const tapped = from.type === 'tap' ? this.tap(from, laneId, stepId) : undefined
    const source = objects ?? single?.node ?? drawn ?? tapped
    if (!source) return undefined
    const isSingle =
      objects !== undefined ||
      drawn !== undefined ||
      (single !== undefined && pictureChannels(single.pass) === 1)
    const use: MatteUse = isSingle ? 'single' : (feed.use ?? 'alpha')
    const invert = feed.invert ?? false
    return this.shaped(
      this.part(source, use, invert),
      (feed.spread ?? 0) / this.reduction,
      (feed.soft ?? 0) / this.reduction,
    )
  }

  /** A part of a picture as a matte. */
  private part(source: PlanNode, use: MatteUse, invert: boolean): PlanNode {
    return node(`matte ${use} ${invert}`, [source], ([src], { store }) => {
      const out = store.take(src!.width, src!.height, 1)
      extractMatte(out, src!, use, invert)
      return out
    })
  }

  /** A matte that is grown or shrunk, with an edge of its own; how far its pixels are from the edge is kept for the next values. */
  private shaped(matte: PlanNode, spread: number, soft: number): PlanNode {
    if (spread === 0 && soft <= 1) return matte
    const width = Math.max(1, soft)
    // As far as the next power of two, so that values near by find it made already.
    const far = (v: number) => (v > -0.5 ? 2 ** Math.ceil(Math.log2(Math.max(8, v))) : -1)
    const [from, to] = edgeRange(spread, width)
    const within = [-far(-from), far(to)] as const
    const distance = node(`distance ${within.join(' ')}`, [matte], ([src], { kernels, store }) => {
      const out = store.take(src!.width, src!.height, 1)
      kernels.distance(out, src!, within)
      return out
    })
    return node(`edge ${spread} ${soft}`, [distance], ([src], { kernels, store }) => {
      const out = store.take(src!.width, src!.height, 1)
      kernels.edge(out, src!, spread, width)
      return out
    })
  }

  /** The cover of drawn shapes at this frame; undefined (and reported) where there is no such drawing. */
  private drawing(
    { drawing: id }: Link & { type: 'drawing' },
    laneId: string,
    stepId?: string,
  ): PlanNode | undefined {
    const drawing = this.comp.drawings.find((d) => d.id === id)
    if (!drawing) {
      this.report(laneId, stepId, `The drawing ${id} is missing. Choose another, or draw it anew.`)
      return undefined
    }
    const shapes = shapesAt(drawing, this.frame)
    const { width, height, marginPx } = this.area
    const { reduction } = this
    return node(
      `shapes ${contentHash(JSON.stringify(shapes))} ${width}x${height}+${marginPx}/${reduction}`,
      [],
      (_, workshop) => {
        const out = workshop.store.take(width, height, 1)
        drawShapes(out, shapes, (p) => p / reduction + marginPx, 1 / reduction, workshop)
        return out
      },
    )
  }

  /** A matte filled with a colour. */
  private filled(matte: PlanNode, [r, g, b]: readonly [number, number, number]): PlanNode {
    return node(`filled ${r} ${g} ${b}`, [matte], ([m], { kernels, store }) => {
      const out = store.take(m!.width, m!.height, 4)
      kernels.fill(out, r, g, b, 1)
      kernels.weigh(out, out, m!, 0, 1)
      return out
    })
  }

  private source(source: Source, laneId: string): PlanNode {
    switch (source.type) {
      case 'drawing': {
        const drawn = this.drawing(source, laneId)
        return drawn ? this.filled(drawn, source.colour ?? [1, 1, 1]) : this.nothing
      }
      case 'colour': {
        const [r, g, b] = source.colour
        const a = source.alpha
        return this.flat(r * a, g * a, b * a, a)
      }
      case 'gradient': {
        const { width, height, marginPx } = this.area
        const { reduction } = this
        return node(
          `gradient ${JSON.stringify(source)} ${width}x${height}+${marginPx}/${reduction}`,
          [],
          (_, { store }) => {
            const out = store.take(width, height, 4)
            paintGradient(out, source, (p) => p / reduction + marginPx)
            return out
          },
        )
      }
      case 'lanes':
        return this.joined(laneId)
      case 'pass':
      case 'tap':
        return this.colourOf(source, laneId) ?? this.nothing
      default:
        return assertNever(source)
    }
  }

  /** Values of a step's dials at this frame; px dials in pixels of the reduced frame. */
  private dials(step: Step, effect: Effect): Record<string, DialValue> {
    const all = { ...defaultDials(effect, this.comp.canvas), ...step.dials }
    return Object.fromEntries(
      Object.entries(effect.dials).map(([key, dial]) => {
        const value = settingAt(all[key] as Step['dials'][string], this.frame)
        if (dial.type === 'number' && dial.unit === 'px') return [key, (value as number) / this.reduction]
        if (dial.type === 'point')
          return [key, (value as number[]).map((p) => p / this.reduction + this.area.marginPx)]
        return [key, value]
      }),
    )
  }

  /** The effect's own result for a picture, before amount and matte: the light alone for effects that give light. */
  private effectNode(step: Step, effect: Effect, picture: PlanNode, laneId: string): PlanNode | undefined {
    const dials = this.dials(step, effect)
    const names: string[] = []
    const feeds: PlanNode[] = []
    const needed: readonly string[] = effect.needs?.(dials as never) ?? []
    for (const [name, { required, kind }] of Object.entries(effect.feeds)) {
      const link = step.feeds[name]
      const found = link && this.feedOf(link, kind, laneId, step.id)
      if (found) {
        names.push(name)
        feeds.push(found)
      } else if (link || required || needed.includes(name)) {
        if (!link)
          this.report(laneId, step.id, `${effect.title} needs its ${name} feed. Connect one in its dials.`)
        return undefined
      }
    }
    if (effect.affine) return this.placed(effect.affine(dials as never), picture, step.id)
    const within = names.indexOf('within')
    if (within >= 0 && effect.feeds['light']) {
      const matte = feeds.splice(within, 1)[0]!
      names.splice(within, 1)
      const light = names.indexOf('light')
      const part = this.within(light < 0 ? picture : feeds[light]!, matte)
      if (light < 0) {
        names.push('light')
        feeds.push(part)
      } else feeds[light] = part
    }
    const { frame, reduction } = this
    const { rate } = this.comp.frames
    const { width, height, canvasWidth: frameWidth } = this.area
    const own = effect.prepare?.(dials as never, { width, height, frameWidth, frame, rate, reduction })
    const passes = Object.fromEntries(
      names.map((name) => [name, step.feeds[name] && this.passBehind(step.feeds[name].from)]),
    )
    const prepared =
      own && node(`${effect.id}@${effect.version} ${own.key}`, [], (_, workshop) => own.make(workshop))
    const what = `${effect.id}@${effect.version} ${JSON.stringify(dials)} [${names.join()}] ${effect.varies(dials as never) ? `${frame}/${rate}` : ''}`
    return node(
      what,
      [picture, ...feeds, ...(prepared ? [prepared] : [])],
      ([src, ...fed], workshop) => {
        const out = workshop.store.take(src!.width, src!.height, 4)
        const byName = Object.fromEntries(names.map((name, i) => [name, fed[i]!]))
        effect.apply({
          ...workshop,
          out,
          picture: src!,
          feeds: byName,
          passes,
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
  private within(picture: PlanNode, matte: PlanNode): PlanNode {
    return node('within', [picture, matte], ([src, m], { kernels, store }) => {
      const out = store.take(src!.width, src!.height, 4)
      kernels.weigh(out, src!, m!, 0, 1)
      return out
    })
  }

  /** A picture through a colour matrix; through one before already, both are one pass over memory. */
  private coloured(linear: LinearColour, picture: PlanNode, stepId: string): PlanNode {
    const before = picture.coloured
    const from = before?.from ?? picture
    const { matrix: whole, alpha: cover } = before ? linearChain(before, linear) : linear
    return node(
      `linear ${whole.join(' ')} ${cover}`,
      [from],
      ([src], { kernels, store }) => {
        const out = store.take(src!.width, src!.height, 4)
        kernels.colourMatrix(out, src!, whole, cover)
        return out
      },
      { stepId, coloured: { from, matrix: whole, alpha: cover } },
    )
  }

  /** A picture placed elsewhere; placed before already, it is resampled once for both. */
  private placed(
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
        const out = store.take(src!.width, src!.height, 4)
        if (back) kernels.resample(out, src!, back, filter)
        else kernels.fill(out, 0, 0, 0, 0)
        return out
      },
      { stepId, placed: { from, matrix: whole } },
    )
  }

  private mix(before: PlanNode, after: PlanNode, step: Step, matte: PlanNode | undefined): PlanNode {
    const amount = settingAt(step.amount, this.frame) as number
    if (amount === 1 && !matte) return after
    return node(
      `mix ${amount}`,
      matte ? [before, after, matte] : [before, after],
      ([a, b, m], { kernels, store }) => {
        const out = store.take(a!.width, a!.height, 4)
        kernels.mix(out, a!, b!, m, amount)
        return out
      },
    )
  }

  /** The picture after a step, and the light it gives when it is of that kind. */
  private step(step: Step, picture: PlanNode, laneId: string): { after: PlanNode; light?: PlanNode } {
    if (!step.on || settingAt(step.amount, this.frame) === 0) return { after: picture }
    const effect = findEffect(step.effect)
    if (!effect) {
      this.report(
        laneId,
        step.id,
        `The effect ${step.effect} is not part of this Zafiro. The step is kept and left out.`,
      )
      return { after: picture }
    }
    const linear = effect.linear?.(this.dials(step, effect) as never)
    const amount = settingAt(step.amount, this.frame) as number
    if (linear && !step.matte) return { after: this.coloured(linearAmount(linear, amount), picture, step.id) }
    const result = linear
      ? this.coloured(linear, picture, step.id)
      : this.effectNode(step, effect, picture, laneId)
    if (!result) return { after: picture }
    const matte = step.matte && this.matteOf(step.matte, laneId, step.id)
    if (step.matte && !matte) return { after: picture }
    if (effect.kind === 'filter') return { after: this.mix(picture, result, step, matte) }
    const { join, coverAlpha, alone } = this.dials(step, effect)
    const light = this.mix(this.nothing, result, step, matte)
    const after = node(
      `light ${String(join)} ${String(coverAlpha)}`,
      [alone ? this.nothing : picture, light],
      ([src, l], { kernels, store }) => {
        const out = store.take(src!.width, src!.height, 4)
        kernels.addLight(out, src!, l!, join as 'add' | 'screen', coverAlpha as boolean)
        return out
      },
    )
    return { after, light }
  }

  /** A lane's own picture after its source, after a step, or at its end. */
  lanePoint(lane: Lane, after?: string): PlanNode {
    const point = `${lane.id} ${after ?? ''}`
    const known = this.lanePoints.get(point)
    if (known) return known
    this.open.push(lane.id)
    const remember = (name: string, n: PlanNode) => this.lanePoints.set(`${lane.id} ${name}`, n)
    let picture = this.source(lane.source, lane.id)
    remember('source', picture)
    for (const step of lane.steps) {
      picture = this.step(step, picture, lane.id).after
      remember(step.id, picture)
    }
    remember('', picture)
    this.open.pop()
    return this.lanePoints.get(point) ?? picture
  }

  /**
   * Lanes joined from the back to the front: those of a bus, or those of the picture; at most the first `upTo` of them. A solo
   * lane is joined alone with others that are, and with it the buses around it and all that is in it.
   */
  joined(bus?: string, upTo = Infinity): PlanNode {
    const here = this.comp.lanes.filter((l) => l.in === bus)
    let below: PlanNode | undefined
    for (const lane of here.slice(0, upTo)) {
      if (lane.kind === 'matte' || lane.muted || !this.isHeard(lane)) continue
      if (this.open.includes(lane.id)) {
        this.report(lane.id, undefined, `${this.loopWords(lane.id)} Cut one of these links.`)
        continue
      }
      const top = this.lanePoint(lane)
      const opacity = settingAt(lane.join.opacity, this.frame) as number
      const matte = lane.join.matte && this.matteOf(lane.join.matte, lane.id)
      const { mode } = lane.join
      below ??= this.nothing
      below = node(
        `join ${mode} ${opacity}`,
        matte ? [below, top, matte] : [below, top],
        ([b, t, m], { kernels, store }) => {
          const out = store.take(b!.width, b!.height, 4)
          kernels.join(out, b!, t!, m, mode, opacity)
          return out
        },
      )
    }
    return below ?? this.nothing
  }

  private laneOf(id: string | undefined): Lane | undefined {
    return id === undefined ? undefined : this.comp.lanes.find((l) => l.id === id)
  }

  /** Whether a lane is in the picture while some are solo: it, a bus around it or something in it is. */
  private isHeard(lane: Lane): boolean {
    const solos = this.comp.lanes.filter((l) => l.solo && l.kind === 'picture')
    if (solos.length === 0) return true
    const isAround = (outer: Lane, inner: Lane | undefined): boolean =>
      inner !== undefined && (inner === outer || isAround(outer, this.laneOf(inner.in)))
    return solos.some((solo) => isAround(solo, lane) || isAround(lane, solo))
  }

  private loopWords(laneId: string): string {
    const names = [...this.open.slice(this.open.indexOf(laneId)), laneId].map(
      (id) => this.laneOf(id)?.name ?? id,
    )
    return `Takes its picture from itself: ${names.join(' → ')}.`
  }

  /** The finished picture, or the master's picture after one of its steps. */
  master(after?: string): PlanNode {
    let picture = this.joined()
    if (after === 'source') return picture
    for (const step of this.comp.master) {
      picture = this.step(step, picture, masterId).after
      if (step.id === after) break
    }
    return picture
  }

  /** The picture that comes to a step, and the step. */
  private stepInput(stepId: string): { step: Step; picture: PlanNode; laneId: string } | undefined {
    for (const { id, steps } of [...this.comp.lanes, { id: masterId, steps: this.comp.master }]) {
      const index = steps.findIndex((s) => s.id === stepId)
      if (index < 0) continue
      const before = index === 0 ? 'source' : steps[index - 1]!.id
      const lane = this.comp.lanes.find((l) => l.id === id)
      return {
        step: steps[index]!,
        laneId: id,
        picture: lane ? this.lanePoint(lane, before) : this.master(before),
      }
    }
    return undefined
  }

  /** What a step takes its light from. */
  private lightInput(stepId: string): PlanNode {
    const found = this.stepInput(stepId)
    if (!found) return this.nothing
    const { light, within } = found.step.feeds
    const whole = (light && this.colourOf(light.from, found.laneId, stepId)) ?? found.picture
    const matte = within && this.matteOf(within, found.laneId, stepId)
    return matte ? this.within(whole, matte) : whole
  }

  private caught(stepId: string): PlanNode {
    const step = this.stepInput(stepId)?.step
    const effect = step && findEffect(step.effect)
    if (!effect || !('threshold' in effect.dials)) return this.nothing
    const caught = caughtBy(this.dials(step, effect) as unknown as CatchValues)
    return node(
      `caught ${JSON.stringify(caught)}`,
      [this.lightInput(stepId)],
      ([src], { kernels, store }) => {
        const bright = store.take(src!.width, src!.height, 4)
        kernels.brightPass(bright, src!, caught)
        const out = store.take(src!.width, src!.height, 1)
        for (let i = 0; i < out.data.length; i++) {
          const [r, g, b] = [src!.data[i * 4]!, src!.data[i * 4 + 1]!, src!.data[i * 4 + 2]!]
          const all = Math.max(r, g, b)
          const passed = Math.max(bright.data[i * 4]!, bright.data[i * 4 + 1]!, bright.data[i * 4 + 2]!)
          // Little that passes is marked too: what counts is that it does.
          out.data[i] = all > 0 ? Math.sqrt(passed / all) : 0
        }
        return out
      },
    )
  }

  /** Where a step acts or a lane joins; of what is itself a matte, that. Undefined: everywhere. */
  private where(laneId: string, stepId: string | undefined): PlanNode | undefined {
    const found = stepId === undefined ? undefined : this.stepInput(stepId)
    const lane = this.laneOf(laneId)
    const link = found ? matteOfStep(found.step) : lane?.join.matte
    if (link) return this.matteOf(link, laneId, stepId)
    const isMatte = found ? findEffect(found.step.effect)?.family === 'matte' : lane?.kind === 'matte'
    if (!isMatte) return undefined
    const own = found ? this.step(found.step, found.picture, laneId).after : this.lanePoint(lane!)
    return this.part(own, 'alpha', false)
  }

  target(target: Target): PlanNode {
    switch (target.type) {
      case 'picture':
        return this.master()
      case 'lane': {
        const lane = this.comp.lanes.find((l) => l.id === target.lane)
        if (target.lane === masterId) return this.master(target.after)
        return lane ? this.lanePoint(lane, target.after) : this.nothing
      }
      case 'light': {
        const found = this.stepInput(target.step)
        return (found && this.step(found.step, found.picture, found.laneId).light) ?? this.nothing
      }
      case 'matte': {
        return this.where(target.lane, target.step) ?? this.nothing
      }
      case 'pass':
        return (
          (target.objects ? this.objects(target, target.objects, '') : this.pass(target, '')?.node) ??
          this.nothing
        )
      case 'light-input':
        return this.lightInput(target.step)
      case 'feed': {
        const found = this.stepInput(target.step)
        const link = found?.step.feeds[target.feed]
        const kind = found && findEffect(found.step.effect)?.feeds[target.feed]?.kind
        return (link && this.feedOf(link, kind ?? 'light', found.laneId, target.step)) ?? this.nothing
      }
      case 'caught':
        return this.caught(target.step)
      default:
        return assertNever(target)
    }
  }
}

/**
 * Turns a comp at a frame into the pictures to compute for a target. Pure; nothing is loaded or computed.
 * What is missing or unknown is left out and reported.
 */
export function plan(
  comp: Comp,
  media: MediaTable,
  frame: number,
  reduction: Reduction,
  target: Target,
): Planned {
  return planAll(comp, media, frame, reduction, [target])[0]!
}

/** The entries of the colour table that a comp is viewed through; undefined where there is none. */
export function planViewTable(
  comp: Comp,
  media: MediaTable,
  frame: number,
): { node: PlanNode; pass: Pass } | undefined {
  if (comp.viewing?.type !== 'table') return undefined
  const { table } = comp.viewing
  const node = new Planner(comp, media, frame, 1).table(table, '')
  const pass = media[table.media]?.passes.find((p) => p.name === table.pass)
  return node && pass && { node, pass }
}

/** Plans several targets of one comp together, so that what they share is planned once. */
export function planAll(
  comp: Comp,
  media: MediaTable,
  frame: number,
  reduction: Reduction,
  targets: readonly Target[],
): Planned[] {
  const planner = new Planner(comp, media, frame, reduction)
  const nodes = targets.map((target) => planner.target(target))
  return nodes.map((n) => ({ node: n, area: planner.area, problems: planner.problems }))
}

/** The joined picture behind each lane and with it, for the light meters; in the order of the lanes. */
export function planJoins(
  comp: Comp,
  media: MediaTable,
  frame: number,
  reduction: Reduction,
): (readonly [PlanNode, PlanNode])[] {
  const planner = new Planner(comp, media, frame, reduction)
  // For each lane what is behind it among its neighbours, and the same with it.
  return comp.lanes.map((lane) => {
    const here = comp.lanes.filter((l) => l.in === lane.in)
    const at = here.indexOf(lane)
    return [planner.joined(lane.in, at), planner.joined(lane.in, at + 1)] as const
  })
}
