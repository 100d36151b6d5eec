import { useSyncExternalStore } from 'react'

// Which recipes someone likes and has used lately: of this browser alone.

const place = 'zafiro recipes liked'
const mostLately = 12

export interface Liked {
  readonly favourites: readonly string[]
  /** The last first. */
  readonly lately: readonly string[]
}
const none: Liked = { favourites: [], lately: [] }

const listeners = new Set<() => void>()
let now: Liked | undefined

const texts = (list: unknown): string[] =>
  Array.isArray(list) ? list.filter((one) => typeof one === 'string') : []

function read(): Liked {
  if (now) return now
  try {
    const kept = JSON.parse(localStorage.getItem(place) ?? '{}') as Partial<Record<keyof Liked, unknown>>
    now = { favourites: texts(kept.favourites), lately: texts(kept.lately) }
  } catch {
    now = none
  }
  return now
}

function keep(next: Liked): void {
  now = next
  try {
    localStorage.setItem(place, JSON.stringify(next))
  } catch {
    // Without room it is kept until the page is left.
  }
  for (const listener of listeners) listener()
}

export function toggleFavourite(id: string): void {
  const { favourites, lately } = read()
  keep({
    lately,
    favourites: favourites.includes(id) ? favourites.filter((one) => one !== id) : [...favourites, id],
  })
}

export function noteUsed(id: string): void {
  const { favourites, lately } = read()
  keep({ favourites, lately: [id, ...lately.filter((one) => one !== id)].slice(0, mostLately) })
}

const subscribe = (listener: () => void) => {
  listeners.add(listener)
  return () => listeners.delete(listener)
}
export const useLiked = (): Liked => useSyncExternalStore(subscribe, read, () => none)

/** Favourites first, then what was used lately, the last first, then all others as they were. */
export function likedFirst<T extends { readonly id: string }>(
  all: readonly T[],
  { favourites, lately }: Liked,
): T[] {
  const rank = ({ id }: T) => {
    if (favourites.includes(id)) return -1000
    const at = lately.indexOf(id)
    return at < 0 ? 0 : at - 500
  }
  return all.toSorted((a, b) => rank(a) - rank(b))
}
