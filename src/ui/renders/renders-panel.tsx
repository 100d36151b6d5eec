'use client'

import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { askedAnswer, rendersAnswer } from '../../contracts/answers.ts'
import { outputFormats, type OutputFormat } from '../../core/formats/write-picture.ts'
import { fileStem, filledName, nameParts, nameProblem, usualName } from '../../core/renders/file-name.ts'
import { FrameListError, manyFrames, parseFrameList } from '../../core/renders/frame-list.ts'
import { layerKinds } from '../../core/renders/exr-layers.ts'
import { sizeOf, type RenderSize } from '../../core/renders/render-options.ts'
import { requestJson } from '../request-json.ts'
import { saveFile } from '../save-file.ts'
import { useShot, useShotContext } from '../shot/shot-context.tsx'
import { formatNames } from './format-names.ts'
import { Machines } from './machines.tsx'
import { Watched } from './watched.tsx'
import { RenderCard } from './render-card.tsx'

/** Which frames: what stands in the shot's range, this one, or what is typed. */
type Which = 'all' | 'this' | 'list' | 'coming'
type Only = 'all' | 'missing' | 'changed'

const onlyWords: Readonly<Record<Only, string>> = {
  all: 'all of them',
  missing: 'what has no files yet',
  changed: 'what has changed since the last render',
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

type LayerKind = (typeof layerKinds)[number]
const layerWords: Readonly<Record<LayerKind, string>> = {
  lights: 'light of each step',
  lanes: 'each lane',
  mattes: 'mattes',
  passes: 'data passes in use',
}

/** As many as the server lists. */
const mostListed = 50

/** Asks for renders of the shot and lists those there are. */
export function RendersPanel({ shotName }: { shotName: string }) {
  const { id, saveNow, engine, store } = useShotContext()
  const frame = useShot((s) => s.frame)
  const range = useShot((s) => s.comp.frames)
  const canvas = useShot((s) => s.comp.canvas)
  const [which, setWhich] = useState<Which>('all')
  const [list, setList] = useState('')
  const [only, setOnly] = useState<Only>('all')
  const [formats, setFormats] = useState<readonly OutputFormat[]>(['exr', 'png16'])
  const [sizeText, setSizeText] = useState('1')
  const [width, setWidth] = useState('')
  const [name, setName] = useState(usualName)
  const [layers, setLayers] = useState<readonly LayerKind[]>([])
  const hasExr = formats.some((f) => f.startsWith('exr'))
  const [failure, setFailure] = useState<string>()
  const [said, setSaid] = useState<string>()
  const [isAsking, setIsAsking] = useState(false)
  const [isSaving, setIsSaving] = useState(false)

  const queryKey = ['renders', id]
  const queries = useQueryClient()
  const { data, error } = useQuery({
    queryKey,
    queryFn: () => requestJson(rendersAnswer, `/api/shots/${id}/renders`),
  })
  const renders = data?.renders

  const text = which === 'all' ? `${range.first}-${range.last}` : which === 'this' ? String(frame) : list
  const isFollowing = which === 'coming'
  const read = isFollowing ? { frames: [] } : readList(text)
  const frames = 'frames' in read ? read.frames : []
  const size: RenderSize = sizeText === 'width' ? { width: Number(width) } : (Number(sizeText) as 1 | 2 | 4)
  const isWidthWrong = sizeText === 'width' && !(Number(width) >= 16 && Number(width) <= 16_384 && Number.isInteger(Number(width)))
  const nameWrong = nameProblem(name)
  const pixels = sizeOf(isWidthWrong ? 1 : size, canvas)
  const isMany = frames.length >= manyFrames
  const problem = ('problem' in read && !(which === 'list' && list === '') && read.problem) || nameWrong
    || (isWidthWrong && width !== '' ? 'A width is a whole number from 16 to 16384 pixels.' : undefined)

  const start = async () => {
    if (isMany && !window.confirm(`${frames.length.toLocaleString('en')} frames: render them all?`)) return
    setFailure(undefined)
    setSaid(undefined)
    setIsAsking(true)
    try {
      // What is rendered is what is saved.
      if (!(await saveNow()))
        throw new Error('The shot could not be saved, so it can not be rendered as it is shown.')
      const options = {
        ...(size === 1 ? {} : { size }),
        ...(name === usualName ? {} : { name }),
        ...(hasExr && layers.length > 0 ? { layers: Object.fromEntries(layers.map((k) => [k, true])) } : {}),
      }
      const asked = isFollowing ? { follows: true, formats, options } : { frames: text, only, formats, options }
      const answer = await requestJson(askedAnswer, `/api/shots/${id}/renders`, 'POST', asked)
      if (isFollowing) setSaid('Frames are finished as they come, from now on.')
      else if (answer.frames === 0) setSaid('Nothing to do: all of these frames are there as they would be made now.')
      else if (answer.frames < frames.length) setSaid(`${answer.frames} of ${frames.length} frames are made.`)
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
  const example = nameWrong ? undefined : filledName(name, { shot: fileStem(shotName), frame: frames[0] ?? frame, version: 1 })

  return (
    <section aria-label="Renders" className="flex h-full gap-6 overflow-hidden bg-base-200 p-4">
      <form
        className="flex w-[28rem] shrink-0 flex-col text-xs"
        onSubmit={(event) => {
          event.preventDefault()
          void start()
        }}
      >
        <div className="grid min-h-0 flex-1 grid-cols-[1fr_12.5rem] gap-4 overflow-y-auto">
        <div className="flex flex-col gap-2.5">
        <div role="radiogroup" aria-label="Which frames" className="flex rounded bg-base-300 p-0.5">
          {([['all', `All, ${range.first}–${range.last}`], ['this', `This, ${frame}`], ['list', 'These'], ['coming', 'As they come']] as const).map(([key, words]) => (
            <button
              key={key}
              type="button"
              role="radio"
              aria-checked={which === key}
              className={`flex-1 rounded px-2 py-1 ${which === key ? 'bg-primary/50' : 'text-base-content/70 hover:text-base-content'}`}
              onClick={() => {
                setWhich(key)
              }}
            >
              {words}
            </button>
          ))}
        </div>
        {which === 'list' && (
          <input
            autoFocus
            aria-label="Frames"
            className="input input-xs w-full"
            placeholder="1-48, 1-100x5, 3, 7, 12-15"
            value={list}
            onChange={(event) => {
              setList(event.target.value)
            }}
          />
        )}
        {isFollowing && <Watched shotId={id} />}
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
                setSizeText(event.target.value)
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
                  setWidth(event.target.value)
                }}
              />
            ) : (
              <span className="shrink-0 self-center text-base-content/60">
                {pixels.width} × {pixels.height}
              </span>
            )}
          </span>
        </label>
        <label className="grid grid-cols-[4rem_1fr] items-center gap-2" title={`Made of ${nameParts.join(', ')} and what you like`}>
          <span className="text-base-content/75">named</span>
          <input
            aria-label="Names of the files"
            className="input input-xs w-full"
            value={name}
            onChange={(event) => {
              setName(event.target.value)
            }}
          />
        </label>
        {example !== undefined && <p className="-mt-1.5 truncate pl-[4.5rem] text-base-content/55">{example}…</p>}
        {hasExr && (
          <div className="space-y-1 border-t border-base-300 pt-1.5" role="group" aria-label="Layers in the EXR" title="Beside the picture, in the same file. Data only at full size, as floats.">
            <p className="text-base-content/65">and in the EXR</p>
            {layerKinds.map((kind) => (
              <label key={kind} className="flex cursor-pointer items-center gap-2">
                <input
                  type="checkbox"
                  className="checkbox checkbox-xs checkbox-primary"
                  checked={layers.includes(kind)}
                  onChange={() => {
                    setLayers(layerKinds.filter((k) => (k === kind ? !layers.includes(k) : layers.includes(k))))
                  }}
                />
                {layerWords[kind]}
              </label>
            ))}
          </div>
        )}
        {problem !== undefined && <p className="text-warning">{problem}</p>}
        {said !== undefined && <p role="status">{said}</p>}
        {(failure ?? error) && (
          <p role="alert" className="text-error">
            {failure ?? error?.message}
          </p>
        )}
        </div>
        <fieldset className="space-y-1" title="Premultiplied keeps light over nothing. The first three are what each kind of file expects.">
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
        </div>
        <div className="flex gap-1 pt-2">
          <button
            type="submit"
            className="btn btn-primary btn-sm"
            disabled={formats.length === 0 || isAsking || (frames.length === 0 && !isFollowing) || problem !== undefined || isWidthWrong}
          >
            {isFollowing ? 'Finish them as they come' : frames.length === 1 ? `Render frame ${frames[0]!}` : `Render ${frames.length.toLocaleString('en')} frames`}
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
        </div>
      </form>
      <div className="flex min-w-0 flex-1 flex-col gap-2">
      <Machines isInShot />
      <ul className="min-h-0 flex-1 space-y-2 overflow-y-auto">
        {renders?.map((render) => (
          <RenderCard key={render.id} render={render} onGone={() => void queries.invalidateQueries({ queryKey })} />
        ))}
        {renders !== undefined && renders.length >= mostListed && (
          <li className="px-4 text-xs text-base-content/60">
            The newest {mostListed} renders are listed; the files of older ones stay in the data folder.
          </li>
        )}
        {renders?.length === 0 && (
          <li className="pt-6 text-center text-base-content/55">Nothing has been rendered from this shot yet.</li>
        )}
      </ul>
      </div>
    </section>
  )
} // prettier-ignore
