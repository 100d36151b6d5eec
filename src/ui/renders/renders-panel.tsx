'use client'

import { useEffect, useState } from 'react'
import { outputFormats, type OutputFormat } from '../../core/formats/write-picture.ts'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import * as v from 'valibot'
import { doneAnswer, renderAnswer, rendersAnswer, type ShownRender } from '../../contracts/answers.ts'
import { ago } from '../ago.ts'
import { saveFile } from '../save-file.ts'
import { requestJson } from '../request-json.ts'
import { useShot, useShotContext } from '../shot/shot-context.tsx'

const formatNames: Readonly<Record<OutputFormat, string>> = {
  exr: 'EXR, half, premultiplied',
  png16: 'PNG, 16 bit, straight',
  png8: 'PNG, 8 bit, straight',
  'exr-straight': 'EXR, half, straight',
  'png16-premultiplied': 'PNG, 16 bit, premultiplied',
  'png8-premultiplied': 'PNG, 8 bit, premultiplied',
}

const isOpen = ({ frames }: Pick<ShownRender, 'frames'>) =>
  frames.some((f) => f.state === 'waiting' || f.state === 'working')

function FrameLine({ renderId, frame }: { renderId: string; frame: ShownRender['frames'][number] }) {
  return (
    <div className="flex flex-wrap items-center gap-3" data-testid="render-frame" data-state={frame.state}>
      <span className="w-20">frame {String(frame.frame).padStart(3, '0')}</span>
      {frame.state === 'working' || frame.state === 'waiting' ? (
        <>
          <progress className="progress progress-primary w-40" value={frame.progress} max={1} />
          <span className="text-base-content/60">
            {frame.state === 'waiting' ? 'waiting for the render worker' : 'rendering'}
          </span>
        </>
      ) : (
        <span
          className={
            frame.state === 'failed'
              ? 'text-error'
              : frame.state === 'done' && frame.problem
                ? 'text-warning'
                : 'text-base-content/60'
          }
        >
          {frame.state === 'done' && frame.problem ? 'done, but not whole' : frame.state}
        </span>
      )}
      {frame.files.map((name) => (
        <a
          key={name}
          className="link link-accent"
          href={`/api/renders/${renderId}/files/${name}`}
          download={name}
        >
          {name}
        </a>
      ))}
      {frame.problem && (
        <span className={frame.state === 'failed' ? 'text-error' : 'text-warning'}>{frame.problem}</span>
      )}
    </div>
  )
}

/** One render, followed by server-sent events while it is under way. */
function RenderCard({ render: initial }: { render: ShownRender }) {
  const [render, setRender] = useState(initial)
  const isUnderWay = isOpen(render)
  const [failure, setFailure] = useState<string>()
  const act = async (action: 'cancel' | 'retry') => {
    setFailure(undefined)
    try {
      await requestJson(doneAnswer, `/api/renders/${render.id}`, 'POST', { action })
      setRender(await requestJson(renderAnswer, `/api/renders/${render.id}`))
    } catch (error) {
      setFailure(error instanceof Error ? error.message : String(error))
    }
  }
  useEffect(() => {
    if (!isUnderWay) return
    const events = new EventSource(`/api/renders/${render.id}/events`)
    events.onmessage = ({ data }: MessageEvent<string>) => {
      const next = v.parse(v.nullable(renderAnswer), JSON.parse(data))
      if (next) setRender(next)
    }
    return () => {
      events.close()
    }
  }, [render.id, isUnderWay])
  const canRetry = render.frames.some((f) => f.state === 'failed' || f.state === 'cancelled')
  return (
    <li className="space-y-1 rounded bg-base-100 px-4 py-2.5 text-xs">
      <div className="flex items-center gap-3">
        <span className="font-semibold">{render.formats.map((f) => formatNames[f]).join(' and ')}</span>
        <span className="text-base-content/55" suppressHydrationWarning>
          {ago(render.createdAt)}
        </span>
        {isUnderWay && (
          <button type="button" className="btn btn-xs ml-auto" onClick={() => void act('cancel')}>
            Cancel
          </button>
        )}
        {!isUnderWay && canRetry && (
          <button type="button" className="btn btn-xs ml-auto" onClick={() => void act('retry')}>
            Try again
          </button>
        )}
      </div>
      {failure !== undefined && (
        <p role="alert" className="text-error">
          {failure}
        </p>
      )}
      {render.frames.map((frame) => (
        <FrameLine key={frame.frame} renderId={render.id} frame={frame} />
      ))}
    </li>
  )
}

