import { assertNever } from '../../core/assert.ts'
import { Cancelled } from '../../core/cancelled.ts'
import { masterId } from '../../core/comp/edits.ts'
import { mattesOf } from '../../core/comp/references.ts'
import { fileAt, readAsKey } from '../../core/comp/media.ts'
import { cropToCanvas } from '../../core/engine/crop.ts'
import { Evaluator, type LoadPass } from '../../core/engine/evaluator.ts'
import { luminanceHistogram, valueHistogram } from '../../core/engine/histogram.ts'
import { countScope } from '../../core/engine/scopes.ts'
import { displayViewed } from '../../core/engine/viewed.ts'
import { plan, planAll, planJoins, planViewTable } from '../../core/engine/plan/plan.ts'
import type { PlanNode } from '../../core/engine/plan/plan-node.ts'
import type { Target } from '../../core/engine/plan/plan-targets.ts'
import { findEffect } from '../../core/effects/registry.ts'
import { extractMatte } from '../../core/engine/matte.ts'
import { markWarnings, mixCodes, overlayMatte } from '../../core/engine/overlay.ts'
import { readablePass } from '../../core/passes/readable-pass.ts'
import { sampleSmall, shrink, smallToCodes } from '../../core/engine/shrink.ts'
import { passFilter } from '../../core/passes/passes.ts'
import { objectAt } from '../../core/formats/object-masks.ts'
import { decodePassBlock } from '../../core/formats/pass-block.ts'
import { portableZlib } from '../../core/formats/exr-codecs.ts'
import { encodePicture } from '../../core/formats/write-picture.ts'
import { createKernels } from '../../core/kernels/wasm-kernels.ts'
import { luminance } from '../../core/picture/colour.ts'
import type { DisplayOptions } from '../../core/kernels/kernels.ts'
import { OutOfMemoryError, type Picture, type PictureStore } from '../../core/picture/picture.ts'
import { matteKey } from './messages.ts'
import type {
  EngineReply,
  EngineRequest,
  ExrRequest,
  HistogramRequest,
  Overlay,
  PassesRequest,
  PassThumb,
  PreviewsRequest,
  ProbeRequest,
  ScopeRequest,
  ShowRequest,
  SideRequest,
  StartRequest,
  Thumb,
  ThumbsRequest,
  ValuesRequest,
  Work,
} from './messages.ts'

const reply = (message: EngineReply, transfer: Transferable[] = []) => {
  self.postMessage(message, { transfer })
}

const loadPass: LoadPass = async ({ hash, pass, as, reduction }) => {
  const query = new URLSearchParams({ as: readAsKey(as), size: String(reduction), filter: passFilter(pass) })
  const answer = await fetch(`/api/passes/${hash}/${encodeURIComponent(pass.inFile ?? pass.name)}?${query}`)
  if (!answer.ok) {
    const body = (await answer.json().catch(() => undefined)) as { error?: { message?: string } } | undefined
    throw new Error(body?.error?.message ?? `The pass ${pass.name} could not be loaded (${answer.status}).`)
  }
  return decodePassBlock(await answer.arrayBuffer())
}

/** The engine of a page: one thread that plans and leads, with workers on other threads. */
class Engine {
  private readonly newest: Int32Array
  private readonly evaluator: Evaluator
  private readonly kernels
  private shown:
    | {
        readonly picture: Picture
        readonly reduction: number
        readonly marginPx: number
        readonly unpin: () => void
        /** How the picture names objects, when it is an ID pass. */
        readonly masks: 'ranked' | 'plain' | undefined
      }
    | undefined

  constructor({ memory, control, workers, newest, budgetBytes }: StartRequest) {
    const { kernels, store } = createKernels(memory, control, workers)
    this.kernels = kernels
    this.newest = new Int32Array(newest)
    this.evaluator = new Evaluator({ kernels, store }, loadPass, budgetBytes)
  }

  /** Which picture each thumbnail on the page shows, and how bright pictures are, by their keys: neither is made twice. */
  private thumbsShown: ReadonlyMap<string, string> = new Map()
  private means: ReadonlyMap<string, number> = new Map()

  private isOld(serial: number): boolean {
    return Atomics.load(this.newest, 0) !== serial
  }

