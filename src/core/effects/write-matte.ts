import type { Picture } from '../picture/picture.ts'
import type { Workshop } from '../kernels/pyramid.ts'
import { flag, number } from '../dials/dials.ts'

/** Dials that every key and pick ends with. */
export const levelDials = {
  black: number({ default: 0, range: [0, 1], hard: [-10, 10], step: 0.01, hint: 'What becomes 0: more takes the faint parts away.' }),
  white: number({ default: 1, range: [0, 1], hard: [-10, 10], step: 0.01, hint: 'What becomes 1: less makes more of it whole.' }),
  gamma: number({ default: 1, range: [0.2, 3], hard: [0.01, 100], step: 0.01, hint: 'More lifts what lies between, less lowers it.' }),
  invert: flag({ default: false, hint: 'On: the matte is where it was not.' }),
} as const // prettier-ignore

interface LevelValues {
  readonly black: number
  readonly white: number
  readonly gamma: number
  readonly invert: boolean
}

/** Writes a matte as a white picture with that cover: values through black, white and gamma, held in 0–1, inverted on wish. */
export function writeMatte(
  out: Picture,
  valueAt: (pixel: number) => number,
  { black, white, gamma, invert }: LevelValues,
  { kernels }: Pick<Workshop, 'kernels'>,
): void {
  const { data } = out
  const span = Math.max(1e-6, white - black)
  for (let i = 0; i < data.length; i += 4) {
    const level = (valueAt(i >> 2) - black) / span
    data[i] = data[i + 1] = data[i + 2] = data[i + 3] = level > 0 ? Math.min(1, level) : 0
  }
  if (gamma !== 1) kernels.lightLevels(out, out, 0, 1, gamma)
  for (let i = 0; i < data.length; i += 4) {
    const held = Math.min(1, data[i]!)
    data[i] = data[i + 1] = data[i + 2] = data[i + 3] = invert ? 1 - held : held
  }
}

/** A matte of one channel through black, white and gamma, held in 0–1, inverted on wish; in place. */
export function levelled(matte: Picture, levels: LevelValues, { kernels, store }: Workshop): void {
  const white = store.allocate(matte.width, matte.height, 4)
  writeMatte(white, (p) => matte.data[p]!, levels, { kernels })
  for (let i = 0; i < matte.data.length; i++) matte.data[i] = white.data[i * 4 + 3]!
  store.release(white)
}
