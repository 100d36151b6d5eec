'use client'

import { FolderOpen, ImagePlus } from 'lucide-react'
import Link from 'next/link'
import { useRouter } from 'next/navigation'
import { useRef, useState, type DragEvent } from 'react'
import { revisionAnswer, shotAnswer, shotBegunAnswer } from '../../contracts/answers.ts'
import { intakeOrder } from '../../core/comp/file-names.ts'
import { bringInFiles, filesOf, nameOf, sendIncoming, withNewMedia, type Incoming } from '../bring-in.ts'
import { pictureFiles } from '../intake/bring-in-bar.tsx'
import { IntakeDialog } from '../intake/intake-dialog.tsx'
import { requestJson } from '../request-json.ts'
import { ago } from '../ago.ts'
import { Mark } from '../mark.tsx'

interface ShotCard {
  readonly id: string
  readonly name: string
  readonly updatedAt: string
  readonly hasThumbnail: boolean
}

/** Brings further files into a new shot and gives them lanes. Gives back what was refused. */
async function fill(
  id: string,
  files: readonly Incoming[],
  onProgress: (done: number, name: string) => void,
  signal: AbortSignal,
): Promise<readonly string[]> {
  if (files.length === 0) return []
  const say = ({ done, name }: { done: number; name: string }) => {
    onProgress(done, name)
  }
  const shot = await requestJson(shotAnswer, `/api/shots/${id}`)
  const { media, refused } = await bringInFiles(id, files, say, signal)
  if (media)
    await requestJson(revisionAnswer, `/api/shots/${id}/comp`, 'PUT', {
      base: shot.revision,
      comp: withNewMedia(shot.comp, shot.media, media),
    })
  return refused
}

/** Shots that are drawn before more are asked for. */
const shownAtOnce = 35

