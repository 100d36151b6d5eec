'use client'

import { encodings } from '../../core/colour/curves.ts'
import { encodingWords, primariesWords } from '../../core/colour/file-colour.ts'
import { primariesNames } from '../../core/colour/spaces.ts'
import { ArrowLeft } from 'lucide-react'
import { useId, useState } from 'react'
import {
  alphaUses,
  framesOfPass,
  gapFillings,
  missingFrames,
  numberRanges,
  type AlphaUse,
  type GapFilling,
  type Media,
  type Pass,
} from '../../core/comp/media.ts'
import type { PassDetail } from '../../core/passes/pass-kind.ts'
import { passKinds, rulesOf, type PassKind } from '../../core/passes/passes.ts'
import { mediaAnswer } from '../../contracts/answers.ts'
import { requestJson } from '../request-json.ts'
import { useShot, useShotContext } from '../shot/shot-context.tsx'
import { DepthHistogram } from './depth-histogram.tsx'
import { frameWords } from './frame-words.ts'
import { ObjectList, useObjects } from './object-list.tsx'

/** Objects of an ID pass: those picked are shown as a matte. */
function PassObjects({
  mediaRef,
  pass,
  picked,
  onPick,
}: {
  mediaRef: string
  pass: string
  picked: readonly string[]
  onPick: (ids: readonly string[]) => void
}) {
  const objects = useObjects(mediaRef, pass)
  return <ObjectList objects={objects} picked={picked} onPick={onPick} none="All colours" />
}

function Choice<T extends string>({
  label,
  hint,
  value,
  options,
  onChoose,
}: {
  label: string
  hint?: string
  value: T
  options: readonly (readonly [T, string])[]
  onChoose: (value: T) => void
}) {
  const id = useId()
  return (
    <div className="grid grid-cols-[6.5rem_1fr] items-center gap-2" title={hint}>
      <label htmlFor={id} className="text-base-content/75">
        {label}
      </label>
      <select
        id={id}
        className="w-full rounded bg-base-300 px-1.5 py-0.5"
        value={value}
        onChange={(e) => {
          onChoose(e.target.value as T)
        }}
      >
        {options.map(([option, words]) => (
          <option key={option} value={option}>
            {words}
          </option>
        ))}
      </select>
    </div>
  )
}

const asIs = <T extends string>(values: readonly T[]) => values.map((v) => [v, v] as const)
const depthMeanings = [
  ['distance', 'larger is farther'],
  ['flipped', 'larger is nearer, 1 to 0'],
  ['inverse', 'one over distance'],
] as const
const units = asIs(['scene units', 'mm', 'cm', 'm', 'km', '0–1'] as const)
const alphaNames: Record<AlphaUse, string> = {
  premultiplied: 'premultiplied',
  straight: 'straight',
  ignored: 'not used',
}
const gapNames: Record<GapFilling, string> = {
  hold: 'the frame before',
  nearest: 'the nearest frame',
  black: 'black',
}

/** The value by which a depth pass says that nothing was hit; empty where it has none but infinity. */
function NothingHit({ miss, onChange }: { miss: number | null; onChange: (miss: number | null) => void }) {
  const [text, setText] = useState<string>()
  const apply = () => {
    if (text === undefined) return
    const value = text.trim() === '' ? null : Number(text)
    setText(undefined)
    if (value === null || Number.isFinite(value)) onChange(value)
  }
  return (
    <label
      className="flex items-center gap-2"
      title="Renderers write a value of their own where nothing was hit, such as 10000000000, 65504 or 0. From it on there is no distance: mist shows its background there, and marks and histograms leave it out."
    >
      <span className="w-16 text-base-content/60">nothing hit</span>
      <input
        className="input input-xs w-32"
        aria-label="Nothing hit"
        placeholder="infinity only"
        value={text ?? (miss === null ? '' : String(miss))}
        onChange={(event) => {
          setText(event.target.value)
        }}
        onBlur={apply}
        onKeyDown={(event) => {
          if (event.key === 'Enter') apply()
        }}
      />
    </label>
  )
}

