'use client'

import { SquareDashedMousePointer, X } from 'lucide-react'
import { useEffect, useRef, useState } from 'react'
import { placeOfStep } from '../../core/comp/edits.ts'
import { scopeLevel, vectorReach, vectorSide, type Scope } from '../../core/engine/scopes.ts'
import type { Target } from '../../core/engine/plan/plan-targets.ts'
import { scopeKinds, type ScopeKind } from '../../core/kernels/kernels.ts'
import { linearToSrgb } from '../../core/picture/colour.ts'
import { askWhenSettled } from '../shot/ask-when-settled.ts'
import { seenReduction } from '../shot/follow-picture.ts'
import { useShot, useShotContext } from '../shot/shot-context.tsx'

const names: Readonly<Record<ScopeKind, string>> = {
  histogram: 'Histogram',
  waveform: 'Waveform',
  parade: 'RGB parade',
  vectorscope: 'Vectorscope',
}
const inks = [
  [230, 90, 100],
  [90, 200, 120],
  [110, 150, 255],
  [200, 200, 200],
] as const
/** Light that has a line, with its name. */
const marks = [
  [0.02, '.02'],
  [0.18, '.18'],
  [0.5, '.5'],
  [1, '1'],
  [4, '4'],
] as const
const plotHeight = 150

/** Draws counts as light: more counts are brighter, few still show. */
function paintPlanes(
  context: CanvasRenderingContext2D,
  { planes, width, height, counts, pixels }: Scope,
  ink: (plane: number) => readonly [number, number, number],
): void {
  const image = new ImageData(planes * width, height)
  const most = Math.max(1, (6 * pixels) / (width * height))
  for (let plane = 0; plane < planes; plane++) {
    const [r, g, b] = ink(plane)
    for (let y = 0; y < height; y++)
      for (let x = 0; x < width; x++) {
        const count = counts[plane * width * height + y * width + x]!
        if (count === 0) continue
        const light = Math.min(1, 0.25 + 0.75 * Math.sqrt(count / most))
        const o = (y * planes * width + plane * width + x) * 4
        image.data[o] = r * light
        image.data[o + 1] = g * light
        image.data[o + 2] = b * light
        image.data[o + 3] = 255
      }
  }
  context.canvas.width = planes * width
  context.canvas.height = height
  context.putImageData(image, 0, 0)
}

function paintHistogram(context: CanvasRenderingContext2D, { width, counts }: Scope): void {
  const height = plotHeight
  context.canvas.width = width
  context.canvas.height = height
  // The ends hold what lies beyond; they would dwarf the rest.
  const inside = counts.filter((_, i) => i % width !== 0 && i % width !== width - 1)
  const most = Math.max(1, ...inside)
  context.globalCompositeOperation = 'lighter'
  for (let plane = 0; plane < 3; plane++) {
    const [r, g, b] = inks[plane]!
    context.fillStyle = `rgb(${r * 0.6} ${g * 0.6} ${b * 0.6})`
    for (let x = 0; x < width; x++) {
      const bar = height * Math.min(1, Math.sqrt(counts[plane * width + x]! / most))
      context.fillRect(x, height - bar, 1, bar)
    }
  }
  context.globalCompositeOperation = 'source-over'
  context.strokeStyle = '#fff'
  context.beginPath()
  for (let x = 0; x < width; x++)
    context.lineTo(x + 0.5, height - height * Math.min(1, Math.sqrt(counts[3 * width + x]! / most)))
  context.stroke()
}

/** Colours that have a mark on the vectorscope: full primaries and their opposites. */
const primaries = [
  ['R', 1, 0, 0],
  ['Y', 1, 1, 0],
  ['G', 0, 1, 0],
  ['C', 0, 1, 1],
  ['B', 0, 0, 1],
  ['M', 1, 0, 1],
] as const

function paintVectors(context: CanvasRenderingContext2D, scope: Scope): void {
  const size = vectorSide
  const image = new ImageData(size, size)
  const most = Math.max(1, (30 * scope.pixels) / (size * size))
  for (let y = 0; y < size; y++)
    for (let x = 0; x < size; x++) {
      const count = scope.counts[y * size + x]!
      if (count === 0) continue
      const unit = (v: number) => ((v + 0.5) / size - 0.5) * 2 * vectorReach
      const [cb, cr] = [unit(x), -unit(y)]
      const light = Math.min(1, 0.3 + 0.7 * Math.sqrt(count / most))
      // The colour itself, at the same luma everywhere.
      const colour = [0.55 + cr * 1.5748, 0.55 - 0.1873 * cb - 0.4681 * cr, 0.55 + cb * 1.8556]
      image.data.set(
        [...colour.map((v) => 255 * light * Math.min(1, Math.max(0.1, v))), 255],
        (y * size + x) * 4,
      )
    }
  context.canvas.width = context.canvas.height = size
  context.putImageData(image, 0, 0)
  context.strokeStyle = '#5a5a5a'
  context.fillStyle = '#9a9a9a'
  context.font = '9px sans-serif'
  context.beginPath()
  context.moveTo(size / 2, 0)
  context.lineTo(size / 2, size)
  context.moveTo(0, size / 2)
  context.lineTo(size, size / 2)
  context.stroke()
  for (const [letter, r, g, b] of primaries) {
    const luma = 0.2126 * r + 0.7152 * g + 0.0722 * b
    const at = (v: number) => (v / (2 * vectorReach) + 0.5) * size
    const [x, y] = [at((b - luma) / 1.8556), size - at((r - luma) / 1.5748)]
    context.strokeRect(x - 3, y - 3, 6, 6)
    context.fillText(letter, x + 5, y + 3)
  }
}

