import { effectOf } from '../recipes/effect-of.ts'
import { pictureInput } from './recipe.ts'
import type { MediaTable } from './media.ts'
import {
  isTrack,
  type Comp,
  type FeedLink,
  type Lane,
  type Link,
  type MatteLink,
  type Step,
} from './schema.ts'

// What a lane does, in one plain sentence that a finisher can check against the picture.

const laneName = (comp: Comp, id: string) => comp.lanes.find((l) => l.id === id)?.name ?? 'a missing lane'

function stepName(step: Step): string {
  return (step.name ?? effectOf(step)?.title ?? step.effect).toLowerCase()
}

function linkWords(comp: Comp, media: MediaTable, link: Link): string {
  if (link.type === 'pass') return `${link.pass} of ${media[link.media]?.name ?? 'missing media'}`
  if (link.type === 'drawing')
    return `the drawing ${comp.drawings.find((d) => d.id === link.drawing)?.name ?? 'that is missing'}`
  if (link.type === 'input')
    return link.input === pictureInput ? 'the picture that comes in' : `its ${link.input}`
  const lane = comp.lanes.find((l) => l.id === link.lane)
  const step = lane?.steps.find((s) => s.id === link.after)
  const point = link.after === 'source' ? ' before its steps' : step ? ` after ${stepName(step)}` : ''
  return `${laneName(comp, link.lane)}${point}`
}

function matteWords(comp: Comp, media: MediaTable, matte: MatteLink | undefined): string {
  if (!matte) return ''
  const one = (m: FeedLink) => {
    const count = m.objects?.length ?? 0
    const objects = count > 0 ? `${count === 1 ? 'one object' : `${count} objects`} in ` : ''
    const spread = m.spread ?? 0
    const shaped = isTrack(spread)
      ? ' grown and shrunk over time'
      : spread === 0
        ? ''
        : ` ${spread > 0 ? 'grown' : 'shrunk'} by ${Math.abs(spread)} px`
    return `${m.invert ? 'outside' : 'in'} ${objects}${linkWords(comp, media, m.from)}${shaped}`
  }
  const joined = { union: 'or', intersect: 'and', subtract: 'but not' } as const
  const rest = (matte.also ?? []).map((m) => ` ${joined[m.by]} ${one(m)}`)
  return `${one(matte)}${rest.join('')}`
}

function sourceWords(comp: Comp, media: MediaTable, lane: Lane): string {
  const { source } = lane
  switch (source.type) {
    case 'pass':
    case 'input':
    case 'drawing':
      return linkWords(comp, media, source)
    case 'tap':
      return `a live copy of ${linkWords(comp, media, source)}`
    case 'colour':
      return 'a flat colour'
    case 'gradient':
      return source.shape === 'line' ? 'a gradient along a line' : 'a gradient around a point'
    case 'lanes': {
      const inside = comp.lanes.filter((l) => l.in === lane.id).map((l) => l.name)
      return inside.length > 0 ? `${inside.join(', ')} together` : 'an empty bus'
    }
  }
}

function stepWords(comp: Comp, media: MediaTable, step: Step): string {
  const declared = effectOf(step)?.feeds
  const feeds = Object.entries(step.feeds).map(([name, f]) =>
    declared?.[name]?.kind === 'matte'
      ? `${declared[name].role === 'part' ? 'light' : name} ${matteWords(comp, media, f)}`
      : `${name} from ${linkWords(comp, media, f.from)}`,
  )
  const where = step.matte ? [`only ${matteWords(comp, media, step.matte)}`] : []
  const more = [...feeds, ...where]
  return `${stepName(step)}${more.length > 0 ? ` (${more.join(', ')})` : ''}`
}

/** 'Emission of grotto, then rays (…); joined by plus at 70 %.' */
export function describeLane(comp: Comp, media: MediaTable, lane: Lane): string {
  const steps = lane.steps.filter((s) => s.on).map((s) => stepWords(comp, media, s))
  const source = sourceWords(comp, media, lane)
  const then = steps.length > 0 ? `, then ${steps.join(', then ')}` : ''
  const whole = `${source.charAt(0).toUpperCase()}${source.slice(1)}${then}`
  if (lane.kind === 'matte') return `${whole}. It is not in the picture; others take from it.`
  if (lane.muted) return `${whole}. Muted: not in the picture.`
  const { mode, opacity, matte } = lane.join
  const share = isTrack(opacity)
    ? ' with an opacity that moves'
    : opacity < 1
      ? ` at ${Math.round(opacity * 100)} %`
      : ''
  const where = matte ? `, only ${matteWords(comp, media, matte)}` : ''
  const bus = comp.lanes.some((l) => l.id === lane.in)
  const place = lane.in === undefined || !bus ? '' : ` into ${laneName(comp, lane.in)}`
  return `${whole}; joined${place} by ${mode}${share}${where}.`
}