/** How the numbers of a pass are meant, as far as its kind asks. */
function Meaning({ pass, onChange }: { pass: Pass; onChange: (detail: PassDetail) => void }) {
  const { depth = 'distance', unit = 'scene units', range = 'signed', space = 'world' } = pass.detail ?? {}
  const axes = (
    <Choice
      label="axes"
      hint="Whether directions and places are those of the scene or turn with the camera."
      value={space}
      options={[
        ['world', 'of the scene'],
        ['camera', 'of the camera'],
      ]}
      onChoose={(next) => {
        onChange({ space: next })
      }}
    />
  )
  const unitChoice = (
    <Choice
      label="unit"
      value={unit}
      options={units}
      onChoose={(next) => {
        onChange({ unit: next })
      }}
    />
  )
  switch (pass.kind) {
    case 'depth':
      return (
        <>
          <Choice
            label="values"
            hint="Effects always work with distance; say here how the file counts."
            value={depth}
            options={depthMeanings}
            onChoose={(next) => {
              onChange({ depth: next })
            }}
          />
          {unitChoice}
          <NothingHit
            miss={pass.detail?.miss ?? null}
            onChange={(miss) => {
              onChange({ miss })
            }}
          />
        </>
      )
    case 'position':
      return (
        <>
          {axes}
          {unitChoice}
        </>
      )
    case 'normal':
      return (
        <>
          <Choice
            label="values"
            hint="Packed normals are squeezed from −1 … 1 into 0 … 1."
            value={range}
            options={[
              ['signed', '−1 to 1'],
              ['packed', '0 to 1, packed'],
            ]}
            onChoose={(next) => {
              onChange({ range: next })
            }}
          />
          {axes}
        </>
      )
    case 'motion': {
      const { vectors = 'pixels', leads = 'next', vertical = 'down' } = pass.detail ?? {}
      return (
        <>
          <Choice
            label="numbers"
            hint="Pixels of the frame, or shares of its width and height: 1 is the whole frame."
            value={vectors}
            options={[
              ['pixels', 'pixels'],
              ['shares', 'shares of the frame'],
            ]}
            onChoose={(next) => {
              onChange({ vectors: next })
            }}
          />
          <Choice
            label="lead"
            hint="The arrows on the picture point to where things go. If they point backwards, it is the last one."
            value={leads}
            options={[
              ['next', 'to the next frame'],
              ['last', 'from the last frame'],
              ['back', 'back to the last frame'],
            ]}
            onChoose={(next) => {
              onChange({ leads: next })
            }}
          />
          <Choice
            label="second"
            hint="Which way the second number grows. If arrows rise where things sink, it is the other one."
            value={vertical}
            options={[
              ['down', 'grows downwards'],
              ['up', 'grows upwards'],
            ]}
            onChoose={(next) => {
              onChange({ vertical: next })
            }}
          />
        </>
      )
    }
    default:
      return null
  }
}

/** How the files of the media are read, and what stands in for frames that are not there. */
function MediaReading({
  media,
  pass,
  onChange,
}: {
  media: Media
  pass: Pass
  onChange: (change: { reading?: Media['reading']; gaps?: GapFilling }) => void
}) {
  const { encoding = 'linear', alpha = 'premultiplied', reading = {}, gaps = 'hold', broken } = media
  const missing = missingFrames(framesOfPass(media, pass))
  const without = (key: 'encoding' | 'alpha' | 'primaries') =>
    Object.fromEntries(Object.entries(reading).filter(([k]) => k !== key)) as NonNullable<Media['reading']>
  return (
    <div className="flex flex-col gap-1.5 border-t border-base-300 pt-2.5">
      <h3 className="font-semibold">
        {media.name} <span className="font-normal text-base-content/60">{frameWords(media, pass)}</span>
      </h3>
      {rulesOf(pass.kind).isLight && (
        <>
          <Choice
            label="colour"
            hint="How colour is encoded in the files. Change it where the picture looks washed out or too dark."
            value={reading.encoding ?? 'file'}
            options={[
              ['file', `as the file says: ${encodingWords[encoding]}`],
              ...encodings.map((e) => [e, encodingWords[e]] as const),
            ]}
            onChoose={(next) => {
              onChange({ reading: next === 'file' ? without('encoding') : { ...reading, encoding: next } })
            }}
          />
          <Choice
            label="primaries"
            hint="Which red, green and blue the numbers stand for. Change it where colours look too dull or too strong."
            value={reading.primaries ?? 'file'}
            options={[
              ['file', 'as the file says'],
              ...primariesNames.map((p) => [p, primariesWords[p]] as const),
            ]}
            onChoose={(next) => {
              onChange({ reading: next === 'file' ? without('primaries') : { ...reading, primaries: next } })
            }}
          />
          {media.colour && (
            <p className={media.colour.doubt === undefined ? 'text-base-content/60' : 'text-warning'}>
              {media.colour.words}
              {media.colour.doubt !== undefined && `. ${media.colour.doubt}.`}
            </p>
          )}
          <Choice
            label="alpha"
            hint="Whether colour has been multiplied by alpha. Read wrongly, edges are too bright or too dark."
            value={reading.alpha ?? 'file'}
            options={[
              ['file', `as is usual: ${alphaNames[alpha]}`],
              ...alphaUses.map((a) => [a, alphaNames[a]] as const),
            ]}
            onChoose={(next) => {
              onChange({ reading: next === 'file' ? without('alpha') : { ...reading, alpha: next } })
            }}
          />
        </>
      )}
      {(missing.length > 0 || broken) && (
        <>
          {missing.length > 0 && (
            <p className="text-warning">
              {missing.length} {missing.length === 1 ? 'frame is' : 'frames are'} missing:{' '}
              {numberRanges(missing)}
            </p>
          )}
          {broken && (
            <ul className="max-h-24 overflow-y-auto text-xs text-warning">
              {Object.entries(broken).map(([frame, reason]) => (
                <li key={frame}>
                  frame {frame} is broken: {reason}
                </li>
              ))}
            </ul>
          )}
          <Choice
            label="in the gaps"
            hint="What stands in for a frame that is not there. Bring the frame in again and it takes its place."
            value={gaps}
            options={gapFillings.map((g) => [g, gapNames[g]] as const)}
            onChoose={(next) => {
              onChange({ gaps: next })
            }}
          />
        </>
      )}
    </div>
  )
}

