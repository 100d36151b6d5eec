import type { WorkingSpace } from '../../colour/working.ts'
import type { Picture } from '../../picture/picture.ts'
import { linearToOklab } from '../../picture/oklab.ts'
import { leastCover } from '../../picture/colour.ts'
import type { KernelCalls } from '../kernel-calls.ts'

/** A picked colour in OKLab. */
export interface ColourPick {
  readonly lab: readonly [number, number, number]
  readonly isWanted: boolean
}

export interface ColourKey {
  readonly reach: number
  readonly soft: number
  readonly lightness: number
}

export interface KeyKernels {
  /**
   * How near the straight colour of each pixel is to picked ones, one channel 0–1, times its alpha: 1 within `reach` of one that is
   * wanted, down to 0 over `soft` beyond; less so near one that is not. Distances are those of OKLab, with lightness weighed by `lightness`.
   */
  keyColour(out: Picture, src: Picture, picks: readonly ColourPick[], key: ColourKey): void
  /**
   * What stays of a picture when as much of it as `key` says is taken as being of a colour (straight light): out = src − gone · (spill · colour ·
   * alpha + (1 − spill) · src), alpha · (1 − gone); gone = key + spill · (min(key, most) − key), where `most`, 0–1, is the largest share of the
   * colour that leaves no channel below 0. Where all is gone nothing stays; what is below 0 stays as it is.
   */
  takeColour(
    out: Picture,
    src: Picture,
    key: Picture,
    colour: readonly [number, number, number],
    spill: number,
  ): void
}

/** The plain twins. */
export const plainKey = (space: WorkingSpace): KeyKernels => ({
  keyColour(out, { data }, picks, { reach, soft, lightness }) {
    for (let i = 0; i < out.data.length; i++) {
      const [r, g, b, alpha] = [data[i * 4]!, data[i * 4 + 1]!, data[i * 4 + 2]!, data[i * 4 + 3]!]
      const [l, a, bb] =
        alpha > leastCover ? linearToOklab(space, r / alpha, g / alpha, b / alpha) : [0, 0, 0]
      const near = (isWanted: boolean) =>
        picks
          .filter((p) => p.isWanted === isWanted)
          .map(({ lab }) => {
            const far = Math.sqrt((lightness * (l - lab[0])) ** 2 + (a - lab[1]) ** 2 + (bb - lab[2]) ** 2)
            return soft > 0 ? 1 - (far - reach) / soft : far <= reach ? 1 : 0
          })
          .reduce((most, v) => Math.max(most, Math.min(1, v)), 0)
      out.data[i] = alpha > leastCover ? near(true) * (1 - near(false)) * Math.min(1, alpha) : 0
    }
  },
  takeColour(out, { data }, key, colour, spill) {
    for (let i = 0; i < out.data.length; i += 4) {
      const [near, alpha] = [key.data[i >> 2]!, data[i + 3]!]
      // No more of the colour can be behind an edge than leaves light in every channel.
      let most = 1
      for (const c of [0, 1, 2] as const)
        if (colour[c] > 0)
          most = Math.min(most, Math.max(0, data[i + c]!) / (colour[c] * Math.max(1e-6, alpha)))
      const gone = near >= 1 ? 1 : near + spill * (Math.min(near, most) - near)
      for (const c of [0, 1, 2] as const) {
        const own = data[i + c]!
        // What half covered edges have of it goes with it.
        const left = own - gone * (spill * colour[c] * alpha + (1 - spill) * own)
        out.data[i + c] = gone >= 1 ? 0 : own < 0 ? own : Math.max(0, left)
      }
      out.data[i + 3] = alpha * (1 - gone)
    }
  },
})

export const fastKey = ({ run, withFloats, conesAt }: KernelCalls): KeyKernels => ({
  keyColour: (out, src, picks, { reach, soft, lightness }) => {
    const numbers = picks.flatMap(({ lab, isWanted }) => [...lab, isWanted ? 1 : -1])
    withFloats(numbers, (at) => {
      run('keyColour', out, out.at, src.at, at, picks.length, reach, soft, lightness, conesAt, out.width)
    })
  },
  takeColour: (out, src, key, colour, spill) => {
    run('takeColour', out, out.at, src.at, key.at, ...colour, spill, out.width)
  },
})
