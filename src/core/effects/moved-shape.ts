import { drawSpikes } from '../kernels/draw-light.ts'
import { gaussianBlur, type Workshop } from '../kernels/pyramid.ts'
import { inverse, placement } from '../picture/affine.ts'
import type { Picture } from '../picture/picture.ts'
import { choice, flag, number, point } from '../dials/dials.ts'
import { placingDials } from './placing-dials.ts'
import type { Feed } from './effect.ts'

// A shape that is moved, turned and scaled, turned inside out and softened: the element's own outline, shifted and inverted,
// makes a rim or a core shadow that follows it.

/** The feed that the shape comes from. */
export const shapeFeeds = {
  shape: {
    kind: 'matte',
    required: false,
    without: 'its own alpha',
    hint: 'Where it acts: a drawn shape, objects, a pass or a lane. Without it, the alpha of the step’s own picture.',
  },
  colours: {
    kind: 'light',
    required: false,
    without: 'its colour dial',
    hint: 'A picture whose colours are taken in place of the colour dial, such as the lane that the shape comes from.',
  },
} as const satisfies Record<string, Feed>

/** Where the shape is put; the picture stays. */
export const shapeDials = {
  ...placingDials(200),
  pivot: point({ default: [0.5, 0.5], hint: 'What stays where it is while the shape turns and scales.' }),
  softness: number({
    default: 6,
    range: [0, 200],
    hard: [0, 4000],
    unit: 'px',
    step: 0.5,
    hint: '0 keeps the edge as sharp as the shape; more runs it out softly to both sides.',
  }),
  edge: choice({
    default: 'round',
    options: { round: 'Round', angle: 'Along an angle' },
    hint: 'Softens the edge to all sides alike, or along one line, as a moving light would.',
  }),
  edgeAngle: number({
    default: 0,
    range: [0, 360],
    hard: [-36000, 36000],
    unit: '°',
    step: 1,
    when: { dial: 'edge', is: 'angle' },
    hint: 'Which way the edge runs out, clockwise from the right.',
  }),
  invert: flag({
    default: false,
    hint: 'On: where the moved shape is not; of its own outline, that is a rim.',
  }),
} as const

/** Handles on the picture for the shape's place. */
export const shapeOffset = { x: 'moveX', y: 'moveY', about: 'pivot', turn: 'turn', scale: 'scale' } as const

interface ShapeValues {
  readonly moveX: number
  readonly moveY: number
  readonly turn: number
  readonly scale: number
  readonly pivot: readonly [number, number]
  readonly softness: number
  readonly edge: 'round' | 'angle'
  readonly edgeAngle: number
  readonly invert: boolean
}

/** How far the shape counts; all of it may where it is turned or scaled. */
export const movedReach = ({
  moveX,
  moveY,
  turn,
  scale,
  softness,
}: Omit<ShapeValues, 'pivot'>): number | undefined =>
  turn === 0 && scale === 100 ? Math.max(Math.abs(moveX), Math.abs(moveY)) + 2 * softness + 3 : undefined

/** The shape as the dials put it, one channel; the caller's to give back. */
export function movedShape(
  picture: Picture,
  fed: Picture | undefined,
  { moveX, moveY, turn, scale, pivot, softness, edge, edgeAngle, invert }: ShapeValues,
  { kernels, store }: Workshop,
): Picture {
  const { width, height } = picture
  const shape = fed ?? store.allocate(width, height, 1)
  if (!fed) kernels.matteOf(shape, picture, 'alpha', false)
  const flat = store.allocate(width, height, 4)
  kernels.fill(flat, 1, 1, 1, 1)
  kernels.weigh(flat, flat, shape, 0, 1)
  const moved = store.allocate(width, height, 4)
  const back = inverse(placement(pivot, [scale / 100, scale / 100], turn, [moveX, moveY]))
  if (back) kernels.resample(moved, flat, back, 'bilinear')
  else kernels.fill(moved, 0, 0, 0, 0)
  if (edge === 'round' || softness < 1) gaussianBlur(moved, moved, softness / 2, { kernels, store })
  else {
    kernels.weigh(flat, moved, shape, 1, 0)
    const spikes = [0, 180].map((turned) => ({ angle: edgeAngle + turned, length: softness }))
    drawSpikes(moved, flat, spikes, { exponent: 1, gain: 1 / softness, colourSpread: 0 }, { kernels, store })
  }
  const out = store.allocate(width, height, 1)
  kernels.matteOf(out, moved, 'red', invert)
  for (const taken of [flat, moved, ...(fed ? [] : [shape])]) store.release(taken)
  return out
}
