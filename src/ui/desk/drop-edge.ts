import {
  pointerWithin,
  type ClientRect,
  type CollisionDetection,
  type DragMoveEvent,
  type DroppableContainer,
  type Over,
} from '@dnd-kit/core'
import type { Link } from '../../core/comp/schema.ts'

/** What is dragged over the desk. */
export type Dragged =
  | { readonly type: 'pass'; readonly media: string; readonly pass: string }
  | { readonly type: 'step'; readonly step: string; readonly title: string }
  | { readonly type: 'lane'; readonly lane: string; readonly title: string }

/** Where something can be let go. */
export type Dropped =
  | { readonly type: 'lane'; readonly lane: string }
  | { readonly type: 'slot'; readonly lane: string; readonly at: number }
  /** A feed, which takes the pass or the lane as where it comes from. */
  | { readonly type: 'chip'; connect(link: Link): void }

export const droppedOf = (over: Over | DroppableContainer | null): Dropped | undefined =>
  over?.data.current as Dropped | undefined

/**
 * In front of a lane, behind it, or onto it, by the part of its row that the pointer is over. Passes know no onto. Where the
 * pointer is comes with the collision: the distance that an event tells counts what the desk was scrolled in between.
 */
export function dropEdge({ collisions }: Pick<DragMoveEvent, 'collisions'>, hasOnto: boolean) {
  const part = (collisions?.[0]?.data as { part?: number } | undefined)?.part ?? 0.5
  if (hasOnto && part > 0.3 && part < 0.7) return 'onto'
  return part < 0.5 ? 'front' : 'back'
}

/** Lanes take lanes and passes; a step goes to the slot nearest to the pointer in the lane that it is over. */
export const deskCollisions: CollisionDetection = (args) => {
  const of = (type: Dropped['type']) => args.droppableContainers.filter((d) => droppedOf(d)?.type === type)
  const pointer = args.pointerCoordinates
  const lanes = pointerWithin({ ...args, droppableContainers: of('lane') }).map(({ id }) => {
    const rect = args.droppableRects.get(id)
    return { id, data: rect && pointer ? { part: (pointer.y - rect.top) / rect.height } : {} }
  })
  const dragged = args.active.data.current as Dragged | undefined
  if (dragged?.type !== 'step') {
    const chips = pointerWithin({ ...args, droppableContainers: of('chip') })
    return chips.length > 0 ? chips : lanes
  }
  const over = droppedOf(args.droppableContainers.find((d) => d.id === lanes[0]?.id) ?? null)
  const lane = over?.type === 'lane' ? over.lane : undefined
  if (!lane || !pointer) return []
  const distance = (rect: ClientRect | undefined) =>
    rect ? Math.abs(rect.left + rect.width / 2 - pointer.x) : Infinity
  const slots = of('slot').filter((d) => {
    const slot = droppedOf(d)
    return slot?.type === 'slot' && slot.lane === lane
  })
  const nearest = slots.toSorted(
    (a, b) => distance(args.droppableRects.get(a.id)) - distance(args.droppableRects.get(b.id)),
  )[0]
  return nearest ? [{ id: nearest.id }] : []
}
