import { produce, type WritableDraft } from 'immer'
import { defaultDials, findEffect } from '../effects/registry.ts'
import type { DialValue } from '../effects/dials.ts'
import { settingAt } from './animation.ts'
import {
  allSteps,
  isAnimated,
  type Animated,
  type Comp,
  type DialSetting,
  type FeedLink,
  type Lane,
  type Step,
} from './schema.ts'

/** A mark of a gradient, the place or the look of it. */
type SourceKey = 'colour' | 'alpha' | `${'from' | 'to'}.${'at' | 'colour' | 'alpha'}`

/** Where a link stands: a feed of a step by its name, a step's matte, or a join's; `also` counts the further ones of a matte. */
export type LinkRef =
  | { readonly step: string; readonly feed: string; readonly also?: number }
  | { readonly lane: string; readonly also?: number }

/** Names a value of the comp that a person can change. */
export type SettingRef =
  | { readonly of: 'dial'; readonly step: string; readonly key: string }
  | { readonly of: 'amount' | 'on'; readonly step: string }
  | { readonly of: 'opacity'; readonly lane: string }
  | { readonly of: 'source'; readonly lane: string; readonly key: SourceKey }
  | { readonly of: 'spread' | 'soft' | 'invert'; readonly link: LinkRef }

/** When a value is read or written. */
export interface AtFrame {
  readonly frame: number
  /** A change at a frame sets a key there, also for what stood still. */
  readonly autoKey?: boolean
}

/** The object that holds a setting, and its key in it. */
interface Slot {
  readonly holder: Record<string, unknown>
  readonly key: string
  /** What counts where nothing is said. */
  readonly fallback: DialValue
  /** Whether a track may stand here. */
  readonly moves: boolean
  readonly range?: readonly [number, number] | undefined
}

const unitRange = [0, 1] as const
/** Limits of spread and softness, as the format has them. */
const [spreadRange, softRange] = [[-4000, 4000] as const, [0, 4000] as const]

function linkAt(comp: Comp, ref: LinkRef): FeedLink | undefined {
  const matte =
    'lane' in ref
      ? comp.lanes.find((l) => l.id === ref.lane)?.join.matte
      : ref.feed === 'matte'
        ? allSteps(comp).find((s) => s.id === ref.step)?.matte
        : undefined
  if ('step' in ref && ref.feed !== 'matte')
    return allSteps(comp).find((s) => s.id === ref.step)?.feeds[ref.feed]
  return ref.also === undefined ? matte : matte?.also?.[ref.also]
}

function slotOf(comp: Comp, ref: SettingRef): Slot | undefined {
  const held = (holder: object | undefined, key: string, rest: Omit<Slot, 'holder' | 'key'>) =>
    holder && { holder: holder as Record<string, unknown>, key, ...rest }
  switch (ref.of) {
    case 'dial': {
      const step = allSteps(comp).find((s) => s.id === ref.step)
      const effect = step && findEffect(step.effect)
      const dial = effect && Object.hasOwn(effect.dials, ref.key) ? effect.dials[ref.key] : undefined
      const fallback = (effect && defaultDials(effect, comp.canvas)[ref.key]) ?? 0
      const range = dial?.type === 'number' ? dial.hard : undefined
      return held(step?.dials, ref.key, { fallback, moves: true, range })
    }
    case 'amount':
    case 'on': {
      const step = allSteps(comp).find((s) => s.id === ref.step)
      return ref.of === 'on'
        ? held(step, 'on', { fallback: true, moves: false })
        : held(step, 'amount', { fallback: 1, moves: true, range: unitRange })
    }
    case 'opacity':
      return held(comp.lanes.find((l) => l.id === ref.lane)?.join, 'opacity', {
        fallback: 1,
        moves: true,
        range: unitRange,
      })
    case 'source': {
      const source = comp.lanes.find((l) => l.id === ref.lane)?.source
      const [end, key] = ref.key.split('.') as [string, string | undefined]
      const range = ref.key.endsWith('alpha') ? unitRange : undefined
      if (source?.type === 'gradient' && key !== undefined)
        return held(source[end as 'from' | 'to'], key, { fallback: 0, moves: false, range })
      if ((source?.type === 'colour' || source?.type === 'drawing') && key === undefined)
        return held(source, end, { fallback: [1, 1, 1], moves: false, range })
      return undefined
    }
    case 'spread':
    case 'soft':
      return held(linkAt(comp, ref.link), ref.of, {
        fallback: 0,
        moves: false,
        range: ref.of === 'spread' ? spreadRange : softRange,
      })
    case 'invert':
      return held(linkAt(comp, ref.link), 'invert', { fallback: false, moves: false })
  }
}

/** What stands at a setting: a constant or a track. Undefined where there is no such setting. */
export function settingOf(comp: Comp, ref: SettingRef): DialSetting | undefined {
  const slot = slotOf(comp, ref)
  return slot && ((slot.holder[slot.key] as DialSetting | undefined) ?? (slot.fallback as DialSetting))
}

/** The value of a setting at a frame; undefined where there is no such setting. */
export function readSetting(comp: Comp, ref: SettingRef, frame: number): DialValue | undefined {
  const setting = settingOf(comp, ref)
  return setting === undefined ? undefined : settingAt(setting, frame)
}

/** Whether a setting moves: a track stands there. */
export function moves(comp: Comp, ref: SettingRef): boolean {
  const setting = settingOf(comp, ref)
  return setting !== undefined && isAnimated(setting)
}

