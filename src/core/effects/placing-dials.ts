import { number } from '../dials/dials.ts'

/** Dials that move, turn and scale something; `reach` is what the sliders for moving cover, in pixels. */
export function placingDials(reach: number) {
  const move = (way: string) =>
    number({
      default: 0,
      range: [-reach, reach],
      hard: [-1e5, 1e5],
      unit: 'px',
      step: 1,
      hint: `More moves it ${way}.`,
    })
  return {
    moveX: move('to the right'),
    moveY: move('down'),
    turn: number({
      default: 0,
      range: [-180, 180],
      hard: [-36000, 36000],
      unit: '°',
      step: 0.5,
      hint: 'More turns it clockwise.',
    }),
    scale: number({
      default: 100,
      range: [1, 400],
      hard: [0.01, 10000],
      unit: '%',
      step: 1,
      taper: 'log',
      hint: 'More makes it larger about the pivot.',
    }),
  } as const
}
