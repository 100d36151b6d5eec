import type { Upgrade } from './document.ts'

// Keys had one ease for all parts of a value; now they say how they go on, with handles in frames and value for each part.

type Loose = Record<string, unknown>
interface OldKey {
  readonly frame: number
  readonly value: unknown
  readonly ease?: 'hold' | 'linear' | 'smooth' | readonly [number, number, number, number]
}

const isObject = (one: unknown): one is Loose =>
  typeof one === 'object' && one !== null && !Array.isArray(one)
const numbersOf = (value: unknown): readonly number[] | undefined =>
  typeof value === 'number'
    ? [value]
    : Array.isArray(value) && value.every((v) => typeof v === 'number')
      ? value
      : undefined

/** A key with what led to it and what leads on; curves of lists of lists were held, and are. */
function upgradedKey(key: OldKey, before: OldKey | undefined, after: OldKey | undefined): Loose {
  const { ease, ...rest } = key
  const curveOf = (one: OldKey | undefined) =>
    one?.ease === 'smooth' ? ([0.42, 0, 0.58, 1] as const) : Array.isArray(one?.ease) ? one.ease : undefined
  const handles = (from: OldKey, to: OldKey, part: (share: readonly number[], rise: number) => number[]) => {
    const [a, b] = [numbersOf(from.value), numbersOf(to.value)]
    const curve = curveOf(from) as readonly number[] | undefined
    return curve && a && b && a.length === b.length ? a.map((v, i) => part(curve, b[i]! - v)) : undefined
  }
  const out =
    after && handles(key, after, ([x = 0, y = 0], rise) => [x * (after.frame - key.frame), y * rise])
  const into =
    before &&
    handles(before, key, ([, , x = 1, y = 1], rise) => [(x - 1) * (key.frame - before.frame), (y - 1) * rise])
  const go = ease === 'hold' ? { go: 'hold' } : curveOf(key) && out ? { go: 'curve', broken: true, out } : {}
  return { ...rest, ...go, ...(into && { in: into }) }
}

/** Tracks stand where settings stand; outlines of shapes keep the ease of their keys. */
function upgradedTracks(value: unknown, name = ''): unknown {
  if (Array.isArray(value)) return value.map((one) => upgradedTracks(one))
  if (!isObject(value)) return value
  const { keys } = value
  if (
    name !== 'path' &&
    Array.isArray(keys) &&
    keys.every((k) => isObject(k) && typeof k['frame'] === 'number')
  ) {
    const all = keys as unknown as OldKey[]
    return { ...value, keys: all.map((key, i) => upgradedKey(key, all[i - 1], all[i + 1])) }
  }
  return Object.fromEntries(Object.entries(value).map(([key, inner]) => [key, upgradedTracks(inner, key)]))
}

export const toTracks: Upgrade = (document) => upgradedTracks(document) as Loose
