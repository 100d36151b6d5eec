import { assertNever } from '../../assert.ts'
import { Cancelled } from '../../cancelled.ts'
import { rulesOf } from '../../passes/passes.ts'
import { readablePass } from '../../passes/readable-pass.ts'
import type { Comp } from '../../comp/schema.ts'
import type { DisplayOptions } from '../../kernels/kernels.ts'
import type { Workshop } from '../../kernels/pyramid.ts'
import type { Picture } from '../../picture/picture.ts'
import { markWarnings, mixCodes, overlayMatte } from '../overlay.ts'
import { plan, planViewTable } from '../plan/plan.ts'
import { displayViewed, lookedSmall } from '../viewed.ts'
import { reductions, workArea, type Part, type Seen, type WorkArea } from '../work-area.ts'
import type { Target } from '../plan/plan-targets.ts'
import type { Codes, Overlay } from './requests.ts'
import type { Handler, SessionState } from './session-state.ts'
import type { Work } from './requests.ts'

/** The table that a comp is looked through, loaded. */
async function viewTable({ evaluator }: SessionState, { comp, media }: Work, frame: number) {
  const table = planViewTable(comp, media, frame)
  if (!table) return undefined
  await evaluator.load(comp, table.node)
  return { picture: evaluator.evaluate(table.node), pass: table.pass }
}

/** Codes of a picture as the comp is looked at. The picture is pinned by the caller: a table may have to be loaded. */
async function display(
  session: SessionState,
  codes: Uint8Array<ArrayBuffer>,
  picture: Picture,
  view: DisplayOptions,
  work: Work,
  frame: number,
): Promise<void> {
  const table = await viewTable(session, work, frame)
  const dither = work.comp.dither === false ? undefined : frame
  displayViewed(codes, picture, { ...view, dither }, work.comp, table, session.evaluator.workshop)
}

/** Codes of a small picture as its comp is looked at; mattes as they are. */
export async function smallCodes(
  session: SessionState,
  small: Picture,
  work: Work,
  frame: number,
): Promise<Uint8Array<ArrayBuffer>> {
  const { workshop } = session.evaluator
  const table = await viewTable(session, work, frame)
  const codes = new Uint8Array(small.width * small.height * 4)
  const picture = workshop.store.allocate(small.width, small.height, 4)
  picture.data.set(small.data)
  const view = { gain: 1, channel: 'colour', checker: 4 } as const
  displayViewed(codes, picture, view, lookedSmall(work.comp), table, workshop)
  workshop.store.release(picture)
  return codes
}

/** One channel of a matte: of a picture, its alpha. */
function asSingle(matte: Picture, { kernels, store }: Workshop): Picture {
  if (matte.channels === 1) return matte
  const cover = store.allocate(matte.width, matte.height, 1)
  kernels.matteOf(cover, matte, 'alpha', false)
  return cover
}

/** A part of codes, counted from the corner of the canvas. */
function cropCodes(codes: Uint8Array<ArrayBuffer>, area: WorkArea, { x, y, width, height }: Part): Codes {
  if (width === area.width && height === area.height)
    return { width, height, pixels: new Uint8ClampedArray(codes.buffer) }
  const pixels = new Uint8ClampedArray(width * height * 4)
  for (let row = 0; row < height; row++) {
    const from = ((row + y + area.top) * area.width + x + area.left) * 4
    pixels.set(codes.subarray(from, from + width * 4), row * width * 4)
  }
  return { width, height, pixels }
}

const wholeCanvas = ({ canvasWidth, canvasHeight }: WorkArea): Part => ({
  x: 0,
  y: 0,
  width: canvasWidth,
  height: canvasHeight,
})

/** Shows a matte, or objects, with a picture. */
async function lay(
  session: SessionState,
  codes: Uint8Array<ArrayBuffer>,
  whole: Picture,
  matte: Picture,
  as: Overlay['as'],
  view: DisplayOptions,
  work: Work,
  frame: number,
): Promise<void> {
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
      const { kernels, store } = session.evaluator.workshop
      const [cut, cover] = [store.allocate(whole.width, whole.height, 4), asSingle(matte, { kernels, store })]
      kernels.weigh(cut, whole, cover, 0, 1)
      if (cover !== matte) store.release(cover)
      await display(session, codes, cut, view, work, frame)
      store.release(cut)
      return
    }
    default:
      assertNever(as)
  }
}

/** What was made of what is seen, if that is a part; noise and checker of a part are those of the whole, in which it begins at `from`. */
function partSeen(comp: Comp, area: WorkArea, seen: Seen | undefined) {
  const full = workArea(comp, 1)
  if (!seen || area.width * area.height >= full.width * full.height)
    return { part: undefined, from: undefined }
  const { x, y, width, height } = seen
  return { part: { x, y, width, height }, from: [full.left - area.left, full.top - area.top] as const }
}

