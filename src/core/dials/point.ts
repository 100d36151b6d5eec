import { defineDialType, isTuple, type DialBase, type Spec } from './dial-type.ts'

export interface PointDial extends DialBase {
  readonly type: 'point'
  /** Pixels of the full frame from its top left; the default as shares (0–1) of its width and height. */
  readonly default: Point
}
type Point = readonly [x: number, y: number]

export function point(spec: Spec<PointDial>): PointDial {
  return { type: 'point', ...spec }
}

const each = (at: (c: 0 | 1) => number): Point => [at(0), at(1)]

export default defineDialType<Point, PointDial>({
  type: 'point',
  wants: (_, value) => (isTuple(value, 2) ? undefined : '2 numbers'),
  defaultOn: ({ default: [x, y] }, { width, height }) => [x * width, y * height],
  scaled: (_, value, { reduction, left, top }) => [value[0] / reduction + left, value[1] / reduction + top],
  shifted: (_, value, from, to) => each((c) => value[c] + (to[c] - from[c])),
})
