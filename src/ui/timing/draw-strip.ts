import type { WorkingSpace } from '../../core/colour/working.ts'
import type { DialValue } from '../../core/dials/dials.ts'
import { linearToHex } from '../../core/picture/colour.ts'
import { handlesBetween } from '../../core/tracks/track-at.ts'
import { partsOf } from '../../core/tracks/track-edits.ts'
import type { Track } from '../../core/tracks/track.ts'

/** How values become heights: of what is drawn as lines. */
export interface Heights {
  readonly low: number
  readonly high: number
}

export interface StripLook {
  readonly width: number
  readonly height: number
  readonly span: readonly [number, number]
  readonly isOpen: boolean
  readonly heights: Heights
  readonly chosen: readonly number[]
  /** The value at a frame, with all that rides on it. */
  readonly valueAt: (frame: number) => DialValue
  /** What colours are. */
  readonly space: WorkingSpace
}

const padding = 7
const colours = {
  line: '#7ea2ff',
  fill: 'rgba(70,110,230,0.24)',
  key: '#dfe3ea',
  chosen: '#5b8cff',
  edge: '#0b0d12',
  grid: 'rgba(255,255,255,0.05)',
  hand: '#a9bff7',
}
const dashes = [[], [4, 3], [1, 3], [8, 3]] as const

export const xOf = (frame: number, { width, span: [from, to] }: Pick<StripLook, 'width' | 'span'>): number =>
  ((frame - from) / (to - from)) * width
export const frameOf = (x: number, { width, span: [from, to] }: Pick<StripLook, 'width' | 'span'>): number =>
  from + (x / width) * (to - from)
export const yOf = (
  value: number,
  { height, heights: { low, high } }: Pick<StripLook, 'height' | 'heights'>,
) => padding + ((high - value) / (high - low)) * (height - 2 * padding)
export const valueOf = (
  y: number,
  { height, heights: { low, high } }: Pick<StripLook, 'height' | 'heights'>,
) => high - ((y - padding) / (height - 2 * padding)) * (high - low)

const partOf = (value: DialValue, i: number) =>
  typeof value === 'number' ? value : (value as readonly number[])[i]!

/** The values of what is drawn as lines, every `step` pixels of a strip: its parts beside each other. */
export interface Samples {
  readonly parts: number
  readonly step: number
  readonly values: Float64Array
}

/** Reads a track once for all that is drawn of it. */
export function samplesOf(
  track: Track,
  { width, span, isOpen, valueAt }: Pick<StripLook, 'width' | 'span' | 'isOpen' | 'valueAt'>,
): Samples {
  const parts = partsOf(track.keys[0]!.value)
  const step = isOpen ? 1 : 2
  const count = Math.floor(width / step) + 1
  const values = new Float64Array(count * parts)
  for (let k = 0; k < count; k++) {
    const value = valueAt(frameOf(k * step, { width, span }))
    for (let i = 0; i < parts; i++) values[k * parts + i] = partOf(value, i)
  }
  return { parts, step, values }
}

/** From the lowest to the highest that a track comes to while it is seen; never nothing. */
export function heightsOf({ keys }: Track, { parts, values }: Samples): Heights {
  let [low, high] = [Infinity, -Infinity]
  const take = (value: number) => {
    if (value < low) low = value
    if (value > high) high = value
  }
  for (const value of values) take(value)
  for (const key of keys) for (let i = 0; i < parts; i++) take(partOf(key.value, i))
  if (!(high > low)) {
    const around = Math.max(0.5, Math.abs(low) * 0.5)
    return {
      low: (Number.isFinite(low) ? low : 0) - around,
      high: (Number.isFinite(high) ? high : 0) + around,
    }
  }
  return { low, high }
}

