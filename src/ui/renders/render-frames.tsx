import type { ShownRender } from '../../contracts/answers.ts'
import { numberRanges } from '../../core/comp/media.ts'

type Frame = ShownRender['frames'][number]

export const isEnded = ({ state }: Frame) => state !== 'waiting' && state !== 'working'
export const isHalf = ({ state, problem }: Frame) => state === 'done' && problem !== null
export const isOpen = ({ frames, follows }: Pick<ShownRender, 'frames' | 'follows'>) =>
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
export function FrameLine({ renderId, frame }: { renderId: string; frame: Frame }) {
  const tone =
    frame.state === 'failed' ? 'text-error' : isHalf(frame) ? 'text-warning' : 'text-base-content/60'
  return (
    <div className="flex flex-wrap items-center gap-3" data-testid="render-frame" data-state={frame.state}>
      <span className="w-20">frame {String(frame.frame).padStart(3, '0')}</span>
      <span className={tone}>{stateWords(frame)}</span>
      {frame.files.map((name) => (
        <a
          key={name}
          className="link link-accent"
          href={`/api/renders/${renderId}/files/${encodeURIComponent(name)}`}
          download={name}
        >
          {name}
        </a>
      ))}
      {frame.problem && <span className={tone}>{frame.problem}</span>}
    </div>
  )
}

/** As many small pictures as lie side by side. */
const mostSmall = 8

/** Small pictures of frames that are there, spread over all of them. */
export function SmallPictures({
  render: { id, frames },
  onChoose,
}: {
  render: ShownRender
  onChoose: (frame: number) => void
}) {
  const there = frames.filter((f) => f.small !== null)
  if (there.length === 0) return null
  const count = Math.min(mostSmall, there.length)
  const shown = Array.from(
    { length: count },
    (_, i) => there[count === 1 ? 0 : Math.round((i * (there.length - 1)) / (count - 1))]!,
  )
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
}

/** All frames as cells to point at and to choose from. */
export function FrameCells({
  frames,
  chosen,
  onChoose,
}: {
  frames: readonly Frame[]
  chosen: number | undefined
  onChoose: (frame: number) => void
}) {
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
}

/** What frames have said, each once, with the frames that said it. */
export function Problems({ frames }: { frames: readonly Frame[] }) {
  const said = new Map<string, Frame[]>()
  for (const frame of frames)
    if (frame.problem) said.set(frame.problem, [...(said.get(frame.problem) ?? []), frame])
  return [...said].map(([problem, those]) => (
    <p key={problem} className={those.some((f) => f.state === 'failed') ? 'text-error' : 'text-warning'}>
      {those.length === 1 ? 'Frame' : 'Frames'} {numberRanges(those.map((f) => f.frame))}: {problem}
    </p>
  ))
}
