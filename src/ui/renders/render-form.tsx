'use client'

import { useState } from 'react'
import { askedAnswer } from '../../contracts/answers.ts'
import { primariesWords } from '../../core/colour/file-colour.ts'
import { workingWords } from '../../core/colour/working.ts'
import { outputSpaces, type OutputSpace } from '../../core/colour/spaces.ts'
import { writtenCompressions, type WrittenCompression } from '../../core/formats/exr-write.ts'
import { outputFormats, type OutputFormat } from '../../core/formats/write-picture.ts'
import { layerKinds } from '../../core/renders/exr-layers.ts'
import { fileStem, filledName, nameParts } from '../../core/renders/file-name.ts'
import { FrameListError, manyFrames, parseFrameList } from '../../core/renders/frame-list.ts'
import { sizeOf } from '../../core/renders/render-options.ts'
import { requestJson } from '../request-json.ts'
import { saveFile } from '../save-file.ts'
import { useShot, useShotContext } from '../shot/shot-context.tsx'
import {
  draftProblem,
  draftSize,
  isComplete,
  settingsOf,
  writesExr,
  type Draft,
  type LayerKind,
} from './draft.ts'
import { formatNames } from './format-names.ts'
import { PlaceRows } from './place-rows.tsx'
import { SettingsBar } from './settings-bar.tsx'
import { Watched } from './watched.tsx'

/** Which frames: what stands in the shot's range, this one, or what is typed. */
type Which = 'all' | 'this' | 'list' | 'coming'
type Only = 'all' | 'missing' | 'changed'

const onlyWords: Readonly<Record<Only, string>> = {
  all: 'all of them',
  missing: 'what has no files yet',
  changed: 'what has changed since the last render',
}
const layerWords: Readonly<Record<LayerKind, string>> = {
  lights: 'light of each step',
  lanes: 'each lane',
  mattes: 'mattes',
  passes: 'data passes and IDs in use',
}
const compressionWords: Readonly<Record<WrittenCompression, string>> = {
  none: 'EXR not packed',
  zips: 'EXR by ZIPS, a line each',
  zip: 'EXR by ZIP',
  piz: 'EXR by PIZ, best for grain',
  dwaa: 'EXR by DWAA, with losses',
}

/** The frames of a list, or what is wrong with it in words. */
function readList(text: string): { frames: number[] } | { problem: string } {
  try {
    return { frames: parseFrameList(text) }
  } catch (error) {
    if (error instanceof FrameListError) return { problem: error.message }
    throw error
  }
}

