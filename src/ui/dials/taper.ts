import type { NumberDial } from '../../core/dials/dials.ts'

/** Smallest value a logarithmic slider that begins at 0 tells from 0, as a share of its end. */
const logFloor = 0.002

const logRange = ({ range: [low, high] }: NumberDial) => [low > 0 ? low : high * logFloor, high] as const

/** Place of a value on the slider, 0–1; values beyond the range lie at its ends. */
export function toSlider(dial: NumberDial, value: number): number {
  const [low, high] = dial.range
  const held = Math.min(high, Math.max(low, value))
  if (dial.taper === 'linear') return (held - low) / (high - low)
  const [from, to] = logRange(dial)
  return held <= from ? 0 : Math.log(held / from) / Math.log(to / from)
}

/** The value at a place of the slider, rounded to what the dial's step tells apart there. */
export function fromSlider(dial: NumberDial, place: number): number {
  const [low, high] = dial.range
  if (place <= 0) return low
  if (dial.taper === 'linear')
    return Number((Math.round((low + place * (high - low)) / dial.step) * dial.step).toFixed(6))
  const [from, to] = logRange(dial)
  return Number((from * (to / from) ** place).toPrecision(3))
}
