'use client'

import { Link2, Unlink } from 'lucide-react'
import { dataKinds } from '../../core/comp/pass-kind.ts'
import type { FeedLink, Link } from '../../core/comp/schema.ts'
import { useShot } from '../shot/shot-context.tsx'

const passLink = (media: string, pass: string): Link => ({ type: 'pass', media, pass })
const tapLink = (lane: string): Link => ({ type: 'tap', lane })
const encode = (link: Link) => JSON.stringify(link)

interface LinkChipProps {
  readonly label: string
  readonly hint: string
  readonly link: FeedLink | undefined
  /** What counts while nothing is connected. */
  readonly without: string
  /** Lane whose own end can not be fed from. */
  readonly laneId: string
  readonly isMatte: boolean
  readonly onChange: (link: FeedLink | undefined) => void
}

/** A feed of a step as a chip: where it comes from, to choose, to invert and to cut. */
export function LinkChip({ label, hint, link, without, laneId, isMatte, onChange }: LinkChipProps) {
  const media = useShot((s) => s.media)
  const lanes = useShot((s) => s.comp.lanes)
  const choose = (text: string) => {
    onChange(text ? { ...link, from: JSON.parse(text) as Link } : undefined)
  }
  const value = link ? encode(link.from) : ''
  const fits = (kind: string) => isMatte || !dataKinds.some((k) => k === kind)
  const options: { group: string; links: { text: string; link: Link }[] }[] = [
    ...Object.entries(media).map(([ref, m]) => ({
      group: m.name,
      links: m.passes
        .filter((p) => fits(p.kind))
        .map((p) => ({
          text: `${m.name} · ${p.name}`,
          link: passLink(ref, p.name),
        })),
    })),
    {
      group: 'Lanes',
      links: lanes
        .filter((l) => l.id !== laneId)
        .map((l) => ({ text: `tap of ${l.name}`, link: tapLink(l.id) })),
    },
  ]
  const isKnown = options.some((g) => g.links.some((l) => encode(l.link) === value))
  return (
    <div
      className={`flex items-center gap-1 rounded-full border py-px pl-2.5 pr-1 text-xs ${link ? 'border-primary bg-primary/25' : 'border-base-content/20'}`}
      title={hint}
    >
      <Link2 size={12} className={link ? 'text-accent' : 'text-base-content/40'} aria-hidden />
      <span>{label} ←</span>
      <select
        aria-label={`${label} feed`}
        className="min-w-0 max-w-40 cursor-pointer truncate bg-transparent py-0.5 outline-none"
        value={value}
        onChange={(e) => {
          choose(e.target.value)
        }}
      >
        <option value="">{without}</option>
        {link && !isKnown && <option value={value}>missing</option>}
        {options.map(({ group, links }) => (
          <optgroup key={group} label={group}>
            {links.map(({ text, link: one }) => (
              <option key={encode(one)} value={encode(one)}>
                {text}
              </option>
            ))}
          </optgroup>
        ))}
      </select>
      {link && isMatte && (
        <button
          type="button"
          className={`rounded px-1 ${link.invert ? 'bg-accent text-accent-content' : 'hover:bg-base-100'}`}
          aria-pressed={link.invert ?? false}
          title="Invert: act where the matte is not"
          onClick={() => {
            onChange({ ...link, invert: !link.invert })
          }}
        >
          inv
        </button>
      )}
      {link && (
        <button
          type="button"
          className="rounded-full p-0.5 hover:bg-base-100"
          aria-label={`Cut the ${label} feed`}
          title="Cut"
          onClick={() => {
            onChange(undefined)
          }}
        >
          <Unlink size={12} aria-hidden />
        </button>
      )}
    </div>
  )
}