/** A key cut like a gem, on its middle. */
function cutGem(c: Context, x: number, y: number, isChosen: boolean, go: string | undefined): void {
  const [r, cut] = [isChosen ? 5 : 4.5, 2]
  c.beginPath()
  c.moveTo(x - r + cut, y - r)
  c.lineTo(x + r, y - r)
  c.lineTo(x + r, y + r - cut)
  c.lineTo(x + r - cut, y + r)
  c.lineTo(x - r, y + r)
  c.lineTo(x - r, y - r + cut)
  c.closePath()
  c.fillStyle = isChosen ? colours.chosen : colours.key
  c.fill()
  c.lineWidth = 1
  c.strokeStyle = isChosen ? '#fff' : colours.edge
  c.stroke()
  // How it goes on: a step or a bow inside.
  if (go === undefined) return
  c.strokeStyle = isChosen ? '#fff' : colours.edge
  c.beginPath()
  if (go === 'hold') {
    c.moveTo(x - 2.5, y)
    c.lineTo(x + 2.5, y)
  } else c.arc(x, y + 1.5, 2.6, Math.PI, 0)
  c.stroke()
}

type Context = CanvasRenderingContext2D | OffscreenCanvasRenderingContext2D
/** Half the side of what a gem is drawn on. */
const gemHalf = 8
/** Gems that were cut already: thousands of keys are drawn from a few. */
const cut = new Map<string, OffscreenCanvas>()

/** Draws a key, on whole pixels of the screen. */
function gem(
  c: CanvasRenderingContext2D,
  x: number,
  y: number,
  isChosen: boolean,
  go: string | undefined,
): void {
  const ratio = c.getTransform().a
  const name = `${ratio} ${isChosen} ${go ?? ''}`
  let drawn = cut.get(name)
  if (!drawn) {
    const side = Math.ceil(2 * gemHalf * ratio)
    drawn = new OffscreenCanvas(side, side)
    const context = drawn.getContext('2d')!
    context.scale(ratio, ratio)
    cutGem(context, gemHalf, gemHalf, isChosen, go)
    cut.set(name, drawn)
  }
  const whole = (v: number) => Math.round(v * ratio) / ratio
  c.drawImage(drawn, whole(x - gemHalf), whole(y - gemHalf), drawn.width / ratio, drawn.height / ratio)
}

/** A handle of a curve on the strip that is worked on. */
export interface DrawnHandle {
  readonly frame: number
  readonly side: 'in' | 'out'
  readonly part: number
  readonly x: number
  readonly y: number
}

/** Handles that can be taken hold of: those of chosen keys, where a curve comes or goes. */
export function handlesOf(track: Track, look: StripLook): DrawnHandle[] {
  if (!look.isOpen || track.along || track.mix) return []
  const { keys } = track
  return keys.flatMap((key, i) => {
    if (!look.chosen.some((f) => Math.abs(f - key.frame) < 1e-6)) return []
    const found: DrawnHandle[] = []
    for (let part = 0; part < partsOf(key.value); part++) {
      const add = (side: 'in' | 'out', [frames, value]: readonly [number, number]) =>
        found.push({
          frame: key.frame,
          side,
          part,
          x: xOf(key.frame + frames, look),
          y: yOf(partOf(key.value, part) + value, look),
        })
      const [before, after] = [keys[i - 1], keys[i + 1]]
      if (before?.go === 'curve' && partsOf(before.value) === partsOf(key.value))
        add('in', handlesBetween(before, key, part)[1])
      if (key.go === 'curve' && after && partsOf(after.value) === partsOf(key.value))
        add('out', handlesBetween(key, after, part)[0])
    }
    return found
  })
}

/** Where a key is drawn: on its curve, or in the middle of a band. */
export function keyPlace(
  key: Track['keys'][number],
  look: StripLook,
  isLines: boolean,
): readonly [number, number] {
  const y =
    isLines && partsOf(key.value) === 1 && look.isOpen ? yOf(key.value as number, look) : look.height / 2
  return [
    xOf(key.frame, look),
    isLines && partsOf(key.value) === 1 && !look.isOpen ? yOf(key.value as number, look) : y,
  ]
}

