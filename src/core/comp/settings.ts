import { produce, type WritableDraft } from 'immer'
import { findEffect } from '../effects/registry.ts'
import {
  colour,
  defaultOn,
  flag,
  number,
  point,
  shiftedDial,
  type Dial,
  type DialValue,
} from '../dials/dials.ts'
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

/** The object that holds a setting, its key in it, and how it is declared. */
interface Slot {
  readonly holder: Record<string, unknown>
  readonly key: string
  /** Undefined for dials of effects that are not known here. */
  readonly dial: Dial | undefined
  /** Whether a track may stand here. */
  readonly moves: boolean
}

const unit = { default: 1, range: [0, 1], step: 0.01 } as const
/** How the settings that are no dials of an effect are declared. */
const declared = {
  on: flag({ default: true, hint: 'Off leaves the step out.' }),
  amount: number({ ...unit, hint: 'How far the step acts: 0 leaves the picture as it was, 1 is all of it.' }),
  opacity: number({ ...unit, hint: 'How much of the lane meets the picture below it.' }),
  colour: colour({ default: [1, 1, 1], hint: 'Its colour, linear.' }),
  alpha: number({ ...unit, hint: 'How much it covers.' }),
  at: point({ default: [0, 0], hint: 'Where this end lies.' }),
  spread: number({
    default: 0,
    range: [-40, 40],
    hard: [-4000, 4000],
    unit: 'px',
    hint: 'Above 0 the matte grows, below 0 it shrinks.',
  }),
  soft: number({ default: 0, range: [0, 60], hard: [0, 4000], unit: 'px', hint: 'Width of its edge.' }),
  invert: flag({ default: false, hint: 'On: it acts outside instead.' }),
} as const

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
  const held = (holder: object | undefined, key: string, dial: Dial | undefined, moves: boolean) =>
    holder && { holder: holder as Record<string, unknown>, key, dial, moves }
  switch (ref.of) {
    case 'dial': {
      const step = allSteps(comp).find((s) => s.id === ref.step)
      const effect = step && findEffect(step.effect)
      const dial = effect && Object.hasOwn(effect.dials, ref.key) ? effect.dials[ref.key] : undefined
      return held(step?.dials, ref.key, dial, true)
    }
    case 'amount':
    case 'on': {
      const step = allSteps(comp).find((s) => s.id === ref.step)
      return held(step, ref.of, declared[ref.of], ref.of === 'amount')
    }
    case 'opacity':
      return held(comp.lanes.find((l) => l.id === ref.lane)?.join, 'opacity', declared.opacity, true)
    case 'source': {
      const source = comp.lanes.find((l) => l.id === ref.lane)?.source
      const [end, key] = ref.key.split('.') as [string, 'at' | 'colour' | 'alpha' | undefined]
      if (source?.type === 'gradient' && key !== undefined)
        return held(source[end as 'from' | 'to'], key, declared[key], false)
      if ((source?.type === 'colour' || source?.type === 'drawing') && key === undefined)
        return held(source, end, declared[end as 'colour' | 'alpha'], false)
      return undefined
    }
    case 'spread':
    case 'soft':
    case 'invert':
      return held(linkAt(comp, ref.link), ref.of, declared[ref.of], false)
  }
}

/** How a setting is declared: its type, range and unit. Undefined where there is none, or of an effect that is not known here. */
export function dialAt(comp: Comp, ref: SettingRef): Dial | undefined {
  return slotOf(comp, ref)?.dial
}

/** What stands at a setting: a constant or a track. Undefined where there is no such setting. */
export function settingOf(comp: Comp, ref: SettingRef): DialSetting | undefined {
  const slot = slotOf(comp, ref)
  if (!slot) return undefined
  const fallback = slot.dial ? defaultOn(slot.dial, comp.canvas) : 0
  return (slot.holder[slot.key] as DialSetting | undefined) ?? (fallback as DialSetting)
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

type KeyValue = Animated['keys'][number]['value']

/** A track of which every key is changed alike, so that it has `value` at the frame; what can not be shifted changes in the key that rules there. */
function shifted(
  { keys }: Animated,
  now: DialValue,
  value: DialValue,
  frame: number,
  dial: Dial | undefined,
): Animated {
  const moved = keys.map((key) => dial && shiftedDial(dial, key.value, now, value))
  if (moved.every((v) => v !== undefined))
    return { keys: keys.map((key, i) => ({ ...key, value: moved[i] as KeyValue })) }
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
      : shifted(setting, settingAt(setting, frame), value, frame, slot.dial)
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

/** Whether a track may stand at a setting. */
export function canMove(comp: Comp, ref: SettingRef): boolean {
  return slotOf(comp, ref)?.moves ?? false
}

/** Frames at which a setting has keys, by rising frame; none where it stands still. */
export function keyFrames(comp: Comp, ref: SettingRef): readonly number[] {
  const setting = settingOf(comp, ref)
  return setting !== undefined && isAnimated(setting) ? setting.keys.map((key) => key.frame) : []
}

/**
 * The comp with a key more or less of a setting at a frame. A new key has the value that the setting has there, and changes nothing else
 * that a straight curve would not; without its last key the setting stands still at that value. An unknown setting, or one that can not
 * move, leaves the comp as it is.
 */
export function toggleKey(comp: Comp, ref: SettingRef, frame: number): Comp {
  const setting = settingOf(comp, ref)
  if (setting === undefined || !canMove(comp, ref)) return comp
  const value = settingAt(setting, frame)
  if (!isAnimated(setting)) return putSetting(comp, ref, { keys: [{ frame, value: value as KeyValue }] })
  if (!setting.keys.some((key) => key.frame === frame))
    return putSetting(comp, ref, withKey(setting, value, frame))
  const keys = setting.keys.filter((key) => key.frame !== frame)
  return putSetting(comp, ref, keys.length > 0 ? { keys } : value)
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