/** The picture that is looked at; it stays pinned, for the probe. */
export const show: Handler<'show'> = async (session, work, wish, isStale) => {
  const { evaluator } = session
  const { comp, media } = work
  const { frame, reduction, target, overlay } = wish
  // The checker is as large on a proxy, whose pixels are larger.
  const checkerPx = (side: number) => side / reduction
  const view: DisplayOptions = { ...wish.view, checker: checkerPx(wish.view.checker) }
  if (isStale()) throw new Cancelled()
  // A pass is shown so that it can be read; its raw values stay under the probe.
  const pass =
    target.type === 'pass' ? media[target.media]?.passes.find((p) => p.name === target.pass) : undefined
  const kind = target.type === 'pass' && target.objects ? 'matte' : pass?.kind
  const masks = kind === 'ids' ? (pass?.detail?.masks ?? 'plain') : undefined
  // What is drawn by the range of all its values is made whole.
  const seen =
    wish.seen && (!kind || rulesOf(kind).isLight) ? { ...wish.seen, isFine: wish.isLast } : undefined
  // The size that is looked at, and those at which it may have been looked at before.
  const larger = reductions.filter((r) => r < reduction && r >= (wish.finest ?? 1)).slice(0, 3)
  const finer = { reductions: larger, isThere: (key: string) => evaluator.has(key) }
  // A proxy does not wait for what has to be read first: the settled picture has it.
  const planned = (of: Target) =>
    wish.isProxy
      ? plan(comp, media, frame, reduction, of, session.readings, undefined, finer)
      : session.plan(work, frame, reduction, of, isStale, seen)
  const { node, area, problems } = await planned(target)
  const { part, from } = partSeen(comp, area, seen)
  view.from = from
  await evaluator.load(comp, node, isStale)
  // Loading happens once; how long the picture takes from then on decides whether proxies are worth it.
  const started = performance.now()
  const whole = evaluator.evaluate(node, isStale)
  const unpin = evaluator.pin(node)
  const codes = new Uint8Array(whole.width * whole.height * 4)
  session.nowShown({ picture: whole, target, reduction, left: area.left, top: area.top, unpin, masks })
  if (kind && (!rulesOf(kind).isLight || whole.channels === 1)) codes.set(readablePass(whole, kind).codes)
  else if (whole.channels === 4) await display(session, codes, whole, view, work, frame)
  if (overlay) {
    const over = await planned(overlay.target)
    await evaluator.load(comp, over.node, isStale)
    const matte = evaluator.evaluate(over.node, isStale)
    await lay(session, codes, whole, matte, overlay.as, { ...view, checker: checkerPx(8) }, work, frame)
  }
  const marked = wish.hasWarnings && whole.channels === 4 ? markWarnings(codes, whole, comp) : undefined
  // Pixels of the full frame, as near as a smaller picture tells.
  const count = (n: number) => n * reduction ** 2
  const warnings = marked && {
    bright: count(marked.bright),
    negative: count(marked.negative),
    alpha: count(marked.alpha),
  }
  const shown = cropCodes(codes, area, part ?? wholeCanvas(area))
  return {
    ...shown,
    reduction,
    isSettled: !wish.isProxy && (!part || wish.isLast === true),
    ...(part && { part }),
    problems,
    warnings: part ? undefined : warnings,
    tookMs: performance.now() - started,
  }
}

/** A picture as it is looked at, without the margin, or a part of it. It is pinned by the caller. */
export async function codesOf(
  session: SessionState,
  whole: Picture,
  area: WorkArea,
  view: DisplayOptions,
  work: Work,
  frame: number,
  part?: Part,
): Promise<Codes> {
  const codes = new Uint8Array(whole.width * whole.height * 4)
  if (whole.channels === 4) await display(session, codes, whole, view, work, frame)
  else codes.set(readablePass(whole, 'matte').codes)
  return cropCodes(codes, area, part ?? wholeCanvas(area))
}

/** A second picture, to be compared with the shown one. */
export const side: Handler<'side'> = async (session, work, wish, isStale) => {
  const { evaluator } = session
  const { frame, target, reduction = 1 } = wish
  const seen = wish.seen && { ...wish.seen, isFine: wish.isLast }
  const { node, area } = await session.plan(work, frame, reduction, target, isStale, seen)
  const { part, from } = partSeen(work.comp, area, seen)
  const view = { ...wish.view, checker: wish.view.checker / reduction, from }
  await evaluator.load(work.comp, node, isStale)
  const whole = evaluator.evaluate(node, isStale)
  const unpin = evaluator.pin(node)
  try {
    return { ...(await codesOf(session, whole, area, view, work, frame, part)), ...(part && { part }) }
  } finally {
    unpin()
  }
}
