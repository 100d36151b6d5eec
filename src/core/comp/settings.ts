import { produce, type WritableDraft } from 'immer'
import { effectOf } from '../recipes/effect-of.ts'
import { fitting, ownDials } from './own-dials.ts'
import { defaultOn, type Dial, type DialValue } from '../dials/dials.ts'
import { insertKey, removeKeys, setKey, shiftTo, trackOf } from '../tracks/track-edits.ts'
import { workingSpace } from '../colour/working.ts'
import { settingAt, type TrackTime } from '../tracks/track-at.ts'
import {
  findStep,
  isTrack,
  type Track,
  type Comp,
  type Drawing,
  type Setting,
  type FeedLink,
  type Lane,
  type Step,
} from './schema.ts'

/** A mark of a gradient, the place or the look of it. */
type SourceKey = 'colour' | 'alpha' | `${'from' | 'to'}.${'at' | 'colour' | 'alpha'}`

type PlacingKey = 'about' | 'move' | 'turn' | 'scale'
type ShapeKey = 'opacity' | 'inner' | 'outer'

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
  /** Where a drawing is placed as one. */
  | { readonly of: 'placing'; readonly drawing: string; readonly key: PlacingKey }
  /** Of a shape of a drawing that is not drawn frame by frame. */
  | { readonly of: 'shape'; readonly drawing: string; readonly shape: string; readonly key: ShapeKey }

/** When a value is read or written. */
export interface AtFrame {
  readonly frame: number
  /** A change at a frame sets a key there, also for what stood still. */
  readonly autoKey?: boolean
  /** What is followed and measured, where that is known. */
  readonly read?: TrackTime['read']
}

/** The object that holds a setting, its key in it, and how it is ownDials. */
interface Slot {
  readonly holder: Record<string, unknown>
  readonly key: string
  /** Undefined for dials of effects that are not known here. */
  readonly dial: Dial | undefined
}

function linkAt(comp: Comp, ref: LinkRef): FeedLink | undefined {
  const matte =
    'lane' in ref
      ? comp.lanes.find((l) => l.id === ref.lane)?.join.matte
      : ref.feed === 'matte'
        ? findStep(comp, ref.step)?.matte
        : undefined
  if ('step' in ref && ref.feed !== 'matte') return findStep(comp, ref.step)?.feeds[ref.feed]
  return ref.also === undefined ? matte : matte?.also?.[ref.also]
}

function slotOf(comp: Comp, ref: SettingRef, isDraft = false): Slot | undefined {
  const held = (holder: object | undefined, key: string, dial: Dial | undefined) =>
    holder && { holder: holder as Record<string, unknown>, key, dial }
  switch (ref.of) {
    case 'dial': {
      const step = findStep(comp, ref.step)
      const effect = effectOf(step)
      const dial = effect && Object.hasOwn(effect.dials, ref.key) ? effect.dials[ref.key] : undefined
      return held(step?.dials, ref.key, dial)
    }
    case 'amount':
    case 'on': {
      const step = findStep(comp, ref.step)
      return held(step, ref.of, ownDials[ref.of])
    }
    case 'opacity':
      return held(comp.lanes.find((l) => l.id === ref.lane)?.join, 'opacity', ownDials.opacity)
    case 'source': {
      const source = comp.lanes.find((l) => l.id === ref.lane)?.source
      const [end, key] = ref.key.split('.') as [string, 'at' | 'colour' | 'alpha' | undefined]
      if (source?.type === 'gradient' && key !== undefined)
        return held(source[end as 'from' | 'to'], key, ownDials[key])
      if ((source?.type === 'colour' || source?.type === 'drawing') && key === undefined)
        return held(source, end, ownDials[end as 'colour' | 'alpha'])
      return undefined
    }
    case 'spread':
    case 'soft':
    case 'invert':
      return held(linkAt(comp, ref.link), ref.of, ownDials[ref.of])
    case 'placing': {
      const drawing = comp.drawings.find((d) => d.id === ref.drawing)
      if (drawing && isDraft) drawing.placing ??= {}
      return held(drawing && (drawing.placing ?? {}), ref.key, ownDials[ref.key])
    }
    case 'shape': {
      const drawing = comp.drawings.find((d) => d.id === ref.drawing)
      const shapes = drawing?.time === 'keyed' ? drawing.shapes : []
      return held(
        shapes.find((one) => one.id === ref.shape),
        ref.key,
        ownDials[ref.key],
      )
    }
  }
}

/** When tracks of a comp are read, with what is followed and measured where that is known. */
export const timeOf = (
  { frames, space }: Pick<Comp, 'frames' | 'space'>,
  read?: TrackTime['read'],
): TrackTime => ({
  rate: frames.rate,
  first: frames.first,
  space: workingSpace(space),
  ...(read && { read }),
})

/** How a setting is declared: its type, range and unit. Undefined where there is none, or of an effect that is not known here. */
export function dialAt(comp: Comp, ref: SettingRef): Dial | undefined {
  return slotOf(comp, ref)?.dial
}

/** What stands at a setting: a constant or a track. Undefined where there is no such setting. */
export function settingOf(comp: Comp, ref: SettingRef): Setting | undefined {
  const slot = slotOf(comp, ref)
  if (!slot) return undefined
  const fallback = slot.dial ? defaultOn(slot.dial, comp.canvas) : 0
  return (slot.holder[slot.key] as Setting | undefined) ?? (fallback as Setting)
}

