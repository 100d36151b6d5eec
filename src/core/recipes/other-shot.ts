import type { MediaTable, Pass } from '../comp/media.ts'
import { mapLinks, type LinkPlace } from '../comp/references.ts'
import { allSteps, findStep, type Comp, type Link, type Step } from '../comp/schema.ts'
import { rulesOf } from '../passes/passes.ts'
import { effectOf } from './effect-of.ts'
import { sizedStep } from './recipe-file.ts'

// A look that goes from one shot to another, whose media has other ids, other names, and other passes.

/** What is known of the media of the shot that a link comes from. */
export type KnownMedia = Readonly<
  Record<string, { readonly name: string; readonly passes: readonly Pick<Pass, 'name' | 'kind'>[] }>
>

/** The names of media and passes of a shot, without their files. */
export const knownMedia = (media: MediaTable): KnownMedia =>
  Object.fromEntries(
    Object.entries(media).map(([ref, { name, passes }]) => [
      ref,
      { name, passes: passes.map(({ name: pass, kind }) => ({ name: pass, kind })) },
    ]),
  )

const alike = (a: Pick<Pass, 'name' | 'kind'>, b: Pick<Pass, 'name' | 'kind'>) =>
  a.name === b.name && a.kind === b.kind

/**
 * The pass of another shot that stands for one: of its name and kind, in the media of its name, else in the one that shares most passes with its own;
 * else, of data, the only one of its kind. Undefined where there is none, or a doubt.
 */
export function likePass(
  link: Extract<Link, { type: 'pass' }>,
  from: KnownMedia,
  media: MediaTable,
): Link | undefined {
  const own = from[link.media]
  const wanted = own?.passes.find((p) => p.name === link.pass)
  if (!own || !wanted) return undefined
  const shared = (passes: readonly Pass[]) => own.passes.filter((p) => passes.some((q) => alike(p, q))).length
  const found = Object.entries(media)
    .filter(([, m]) => m.passes.some((p) => alike(p, wanted)))
    .map(([ref, m]) => ({ ref, score: (m.name === own.name ? 1e6 : 0) + shared(m.passes) }))
    .sort((a, b) => b.score - a.score)
  const [best] = found
  // The only pass of drawn layers looks like that of any other: then the order they came in decides nothing.
  if (best && (found.length === 1 || best.score > found[1]!.score)) return { ...link, media: best.ref }
  if (found.length > 0 || !rulesOf(wanted.kind).isData) return undefined
  const ofKind = Object.entries(media).flatMap(([ref, m]) =>
    m.passes.flatMap((p) => (p.kind === wanted.kind ? [{ ref, pass: p.name }] : [])),
  )
  return ofKind.length === 1 ? { ...link, media: ofKind[0]!.ref, pass: ofKind[0]!.pass } : undefined
}

/** What could not be connected, in words. */
export interface Unconnected {
  readonly place: LinkPlace
  readonly words: string
}

/** Every pass that a comp takes from, in the media of another shot; what has no place there is cut, and told. */
export function withMediaOf(
  comp: Comp,
  from: KnownMedia,
  media: MediaTable,
): { readonly comp: Comp; readonly lost: readonly Unconnected[] } {
  const lost: Unconnected[] = []
  const laneName = (id: string) => comp.lanes.find((l) => l.id === id)?.name ?? 'the whole picture'
  const next = mapLinks(comp, (link, place) => {
    if (link.type !== 'pass') return link
    const same = media[link.media]
    // In its own shot, or one of the same media, everything stays what it is.
    if (same && same.name === from[link.media]?.name && same.passes.some((p) => p.name === link.pass))
      return link
    const to = likePass(link, from, media)
    if (to) return to
    const step = 'stepId' in place ? findStep(comp, place.stepId) : undefined
    const taker = step
      ? (step.name ?? effectOf(step)?.title ?? step.effect)
      : place.use === 'viewing'
        ? 'the view'
        : place.use
    const where = 'laneId' in place ? `${laneName(place.laneId)}, ${taker}` : taker
    lost.push({ place, words: `${where}: ${link.pass} of ${from[link.media]?.name ?? link.media}` })
    return undefined
  })
  return { comp: next, lost }
}

/**
 * The look of a shot on the media of another, whose frame and range stay: its lanes, steps, drawings, viewing. What is in pixels follows the width. Tells
 * what could not be connected.
 */
export function lookOnto(
  source: { readonly comp: Comp; readonly media: MediaTable },
  target: { readonly comp: Comp; readonly media: MediaTable },
): { readonly comp: Comp; readonly lost: readonly string[] } {
  const { comp, lost } = withMediaOf(source.comp, knownMedia(source.media), target.media)
  const factor = target.comp.canvas.width / source.comp.canvas.width
  const sized = (step: Step) => sizedStep(step, factor, allSteps(source.comp))
  const fit: Comp = {
    ...comp,
    canvas: target.comp.canvas,
    frames: target.comp.frames,
    lanes: comp.lanes.map((l) => ({ ...l, steps: l.steps.map(sized) })),
    master: comp.master.map(sized),
  }
  return {
    comp: factor === 1 ? { ...comp, canvas: fit.canvas, frames: fit.frames } : fit,
    lost: lost.map((l) => l.words),
  }
}
