import { isMiss } from '../../picture/depth-miss.ts'
import type { Picture } from '../../picture/picture.ts'
import { held } from '../twin-maths.ts'
import type { KernelCalls } from '../kernel-calls.ts'

/** Mist along the distance. */
export interface MistShape {
  /** Where the table begins, and its steps in one unit of distance. */
  readonly from: number
  readonly scale: number
  /** Entries of red, green, blue, each times the weight, and the weight (0–1); the last is for where nothing was hit. */
  readonly table: Float32Array
  readonly join: 'mix' | 'add' | 'screen'
  /** Where nothing was hit, mist of the last entry also lies on what the picture does not cover, and covers it. */
  readonly fills: boolean
  /** Light in the mist about a lamp: a colour, and how strong it is in each column times each row. */
  readonly glow?: {
    readonly colour: readonly [number, number, number]
    readonly columns: Float32Array
    readonly rows: Float32Array
  }
}

const pixelOf = ({ data, width, height }: Picture, x: number, y: number) => [
  ...data.subarray((held(y, height) * width + held(x, width)) * 4).subarray(0, 4),
]

/** The entry of a mist's table at a place, with the light of a lamp in it. */
function entryOf({ table, glow }: MistShape, place: number, x?: number, y?: number): number[] {
  const i = Math.floor(place)
  const own = [0, 1, 2, 3].map((c) => {
    const [a, b] = [table[i * 4 + c]!, table[(i + 1) * 4 + c] ?? 0]
    return a + (b - a) * (place - i)
  })
  if (!glow || x === undefined || y === undefined) return own
  return own.map((v, c) => (c < 3 ? v + glow.colour[c]! * own[3]! * glow.columns[x]! * glow.rows[y]! : v))
}

/** A pixel behind mist: out of its own distance, or taken apart at an edge; and whether what is behind it was not hit. */
function mistAt(
  src: Picture,
  depth: Picture,
  vary: Picture | undefined,
  shape: MistShape,
  x: number,
  y: number,
): { readonly made: readonly number[]; readonly isOpen: boolean } {
  const { width, height } = src
  const last = shape.table.length / 4 - 1
  const place = (px: number, py: number) => {
    const i = held(py, height) * width + held(px, width)
    const d = depth.data[i]!
    const at = (d - shape.from) * shape.scale * (vary?.data[i] ?? 1)
    return isMiss(d) ? last : Math.min(last - 1, Math.max(0, at))
  }
  const around = (reach: number) => {
    const side = Array.from({ length: 2 * reach + 1 }, (_, k) => k - reach)
    return side.flatMap((dy) => side.map((dx) => [dx, dy] as const))
  }
  const kept = (v: readonly number[]) =>
    [0, 1, 2, 3].map((c) =>
      shape.join === 'mix' ? 1 - v[3]! : shape.join === 'add' ? 1 : Math.max(0, 1 - v[c]!),
    )
  /** What a colour becomes behind mist. */
  const behind = (p: readonly number[], v: readonly number[]) => {
    const k = kept(v)
    return p.map((value, c) => value * k[c]! + v[c]! * p[3]!)
  }
  const p = pixelOf(src, x, y)
  const plain = behind(p, entryOf(shape, place(x, y), x, y))
  const near3 = around(1).map(([dx, dy]) => place(x + dx, y + dy))
  // What was not hit lies beyond all else, so that its edges are always found.
  const apart = near3.map((p3) => (p3 === last ? 2 * last : p3))
  if (!(Math.max(...apart) - Math.min(...apart) > last / 128))
    return { made: plain, isOpen: place(x, y) === last }
  const near5 = around(2).map(([dx, dy]) => place(x + dx, y + dy))
  const isOpen = Math.max(...near5) === last
  const middle = (Math.max(...near5) + Math.min(...near5)) / 2
  const ring = around(2)
    .filter(([dx, dy]) => Math.max(Math.abs(dx), Math.abs(dy)) === 2)
    .map(([dx, dy]) => ({ at: place(x + dx, y + dy), colour: pixelOf(src, x + dx, y + dy) }))
  const sides = [ring.filter((r) => r.at < middle), ring.filter((r) => r.at >= middle)]
  if (sides.some((side) => side.length === 0)) return { made: plain, isOpen }
  const mean = (rows: readonly (readonly number[])[]) =>
    [0, 1, 2, 3].map((c) => rows.reduce((sum, row) => sum + row[c]!, 0) / rows.length)
  const [near, far] = sides.map((side) => ({
    colour: mean(side.map((r) => r.colour)),
    mist: mean(side.map((r) => entryOf(shape, r.at, x, y))),
  })) as [{ colour: number[]; mist: number[] }, { colour: number[]; mist: number[] }]
  const dot = (a: readonly number[], b: readonly number[]) => a.reduce((sum, v, c) => sum + v * b[c]!, 0)
  const step = near.colour.map((v, c) => v - far.colour[c]!)
  const square = dot(step, step)
  // Sides that hardly differ, or differ within themselves as much, do not say; then it is how many of its neighbours are near.
  const spread = (side: typeof ring, colour: readonly number[]) =>
    side.reduce((sum, r) => sum + dot(r.colour, r.colour), 0) / side.length - dot(colour, colour)
  const within = spread(sides[0]!, near.colour) + spread(sides[1]!, far.colour)
  const trust = square / (square + 4 * Math.max(0, within) + 1e-12)
  const toFar = p.map((v, c) => v - far.colour[c]!)
  const seen = square > 0 ? Math.min(1, Math.max(0, dot(toFar, step) / square)) : 0
  const cover = trust * seen + ((1 - trust) * near3.filter((at) => at < middle).length) / 9
  const mixed = (a: readonly number[], b: readonly number[]) =>
    a.map((v, c) => cover * v + (1 - cover) * b[c]!)
  const rest = p.map((v, c) => v - mixed(near.colour, far.colour)[c]!)
  const both = mixed(behind(near.colour, near.mist), behind(far.colour, far.mist))
  const stays = mixed(kept(near.mist), kept(far.mist))
  const mist = mixed(near.mist, far.mist)
  return { made: both.map((v, c) => v + rest[c]! * stays[c]! + rest[3]! * mist[c]!), isOpen }
}