/** Chooses frames and files, and asks for a render of them. `versions` are the shot's renders, for a look that is kept. */
export function RenderForm({
  shotName,
  draft,
  versions,
  onChange,
  onAsked,
}: {
  shotName: string
  draft: Draft
  versions: readonly { readonly id: string; readonly version: number }[]
  onChange: (draft: Draft) => void
  onAsked: () => void
}) {
  const { id, saveNow, engine, store } = useShotContext()
  const frame = useShot((s) => s.frame)
  const range = useShot((s) => s.comp.frames)
  const canvas = useShot((s) => s.comp.canvas)
  const [which, setWhich] = useState<Which>('all')
  const [list, setList] = useState('')
  const [only, setOnly] = useState<Only>('all')
  const [look, setLook] = useState('then')
  const [failure, setFailure] = useState<string>()
  const [said, setSaid] = useState<string>()
  const [isAsking, setIsAsking] = useState(false)
  const [isSaving, setIsSaving] = useState(false)
  const [isSure, setIsSure] = useState(false)
  const worked = useShot((s) => s.comp.space ?? 'rec709')
  const { formats, sizeText, width, name, layers, compression, space, deliver } = draft
  const change = (patch: Partial<Draft>) => {
    onChange({ ...draft, ...patch })
  }

  const text = which === 'all' ? `${range.first}-${range.last}` : which === 'this' ? String(frame) : list
  const isFollowing = which === 'coming'
  const read = isFollowing ? { frames: [] } : readList(text)
  const frames = 'frames' in read ? read.frames : []
  const pixels = sizeOf(isComplete(draft) ? draftSize(draft) : 1, canvas)
  const problem =
    ('problem' in read && !(which === 'list' && list === '') ? read.problem : undefined) ??
    draftProblem(draft)

  const start = async () => {
    setIsSure(false)
    setFailure(undefined)
    setSaid(undefined)
    setIsAsking(true)
    // Asked once, by the browser: a render may be through when another window is looked at.
    if ('Notification' in window && Notification.permission === 'default')
      void Notification.requestPermission()
    try {
      // What is rendered is what is saved.
      if (!(await saveNow()))
        throw new Error('The shot could not be saved, so it can not be rendered as it is shown.')
      const settings = settingsOf(draft)
      const asked = isFollowing
        ? { follows: true, look: look === 'then' || look === 'now' ? look : { render: look }, ...settings }
        : { frames: text, only, ...settings }
      const answer = await requestJson(askedAnswer, `/api/shots/${id}/renders`, 'POST', asked)
      if (isFollowing) setSaid('Frames are finished as they come, from now on.')
      else if (answer.frames === 0)
        setSaid('Nothing to do: all of these frames are there as they would be made now.')
      else if (answer.frames < frames.length) setSaid(`${answer.frames} of ${frames.length} frames are made.`)
      onAsked()
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
    change({
      formats: outputFormats.filter((f) => (f === format ? !formats.includes(f) : formats.includes(f))),
    })
  }
  const isNameRight = draftProblem({ ...draft, sizeText: '1' }) === undefined
  const example = isNameRight
    ? filledName(name, {
        shot: fileStem(shotName),
        frame: frames[0] ?? frame,
        version: 1,
        space: space === 'usual' ? undefined : space,
      })
    : undefined

  return (
    <form
      className="flex w-[28rem] shrink-0 flex-col text-xs xl:w-[40rem]"
      onSubmit={(event) => {
        event.preventDefault()
        if (frames.length >= manyFrames && !isSure) setIsSure(true)
        else void start()
      }}
    >
      <div role="radiogroup" aria-label="Which frames" className="flex rounded bg-base-300 p-0.5">
        {(
          [
            ['all', `All, ${range.first}–${range.last}`],
            ['this', `This, ${frame}`],
            ['list', 'These'],
            ['coming', 'As they come'],
          ] as const
        ).map(([key, words]) => (
          <button
            key={key}
            type="button"
            role="radio"
            aria-checked={which === key}
            className={`flex-1 rounded px-2 py-1 ${which === key ? 'bg-primary/50' : 'text-base-content/70 hover:text-base-content'}`}
            onClick={() => {
              setWhich(key)
              setIsSure(false)
            }}
          >
            {words}
          </button>
        ))}
      </div>
      <div className="grid min-h-0 flex-1 grid-cols-[1fr_12.5rem] content-start gap-x-4 gap-y-2 overflow-y-auto pt-2.5 xl:grid-cols-[1fr_11.25rem_11.25rem]">
        <div className="flex flex-col gap-2.5">
          {which === 'list' && (
            <input
              autoFocus
              aria-label="Frames"
              className="input input-xs w-full"
              placeholder="1-48, 1-100x5, 3, 7, 12-15"
              value={list}
              onChange={(event) => {
                setList(event.target.value)
                setIsSure(false)
              }}
            />
          )}
          {isFollowing && (
            <>
              <label className="grid grid-cols-[4rem_1fr] items-center gap-2">
                <span className="text-base-content/75">with</span>
                <select
                  aria-label="Finished with"
                  className="w-full rounded bg-base-300 px-1.5 py-1"
                  value={look}
                  onChange={(event) => {
                    setLook(event.target.value)
                  }}
                >
                  <option value="then">the look the shot has then</option>
                  <option value="now">the look of now, kept</option>
                  {versions.map((v) => (
                    <option key={v.id} value={v.id}>
                      the look of render {v.version}
                    </option>
                  ))}
                </select>
              </label>
              <Watched shotId={id} />
            </>
          )}
          {which !== 'this' && !isFollowing && (
            <label className="grid grid-cols-[4rem_1fr] items-center gap-2">
              <span className="text-base-content/75">of these</span>
              <select
                className="w-full rounded bg-base-300 px-1.5 py-1"
                value={only}
                onChange={(event) => {
                  setOnly(event.target.value as Only)
                }}
              >
                {Object.entries(onlyWords).map(([key, words]) => (
                  <option key={key} value={key}>
                    {words}
                  </option>
                ))}
              </select>
            </label>
          )}
          <label className="grid grid-cols-[4rem_1fr] items-center gap-2">
            <span className="text-base-content/75">size</span>
            <span className="flex gap-1.5">
              <select
                aria-label="Size"
                className="w-full rounded bg-base-300 px-1.5 py-1"
                value={sizeText}
                onChange={(event) => {
                  change({ sizeText: event.target.value })
                }}
              >
                <option value="1">full</option>
                <option value="2">half</option>
                <option value="4">a quarter</option>
                <option value="width">a width</option>
              </select>
              {sizeText === 'width' ? (
                <input
                  aria-label="Width in pixels"
                  className="input input-xs w-20"
                  inputMode="numeric"
                  placeholder={String(canvas.width)}
                  value={width}
                  onChange={(event) => {
                    change({ width: event.target.value })
                  }}
                />
              ) : (
                <span className="shrink-0 self-center text-base-content/60">
                  {pixels.width} × {pixels.height}
                </span>
              )}
            </span>
          </label>
          <label
            className="grid grid-cols-[4rem_1fr] items-center gap-2"
            title={`Made of ${nameParts.join(', ')} and what you like`}
          >
            <span className="text-base-content/75">named</span>
            <input
              aria-label="Names of the files"
              className="input input-xs w-full"
              value={name}
              onChange={(event) => {
                change({ name: event.target.value })
              }}
            />
          </label>
          {example !== undefined && (
            <p className="-mt-1.5 truncate pl-[4.5rem] text-base-content/55">{example}…</p>
          )}
          <label
            className="grid grid-cols-[4rem_1fr] items-center gap-2"
            title={`As worked in: EXR in ${workingWords[worked]}, all else in Rec.709. EXR is written in any of the others; PNG, TIFF and JPEG in the first three, otherwise as Rec.709. Files say what they are.`}
          >
            <span className="text-base-content/75">colours</span>
            <select
              aria-label="Colours of the files"
              className="w-full rounded bg-base-300 px-1.5 py-1"
              value={space}
              onChange={(event) => {
                change({ space: event.target.value as OutputSpace | 'usual' })
              }}
            >
              <option value="usual">as worked in</option>
              {outputSpaces.map((s) => (
                <option key={s} value={s}>
                  {primariesWords[s]}
                </option>
              ))}
            </select>
          </label>
          <PlaceRows
            value={deliver}
            onChange={(value) => {
              change({ deliver: value })
            }}
          />
          {problem !== undefined && <p className="text-warning">{problem}</p>}
          {said !== undefined && <p role="status">{said}</p>}
          {failure !== undefined && (
            <p role="alert" className="text-error">
              {failure}
            </p>
          )}
        </div>
        <fieldset
          className="space-y-1"
          title="Premultiplied keeps light over nothing. The first three are what each kind of file expects."
        >
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
        </fieldset>
        {writesExr(draft) && (
          <div
            className="space-y-1"
            role="group"
            aria-label="Layers in the EXR"
            title="Beside the picture, in the same file. Data only at full size, as it came."
          >
            <select
              aria-label="How EXR is packed"
              className="w-full rounded bg-base-300 px-1.5 py-1"
              value={compression}
              onChange={(event) => {
                change({ compression: event.target.value as WrittenCompression })
              }}
            >
              {writtenCompressions.map((c) => (
                <option key={c} value={c}>
                  {compressionWords[c]}
                </option>
              ))}
            </select>
            <p className="text-base-content/65">and in the EXR</p>
            {layerKinds.map((kind) => (
              <label key={kind} className="flex cursor-pointer items-center gap-2">
                <input
                  type="checkbox"
                  className="checkbox checkbox-xs checkbox-primary"
                  checked={layers.includes(kind)}
                  onChange={() => {
                    change({
                      layers: layerKinds.filter((k) =>
                        k === kind ? !layers.includes(k) : layers.includes(k),
                      ),
                    })
                  }}
                />
                {layerWords[kind]}
              </label>
            ))}
          </div>
        )}
      </div>
      <div className="pt-2">
        {isSure ? (
          <p role="alert" className="flex items-center gap-2 text-warning">
            {frames.length.toLocaleString('en')} frames: all of them?
            <button type="submit" autoFocus className="btn btn-xs btn-warning">
              Render them
            </button>
            <button
              type="button"
              className="btn btn-xs"
              onClick={() => {
                setIsSure(false)
              }}
            >
              Not now
            </button>
          </p>
        ) : (
          <div className="flex items-center gap-1">
            <button
              type="submit"
              className="btn btn-primary btn-sm"
              disabled={
                !isComplete(draft) ||
                isAsking ||
                (frames.length === 0 && !isFollowing) ||
                problem !== undefined
              }
            >
              {isFollowing
                ? 'Finish them as they come'
                : frames.length === 1
                  ? `Render frame ${frames[0]!}`
                  : `Render ${frames.length.toLocaleString('en')} frames`}
            </button>
            <button
              type="button"
              className="btn btn-ghost btn-sm"
              title={`Saves frame ${frame} as EXR (half, premultiplied) at once, as this page computes it`}
              disabled={!engine || isSaving}
              onClick={() => void saveHere()}
            >
              {isSaving ? 'Computing …' : 'Save here'}
            </button>
            <SettingsBar draft={draft} onChoose={onChange} />
          </div>
        )}
      </div>
    </form>
  )
}
