import { isTrack, type Rider, type Track } from '../tracks/track.ts'
import type { Link } from './schema.ts'

// Links of what follows or measures: they stand inside the tracks of settings.

/** The tracks in a part of a comp. */
export function tracksIn(part: unknown): Track[] {
  if (isTrack(part)) return [part]
  if (Array.isArray(part)) return part.flatMap((one) => (typeof one === 'object' ? tracksIn(one) : []))
  return typeof part === 'object' && part !== null ? Object.values(part).flatMap(tracksIn) : []
}

function linksOfRider(rider: Rider): Link[] {
  if (rider.type === 'measure') return [rider.of, ...(rider.inside ? [rider.inside.from] : [])]
  if (rider.type !== 'follow') return []
  if (rider.of.type === 'matte') return [rider.of.matte.from]
  return rider.of.type === 'placement' ? [{ type: 'tap', lane: rider.of.lane }] : []
}

/** The links of what rides on the tracks in a part of a comp. */
export const riderLinks = (part: unknown): Link[] =>
  tracksIn(part).flatMap(({ riders = [] }) => riders.flatMap(linksOfRider))

/** A rider with its links changed; one that is cut stays as it is, and is told of where it is read. */
function mapRider(rider: Rider, change: (link: Link) => Link | undefined): Rider {
  if (rider.type === 'measure') {
    const of = change(rider.of) ?? rider.of
    const inside = rider.inside && (change(rider.inside.from) ?? rider.inside.from)
    if (of === rider.of && inside === rider.inside?.from) return rider
    return {
      ...rider,
      ...(of.type !== 'drawing' && { of }),
      ...(rider.inside && inside && { inside: { ...rider.inside, from: inside } }),
    }
  }
  if (rider.type !== 'follow') return rider
  if (rider.of.type === 'matte') {
    const { matte } = rider.of
    const from = change(matte.from) ?? matte.from
    return from === matte.from ? rider : { ...rider, of: { ...rider.of, matte: { ...matte, from } } }
  }
  if (rider.of.type !== 'placement') return rider
  const to = change({ type: 'tap', lane: rider.of.lane })
  return to?.type === 'tap' && to.lane !== rider.of.lane
    ? { ...rider, of: { ...rider.of, lane: to.lane } }
    : rider
}

/** A part of a comp with the links of its riders changed; the very same where none is. */
export function mapRiderLinks<T>(part: T, change: (link: Link) => Link | undefined): T {
  if (typeof part !== 'object' || part === null) return part
  if (isTrack(part)) {
    const riders = part.riders?.map((r) => mapRider(r, change))
    return riders?.some((r, i) => r !== part.riders![i]) ? { ...part, riders } : part
  }
  if (Array.isArray(part)) {
    const next = part.map((one: unknown) => mapRiderLinks(one, change))
    return next.every((one, i) => one === part[i]) ? part : (next as T)
  }
  const next = Object.entries(part).map(([key, one]) => [key, mapRiderLinks(one as unknown, change)] as const)
  return next.every(([key, one]) => one === part[key as keyof T]) ? part : (Object.fromEntries(next) as T)
}