/** Whether a track is drawn as lines: numbers and points; colours are a band, all else blocks. */
export const isLines = (track: Track, type: string): boolean =>
  type !== 'colour' && partsOf(track.keys[0]!.value) > 0

function lines(c: CanvasRenderingContext2D, { parts, step, values }: Samples, look: StripLook): void {
  const { width, height } = look
  for (let part = 0; part < parts; part++) {
    c.beginPath()
    for (let k = 0; k * parts < values.length; k++) {
      const y = yOf(values[k * parts + part]!, look)
      if (k === 0) c.moveTo(0, y)
      else c.lineTo(k * step, y)
    }
    c.strokeStyle = colours.line
    c.lineWidth = 1.4
    c.setLineDash(dashes[part % 4] as unknown as number[])
    c.stroke()
    c.setLineDash([])
    if (parts > 1) continue
    c.lineTo(width, height)
    c.lineTo(0, height)
    c.closePath()
    c.fillStyle = colours.fill
    c.fill()
  }
}

function band(c: CanvasRenderingContext2D, look: StripLook): void {
  const { width, height, valueAt } = look
  for (let x = 0; x < width; x += 2) {
    const [r = 0, g = 0, b = 0] = valueAt(frameOf(x + 1, look)) as readonly number[]
    const most = Math.max(1, r, g, b)
    c.fillStyle = linearToHex(look.space, [
      Math.max(0, r) / most,
      Math.max(0, g) / most,
      Math.max(0, b) / most,
    ])
    c.fillRect(x, height / 2 - 7, 2, 14)
  }
}

/** A choice or flag: a block for as long as it holds; flags that are off are empty. */
function blocks(c: CanvasRenderingContext2D, track: Track, look: StripLook): void {
  const { width, height, valueAt } = look
  let from = 0
  const block = (to: number, value: DialValue) => {
    if (value === false || to - from < 1) return
    c.fillStyle = 'rgba(70,110,230,0.4)'
    c.fillRect(from, height / 2 - 7, to - from - 1, 14)
    c.fillStyle = '#dfe3ea'
    c.font = '10.5px Inter Variable, sans-serif'
    const words = value === true ? 'on' : typeof value === 'string' ? value : '…'
    if (to - from > 24) c.fillText(words, from + 8, height / 2 + 4, to - from - 12)
  }
  let now = valueAt(frameOf(0, look))
  for (let x = 1; x <= width; x++) {
    const value = valueAt(frameOf(x, look))
    if (JSON.stringify(value) === JSON.stringify(now)) continue
    block(x, now)
    ;[from, now] = [x, value]
  }
  block(width, now)
}

/** Draws a strip: its curve, band or blocks, its keys, and the handles of those that are chosen. */
export function drawStrip(
  c: CanvasRenderingContext2D,
  track: Track,
  type: string,
  look: StripLook,
  samples: Samples | undefined,
): void {
  const { width, height } = look
  c.clearRect(0, 0, width, height)
  const hasLines = samples !== undefined
  if (samples) lines(c, samples, look)
  else if (type === 'colour') band(c, look)
  else blocks(c, track, look)
  const handles = handlesOf(track, look)
  c.strokeStyle = colours.hand
  c.lineWidth = 1
  for (const handle of handles) {
    const key = track.keys.find((k) => k.frame === handle.frame)!
    c.beginPath()
    c.moveTo(xOf(key.frame, look), yOf(partOf(key.value, handle.part), look))
    c.lineTo(handle.x, handle.y)
    c.stroke()
    c.beginPath()
    c.arc(handle.x, handle.y, 3.5, 0, 2 * Math.PI)
    c.fillStyle = colours.edge
    c.fill()
    c.stroke()
  }
  for (const key of track.keys) {
    const [x, y] = keyPlace(key, look, hasLines)
    if (x < -8 || x > width + 8) continue
    gem(
      c,
      x,
      y,
      look.chosen.some((f) => Math.abs(f - key.frame) < 1e-6),
      key.go,
    )
  }
}