/** Everything that can be said about the pass that is looked at. */
export function PassDetails({ mediaRef, media, pass }: { mediaRef: string; media: Media; pass: Pass }) {
  const { id, store } = useShotContext()
  const { set } = store.getState()
  const [failure, setFailure] = useState<string>()
  const shown = useShot((s) => s.shownPass)
  const patch = (change: object) => {
    setFailure(undefined)
    requestJson(mediaAnswer, `/api/shots/${id}/media`, 'PATCH', {
      media: mediaRef,
      ...change,
    }).then(
      ({ media: table }) => {
        set({ media: table })
      },
      (error: unknown) => {
        setFailure(error instanceof Error ? error.message : String(error))
      },
    )
  }
  return (
    <div className="flex flex-col gap-2.5">
      <div className="flex items-baseline gap-2">
        <h2 className="min-w-0 truncate text-base font-semibold">{pass.name}</h2>
        <span className="text-xs text-base-content/60">
          {pass.type} × {pass.channels.length}
        </span>
        <button
          type="button"
          className="btn btn-ghost btn-xs ml-auto"
          onClick={() => {
            set({ shownPass: undefined })
          }}
        >
          <ArrowLeft size={13} aria-hidden /> Picture
        </button>
      </div>
      <p className="text-xs text-base-content/70">{rulesOf(pass.kind).use}</p>
      <div className="flex flex-col gap-1.5">
        <Choice
          label="kind"
          hint="What the pass is; set it by hand where the guess is wrong."
          value={pass.kind}
          options={asIs(passKinds)}
          onChoose={(kind: PassKind) => {
            patch({ pass: pass.name, kind })
          }}
        />
        <p className="pl-[7rem] text-xs text-base-content/60">
          {pass.reason ? `Guessed: ${pass.reason}.` : 'Said by hand.'}
        </p>
        <Meaning
          pass={pass}
          onChange={(detail) => {
            patch({ pass: pass.name, detail })
          }}
        />
      </div>
      {failure && (
        <p role="alert" className="text-xs text-error">
          {failure}
        </p>
      )}
      {pass.kind === 'depth' && <DepthHistogram mediaRef={mediaRef} pass={pass} />}
      {pass.kind === 'ids' && (
        <PassObjects
          mediaRef={mediaRef}
          pass={pass.name}
          picked={shown?.objects ?? []}
          onPick={(objects) => {
            set({
              shownPass: { media: mediaRef, pass: pass.name, ...(objects.length > 0 ? { objects } : {}) },
            })
          }}
        />
      )}
      <MediaReading media={media} pass={pass} onChange={patch} />
    </div>
  )
}
