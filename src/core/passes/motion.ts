import { hueCodes, percentiles } from './draw.ts'
import { definePassKind } from './pass-kind.ts'

export default definePassKind({
  kind: 'motion',
  use: 'How far things move to the next frame: motion blur.',
  named: {
    rank: 6,
    by: [/motion|velocity|^vectors?$|^speed$|(^|_)flow$|^mv$|^(forward|backward)s?$|^(fwd|bwd)(_|$)/],
  },
  isData: true,
  isForMattes: true,
  // Vectors that stay this small are hardly pixels.
  detail(name, stats) {
    const largest = Math.max(0, ...(stats?.channels ?? []).slice(0, 2).flatMap((c) => [-c.low, c.high]))
    return {
      vectors: largest > 0 && largest < 0.02 ? 'shares' : 'pixels',
      leads: /backward|bwd|prev|last/.test(name) ? 'back' : 'next',
      vertical: 'down',
    }
  },
  filter: () => 'pick',
  // Motion comes to be in pixels of the full frame to the next frame, y down.
  settle({ data, channels }, detail, { width, height }) {
    const way = detail?.leads === 'back' ? -1 : 1
    const isShare = detail?.vectors === 'shares'
    const across = way * (isShare ? width : 1)
    const down = way * (isShare ? height : 1) * (detail?.vertical === 'up' ? -1 : 1)
    if (channels !== 4 || (across === 1 && down === 1)) return 0
    for (let i = 0; i < data.length; i += 4) {
      data[i]! *= across
      data[i + 1]! *= down
    }
    return 0
  },
  // The way is the hue, the length the brightness.
  draw(picture) {
    const { data } = picture
    const reach = Math.max(...[0, 1].map((c) => percentiles(picture, c, Math.abs)[1]), 1e-6)
    return (i) => {
      const [x, y] = [data[i]!, data[i + 1]!]
      return hueCodes(Math.atan2(y, x) / (2 * Math.PI) + 1, Math.hypot(x, y) / reach)
    }
  },
  // Arrows of where things go in a frame, from the middle of each field.
  mark(codes, { data, width, height }) {
    const field = Math.max(16, Math.round(width / 40))
    if (width < 160 || data.length !== width * height * 4) return
    let fastest = 0
    for (let y = field / 2; y < height; y += field)
      for (let x = field / 2; x < width; x += field) {
        const i = (Math.floor(y) * width + Math.floor(x)) * 4
        fastest = Math.max(fastest, Math.hypot(data[i]!, data[i + 1]!) || 0)
      }
    const scale = fastest > 0 ? (field * 0.9) / fastest : 0
    const dot = (x: number, y: number, code: number) => {
      const [px, py] = [Math.round(x), Math.round(y)]
      if (px < 0 || py < 0 || px >= width || py >= height) return
      codes.set([code, code, code, 255], (py * width + px) * 4)
    }
    const line = (x: number, y: number, dx: number, dy: number, code: number) => {
      const steps = Math.ceil(Math.max(Math.abs(dx), Math.abs(dy), 1))
      for (let s = 0; s <= steps; s++) dot(x + (dx * s) / steps, y + (dy * s) / steps, code)
    }
    for (let y = field / 2; y < height; y += field)
      for (let x = field / 2; x < width; x += field) {
        const i = (Math.floor(y) * width + Math.floor(x)) * 4
        const [vx, vy] = [data[i]!, data[i + 1]!]
        const length = Math.hypot(vx, vy)
        if (!(length * scale >= 2)) {
          if (width >= 400) dot(x, y, 200)
          continue
        }
        // As long as they go against each other: the fastest nearly fill their field.
        const shown = Math.min(scale, (field * 0.9) / length)
        const [dx, dy] = [vx * shown, vy * shown]
        const head = Math.min(6, 2 + length * shown * 0.2)
        const [ux, uy] = [vx / length, vy / length]
        for (const [shift, code] of [
          [1, 20],
          [0, 255],
        ] as const) {
          line(x + shift, y + shift, dx, dy, code)
          for (const side of [1, -1]) {
            const [hx, hy] = [-ux * head + side * uy * head * 0.6, -uy * head - side * ux * head * 0.6]
            line(x + dx + shift, y + dy + shift, hx, hy, code)
          }
        }
      }
  },
})