/** The value of a setting at a frame; undefined where there is no such setting. */
export function readSetting(
  comp: Comp,
  ref: SettingRef,
  frame: number,
  read?: TrackTime['read'],
): DialValue | undefined {
  const setting = settingOf(comp, ref)
  return setting !== undefined && isTrack(setting)
    ? fitting(dialAt(comp, ref), settingAt(setting, frame, timeOf(comp, read)))
    : setting
}

/** Whether a setting moves: a track stands there. */
export function moves(comp: Comp, ref: SettingRef): boolean {
  const setting = settingOf(comp, ref)
  return setting !== undefined && isTrack(setting)
}

/**
 * The comp with a value set at a frame; the one way in which a value is written. What stands still takes it. What moves is shifted as a
 * whole, so that it has the value at that frame; with `autoKey` a key is set there instead. An unknown setting leaves the comp as it is.
 */
export function setSetting(
  comp: Comp,
  ref: SettingRef,
  value: DialValue,
  { frame, autoKey = false, read }: AtFrame,
): Comp {
  const setting = settingOf(comp, ref)
  if (setting === undefined) return comp
  const time = timeOf(comp, read)
  if (!isTrack(setting)) return putSetting(comp, ref, autoKey ? trackOf(value, frame) : value)
  if (autoKey) return putSetting(comp, ref, setKey(setting, frame, value, time))
  const dial = dialAt(comp, ref)
  const fit = (one: DialValue) => fitting(dial, one)
  return putSetting(comp, ref, shiftTo(setting, frame, value, time, fit as never))
}

/** The comp with a setting as it is said: a constant, or a whole track with the values of its keys as the dial takes them. An unknown setting leaves the comp as it is. */
export function putSetting(comp: Comp, ref: SettingRef, setting: Setting | DialValue): Comp {
  const slot = slotOf(comp, ref)
  if (!slot) return comp
  const fitted = (value: DialValue) => fitting(slot.dial, value) as Track['keys'][number]['value']
  const next = isTrack(setting)
    ? { ...setting, keys: setting.keys.map((k) => ({ ...k, value: fitted(k.value) })) }
    : setting
  return produce(comp, (draft) => {
    const { holder, key } = slotOf(draft, ref, true)!
    ;(holder as WritableDraft<Record<string, unknown>>)[key] = next
  })
}

/** Frames at which a setting has keys, by rising frame; none where it stands still. */
export function keyFrames(comp: Comp, ref: SettingRef): readonly number[] {
  const setting = settingOf(comp, ref)
  return setting !== undefined && isTrack(setting) ? setting.keys.map((key) => key.frame) : []
}

/**
 * The comp with a key more or less of a setting at a frame. A new key changes nothing; without its last key the setting stands still at
 * the value that it has there. An unknown setting leaves the comp as it is.
 */
export function toggleKey(comp: Comp, ref: SettingRef, frame: number): Comp {
  const setting = settingOf(comp, ref)
  if (setting === undefined) return comp
  if (!isTrack(setting)) return putSetting(comp, ref, trackOf(setting, frame))
  if (!setting.keys.some((key) => key.frame === frame))
    return putSetting(comp, ref, insertKey(setting, frame))
  return putSetting(comp, ref, removeKeys(setting, [frame]) ?? setting.keys[0]!.value)
}

/** The comp with the track of a setting changed; what stands still becomes a track with one key at the frame. */
export function editTrack(
  comp: Comp,
  ref: SettingRef,
  frame: number,
  change: (track: Track) => Track | Setting | undefined,
): Comp {
  const setting = settingOf(comp, ref)
  if (setting === undefined) return comp
  const track = isTrack(setting) ? setting : trackOf(setting, frame)
  const next = change(track)
  return next === track ? comp : putSetting(comp, ref, next ?? track.keys[0]!.value)
}

/** The comp with a dial as it is said. */
export function putDial(comp: Comp, step: string, key: string, setting: Setting): Comp {
  return putSetting(comp, { of: 'dial', step, key }, setting)
}

const sourceKeys = {
  colour: ['colour', 'alpha'],
  gradient: ['from.at', 'from.colour', 'from.alpha', 'to.at', 'to.colour', 'to.alpha'],
  drawing: ['colour'],
} as const

function stepSettings(step: Step): SettingRef[] {
  const effect = effectOf(step)
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

const placingKeys = ['about', 'move', 'turn', 'scale'] as const
const shapeKeys = ['opacity', 'inner', 'outer'] as const

function drawingSettings(drawing: Drawing): SettingRef[] {
  const { id } = drawing
  const shapes = drawing.time === 'keyed' ? drawing.shapes : []
  return [
    ...placingKeys.map((key): SettingRef => ({ of: 'placing', drawing: id, key })),
    ...shapes.flatMap((s) =>
      shapeKeys.map((key): SettingRef => ({ of: 'shape', drawing: id, shape: s.id, key })),
    ),
  ]
}

/** All settings of a comp, in the order in which the desk is read: by lanes, each from its source to its join, then the master, then drawings. */
export function listSettings(comp: Comp): SettingRef[] {
  return [
    ...comp.lanes.flatMap(laneSettings),
    ...comp.master.flatMap(stepSettings),
    ...comp.drawings.flatMap(drawingSettings),
  ]
}
