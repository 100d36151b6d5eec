'use client'

import { Menu } from '@base-ui/react/menu'
import { Download, Ellipsis, Play } from 'lucide-react'
import Link from 'next/link'
import { useEffect, useState } from 'react'
import * as v from 'valibot'
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

type Frame = ShownRender['frames'][number]
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

const isEnded = ({ state }: Frame) => state !== 'waiting' && state !== 'working'
const isHalf = ({ state, problem }: Frame) => state === 'done' && problem !== null
const isOpen = ({ frames, follows }: Pick<ShownRender, 'frames' | 'follows'>) =>
  follows || !frames.every(isEnded)

const cellColour = (frame: Frame): string =>
  frame.state === 'failed'
    ? 'bg-error'
    : isHalf(frame)
      ? 'bg-warning'
      : frame.state === 'done'
        ? 'bg-primary'
        : frame.state === 'working'
          ? 'bg-accent animate-pulse'
          : frame.state === 'cancelled'
            ? 'bg-neutral opacity-40'
            : 'bg-neutral'

const stateWords = (frame: Frame): string => {
  if (isHalf(frame)) return 'done, but not whole'
  if (frame.state === 'waiting') return 'waiting for its turn'
  return frame.state === 'working' ? `rendering, ${Math.round(frame.progress * 100)} %` : frame.state
}

/** One frame in words, with its files. */
function FrameLine({ renderId, frame }: { renderId: string; frame: Frame }) {
  const tone = frame.state === 'failed' ? 'text-error' : isHalf(frame) ? 'text-warning' : 'text-base-content/60'
  return (
    <div className="flex flex-wrap items-center gap-3" data-testid="render-frame" data-state={frame.state}>
      <span className="w-20">frame {String(frame.frame).padStart(3, '0')}</span>
      <span className={tone}>{stateWords(frame)}</span>
      {frame.files.map((name) => (
        <a key={name} className="link link-accent" href={`/api/renders/${renderId}/files/${encodeURIComponent(name)}`} download={name}>
          {name}
        </a>
      ))}
      {frame.problem && <span className={tone}>{frame.problem}</span>}
    </div>
  )
} // prettier-ignore

/** As many small pictures as lie side by side. */
const mostSmall = 8

/** Small pictures of frames that are there, spread over all of them. */
function SmallPictures({ render: { id, frames }, onChoose }: { render: ShownRender; onChoose: (frame: number) => void }) {
  const there = frames.filter((f) => f.small !== null)
  if (there.length === 0) return null
  const count = Math.min(mostSmall, there.length)
  const shown = Array.from({ length: count }, (_, i) => there[count === 1 ? 0 : Math.round((i * (there.length - 1)) / (count - 1))]!)
  return (
    <div className="flex gap-1 overflow-hidden">
      {shown.map(({ frame, small, finishedAt }) => (
        <button
          key={frame}
          type="button"
          className="relative h-12 shrink-0 overflow-hidden rounded-sm bg-black"
          title={`frame ${frame}`}
          onClick={() => {
            onChoose(frame)
          }}
        >
          <img
            className="h-full w-auto"
            alt={`Frame ${frame}`}
            src={`/api/renders/${id}/files/${encodeURIComponent(small!)}?of=${encodeURIComponent(finishedAt ?? '')}`}
          />
        </button>
      ))}
    </div>
  )
} // prettier-ignore

/** All frames as cells to point at and to choose from. */
function FrameCells({ frames, chosen, onChoose }: { frames: readonly Frame[]; chosen: number | undefined; onChoose: (frame: number) => void }) {
  return (
    <div className="flex flex-wrap gap-px" role="group" aria-label="Frames">
      {frames.map((frame) => (
        <button
          key={frame.frame}
          type="button"
          title={`frame ${frame.frame}: ${stateWords(frame)}${frame.problem ? `. ${frame.problem}` : ''}`}
          aria-label={`Frame ${frame.frame}, ${stateWords(frame)}`}
          aria-pressed={chosen === frame.frame}
          className={`h-3.5 min-w-2 max-w-4 flex-1 basis-2 ${cellColour(frame)} ${chosen === frame.frame ? 'outline-2 outline-base-content' : 'hover:brightness-150'}`}
          onClick={() => {
            onChoose(frame.frame)
          }}
        />
      ))}
    </div>
  )
} // prettier-ignore