  async show(request: ShowRequest): Promise<void> {
    const { comp, media, frame, reduction, target, serial } = request
    // The checker is as large on a proxy, whose pixels are larger.
    const checkerPx = (side: number) => side / reduction
    const view = { ...request.view, checker: checkerPx(request.view.checker) }
    const isStale = () => request.isGivenUp && this.isOld(serial)
    try {
      if (isStale()) throw new Cancelled()
      const { node, area, problems } = plan(comp, media, frame, reduction, target)
      await this.evaluator.load(comp, node)
      // Loading happens once; how long the picture takes from then on decides whether proxies are worth it.
      const started = performance.now()
      const whole = this.evaluator.evaluate(node, isStale)
      const unpin = this.evaluator.pin(node)
      this.shown?.unpin()
      const codes = new Uint8Array(whole.width * whole.height * 4)
      // A pass is shown so that it can be read; its raw values stay under the probe.
      const pass =
        target.type === 'pass' ? media[target.media]?.passes.find((p) => p.name === target.pass) : undefined
      const kind = target.type === 'pass' && target.objects ? 'matte' : pass?.kind
      const masks = kind === 'ids' ? (pass?.detail?.masks ?? 'plain') : undefined
      this.shown = { picture: whole, reduction, marginPx: area.marginPx, unpin, masks }
      const isColour = kind === 'colour' || kind === 'light'
      if (kind && (!isColour || whole.channels === 1)) codes.set(readablePass(whole, kind).codes)
      else if (whole.channels === 4) await this.display(codes, whole, view, request)
      if (request.overlay) {
        const over = plan(comp, media, frame, reduction, request.overlay.target)
        await this.evaluator.load(comp, over.node)
        this.lay(codes, whole, this.evaluator.evaluate(over.node, isStale), request.overlay, {
          ...view,
          checker: checkerPx(8),
        })
      }
      const warnings = request.hasWarnings && whole.channels === 4 ? markWarnings(codes, whole) : undefined
      const { width, height, pixels } = cropCodes(
        codes,
        whole.width,
        area.marginPx,
        area.canvasWidth,
        area.canvasHeight,
      )
      const tookMs = performance.now() - started
      reply({ type: 'shown', serial, reduction, width, height, pixels, problems, warnings, tookMs }, [
        pixels.buffer,
      ])
    } catch (error) {
      if (error instanceof Cancelled) reply({ type: 'given-up', serial })
      else
        reply({
          type: 'failed',
          serial,
          message: error instanceof Error ? error.message : String(error),
          isMemory: error instanceof OutOfMemoryError,
          reduction,
        })
    }
  }

  /** Codes of a picture as the comp is looked at. The picture is pinned by the caller: a table may have to be loaded. */
  private async display(
    codes: Uint8Array<ArrayBuffer>,
    picture: Picture,
    view: DisplayOptions,
    { comp, media, frame }: Work,
  ): Promise<void> {
    const table = planViewTable(comp, media, frame)
    if (table) await this.evaluator.load(comp, table.node)
    const entries = table && { picture: this.evaluator.evaluate(table.node), pass: table.pass }
    displayViewed(codes, picture, view, comp.viewing, entries, this.evaluator.workshop)
  }

  /** Shows a matte, or objects, with a picture. */
  private lay(
    codes: Uint8Array<ArrayBuffer>,
    whole: Picture,
    matte: Picture,
    { as }: Overlay,
    view: DisplayOptions,
  ): void {
    switch (as) {
      case 'overlay':
        overlayMatte(codes, matte)
        return
      case 'grey':
        codes.set(readablePass(matte, 'matte').codes)
        return
      case 'ids':
        mixCodes(codes, readablePass(matte, 'ids').codes, 0.45)
        return
      case 'cut-out': {
        const { kernels, store } = this.evaluator.workshop
        const [cut, cover] = [store.allocate(whole.width, whole.height, 4), asSingle(matte, store)]
        kernels.weigh(cut, whole, cover, 0, 1)
        kernels.display(codes, cut, view)
        for (const taken of [cut, ...(cover === matte ? [] : [cover])]) store.release(taken)
        return
      }
      default:
        assertNever(as)
    }
  }