/** As many as the server lists. */
const mostListed = 50

/** Asks for renders of the shot and lists those there are. */
export function RendersPanel() {
  const { id, saveNow, engine, store } = useShotContext()
  const frame = useShot((s) => s.frame)
  const [formats, setFormats] = useState<readonly OutputFormat[]>(['exr', 'png16'])
  const [failure, setFailure] = useState<string>()
  const [isAsking, setIsAsking] = useState(false)
  const [isSaving, setIsSaving] = useState(false)

  const queryKey = ['renders', id]
  const queries = useQueryClient()
  const { data, error } = useQuery({
    queryKey,
    queryFn: () => requestJson(rendersAnswer, `/api/shots/${id}/renders`),
  })
  const renders = data?.renders

  const start = async () => {
    setFailure(undefined)
    setIsAsking(true)
    try {
      // What is rendered is what is saved.
      if (!(await saveNow()))
        throw new Error('The shot could not be saved, so it can not be rendered as it is shown.')
      await requestJson(doneAnswer, `/api/shots/${id}/renders`, 'POST', {
        first: frame,
        last: frame,
        formats,
      })
      await queries.invalidateQueries({ queryKey })
    } catch (error) {
      setFailure(error instanceof Error ? error.message : String(error))
    }
    setIsAsking(false)
  }
  /** The picture as this page computes it: the same as a render of it, without waiting for one. */
  const saveHere = async () => {
    setFailure(undefined)
    setIsSaving(true)
    const { comp, media } = store.getState()
    const bytes = await engine?.exr({ comp, media, frame }, { type: 'picture' })
    if (bytes) saveFile(`frame ${String(frame).padStart(4, '0')}.exr`, bytes, 'image/x-exr')
    else setFailure('This frame could not be computed here. Start a render of it instead.')
    setIsSaving(false)
  }
  const toggle = (format: OutputFormat) => {
    setFormats(outputFormats.filter((f) => (f === format ? !formats.includes(f) : formats.includes(f))))
  }

  return (
    <section aria-label="Renders" className="flex h-full gap-6 overflow-hidden bg-base-200 p-4">
      <form
        className="w-64 shrink-0 space-y-3"
        onSubmit={(event) => {
          event.preventDefault()
          void start()
        }}
      >
        <h2 className="font-semibold">Render frame {frame}</h2>
        <fieldset className="space-y-1.5">
          {outputFormats.map((format) => (
            <label key={format} className="flex cursor-pointer items-center gap-2">
              <input
                type="checkbox"
                className="checkbox checkbox-xs checkbox-primary"
                checked={formats.includes(format)}
                onChange={() => {
                  toggle(format)
                }}
              />
              {formatNames[format]}
            </label>
          ))}
          <p className="text-xs text-base-content/60">
            Premultiplied keeps light over nothing. The first three are what each kind of file expects.
          </p>
        </fieldset>
        <button type="submit" className="btn btn-primary btn-sm" disabled={formats.length === 0 || isAsking}>
          Start rendering
        </button>
        <button
          type="button"
          className="btn btn-ghost btn-sm ml-1"
          title="Saves this frame as EXR (half, premultiplied) at once, as this page computes it"
          disabled={!engine || isSaving}
          onClick={() => void saveHere()}
        >
          {isSaving ? 'Computing …' : 'Save here'}
        </button>
        {(failure ?? error) && (
          <p role="alert" className="text-xs text-error">
            {failure ?? error?.message}
          </p>
        )}
      </form>
      <ul className="min-w-0 flex-1 space-y-2 overflow-y-auto">
        {renders?.map((render) => (
          <RenderCard key={render.id} render={render} />
        ))}
        {renders !== undefined && renders.length >= mostListed && (
          <li className="px-4 text-xs text-base-content/60">
            The newest {mostListed} renders are listed; the files of older ones stay in the data folder.
          </li>
        )}
        {renders?.length === 0 && (
          <li className="pt-6 text-center text-base-content/55">
            Nothing has been rendered from this shot yet.
          </li>
        )}
      </ul>
    </section>
  )
}