/** What frames have said, each once, with the frames that said it. */
function Problems({ frames }: { frames: readonly Frame[] }) {
  const said = new Map<string, Frame[]>()
  for (const frame of frames)
    if (frame.problem) said.set(frame.problem, [...(said.get(frame.problem) ?? []), frame])
  return [...said].map(([problem, those]) => (
    <p key={problem} className={those.some((f) => f.state === 'failed') ? 'text-error' : 'text-warning'}>
      {those.length === 1 ? 'Frame' : 'Frames'} {numberRanges(those.map((f) => f.frame))}: {problem}
    </p>
  ))
}

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

const refusal = v.object({ error: v.object({ message: v.string() }) })

/** What a render has made so far, played; and its movies to take away. */
function RenderMovie({ id, version, mayHaveAlpha }: { id: string; version: number; mayHaveAlpha: boolean }) {
  const [failure, setFailure] = useState<string>()
  const [hasWords, setHasWords] = useState(false)
  const address = (kind: string, alpha = false) => {
    const query = [hasWords ? 'words=' : [], alpha ? 'alpha=' : []].flat().join('&')
    return `/api/renders/${id}/movie/${kind}${query && `?${query}`}`
  }
  const askWhy = async () => {
    const answer = await fetch(address('mp4'))
    if (!answer.ok) setFailure(v.parse(refusal, await answer.json()).error.message)
  }
  if (failure !== undefined)
    return (
      <p role="alert" className="text-error">
        {failure}
      </p>
    )
  return (
    <figure className="space-y-1">
      <video
        className="max-h-72 bg-black"
        src={address('mp4')}
        controls
        autoPlay
        loop
        muted
        onError={() => void askWhy()}
      />
      <figcaption className="flex gap-3 text-base-content/60">
        {(['mp4', 'webm', 'mov'] as const).map((kind) => (
          <a
            key={kind}
            className="link link-accent"
            href={address(kind)}
            download={`render-${version}.${kind}`}
          >
            {{ mp4: 'H.264, MP4', webm: 'VP9, WebM', mov: 'ProRes 4444, MOV' }[kind]}
          </a>
        ))}
        {mayHaveAlpha &&
          (['webm', 'mov'] as const).map((kind) => (
            <a
              key={kind}
              className="link link-accent"
              href={address(kind, true)}
              download={`render-${version}-alpha.${kind}`}
            >
              {kind === 'webm' ? 'WebM with alpha' : 'MOV with alpha'}
            </a>
          ))}
        <label className="ml-auto flex cursor-pointer items-center gap-1.5">
          <input
            type="checkbox"
            className="checkbox checkbox-xs"
            checked={hasWords}
            onChange={() => {
              setHasWords(!hasWords)
            }}
          />
          frame, shot and version on it
        </label>
      </figcaption>
    </figure>
  )
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
          Render {render.version}: {frames.length === 0 ? 'no frame yet' : frameListWords(frames.map((f) => f.frame))}
        </span>
        <span className="min-w-0 truncate text-base-content/70">
          {render.formats.map((f) => formatNames[f]).join(' and ')}
          {options.size !== undefined && options.size !== 1 && `, ${sizeWords(options.size)}`}
          {options.name !== undefined && options.name !== usualName && `, ${options.name}`}
          {options.deliver && `, into ${[options.deliver.root, options.deliver.folder].filter(Boolean).join('/')}`}
        </span>
        <span className="ml-auto shrink-0 text-base-content/55" suppressHydrationWarning>
          {ago(render.createdAt)}
        </span>
        {render.follows && (
          <button type="button" className="btn btn-xs" title="What has come is finished; nothing further is waited for" onClick={() => void act('leave')}>
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
          <a className="btn btn-xs" href={`/api/renders/${render.id}/zip`} download title="All files of this render in one">
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
                  ([
                    [render.paused ? 'resume' : 'pause', render.paused ? 'Go on' : 'Rest'],
                    ['first', 'Before all others'],
                    ['sooner', 'One place sooner'],
                    ['later', 'One place later'],
                  ] as const).map(([action, words]) => (
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
      {isPlaying && <RenderMovie id={render.id} version={render.version} mayHaveAlpha={frames.some((f) => f.files.some((n) => isReview(n, true)))} key={reviewed} />}
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
} // prettier-ignore
