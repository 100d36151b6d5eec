'use client'

import { useDraggable } from '@dnd-kit/core'
import { Plus } from 'lucide-react'
import { useEffect, useState } from 'react'
import type { Media, Pass } from '../../core/comp/media.ts'
import { rulesOf } from '../../core/passes/passes.ts'
import type { PassThumb } from '../../core/engine/session/requests.ts'
import { useShot, useShotContext } from '../shot/shot-context.tsx'
import { SmallPicture } from '../small-picture.tsx'
import type { Dragged } from '../desk/drop-edge.ts'
import { addPassLane } from './add-pass-lane.ts'
import { frameWords } from './frame-words.ts'
import { WorkedIn } from './worked-in.tsx'

const thumbWidth = 240

const short = (v: number) => (Math.abs(v) >= 10_000 ? v.toExponential(1) : String(Number(v.toPrecision(3))))

function PassCard({
  mediaRef,
  media,
  pass,
  thumb,
}: {
  mediaRef: string
  media: Media
  pass: Pass
  thumb: PassThumb | undefined
}) {
  const { store } = useShotContext()
  const { set } = store.getState()
  const isShown = useShot((s) => s.shownPass?.media === mediaRef && s.shownPass.pass === pass.name)
  const { setNodeRef, listeners, attributes } = useDraggable({
    id: `pass ${mediaRef} ${pass.name}`,
    data: { type: 'pass', media: mediaRef, pass: pass.name } satisfies Dragged,
  })
  return (
    <li
      className={`relative flex flex-col border ${isShown ? 'border-accent' : 'border-transparent'} bg-base-100`}
      aria-label={`Pass ${pass.name} of ${media.name}`}
    >
      <button
        ref={setNodeRef}
        type="button"
        {...attributes}
        {...listeners}
        aria-pressed={isShown}
        className="touch-none"
        title={
          isShown
            ? 'Back to the picture'
            : 'Click to see it large, with its raw values under the probe; drag it to the desk for a lane'
        }
        onClick={() => {
          set({ shownPass: isShown ? undefined : { media: mediaRef, pass: pass.name } })
        }}
      >
        <SmallPicture
          picture={thumb}
          label={`${pass.name} of ${media.name}`}
          className="aspect-video w-full"
        />
      </button>
      <div className="flex items-baseline gap-2 px-2.5 pt-1.5">
        <span className="min-w-0 flex-1 truncate font-semibold" title={pass.name}>
          {pass.name}
        </span>
        <span
          className="shrink-0 text-xs text-accent"
          title={pass.reason ? `Taken for ${pass.kind}: ${pass.reason}` : `Said by hand: ${pass.kind}`}
        >
          {pass.kind}
        </span>
        <button
          type="button"
          className="btn btn-ghost btn-xs btn-square -mr-1 self-center"
          aria-label={`Add ${pass.name} as a lane`}
          title="Add as a lane"
          onClick={() => {
            addPassLane(store, { media: mediaRef, pass: pass.name })
          }}
        >
          <Plus size={14} aria-hidden />
        </button>
      </div>
      <p className="px-2.5 text-xs text-base-content/60">
        {pass.type} × {pass.channels.length}
        {thumb && pass.kind !== 'ids' && ` · ${short(thumb.low)} to ${short(thumb.high)}`}
      </p>
      <p className="px-2.5 pb-2 pt-0.5 text-xs text-base-content/60">{rulesOf(pass.kind).use}</p>
    </li>
  )
}

/** A labelled contact sheet of all passes of the shot's media, each drawn so that its kind can be read. */
export function PassesPanel({ buttons }: { buttons: React.ReactNode }) {
  const { engine, store } = useShotContext()
  const media = useShot((s) => s.media)
  const frame = useShot((s) => s.frame)
  const [thumbs, setThumbs] = useState<readonly PassThumb[]>()
  useEffect(() => {
    if (!engine) return
    let isCurrent = true
    const { comp } = store.getState()
    void engine.passes({ comp, media, frame }, thumbWidth).then((found) => {
      if (isCurrent) setThumbs(found)
    })
    return () => {
      isCurrent = false
    }
  }, [engine, store, media, frame])
  const listed = Object.entries(media)
  return (
    <section aria-label="Passes" className="flex h-full flex-col bg-base-200">
      <div className="flex h-8 shrink-0 items-center gap-2 border-b border-base-300 px-3 text-xs">
        {buttons}
        <WorkedIn />
        <span className="ml-auto pr-1 text-base-content/50">click to enlarge · drag to the desk</span>
      </div>
      <div className="min-h-0 flex-1 overflow-y-auto px-3 pb-3">
        {listed.length === 0 && (
          <p className="pt-6 text-center text-base-content/60">
            No media yet. Drop frames or folders anywhere on the page, or bring them in above.
          </p>
        )}
        {listed.map(([ref, one]) => (
          <section key={ref} aria-label={`Media ${one.name}`}>
            <h3 className="flex items-baseline gap-2 pb-1.5 pt-3 text-xs">
              <span className="font-semibold">{one.name}</span>
              <span className="text-base-content/60">
                {one.passes.length} {one.passes.length === 1 ? 'pass' : 'passes'} ·{' '}
                {frameWords(one, one.passes[0])}
              </span>
              {one.colour && one.passes.some((p) => rulesOf(p.kind).isLight) && (
                <span
                  className={`min-w-0 truncate ${one.colour.doubt === undefined ? 'text-base-content/60' : 'text-warning'}`}
                  title={one.colour.doubt}
                >
                  {(one.reading?.primaries ?? one.reading?.encoding) === undefined
                    ? one.colour.words
                    : 'colour as it was said by hand'}
                </span>
              )}
              {one.broken && (
                <span className="text-warning">
                  {Object.keys(one.broken).length} broken{' '}
                  {Object.keys(one.broken).length === 1 ? 'frame' : 'frames'}
                </span>
              )}
            </h3>
            <ul className="grid grid-cols-[repeat(auto-fill,minmax(180px,1fr))] gap-3">
              {one.passes.map((pass) => (
                <PassCard
                  key={pass.name}
                  mediaRef={ref}
                  media={one}
                  pass={pass}
                  thumb={thumbs?.find((t) => t.media === ref && t.pass === pass.name)}
                />
              ))}
            </ul>
          </section>
        ))}
      </div>
    </section>
  )
}