  async thumbs({ comp, media, frame, serial, width }: ThumbsRequest): Promise<void> {
    const reduction = 4
    const points: { key: string; target: Target }[] = comp.lanes.flatMap((lane) => [
      { key: `lane:${lane.id}`, target: { type: 'lane', lane: lane.id, after: 'source' } as const },
      ...lane.steps.map((step) => ({
        key: step.id,
        target: { type: 'lane', lane: lane.id, after: step.id } as const,
      })),
    ])
    points.push({ key: 'joined', target: { type: 'lane', lane: masterId, after: 'source' } })
    for (const step of comp.master)
      points.push({ key: step.id, target: { type: 'lane', lane: masterId, after: step.id } })
    for (const { lane, step } of mattesOf(comp))
      points.push({
        key: matteKey(lane, step),
        target: { type: 'matte', lane, ...(step === undefined ? {} : { step }) },
      })
    const isStale = () => this.isOld(serial)
    try {
      const planned = planAll(
        comp,
        media,
        frame,
        reduction,
        points.map((p) => p.target),
      )
      const thumbs: Thumb[] = []
      const means = new Map<string, number>()
      const shown = new Map<string, string>()
      const known = new Map<string, number>()
      const picture = async (node: PlanNode) => {
        if (isStale()) throw new Cancelled()
        await this.evaluator.load(comp, node)
        return this.evaluator.evaluate(node, isStale)
      }
      /** What was measured for the thumbnails before is not measured again. */
      const meanOf = (node: PlanNode, whole: Picture | undefined) => {
        const mean = this.means.get(node.key) ?? (whole && meanLuminance(whole))
        if (mean !== undefined) known.set(node.key, mean)
        return mean
      }
      for (const [i, { node, area }] of planned.entries()) {
        const { key } = points[i]!
        shown.set(key, node.key)
        const isSame = this.thumbsShown.get(key) === node.key
        const whole = isSame ? undefined : await picture(node)
        const mean = whole?.channels === 1 ? undefined : meanOf(node, whole)
        if (mean !== undefined) means.set(key, mean)
        if (!whole) continue
        const small = shrink(cropToCanvas(whole, area), width)
        thumbs.push({
          key,
          width: small.width,
          height: small.height,
          // A matte is black where nothing is covered.
          pixels: smallToCodes(small, whole.channels === 1 ? 0 : 4),
        })
      }
      const meters: (readonly [string, number])[] = []
      const chains = [
        ...comp.lanes.map((l) => [`lane:${l.id}`, l.steps] as const),
        ['joined', comp.master] as const,
      ]
      for (const [source, steps] of chains)
        for (const [i, step] of steps.entries())
          if (findEffect(step.effect)?.kind === 'light') {
            const before = means.get(steps[i - 1]?.id ?? source) ?? 0
            meters.push([step.id, addedStops(before, means.get(step.id) ?? 0)])
          }
      for (const [i, joins] of planJoins(comp, media, frame, reduction).entries()) {
        const both: number[] = []
        for (const node of joins) both.push(meanOf(node, undefined) ?? meanOf(node, await picture(node))!)
        meters.push([comp.lanes[i]!.id, addedStops(both[0]!, both[1]!)])
      }
      this.thumbsShown = shown
      this.means = known
      reply(
        { type: 'thumbs', serial, thumbs, meters: Object.fromEntries(meters) },
        thumbs.map((t) => t.pixels.buffer),
      )
    } catch (error) {
      if (!(error instanceof Cancelled)) console.warn('Thumbnails could not be made:', error)
    }
  }

  async previews({ comps, media, frame, id, target, width }: PreviewsRequest): Promise<void> {
    const thumbs: (Thumb | undefined)[] = []
    for (const [i, comp] of comps.entries())
      try {
        const { node, area } = plan(comp, media, frame, 4, target)
        await this.evaluator.load(comp, node)
        const small = shrink(cropToCanvas(this.evaluator.evaluate(node), area), width)
        const { width: w, height } = small
        thumbs.push({ key: String(i), width: w, height, pixels: smallToCodes(small, 4) })
      } catch (error) {
        console.warn('A preview could not be made:', error)
        thumbs.push(undefined)
      }
    reply(
      { type: 'previews', id, thumbs },
      thumbs.flatMap((t) => (t ? [t.pixels.buffer] : [])),
    )
  }

  async histogram({ comp, media, frame, id, target, byMost }: HistogramRequest): Promise<void> {
    try {
      const { node } = plan(comp, media, frame, 2, target)
      await this.evaluator.load(comp, node)
      reply({ type: 'histogram', id, histogram: luminanceHistogram(this.evaluator.evaluate(node), byMost) })
    } catch {
      reply({ type: 'histogram', id, histogram: undefined })
    }
  }