/** One scope of the picture, or of what the selected step makes of its lane; of a part of it where one is marked. */
function ScopeView({ kind, onKind }: { kind: ScopeKind; onKind: (kind: ScopeKind) => void }) {
  const { engine, store, onPicture } = useShotContext()
  const canvas = useRef<HTMLCanvasElement>(null)
  const region = useShot((s) => s.scopes?.region)
  const of = useShot((s) => s.scopes?.of)
  const selection = useShot((s) => (s.scopes?.of === 'step' ? s.selection : undefined))
  const [told, setTold] = useState<{ pixels: number; tookMs: number }>()
  useEffect(() => {
    if (!engine) return
    return askWhenSettled(onPicture, (isWanted) => {
      const { comp, media, frame } = store.getState()
      const step = selection?.step
      const lane = selection?.lane
      const target: Target =
        of === 'step' && lane !== undefined
          ? { type: 'lane', lane, ...(step === undefined || !placeOfStep(comp, step) ? {} : { after: step }) }
          : { type: 'picture' }
      void engine
        .scope({ comp, media, frame }, target, kind, { region, reduction: seenReduction(store.getState()) })
        .then((found) => {
          const context = canvas.current?.getContext('2d')
          if (!isWanted() || !found || !context) return
          const { scope } = found
          if (kind === 'histogram') paintHistogram(context, scope)
          else if (kind === 'vectorscope') paintVectors(context, scope)
          else paintPlanes(context, scope, (plane) => (kind === 'waveform' ? inks[3] : inks[plane]!))
          setTold({ pixels: scope.pixels, tookMs: found.tookMs })
        })
    })
  }, [engine, store, kind, region, of, selection, onPicture])
  return (
    <div className="min-h-0 space-y-0.5">
      <select
        aria-label="Scope"
        className="w-full rounded bg-base-100 px-1 py-0.5"
        value={kind}
        onChange={(e) => {
          onKind(e.target.value as ScopeKind)
        }}
      >
        {scopeKinds.map((k) => (
          <option key={k} value={k}>
            {names[k]}
          </option>
        ))}
      </select>
      <div
        className={`relative bg-black ${kind === 'vectorscope' ? 'mx-auto aspect-square' : ''}`}
        style={{ height: plotHeight }}
      >
        <canvas
          ref={canvas}
          className="absolute inset-0 h-full w-full"
          role="img"
          aria-label={`${names[kind]}${told ? ` of ${told.pixels} pixels` : ''}`}
          data-took-ms={told?.tookMs.toFixed(1)}
          data-pixels={told?.pixels}
        />
        {kind !== 'vectorscope' &&
          marks.map(([light, text]) => (
            <span
              key={text}
              className={`pointer-events-none absolute text-[9px] leading-none text-white/70 ${kind === 'histogram' ? 'top-0 bottom-0 border-l border-white/15 pl-0.5' : 'left-0 right-0 border-t border-white/15 pl-0.5'}`}
              style={
                kind === 'histogram'
                  ? { left: `${scopeLevel(light) * 100}%` }
                  : { top: `${(1 - scopeLevel(light)) * 100}%` }
              }
              title={`Light of ${light}; as code ${Math.round(255 * Math.min(1, linearToSrgb(light)))}`}
            >
              <span className="rounded-sm bg-black/60 px-px">
                {light === 4 && kind === 'histogram' ? '' : text}
              </span>
            </span>
          ))}
      </div>
    </div>
  )
}

/** Scopes beside the picture: two at a time, of all of it or of a part that is dragged on it. */
export function Scopes() {
  const { store } = useShotContext()
  const scopes = useShot((s) => s.scopes)
  const { set } = store.getState()
  if (!scopes) return null
  const change = (patch: Partial<NonNullable<typeof scopes>>) => {
    const now = store.getState().scopes
    if (now) set({ scopes: { ...now, ...patch } })
  }
  return (
    <aside
      aria-label="Scopes"
      className="flex w-64 shrink-0 flex-col gap-1.5 overflow-y-auto border-r border-base-200 bg-base-300 p-1.5 text-xs"
    >
      <div className="flex items-center gap-1">
        <select
          aria-label="Scopes show"
          className="min-w-0 flex-1 rounded bg-base-100 px-1 py-0.5"
          value={scopes.of}
          onChange={(e) => {
            change({ of: e.target.value as 'picture' | 'step' })
          }}
        >
          <option value="picture">The finished picture</option>
          <option value="step">What is selected</option>
        </select>
        <button
          type="button"
          className={`btn btn-xs ${scopes.isMarking ? 'btn-primary' : ''}`}
          aria-pressed={scopes.isMarking}
          title={
            scopes.region
              ? 'Mark another part of the picture'
              : 'Drag a part of the picture that alone counts'
          }
          onClick={() => {
            change({ isMarking: !scopes.isMarking })
          }}
        >
          <SquareDashedMousePointer size={13} aria-hidden /> Part
        </button>
        {scopes.region && (
          <button
            type="button"
            className="btn btn-ghost btn-xs btn-square"
            aria-label="Count the whole picture again"
            title="Count the whole picture again"
            onClick={() => {
              change({ region: undefined })
            }}
          >
            <X size={13} aria-hidden />
          </button>
        )}
      </div>
      {scopes.kinds.map((kind, i) => (
        <ScopeView
          key={i}
          kind={kind}
          onKind={(next) => {
            change({ kinds: scopes.kinds.with(i, next) })
          }}
        />
      ))}
    </aside>
  )
}
