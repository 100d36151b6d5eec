import type { Picture, Rgb } from '../../picture/picture.ts'
import type { KernelCalls } from '../kernel-calls.ts'

/** A lamp in the rendered scene. */
export interface Lamp {
  /** Where it stands, in units of the position pass. */
  readonly at: Rgb
  /** Its colour times its power: what falls on a surface that faces it one unit away. */
  readonly light: Rgb
  /** Distances below this count as this, > 0. */
  readonly limit: number
  /** How large it is: light comes round the bend of surfaces. */
  readonly size: number
}

export interface LampKernels {
  /**
   * Light of lamps on surfaces, alpha 0: for each lamp surface · light · f / max(d, limit)², f = max(0, (cos + w) / (1 + w)), w = size / (size + d), where cos is
   * between the normal and the way to the lamp. Nothing where the normal is shorter than 10⁻⁶ or the position is 0, 0, 0.
   */
  castLight(out: Picture, position: Picture, normal: Picture, surface: Picture, lamps: readonly Lamp[]): void
}

/** The plain twins. */
export const plainLamp: LampKernels = {
  castLight(out, position, normal, surface, lamps) {
    for (let i = 0; i < out.data.length; i += 4) {
      const [n, p] = [normal, position].map(({ data }) => [data[i]!, data[i + 1]!, data[i + 2]!]) as [
        number[],
        number[],
      ]
      const length = Math.hypot(...n)
      const sum = [0, 0, 0]
      if (length > 1e-6 && p.some((v) => v !== 0))
        for (const { at, light, limit, size } of lamps) {
          const way = at.map((v, c) => v - p[c]!)
          const d = Math.hypot(...way)
          const cosine = d > 0 ? way.reduce((s, v, c) => s + v * n[c]!, 0) / (d * length) : 1
          const wrap = size > 0 ? size / (size + d) : 0
          const fall = Math.max(0, (cosine + wrap) / (1 + wrap)) / Math.max(d, limit) ** 2
          light.forEach((v, c) => (sum[c]! += v * fall))
        }
      out.data.set([...sum.map((v, c) => v * surface.data[i + c]!), 0], i)
    }
  },
}

export const fastLamp = ({ run, withFloats }: KernelCalls): LampKernels => ({
  castLight: (out, position, normal, surface, lamps) => {
    // Two more numbers, since a lamp's colour is loaded as four.
    const numbers = [...lamps.flatMap(({ at, light, limit, size }) => [...at, ...light, limit, size]), 0, 0]
    withFloats(numbers, (at) => {
      run('castLight', out, out.at, position.at, normal.at, surface.at, at, lamps.length, out.width)
    })
  },
})
