'use client'

import { FolderOpen, ImagePlus, X } from 'lucide-react'
import { useRef, useState } from 'react'
import { IntakeDialog } from './intake-dialog.tsx'
import type { BringIn } from './use-bring-in.ts'

export const pictureFiles = '.exr,.png,.tif,.tiff,.jpg,.jpeg,.webp,.hdr,.cube,.clf,.json'

const size = (bytes: number) =>
  bytes >= 1e9 ? `${(bytes / 1e9).toFixed(1)} GB` : `${Math.round(bytes / 1e6)} MB`

/** The buttons that bring frames in, and how far they have come. */
export function BringInButtons({ bringIn }: { bringIn: BringIn }) {
  const chooser = useRef<HTMLInputElement>(null)
  const [isPicking, setIsPicking] = useState(false)
  const { progress } = bringIn
  return (
    <>
      <button
        type="button"
        className="btn btn-ghost btn-xs"
        disabled={progress !== undefined}
        title="Frames and layers as EXR, PNG, TIFF, JPEG, WebP or HDR; or drop files and folders on the page. Numbered files become a sequence."
        onClick={() => chooser.current?.click()}
      >
        <ImagePlus size={14} aria-hidden /> Bring in frames
      </button>
      <button
        type="button"
        className="btn btn-ghost btn-xs"
        disabled={progress !== undefined}
        title="Frames that lie in the server's intake folder"
        onClick={() => {
          setIsPicking(true)
        }}
      >
        <FolderOpen size={14} aria-hidden /> From the intake folder
      </button>
      <input
        ref={chooser}
        type="file"
        multiple
        accept={pictureFiles}
        className="hidden"
        aria-label="Frames to bring in"
        onChange={(e) => {
          void bringIn.start([...(e.target.files ?? [])])
          e.target.value = ''
        }}
      />
      {progress && (
        <span className="flex min-w-0 items-center gap-2" role="status">
          <progress
            className="progress progress-primary w-28 shrink-0"
            value={progress.ofBytes > 0 ? progress.sentBytes : progress.done}
            max={progress.ofBytes > 0 ? progress.ofBytes : progress.of}
          />
          <span className="min-w-0 truncate">
            {Math.min(progress.of, progress.done + 1)} of {progress.of}: {progress.name}
            {progress.ofBytes > 2e7 && ` · ${size(progress.sentBytes)} of ${size(progress.ofBytes)}`}
          </span>
          <button type="button" className="btn btn-xs" onClick={bringIn.cancel}>
            Cancel
          </button>
        </span>
      )}
      {isPicking && (
        <IntakeDialog
          onClose={() => {
            setIsPicking(false)
          }}
          onPick={(paths) => {
            setIsPicking(false)
            void bringIn.start(paths.map((intake) => ({ intake })))
          }}
        />
      )}
    </>
  )
}

/** What was refused, file by file. */
export function BringInNotes({ bringIn: { notes, dismiss } }: { bringIn: BringIn }) {
  if (notes.length === 0) return null
  return (
    <div role="alert" className="flex shrink-0 items-start gap-3 bg-error/20 px-4 py-1.5 text-xs">
      <ul className="max-h-24 flex-1 overflow-y-auto">
        {notes.map((line) => (
          <li key={line}>{line}</li>
        ))}
      </ul>
      <button type="button" className="btn btn-ghost btn-xs" aria-label="Dismiss" onClick={dismiss}>
        <X size={14} aria-hidden />
      </button>
    </div>
  )
}
