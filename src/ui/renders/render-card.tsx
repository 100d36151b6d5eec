'use client'

import { Menu } from '@base-ui/react/menu'
import { Download, Ellipsis, Play } from 'lucide-react'
import Link from 'next/link'
import { useEffect, useState } from 'react'
import { doneAnswer, renderAnswer, type ShownRender } from '../../contracts/answers.ts'
import { missingFrames, numberRanges } from '../../core/comp/media.ts'
import { isReview } from '../../core/formats/write-picture.ts'
import { usualName } from '../../core/renders/file-name.ts'
import { frameListWords } from '../../core/renders/frame-list.ts'
import { durationWords, paceOf } from '../../core/renders/pace.ts'
import { ago } from '../ago.ts'
import { requestJson } from '../request-json.ts'
import { followRender } from './follow-render.ts'
import { formatNames, sizeWords } from './format-names.ts'
import { FrameCells, FrameLine, Problems, SmallPictures, isEnded, isOpen } from './render-frames.tsx'
import { RenderMovie } from './render-movie.tsx'

type Action =
  | 'cancel'
  | 'retry'
  | 'delete'
  | 'pause'
  | 'resume'
  | 'sooner'
  | 'later'
  | 'first'
  | 'follow'
  | 'leave'
  | 'deliver'

/** How far a render is, in a line. */
function progressWords({ frames, paused }: ShownRender): string {
  const ended = frames.filter((f) => f.state === 'done')
  const left = frames.filter((f) => !isEnded(f)).length
  const failed = frames.filter((f) => f.state === 'failed').length
  const times = ended.flatMap((f) => (f.finishedAt ? [Date.parse(f.finishedAt)] : [])).sort((a, b) => a - b)
  const pace = paceOf(times, left)
  const parts = [`${ended.length} of ${frames.length} ${frames.length === 1 ? 'frame' : 'frames'}`]
  if (failed > 0) parts.push(`${failed} failed`)
  if (left > 0 && paused) parts.push('rests')
  if (left > 0 && pace && !paused) {
    parts.push(`${pace.perMinute < 10 ? pace.perMinute.toFixed(1) : Math.round(pace.perMinute)} a minute`)
    parts.push(`about ${durationWords(pace.leftMs)} left`)
  }
  return parts.join(' · ')
}

/** What a render that waits for frames has, and what is missing between them. */
export function comingWords(there: readonly number[]): string {
  const missing = missingFrames(Object.fromEntries(there.map((n) => [n, ''])))
  if (there.length === 0) return 'Waits for the first whole frame.'
  return missing.length === 0
    ? 'Waits for further frames.'
    : `Waits for further frames. Between those that came ${missing.length === 1 ? 'one is' : `${missing.length} are`} missing: ${numberRanges(missing)}.`
}

/** What changes the order of renders. */
const ordering: ReadonlySet<Action> = new Set(['sooner', 'later', 'first'])

/** From as many frames on they are cells; fewer are lines. */
const mostLines = 4

