import type { Picture } from '../../picture/picture.ts'
import type { KernelCalls } from '../kernel-calls.ts'
import { eachValue, held } from '../twin-maths.ts'

/** Lines y = first + row + slope · x, |slope| ≤ 1, or the same with x and y changed where they are steep. */
export interface Lines {
  readonly slope: number
  readonly first: number
  readonly isSteep: boolean
}

export interface WaysKernels {
  /**
   * Means along lines: out(x, row) is the mean of the line from x − back to x + ahead, each of its pixels
   * counting by the share of it that lies there; between rows the line is interpolated, edges repeat. Lines that run outside of the
   * picture are left as they are. `out` is as wide as `src`, or as `src` is high where they are steep, and not `src`.
   */
  boxLines(out: Picture, src: Picture, lines: Lines, back: number, ahead: number): void
  /** The lines of boxLines back in the picture, by Catmull–Rom between four of them; there must be one more before and two more after those that are needed. */
  boxBack(out: Picture, drawn: Picture, lines: Lines): void
  /**
   * The mean of the picture on a way about or towards a point, in steps of a pixel, edges repeat: on the arc to `amount` radians on both sides, or
   * from 1 − amount to 1 + amount of the distance. `out` is not `src`.
   */
  aroundPoint(
    out: Picture,
    src: Picture,
    by: 'turn' | 'distance',
    centre: readonly [number, number],
    amount: number,
  ): void
}

const pixel = (src: Picture, x: number, y: number, c: number) =>
  src.data[(held(y, src.height) * src.width + held(x, src.width)) * 4 + c]!
const between = (src: Picture, u: number, v: number, c: number) => {
  const [x, y] = [Math.floor(u), Math.floor(v)]
  const row = (ry: number) =>
    pixel(src, x, ry, c) + (pixel(src, x + 1, ry, c) - pixel(src, x, ry, c)) * (u - x)
  return row(y) + (row(y + 1) - row(y)) * (v - y)
}
const mostSamples = 1024

/** The plain twins. */
export const plainWays: WaysKernels = {
  boxLines(out, src, { slope, first, isSteep }, back, ahead) {
    const height = isSteep ? src.width : src.height
    const at = (u: number, v: number, c: number) => (isSteep ? between(src, v, u, c) : between(src, u, v, c))
    eachValue(out, (i, c, p) => {
      const [x, row] = [p % out.width, Math.floor(p / out.width)]
      const reach = Math.ceil(Math.max(back, ahead)) + 1
      // Only lines that are looked at are drawn.
      const y = first + row + slope * x
      if (y < -1 || y > height) return out.data[i]!
      let sum = 0
      for (let k = -reach; k <= reach; k++) {
        const share = Math.min(k + 0.5, ahead) - Math.max(k - 0.5, -back)
        if (share > 0) sum += share * at(x + k, y + slope * k, c)
      }
      return back + ahead < 1e-6 ? at(x, y, c) : sum / (back + ahead)
    })
  },
  boxBack(out, drawn, { slope, first, isSteep }) {
    eachValue(out, (_, c, p) => {
      const [column, row] = [p % out.width, Math.floor(p / out.width)]
      const [x, y] = isSteep ? [row, column] : [column, row]
      const line = y - x * slope - first
      const whole = Math.floor(line)
      const t = line - whole
      const weight = (d: number) => (d < 1 ? (1.5 * d - 2.5) * d * d + 1 : ((-0.5 * d + 2.5) * d - 4) * d + 2)
      return [-1, 0, 1, 2].reduce(
        (sum, k) => sum + weight(Math.abs(t - k)) * pixel(drawn, x, whole + k, c),
        0,
      )
    })
  },
  aroundPoint(out, src, by, [cx, cy], amount) {
    eachValue(out, (i, c, p) => {
      const [dx, dy] = [(p % src.width) + 0.5 - cx, Math.floor(p / src.width) + 0.5 - cy]
      const far = 2 * amount * Math.hypot(dx, dy)
      if (far < 1e-3) return src.data[i]!
      const samples = Math.min(mostSamples, Math.max(2, Math.ceil(Math.fround(far))))
      let sum = 0
      for (let s = 0; s < samples; s++) {
        const share = ((s + 0.5) / samples) * 2 - 1
        const angle = by === 'turn' ? amount * share : 0
        const scale = by === 'turn' ? 1 : 1 + amount * share
        const [cos, sin] = [Math.cos(angle) * scale, Math.sin(angle) * scale]
        sum += between(src, cx + cos * dx - sin * dy - 0.5, cy + sin * dx + cos * dy - 0.5, c)
      }
      return sum / samples
    })
  },
}

/** Lines that are made together. */
const together = 32

export const fastWays = ({ run, withScratch, withDoubles, pool }: KernelCalls): WaysKernels => ({
  boxLines: (out, src, { slope, first, isSteep }, back, ahead) => {
    const bytes = (out.width + Math.floor(back + 0.5) + Math.floor(ahead + 0.5) + 2) * 16
    const [stepX, stepY] = isSteep ? [src.width * 16, 16] : [16, src.width * 16]
    withScratch(together * bytes, (scratch) => {
      const sizes = [out.width, isSteep ? src.width : src.height] as const
      run('boxLines', out, out.at, src.at, stepX, stepY, slope, first, back, ahead, scratch, bytes, ...sizes)
    })
  },
  boxBack: (out, drawn, { slope, first, isSteep }) => {
    const steps = isSteep ? ([out.width * 16, 16] as const) : ([16, out.width * 16] as const)
    const rows = isSteep ? out.width : out.height
    pool.run('boxBack', [out.at, drawn.at, ...steps, slope, first, drawn.width], rows, drawn.width * 4)
  },
  aroundPoint: (out, src, by, centre, amount) => {
    const isTurn = by === 'turn'
    // For each number of steps: where the arc begins, and one step of it.
    const most = isTurn ? mostSamples : 0
    const turns = Array.from({ length: most + 1 }, (_, n) => {
      const [begin, step] = [amount * (1 / n - 1), (2 * amount) / n]
      return n === 0 ? [1, 0, 1, 0] : [Math.cos(begin), Math.sin(begin), Math.cos(step), Math.sin(step)]
    })
    withDoubles(turns.flat(), (at) => {
      const sizes = [src.width, src.height] as const
      run('aroundPoint', out, out.at, src.at, Number(isTurn), ...centre, amount, at, ...sizes)
    })
  },
})
