'use client'

import { Plus } from 'lucide-react'
import { useEffect, useRef, useState } from 'react'
import { addLane } from '../../core/comp/edits.ts'
import {
  missingFrames,
  numberRanges,
  passKinds,
  type Media,
  type MediaTable,
  type Pass,
  type PassKind,
} from '../../core/comp/media.ts'
import { passUses } from '../../core/engine/readable-pass.ts'
import type { PassThumb } from '../engine/messages.ts'
import { requestJson } from '../request-json.ts'
import { useShot, useShotContext } from '../shot/shot-context.tsx'

const thumbWidth = 240

function PassPicture({ thumb, label }: { thumb: PassThumb | undefined; label: string }) {
  const canvas = useRef<HTMLCanvasElement>(null)
  useEffect(() => {
    const element = canvas.current
    if (!element || !thumb) return
    element.width = thumb.width
    element.height = thumb.height
    const image = new ImageData(new Uint8ClampedArray(thumb.pixels), thumb.width, thumb.height)
    element.getContext('2d')!.putImageData(image, 0, 0)
  }, [thumb])
  return <canvas ref={canvas} aria-label={label} className="aspect-video w-full bg-black object-contain" />
}

const short = (v: number) => (Math.abs(v) >= 1000 ? v.toExponential(1) : String(Number(v.toPrecision(3))))

/** ' · frames 1 to 48, missing 3, 7–9' for a sequence; nothing for a still. */
function frameWords(media: Media | undefined): string {
  const numbers = Object.keys(media?.frames ?? {}).map(Number)
  if (!media || numbers.length < 2) return ''
  const missing = missingFrames(media)
  const gaps = missing.length > 0 ? `, missing ${numberRanges(missing)}` : ''
  return ` · frames ${Math.min(...numbers)} to ${Math.max(...numbers)}${gaps}`
}

function PassCard({
  mediaRef,
  mediaName,
  pass,
  thumb,
}: {
  mediaRef: string
  mediaName: string
  pass: Pass
  thumb: PassThumb | undefined
}) {
  const { id, store } = useShotContext()
  const { edit, set } = store.getState()
  const frames = useShot((s) => frameWords(s.media[mediaRef]))
  const isShown = useShot((s) => s.shownPass?.media === mediaRef && s.shownPass.pass === pass.name)
  const [failure, setFailure] = useState<string>()
  const setKind = async (kind: PassKind) => {
    setFailure(undefined)
    try {
      const { media } = await requestJson<{ media: MediaTable }>(`/api/shots/${id}/media`, 'PATCH', {
        media: mediaRef,
        pass: pass.name,
        kind,
      })
      set({ media })
    } catch (error) {
      setFailure(error instanceof Error ? error.message : String(error))
    }
  }
  const addAsLane = () => {
    edit(`Add ${pass.name} as a lane`, (comp) =>
      addLane(comp, `${mediaName} ${pass.name}`, { type: 'pass', media: mediaRef, pass: pass.name }),
    )
    set({ selection: { lane: store.getState().comp.lanes.at(-1)!.id } })
  }
  return (
    <li
      className={`flex flex-col border ${isShown ? 'border-accent' : 'border-transparent'} bg-base-100`}
      aria-label={`Pass ${pass.name} of ${mediaName}`}
    >
      <button
        type="button"
        aria-pressed={isShown}
        title={isShown ? 'Back to the picture' : 'Show this pass large; the probe gives its raw values'}
        onClick={() => {
          set({ shownPass: isShown ? undefined : { media: mediaRef, pass: pass.name } })
        }}
      >
        <PassPicture thumb={thumb} label={`${pass.name} of ${mediaName}`} />
      </button>
      <div className="flex items-center gap-2 px-2.5 pt-1.5">
        <span className="min-w-0 flex-1 truncate font-semibold">{pass.name}</span>
        <select
          aria-label={`Kind of ${pass.name}`}
          title="What the pass is; set it by hand where the guess is wrong"
          className="rounded bg-base-300 px-1 py-0.5 text-xs"
          value={pass.kind}
          onChange={(e) => void setKind(e.target.value as PassKind)}
        >
          {passKinds.map((kind) => (
            <option key={kind} value={kind}>
              {kind}
            </option>
          ))}
        </select>
        <button
          type="button"
          className="btn btn-ghost btn-xs btn-square"
          aria-label={`Add ${pass.name} as a lane`}
          title="Add as a lane"
          onClick={addAsLane}
        >
          <Plus size={14} aria-hidden />
        </button>
      </div>
      <p className="px-2.5 text-xs text-base-content/60">
        {mediaName}
        {frames}
      </p>
      <p className="px-2.5 text-xs text-base-content/60">
        {pass.type} × {pass.channels.length}
        {thumb && pass.kind !== 'ids' && ` · ${short(thumb.low)} to ${short(thumb.high)}`}
      </p>
      <p className="px-2.5 pb-2 pt-0.5 text-xs text-base-content/60">{passUses[pass.kind]}</p>
      {failure && (
        <p role="alert" className="px-2.5 pb-2 text-xs text-error">
          {failure}
        </p>
      )}
    </li>
  )
}

/** A labelled contact sheet of all passes of the shot's media, each drawn so that its kind can be read. */
export function PassesPanel() {
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
  const all = Object.entries(media).flatMap(([ref, m]) =>
    m.passes.map((pass) => ({ ref, name: m.name, pass })),
  )
  return (
    <section aria-label="Passes" className="h-full overflow-y-auto bg-base-200 p-3">
      {all.length === 0 && (
        <p className="pt-6 text-center text-base-content/60">No media yet. Bring in a frame on the desk.</p>
      )}
      <ul className="grid grid-cols-[repeat(auto-fill,minmax(200px,1fr))] gap-3">
        {all.map(({ ref, name, pass }) => (
          <PassCard
            key={`${ref} ${pass.name}`}
            mediaRef={ref}
            mediaName={name}
            pass={pass}
            thumb={thumbs?.find((t) => t.media === ref && t.pass === pass.name)}
          />
        ))}
      </ul>
    </section>
  )
}
