'use client'

import { Plus } from 'lucide-react'
import type { LinkRef } from '../../core/comp/settings.ts'
import type { FeedLink, MatteLink } from '../../core/comp/schema.ts'
import { LinkChip, type ChangeLink } from './link-chip.tsx'

type Further = NonNullable<MatteLink['also']>[number]

/** How mattes and shapes are joined, in words. */
export const ways: readonly (readonly [Further['by'], string])[] = [
  ['union', 'or'],
  ['intersect', 'and'],
  ['subtract', 'but not'],
]

/** Where something acts: one matte, and further ones joined to it in turn. */
export function MatteChips({
  hint,
  matte,
  laneId,
  at,
  onChange,
}: {
  hint: string
  matte: MatteLink | undefined
  laneId: string
  /** Where it stands, for the settings of its edge. */
  at: LinkRef
  onChange: ChangeLink<MatteLink>
}) {
  const also = matte?.also ?? []
  const withAlso = (first: FeedLink, further: readonly Further[]): MatteLink => {
    const next: MatteLink = { ...first }
    delete next.also
    return further.length > 0 ? { ...next, also: [...further] } : next
  }
  return (
    <>
      <LinkChip
        label="matte"
        hint={hint}
        link={matte}
        without="everywhere"
        laneId={laneId}
        at={at}
        kind="matte"
        onChange={(link, gesture, prepare) => {
          if (link) {
            onChange(withAlso(link, also), gesture, prepare)
            return
          }
          // The next one takes its place.
          const [next, ...rest] = also
          if (!next) {
            onChange(undefined)
            return
          }
          const first: Partial<Further> = { ...next }
          delete first.by
          onChange(withAlso(first as FeedLink, rest))
        }}
      />
      {matte &&
        also.map((one, i) => (
          <span key={i} className="flex min-w-0 max-w-full items-start gap-1">
            <select
              aria-label={`How matte ${i + 2} is joined`}
              className="cursor-pointer rounded bg-base-300 px-1 py-0.5 text-xs"
              value={one.by}
              onChange={(e) => {
                const by = e.target.value as Further['by']
                onChange(withAlso(matte, also.with(i, { ...one, by })))
              }}
            >
              {ways.map(([by, words]) => (
                <option key={by} value={by}>
                  {words}
                </option>
              ))}
            </select>
            <LinkChip
              label={`matte ${i + 2}`}
              hint="Joined to the mattes before it."
              link={one}
              without="nothing"
              laneId={laneId}
              at={{ ...at, also: i }}
              kind="matte"
              onChange={(link, gesture, prepare) => {
                onChange(
                  withAlso(
                    matte,
                    link ? also.with(i, { ...link, by: one.by }) : also.filter((_, k) => k !== i),
                  ),
                  gesture,
                  prepare,
                )
              }}
            />
          </span>
        ))}
      {matte && (
        <button
          type="button"
          className="btn btn-ghost btn-xs btn-square"
          aria-label="Join a further matte"
          title="Join a further matte: or, and, but not"
          onClick={() => {
            onChange(withAlso(matte, [...also, { by: 'union', from: matte.from }]))
          }}
        >
          <Plus size={13} aria-hidden />
        </button>
      )}
    </>
  )
}
