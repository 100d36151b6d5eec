import type { MediaTable } from '../../core/comp/media.ts'
import { passKinds, rulesOf } from '../../core/passes/passes.ts'
import type { Comp, Link, Step } from '../../core/comp/schema.ts'
import { effectOf } from '../../core/recipes/effect-of.ts'

/**
 * The feed of a step that a dropped pass or lane is most likely meant for: the one of its kind; the matte for what says where and for numbers;
 * else the first that the effect has, or the matte of a step without any.
 */
export function feedFor(step: Step, link: Link, comp: Comp, media: MediaTable): string {
  const feeds = Object.entries(effectOf(step)?.feeds ?? {})
  const kind =
    link.type === 'pass'
      ? media[link.media]?.passes.find((p) => p.name === link.pass)?.kind
      : link.type === 'tap'
        ? comp.lanes.find((l) => l.id === link.lane)?.kind
        : 'matte'
  const same = feeds.find(([, feed]) => feed.kind === kind)
  if (same) return same[0]
  return kind === 'matte' || passKinds.some((k) => k === kind && rulesOf(k).isData)
    ? 'matte'
    : (feeds[0]?.[0] ?? 'matte')
}