  async side({ comp, media, frame, id, target, view }: SideRequest): Promise<void> {
    try {
      const { node, area } = plan(comp, media, frame, 1, target)
      await this.evaluator.load(comp, node)
      const whole = this.evaluator.evaluate(node)
      const unpin = this.evaluator.pin(node)
      const codes = new Uint8Array(whole.width * whole.height * 4)
      if (whole.channels === 4) await this.display(codes, whole, view, { comp, media, frame })
      else codes.set(readablePass(whole, 'matte').codes)
      unpin()
      const side = cropCodes(codes, whole.width, area.marginPx, area.canvasWidth, area.canvasHeight)
      reply({ type: 'side', id, side }, [side.pixels.buffer])
    } catch {
      reply({ type: 'side', id, side: undefined })
    }
  }

  async exr({ comp, media, frame, id, target }: ExrRequest): Promise<void> {
    try {
      const { node, area } = plan(comp, media, frame, 1, target)
      await this.evaluator.load(comp, node)
      const picture = cropToCanvas(this.evaluator.evaluate(node), area)
      const bytes = encodePicture(picture, 'exr', `frame ${frame}`, this.kernels, portableZlib)
      const own = new Uint8Array(bytes)
      reply({ type: 'exr', id, bytes: own }, [own.buffer])
    } catch (error) {
      console.warn('The picture could not be written:', error)
      reply({ type: 'exr', id, bytes: undefined })
    }
  }

  async values({ comp, media, frame, id, of }: ValuesRequest): Promise<void> {
    try {
      const { node } = plan(comp, media, frame, 2, of)
      await this.evaluator.load(comp, node)
      reply({ type: 'values', id, histogram: valueHistogram(this.evaluator.evaluate(node)) })
    } catch {
      reply({ type: 'values', id, histogram: undefined })
    }
  }

  async scope({ comp, media, frame, id, target, kind, region }: ScopeRequest): Promise<void> {
    try {
      const { node, area } = plan(comp, media, frame, 1, target)
      await this.evaluator.load(comp, node)
      const picture = this.evaluator.evaluate(node)
      const { marginPx: m, canvasWidth, canvasHeight } = area
      const [left, top, right, bottom] = region ?? [0, 0, canvasWidth, canvasHeight]
      const hold = (v: number, most: number) => Math.min(most, Math.max(0, Math.round(v)))
      const part = [m + hold(left, canvasWidth), m + hold(top, canvasHeight), m + hold(right, canvasWidth), m + hold(bottom, canvasHeight)] as const // prettier-ignore
      const started = performance.now()
      const scope = picture.channels === 4 ? countScope(picture, kind, part, this.kernels) : undefined
      const tookMs = performance.now() - started
      reply({ type: 'scope', id, scope, tookMs }, scope ? [scope.counts.buffer] : [])
    } catch {
      reply({ type: 'scope', id, scope: undefined, tookMs: 0 })
    }
  }

  async passes({ comp, media, frame, id, width }: PassesRequest): Promise<void> {
    const thumbs: PassThumb[] = []
    for (const [ref, { passes }] of Object.entries(media))
      for (const { name, kind } of passes)
        try {
          const { node, area } = plan(comp, media, frame, 4, { type: 'pass', media: ref, pass: name })
          await this.evaluator.load(comp, node)
          const small = sampleSmall(cropToCanvas(this.evaluator.evaluate(node), area), width)
          const { codes, low, high } = readablePass(small, kind)
          thumbs.push({
            media: ref,
            pass: name,
            width: small.width,
            height: small.height,
            pixels: codes,
            low,
            high,
          })
        } catch (error) {
          console.warn(`The pass ${name} could not be shown:`, error)
        }
    reply(
      { type: 'passes', id, thumbs },
      thumbs.map((t) => t.pixels.buffer),
    )
  }