/** One render, followed by server-sent events while it is under way. */
export function RenderCard({
  render: initial,
  onGone,
  shotName,
  onWipe,
  onOpenAsItWas,
}: {
  render: ShownRender
  onGone: () => void
  shotName?: string
  onWipe?: (render: ShownRender, frame?: number) => void
  onOpenAsItWas?: (render: ShownRender) => Promise<void>
}) {
  const [render, setRender] = useState(initial)
  const [chosen, setChosen] = useState<number>()
  const [isSure, setIsSure] = useState(false)
  const isUnderWay = isOpen(render)
  const [failure, setFailure] = useState<string>()
  const act = async (action: Action) => {
    setFailure(undefined)
    try {
      await requestJson(doneAnswer, `/api/renders/${render.id}`, 'POST', { action })
      if (action === 'delete' || ordering.has(action)) onGone()
      else setRender(await requestJson(renderAnswer, `/api/renders/${render.id}`))
    } catch (error) {
      setFailure(error instanceof Error ? error.message : String(error))
    }
  }
  useEffect(() => {
    if (!isUnderWay) return
    return followRender(render.id, setRender)
  }, [render.id, isUnderWay])
  const { frames, options } = render
  const canRetry = frames.some((f) => f.state === 'failed' || f.state === 'cancelled')
  const hasFiles = frames.some((f) => f.files.length > 0)
  const shown = frames.find((f) => f.frame === chosen)
  const reviewed = frames.filter((f) => f.files.some((name) => isReview(name, false))).length
  const [isPlaying, setIsPlaying] = useState(false)
  return (
    <li className="space-y-1.5 rounded bg-base-100 px-4 py-2.5 text-xs">
      <div className="flex items-center gap-3">
        <span className="shrink-0 font-semibold">
          {shotName !== undefined && (
            <Link href={`/shots/${render.shotId}`} className="link-hover link mr-2">
              {shotName}
            </Link>
          )}
          Render {render.version}:{' '}
          {frames.length === 0 ? 'no frame yet' : frameListWords(frames.map((f) => f.frame))}
        </span>
        <span className="min-w-0 truncate text-base-content/70">
          {render.formats.map((f) => formatNames[f]).join(' and ')}
          {options.size !== undefined && options.size !== 1 && `, ${sizeWords(options.size)}`}
          {options.name !== undefined && options.name !== usualName && `, ${options.name}`}
          {options.deliver &&
            `, into ${[options.deliver.root, options.deliver.folder].filter(Boolean).join('/')}`}
        </span>
        <span className="ml-auto shrink-0 text-base-content/55" suppressHydrationWarning>
          {ago(render.createdAt)}
        </span>
        {render.follows && (
          <button
            type="button"
            className="btn btn-xs"
            title="What has come is finished; nothing further is waited for"
            onClick={() => void act('leave')}
          >
            Wait no more
          </button>
        )}
        {isUnderWay && (
          <button type="button" className="btn btn-xs" onClick={() => void act('cancel')}>
            Cancel
          </button>
        )}
        {!isUnderWay && canRetry && (
          <button type="button" className="btn btn-xs" onClick={() => void act('retry')}>
            Try again
          </button>
        )}
        {reviewed > 1 && (
          <button
            type="button"
            className="btn btn-xs"
            aria-pressed={isPlaying}
            title={`Plays the ${reviewed} frames that there are`}
            onClick={() => {
              setIsPlaying(!isPlaying)
            }}
          >
            <Play size={12} aria-hidden /> {isPlaying ? 'Close' : 'Play'}
          </button>
        )}
        {hasFiles && frames.length > 1 && (
          <a
            className="btn btn-xs"
            href={`/api/renders/${render.id}/zip`}
            download
            title="All files of this render in one"
          >
            <Download size={12} aria-hidden /> All
          </a>
        )}
        <Menu.Root>
          <Menu.Trigger className="btn btn-ghost btn-xs px-1" aria-label={`More of render ${render.version}`}>
            <Ellipsis size={14} aria-hidden />
          </Menu.Trigger>
          <Menu.Portal>
            <Menu.Positioner sideOffset={4} align="end">
              <Menu.Popup className="rounded border border-base-content/15 bg-base-100 p-1 text-xs shadow-lg">
                {isUnderWay &&
                  (
                    [
                      [render.paused ? 'resume' : 'pause', render.paused ? 'Go on' : 'Rest'],
                      ['first', 'Before all others'],
                      ['sooner', 'One place sooner'],
                      ['later', 'One place later'],
                    ] as const
                  ).map(([action, words]) => (
                    <Menu.Item
                      key={action}
                      className="cursor-default rounded px-3 py-1.5 data-highlighted:bg-primary/35"
                      onClick={() => void act(action)}
                    >
                      {words}
                    </Menu.Item>
                  ))}
                {onWipe && hasFiles && (
                  <Menu.Item
                    className="cursor-default rounded px-3 py-1.5 data-highlighted:bg-primary/35"
                    onClick={() => {
                      onWipe(render, shown?.frame)
                    }}
                  >
                    Wipe it against the desk
                  </Menu.Item>
                )}
                {onOpenAsItWas && (
                  <Menu.Item
                    className="cursor-default rounded px-3 py-1.5 data-highlighted:bg-primary/35"
                    onClick={() => void onOpenAsItWas(render)}
                  >
                    Open the shot as it was
                  </Menu.Item>
                )}
                {options.deliver && hasFiles && (
                  <Menu.Item
                    className="cursor-default rounded px-3 py-1.5 data-highlighted:bg-primary/35"
                    onClick={() => void act('deliver')}
                  >
                    Put its files there again
                  </Menu.Item>
                )}
                <Menu.Item
                  className="cursor-default rounded px-3 py-1.5 data-highlighted:bg-primary/35"
                  onClick={() => {
                    setIsSure(true)
                  }}
                >
                  Delete with its files …
                </Menu.Item>
              </Menu.Popup>
            </Menu.Positioner>
          </Menu.Portal>
        </Menu.Root>
      </div>
      {isSure && (
        <p role="alert" className="flex items-center gap-2 text-warning">
          Its {frames.flatMap((f) => f.files).length} files go from the disk.
          <button type="button" className="btn btn-xs btn-warning" onClick={() => void act('delete')}>
            Delete
          </button>
          <button
            type="button"
            className="btn btn-xs"
            onClick={() => {
              setIsSure(false)
            }}
          >
            Keep
          </button>
        </p>
      )}
      {failure !== undefined && (
        <p role="alert" className="text-error">
          {failure}
        </p>
      )}
      <p className="text-base-content/60" data-testid="render-progress">
        {progressWords(render)}
      </p>
      {render.follows && <p className="text-accent">{comingWords(frames.map((f) => f.frame))}</p>}
      {isPlaying && (
        <RenderMovie
          id={render.id}
          version={render.version}
          mayHaveAlpha={frames.some((f) => f.files.some((n) => isReview(n, true)))}
          key={reviewed}
        />
      )}
      <SmallPictures render={render} onChoose={setChosen} />
      {frames.length <= mostLines ? (
        frames.map((frame) => <FrameLine key={frame.frame} renderId={render.id} frame={frame} />)
      ) : (
        <>
          <FrameCells frames={frames} chosen={chosen} onChoose={setChosen} />
          {shown && <FrameLine renderId={render.id} frame={shown} />}
          <Problems frames={frames} />
        </>
      )}
    </li>
  )
}