/** The entry page: every shot, and a way to begin a new one from a frame. */
export function ShotsPage({ shots, problem }: { shots: readonly ShotCard[]; problem?: string }) {
  const router = useRouter()
  const chooser = useRef<HTMLInputElement>(null)
  const [busy, setBusy] = useState<string>()
  const [failure, setFailure] = useState(problem)
  const [isOver, setIsOver] = useState(false)

  const [shown, setShown] = useState(shownAtOnce)
  const [isPicking, setIsPicking] = useState(false)
  const [made, setMade] = useState<string>()
  const stopper = useRef<AbortController>(undefined)

  /** The first file that is accepted makes the shot; the others come into it. */
  const begin = async (given: readonly Incoming[]) => {
    const files = intakeOrder(given, nameOf)
    if (files.length === 0 || busy) return
    const { signal } = (stopper.current = new AbortController())
    const isCut = () => signal.aborted
    setFailure(undefined)
    setMade(undefined)
    const say = (done: number, name: string) => {
      setBusy(files.length === 1 ? name : `${name} (${done + 1} of ${files.length})`)
    }
    const refused: string[] = []
    const begins = files.filter((f) => !/\.json$/i.test(nameOf(f)))
    for (const [i, file] of begins.entries()) {
      if (isCut()) break
      say(i, nameOf(file))
      try {
        const { id } = await sendIncoming(shotBegunAnswer, '/api/shots', file, signal)
        const rest = files.filter((f) => f !== file && !begins.slice(0, i).includes(f))
        refused.push(
          ...(await fill(
            id,
            rest,
            (done, name) => {
              say(i + 1 + done, name)
            },
            signal,
          )),
        )
        if (refused.length === 0) {
          router.push(`/shots/${id}`)
          return
        }
        setMade(id)
        router.refresh()
        break
      } catch (error) {
        if (!isCut()) refused.push(error instanceof Error ? error.message : String(error))
      }
    }
    setFailure(refused.join(' \n'))
    setBusy(undefined)
  }
  const drop = (event: DragEvent) => {
    event.preventDefault()
    setIsOver(false)
    void filesOf(event.dataTransfer).then(begin)
  }

  return (
    <main className="mx-auto flex min-h-full max-w-6xl flex-col gap-6 px-8 py-8">
      <header className="flex items-center gap-3">
        <Mark />
        <h1 className="text-lg font-semibold">Zafiro</h1>
        <Link href="/renders" className="btn btn-ghost btn-sm ml-auto">
          Renders
        </Link>
        <span className="text-base-content/55">Shots</span>
      </header>
      {failure && (
        <div role="alert" className="alert alert-error alert-soft items-start">
          <p className="max-h-40 overflow-y-auto whitespace-pre-line">{failure}</p>
          {made !== undefined && (
            <Link href={`/shots/${made}`} className="btn btn-sm">
              Open the shot with the rest
            </Link>
          )}
        </div>
      )}
      <ul className="grid grid-cols-[repeat(auto-fill,minmax(270px,1fr))] gap-5">
        {shots.slice(0, shown).map((shot) => (
          <li key={shot.id}>
            <Link
              href={`/shots/${shot.id}`}
              // Opening a shot is work for the server; a hundred of them in sight are not opened beforehand.
              prefetch={false}
              className="gem block bg-base-100 hover:bg-neutral focus-visible:bg-neutral"
            >
              <div className="aspect-video bg-black">
                {shot.hasThumbnail && (
                  <img
                    src={`/api/shots/${shot.id}/thumbnail?of=${Date.parse(shot.updatedAt)}`}
                    alt=""
                    loading="lazy"
                    className="size-full object-cover"
                  />
                )}
              </div>
              <div className="flex items-baseline justify-between gap-3 px-4 py-3">
                <span className="truncate font-medium">{shot.name}</span>
                <span className="shrink-0 text-xs text-base-content/55" suppressHydrationWarning>
                  {ago(shot.updatedAt)}
                </span>
              </div>
            </Link>
          </li>
        ))}
        <li>
          <button
            type="button"
            className={`flex w-full min-h-52 flex-col items-center justify-center gap-2 border border-dashed text-center ${isOver ? 'border-accent bg-accent/10' : 'border-base-content/25 hover:border-base-content/50'}`}
            onClick={() => chooser.current?.click()}
            onDragOver={(event) => {
              event.preventDefault()
              setIsOver(true)
            }}
            onDragLeave={() => {
              setIsOver(false)
            }}
            onDrop={drop}
            disabled={busy !== undefined}
          >
            <ImagePlus size={22} className="text-base-content/60" aria-hidden />
            <span>{busy ? `Bringing in ${busy} …` : 'New shot from frames'}</span>
            <span className="text-xs text-base-content/55">
              Drop EXR, PNG, TIFF, JPEG, WebP or HDR files or folders here
            </span>
          </button>
          <p className="flex justify-center gap-2 pt-2 text-xs">
            {busy ? (
              <button type="button" className="btn btn-xs" onClick={() => stopper.current?.abort()}>
                Cancel
              </button>
            ) : (
              <button
                type="button"
                className="btn btn-ghost btn-xs"
                onClick={() => {
                  setIsPicking(true)
                }}
              >
                <FolderOpen size={13} aria-hidden /> From the intake folder
              </button>
            )}
          </p>
          {isPicking && (
            <IntakeDialog
              onClose={() => {
                setIsPicking(false)
              }}
              onPick={(paths) => {
                setIsPicking(false)
                void begin(paths.map((intake) => ({ intake })))
              }}
            />
          )}
          <input
            ref={chooser}
            type="file"
            multiple
            accept={pictureFiles}
            aria-label="Frames for a new shot"
            className="hidden"
            onChange={(event) => void begin([...(event.target.files ?? [])])}
          />
        </li>
      </ul>
      {shots.length > shown && (
        <button
          type="button"
          className="btn btn-sm mx-auto"
          onClick={() => {
            setShown(shots.length)
          }}
        >
          Show the other {shots.length - shown} shots
        </button>
      )}
    </main>
  )
}