  async probe({ comp, media, frame, id, x, y, of }: ProbeRequest): Promise<void> {
    if (of) {
      const { node, area } = plan(comp, media, frame, 1, of)
      await this.evaluator.load(comp, node)
      const [px, py] = [Math.floor(x) + area.marginPx, Math.floor(y) + area.marginPx]
      const picture = this.evaluator.evaluate(node)
      const rgba = pixelAt(picture, px, py)
      const pass = of.type === 'pass' ? media[of.media]?.passes.find((p) => p.name === of.pass) : undefined
      const masks = pass?.kind === 'ids' ? (pass.detail?.masks ?? 'plain') : undefined
      const bits = masks && objectAt({ ...picture, x: 0, y: 0 }, masks, px, py)
      const object = bits ? { object: bits.toString(16).padStart(8, '0') } : {}
      reply({ type: 'probe', id, probed: rgba && { rgba, ...object, data: [] } })
      return
    }
    const { shown } = this
    const rgba =
      shown &&
      pixelAt(
        shown.picture,
        Math.floor(x / shown.reduction) + shown.marginPx,
        Math.floor(y / shown.reduction) + shown.marginPx,
      )
    if (!rgba) {
      reply({ type: 'probe', id, probed: undefined })
      return
    }
    const data: { name: string; value: number }[] = []
    for (const [ref, one] of Object.entries(media)) {
      const depth = one.passes.find((p) => p.kind === 'depth')
      const isUsed = comp.lanes.some((l) => l.source.type === 'pass' && l.source.media === ref)
      if (!depth || !isUsed || fileAt(one, frame, depth) === undefined) continue
      const { node, area } = plan(comp, media, frame, 1, { type: 'pass', media: ref, pass: depth.name })
      await this.evaluator.load(comp, node)
      const value = pixelAt(
        this.evaluator.evaluate(node),
        Math.floor(x) + area.marginPx,
        Math.floor(y) + area.marginPx,
      )?.[0]
      if (value !== undefined) data.push({ name: depth.name, value })
    }
    const [px, py] = [Math.floor(x / shown.reduction), Math.floor(y / shown.reduction)].map(
      (v) => v + shown.marginPx,
    )
    const bits = shown.masks && objectAt({ ...shown.picture, x: 0, y: 0 }, shown.masks, px!, py!)
    const object = bits ? { object: bits.toString(16).padStart(8, '0') } : {}
    reply({ type: 'probe', id, probed: { rgba, ...object, data } })
  }
}

/** One channel of a matte: of a picture, its alpha. */
function asSingle(matte: Picture, store: PictureStore): Picture {
  if (matte.channels === 1) return matte
  const cover = store.allocate(matte.width, matte.height, 1)
  extractMatte(cover, matte, 'alpha', false)
  return cover
}

function pixelAt(
  { width, height, channels, data }: Picture,
  x: number,
  y: number,
): [number, number, number, number] | undefined {
  if (x < 0 || y < 0 || x >= width || y >= height) return undefined
  const i = (y * width + x) * channels
  return channels === 1
    ? [data[i]!, data[i]!, data[i]!, 1]
    : [data[i]!, data[i + 1]!, data[i + 2]!, data[i + 3]!]
}

function cropCodes(
  codes: Uint8Array<ArrayBuffer>,
  stride: number,
  marginPx: number,
  width: number,
  height: number,
) {
  if (marginPx === 0) return { width, height, pixels: new Uint8ClampedArray(codes.buffer) }
  const pixels = new Uint8ClampedArray(width * height * 4)
  for (let y = 0; y < height; y++) {
    const from = ((y + marginPx) * stride + marginPx) * 4
    pixels.set(codes.subarray(from, from + width * 4), y * width * 4)
  }
  return { width, height, pixels }
}

function meanLuminance({ data }: Picture): number {
  let sum = 0
  for (let i = 0; i < data.length; i += 4) sum += luminance(data[i]!, data[i + 1]!, data[i + 2]!)
  return (4 * sum) / data.length
}

/** Stops between two mean luminances; what lights up the dark counts as 10. */
function addedStops(below: number, withLane: number): number {
  if (!(withLane > 0)) return below > 0 ? -10 : 0
  return below > 0 ? Math.min(10, Math.max(-10, Math.log2(withLane / below))) : 10
}

let engine: Engine | undefined
let queue = Promise.resolve()

function handle(request: EngineRequest): Promise<void> | undefined {
  switch (request.type) {
    case 'start':
      engine = new Engine(request)
      return undefined
    case 'show':
      return engine?.show(request)
    case 'thumbs':
      return engine?.thumbs(request)
    case 'histogram':
      return engine?.histogram(request)
    case 'side':
      return engine?.side(request)
    case 'exr':
      return engine?.exr(request)
    case 'values':
      return engine?.values(request)
    case 'scope':
      return engine?.scope(request)
    case 'previews':
      return engine?.previews(request)
    case 'probe':
      return engine?.probe(request)
    case 'passes':
      return engine?.passes(request)
    default:
      return assertNever(request)
  }
}

self.onmessage = ({ data }: MessageEvent<EngineRequest>) => {
  queue = queue
    .then(() => handle(data))
    .catch((error: unknown) => {
      console.error(error)
      // Whoever waits for an answer gets one: that there is none.
      if ('id' in data) reply({ type: 'unanswered', id: data.id })
    })
}
