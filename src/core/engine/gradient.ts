import type { Picture, Rgb } from '../picture/picture.ts'

/** An end of a gradient at a frame. */
interface End {
  readonly at: readonly [number, number]
  readonly colour: Rgb
  readonly alpha: number
}

/**
 * Fills a picture with a gradient, linear in light and alpha between its ends and held beyond them. `place` takes a point of
 * the full frame to one of the picture. Both ends at one point give the second colour everywhere.
 */
export function paintGradient(
  out: Picture,
  { shape, from, to }: { readonly shape: 'line' | 'round'; readonly from: End; readonly to: End },
  place: (point: readonly [number, number]) => readonly [number, number],
): void {
  const [x0, y0] = place(from.at)
  const [x1, y1] = place(to.at)
  const [dx, dy] = [x1 - x0, y1 - y0]
  const square = dx * dx + dy * dy
  const end = ({ colour, alpha }: typeof from) => [
    colour[0] * alpha,
    colour[1] * alpha,
    colour[2] * alpha,
    alpha,
  ]
  const [a, b] = [end(from), end(to)]
  for (let y = 0; y < out.height; y++)
    for (let x = 0; x < out.width; x++) {
      const [px, py] = [x + 0.5 - x0, y + 0.5 - y0]
      const along =
        square === 0
          ? 1
          : shape === 'line'
            ? (px * dx + py * dy) / square
            : Math.sqrt((px * px + py * py) / square)
      const t = Math.min(1, Math.max(0, along))
      const o = (y * out.width + x) * 4
      for (let c = 0; c < 4; c++) out.data[o + c] = a[c]! + (b[c]! - a[c]!) * t
    }
}
