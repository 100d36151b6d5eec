import { defineDialType, isFiniteNumber, type DialBase, type Spec } from './dial-type.ts'

export interface NumberDial extends DialBase {
  readonly type: 'number'
  readonly default: number
  /** What the slider covers; typing may go on to `hard`. */
  readonly range: readonly [number, number]
  readonly hard: readonly [number, number]
  /** 'px' are pixels of the full frame: the engine scales such a dial when it works on a proxy. */
  readonly unit: string
  readonly step: number
  /** Slider that gives each doubling the same way. Needs a range above 0, or starts at 0 with a short linear part. */
  readonly taper: 'linear' | 'log'
  /** It is a direction: a handle on the picture for it and a length, while another dial has a value. */
  readonly direction?: { readonly length: string }
  /** Its slider also lies on the picture: a handle beside this point, farther away for more. */
  readonly lever?: string
  /** It can be picked on the picture: the value of a feed there, or the luminance of what comes to the step. */
  readonly pick?: { readonly of: string }
  /** A luminance histogram of what the step works on, with this dial as a mark to drag. */
  readonly chart?: { readonly knee: string; readonly measure?: string }
}

export function number(spec: Spec<NumberDial, 'hard' | 'unit' | 'step' | 'taper'>): NumberDial {
  const [low, high] = spec.range
  return { type: 'number', hard: spec.range, unit: '', step: (high - low) / 100, taper: 'linear', ...spec }
}

const within = ({ hard: [low, high] }: NumberDial, value: number) => Math.min(high, Math.max(low, value))

export default defineDialType<number, NumberDial>({
  type: 'number',
  wants({ hard: [low, high] }, value) {
    if (!isFiniteNumber(value)) return `a number from ${low} to ${high}`
    return value < low || value > high ? `${low} to ${high}` : undefined
  },
  words: ({ range, hard, unit }) => `${range.join(' – ')} (${hard.join(' – ')})${unit ? ` ${unit}` : ''}`,
  scaled: ({ unit }, value, { reduction }) => (unit === 'px' ? value / reduction : value),
  nearest: (dial, value) =>
    typeof value === 'number' && !Number.isNaN(value) ? within(dial, value) : undefined,
  shifted: (dial, value, from, to) => within(dial, value + (to - from)),
})