/** The colour that all entries of a table of mist have, each times its weight; undefined where they differ. */
function colourOf(table: Float32Array): readonly [number, number, number] | undefined {
  let most = 0
  for (let i = 3; i < table.length; i += 4) if (table[i]! > table[most * 4 + 3]!) most = i >> 2
  const whole = table[most * 4 + 3]!
  if (!(whole > 0)) return undefined
  const colour = [0, 1, 2].map((c) => table[most * 4 + c]! / whole) as [number, number, number]
  for (let i = 0; i < table.length; i += 4)
    for (let c = 0; c < 3; c++)
      if (Math.abs(table[i + c]! - colour[c]! * table[i + 3]!) > 1e-6 * (1 + Math.abs(colour[c]!)))
        return undefined
  return colour
}

export interface MistKernels {
  /**
   * Mist over a picture by distance: out = kept · src + mist · alpha, with mist and its weight w from a table along the distance times
   * `vary`; kept is 1 − w (mix), 1 (add) or 1 − mist (screen). Alpha stays. `depth` and `vary` have one channel; depth from 1e30 on is where nothing was
   * hit. Where the table's places of neighbours differ by more than 1/128 of it, a pixel is taken apart: as far as its colour lies
   * between those two pixels away on the near and the far side, it is of the near one, and each part has the mist of its side; where
   * those colours do not tell the sides apart, as far as its neighbours are near. So
   * antialiased edges, whose depth knows one side alone, neither fringe nor fog. `out` must not be `src`.
   * Source: Koschmieder 1924 (airlight); the weights are the table's.
   */
  mist(out: Picture, src: Picture, depth: Picture, vary: Picture | undefined, shape: MistShape): void
}

/** The plain twins. */
export const plainMist: MistKernels = {
  mist(out, src, depth, vary, shape) {
    for (let y = 0; y < src.height; y++)
      for (let x = 0; x < src.width; x++) {
        const p = pixelOf(src, x, y)
        const { made, isOpen } = mistAt(src, depth, vary, shape, x, y)
        const empty = shape.fills ? entryOf(shape, shape.table.length / 4 - 1) : [0, 0, 0, 0]
        const open = isOpen ? Math.max(0, 1 - p[3]!) : 0
        const at = (y * src.width + x) * 4
        for (let c = 0; c < 4; c++) out.data[at + c] = (c < 3 ? made[c]! : p[3]!) + empty[c]! * open
      }
  },
}

export const fastMist = ({ run, withScratch, withFloats }: KernelCalls): MistKernels => ({
  mist: (out, src, depth, vary, { from, scale, table, join, fills, glow }) => {
    const last = table.length / 4 - 1
    const colour = join === 'mix' ? colourOf(table) : undefined
    const params = [
      from,
      scale,
      last,
      ['mix', 'add', 'screen'].indexOf(join),
      Number(fills),
      ...(glow?.colour ?? [0, 0, 0]),
      ...(colour ?? [0, 0, 0]),
      0,
    ]
    const weights = colour ? table.filter((_, i) => i % 4 === 3) : []
    const bytes = 3 * (src.width + 16) * 4 + 192
    withScratch(bytes, (scratch) => {
      // One more entry, of which nothing is taken, behind the last.
      const entries = new Float32Array(table.length + 4)
      entries.set(table)
      withFloats(entries, (tableAt) => {
        withFloats([...params, ...(glow?.columns ?? []), ...(glow?.rows ?? []), ...weights, 0], (at) => {
          const columns = at + params.length * 4
          const rows = columns + (glow?.columns.length ?? 0) * 4
          const weightsAt = colour ? rows + (glow?.rows.length ?? 0) * 4 : 0
          const sources = [
            out.at,
            src.at,
            depth.at,
            vary?.at ?? 0,
            tableAt,
            weightsAt,
            at,
            glow ? columns : 0,
            glow ? rows : 0,
          ] as const
          run('mist', out, ...sources, scratch, bytes, src.width, src.height)
        })
      })
    })
  },
})