const isNumbers = (value: unknown): value is readonly number[] =>
  Array.isArray(value) && value.every((v) => typeof v === 'number')

type KeyValue = Animated['keys'][number]['value']

/** A track of which every key is changed alike, so that it has `value` at the frame; what can not be shifted changes in the key that rules there. */
function shifted({ keys }: Animated, now: DialValue, value: DialValue, frame: number, slot: Slot): Animated {
  const held = (v: number) => (slot.range ? Math.min(slot.range[1], Math.max(slot.range[0], v)) : v)
  const by = (from: DialValue, to: DialValue, key: KeyValue): KeyValue | undefined => {
    if (typeof from === 'number' && typeof to === 'number' && typeof key === 'number')
      return held(key + (to - from))
    if (isNumbers(from) && isNumbers(to) && isNumbers(key) && from.length === to.length)
      return key.map((v, i) => v + (to[i]! - from[i]!))
    return undefined
  }
  if (keys.every((key) => by(now, value, key.value) !== undefined))
    return { keys: keys.map((key) => ({ ...key, value: by(now, value, key.value)! })) }
  const ruling = Math.max(
    0,
    keys.findLastIndex((key) => key.frame <= frame),
  )
  return { keys: keys.map((key, i) => (i === ruling ? { ...key, value: value as KeyValue } : key)) }
}

/** A track with a key of the value at the frame: the one that is there is changed, else one is put between the others. */
function withKey({ keys }: Animated, value: DialValue, frame: number): Animated {
  const at = keys.findIndex((key) => key.frame >= frame)
  const there = keys[at]
  if (there?.frame === frame) return { keys: keys.with(at, { ...there, value: value as KeyValue }) }
  const before = keys[at < 0 ? keys.length - 1 : at - 1]
  const key = { frame, value: value as KeyValue, ...(before?.ease ? { ease: before.ease } : {}) }
  return { keys: keys.toSpliced(at < 0 ? keys.length : at, 0, key) }
}

/**
 * The comp with a value set at a frame; the one way in which a value is written. What stands still takes it. What moves is shifted as a
 * whole, so that it has the value at that frame; with `autoKey` a key is set there instead. An unknown setting leaves the comp as it is.
 */
export function setSetting(
  comp: Comp,
  ref: SettingRef,
  value: DialValue,
  { frame, autoKey = false }: AtFrame,
): Comp {
  const slot = slotOf(comp, ref)
  if (!slot) return comp
  const setting = settingOf(comp, ref)!
  const next = isAnimated(setting)
    ? autoKey
      ? withKey(setting, value, frame)
      : shifted(setting, settingAt(setting, frame), value, frame, slot)
    : autoKey && slot.moves
      ? { keys: [{ frame, value: value as KeyValue }] }
      : value
  return putSetting(comp, ref, next)
}

/** The comp with a setting as it is said: a constant or a whole track. An unknown setting leaves the comp as it is. */
export function putSetting(comp: Comp, ref: SettingRef, setting: DialSetting | DialValue): Comp {
  if (!slotOf(comp, ref)) return comp
  return produce(comp, (draft) => {
    const { holder, key } = slotOf(draft, ref)!
    ;(holder as WritableDraft<Record<string, unknown>>)[key] = setting
  })
}

/** The comp with a dial as it is said. */
export function putDial(comp: Comp, step: string, key: string, setting: DialSetting): Comp {
  return putSetting(comp, { of: 'dial', step, key }, setting)
}

const sourceKeys = {
  colour: ['colour', 'alpha'],
  gradient: ['from.at', 'from.colour', 'from.alpha', 'to.at', 'to.colour', 'to.alpha'],
  drawing: ['colour'],
} as const

function stepSettings(step: Step): SettingRef[] {
  const effect = findEffect(step.effect)
  const keys = new Set([...Object.keys(effect?.dials ?? {}), ...Object.keys(step.dials)])
  const feeds = [...Object.keys(step.feeds), ...(step.matte ? ['matte'] : [])]
  return [
    { of: 'on', step: step.id },
    { of: 'amount', step: step.id },
    ...[...keys].map((key): SettingRef => ({ of: 'dial', step: step.id, key })),
    ...feeds.flatMap((feed) =>
      linkSettings({ step: step.id, feed }, feed === 'matte' ? step.matte?.also?.length : 0),
    ),
  ]
}

function linkSettings(link: LinkRef, also = 0): SettingRef[] {
  const links = [link, ...Array.from({ length: also }, (_, i) => ({ ...link, also: i }))]
  return links.flatMap((one) =>
    (['spread', 'soft', 'invert'] as const).map((of): SettingRef => ({ of, link: one })),
  )
}

function laneSettings({ id, source, join, steps }: Lane): SettingRef[] {
  const keys = source.type in sourceKeys ? sourceKeys[source.type as keyof typeof sourceKeys] : []
  return [
    ...keys.map((key): SettingRef => ({ of: 'source', lane: id, key })),
    ...steps.flatMap(stepSettings),
    { of: 'opacity', lane: id },
    ...(join.matte ? linkSettings({ lane: id }, join.matte.also?.length) : []),
  ]
}

/** All settings of a comp, in the order in which the desk is read: by lanes, each from its source to its join, then the master. */
export function listSettings(comp: Comp): SettingRef[] {
  return [...comp.lanes.flatMap(laneSettings), ...comp.master.flatMap(stepSettings)]
}
