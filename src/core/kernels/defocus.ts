import type { Picture } from '../picture/picture.ts'
import type { Run } from './kernels.ts'
import type { Workshop } from './pyramid.ts'

/** The opening of a lens, of radius 1. */
export interface Aperture {
  /** 0: a disc; else as many straight blades, 3 or more. */
  readonly blades: number
  /** Degrees, clockwise on screen; 0 has a corner to the right. */
  readonly turn: number
  /** 0: straight blades; 1: bent until they are a disc. */
  readonly roundness: number
}

/** How far the rim lies from the middle at an angle in radians. A corner is at 1; blades bend out towards the disc. */
export function rimAt({ blades, turn, roundness }: Aperture, angle: number): number {
  if (blades < 3) return 1
  const sector = (2 * Math.PI) / blades
  const from = angle - (turn * Math.PI) / 180
  const inSector = from - sector * Math.floor(from / sector) - sector / 2
  const straight = Math.cos(sector / 2) / Math.cos(inSector)
  return straight + (1 - straight) * roundness
}

/** Points that a row is looked at in, in each of its runs. */
const fineness = 4

/** Runs that a row of pixels is cut into: the smaller the area, the more its rim counts. */
const runsPerRow = (radius: number) => (radius < 4 ? 8 : radius < 8 ? 4 : radius < 16 ? 2 : 1)

/** An area as runs of pixels whose weights make 1 in all, and its size in square pixels. */
export interface ApertureArea {
  readonly runs: readonly Run[]
  readonly area: number
}

/**
 * The area that an aperture of a radius in pixels spreads a point over.
 */
export function apertureRuns(radius: number, aperture: Aperture): ApertureArea {
  const corners = Array.from({ length: 720 }, (_, i) => {
    const angle = (i / 720) * 2 * Math.PI
    const r = radius * rimAt(aperture, angle)
    return [r * Math.cos(angle), r * Math.sin(angle)] as const
  })
  const reach = Math.ceil(Math.max(0.5, ...corners.map(([, y]) => Math.abs(y))) - 0.5)
  const parts = runsPerRow(radius)
  // The rim is a fine outline; where it crosses a line says from where to where the area is on it.
  const perRow = parts * fineness
  const top = -reach - 0.5
  const lines = Array.from(
    { length: (2 * reach + 1) * perRow },
    () => [Infinity, -Infinity] as [number, number],
  )
  for (const [i, [x0, y0]] of corners.entries()) {
    const [x1, y1] = corners[(i + 1) % corners.length]!
    const first = Math.ceil((Math.min(y0, y1) - top) * perRow - 0.5)
    const last = Math.floor((Math.max(y0, y1) - top) * perRow - 0.5)
    for (let k = Math.max(0, first); k <= Math.min(last, lines.length - 1); k++) {
      const y = top + (k + 0.5) / perRow
      const x = y1 === y0 ? x0 : x0 + ((x1 - x0) * (y - y0)) / (y1 - y0)
      const line = lines[k]!
      line[0] = Math.min(line[0], x)
      line[1] = Math.max(line[1], x)
    }
  }
  const runs: Run[] = []
  let area = 0
  for (let row = -reach; row <= reach; row++)
    for (let part = 0; part < parts; part++) {
      const start = (row + reach) * perRow + part * fineness
      const own = lines.slice(start, start + fineness).filter(([low, high]) => high > low)
      const [from, to] = [0, 1].map((end) => own.reduce((sum, line) => sum + line[end]!, 0) / fineness) as [
        number,
        number,
      ]
      if (!(to > from)) continue
      runs.push([row, 0.5 + from, 0.5 + to, 1 / parts])
      area += (to - from) / parts
    }
  // Less than a pixel: the picture as it is.
  if (area <= 1) return { runs: [[0, 0, 1, 1]], area: 1 }
  return { runs: runs.map(([row, from, to, weight]) => [row, from, to, weight / area]), area }
}

/** Spreads every pixel over the aperture; energy stays, beyond the picture its edge goes on. `out` is not `src`. */
export function apertureBlur(
  out: Picture,
  src: Picture,
  radius: number,
  aperture: Aperture,
  { kernels, store }: Workshop,
): void {
  spread(out, src, apertureRuns(radius, aperture).runs, { kernels, store })
}

function spread(out: Picture, src: Picture, runs: readonly Run[], { kernels, store }: Workshop): void {
  const sums = store.take(src.width, src.height, src.channels)
  kernels.rowSums(sums, src)
  kernels.sumOfRuns(out, sums, runs)
  store.give(sums)
}

/** Radii that layers are blurred by, from sharp to `most`: steps that hardly show. */
export function layerRadii(most: number): number[] {
  const radii = [0]
  for (let r = 1; r < most; r = Math.max(r + 0.75, r * 1.16)) radii.push(r)
  if (most >= 0.5) radii.push(most)
  return radii
}

/**
 * Blurs by depth: `nearness` says for each pixel how far it is out of focus, in pixels of radius, positive in front of the focus and
 * negative behind it. The picture is cut into layers of about one radius; each is blurred whole and laid over those behind it. What a layer
 * hides of those behind is not known: they go on beneath it as they are beside it. So what is in focus stays sharp and takes nothing from
 * behind it, and what is in front spreads over what is in focus, as through a lens.
 */
export function defocusByDepth(
  out: Picture,
  src: Picture,
  nearness: Picture,
  { behind, inFront }: { readonly behind: number; readonly inFront: number },
  aperture: Aperture,
  workshop: Workshop,
): void {
  const { kernels, store } = workshop
  const { width, height } = src
  const far = layerRadii(behind).slice(1).reverse()
  const near = layerRadii(inFront).slice(1)
  const layers = [...far.map((r) => -r), 0, ...near]
  const extents = extentsOf(nearness, layers)
  const [layer, blurred] = [store.take(width, height, 4), store.take(width, height, 4)]
  const [open, seen, known] = [store.take(width, height, 1), store.take(width, height, 1), store.take(width, height, 1)]
  kernels.fill(out, 0, 0, 0, 0)
  known.data.fill(0)
  let isFilled = false
  for (const [k, value] of layers.entries()) {
    const extent = extents[k]
    if (!extent) continue
    // Rows that the layer can reach; beyond them it is empty, which is what goes on there.
    const reach = Math.ceil(Math.abs(value)) + 1
    const rows = (picture: Picture) =>
      rowsOf(picture, Math.max(0, extent[0] - reach), Math.min(height, extent[1] + 1 + reach))
    const [from, to] = borders(layers, k)
    kernels.slice(rows(layer), rows(src), rows(nearness), from, to)
    kernels.slice(rows(open), rows(src), rows(nearness), from, to)
    const radius = Math.abs(value)
    if (radius > 0) {
      const { runs } = apertureRuns(radius, aperture)
      spread(rows(blurred), rows(layer), runs, workshop)
      spread(rows(seen), rows(open), runs, workshop)
    }
    // What shows through the rim of something near was never rendered: it is filled in from around, from what is as far as possible.
    if (value > 0) {
      if (isFilled) kernels.weigh(rows(out), rows(out), rows(known), 0, 1)
      fillUnknown(isFilled ? rows(out) : out, isFilled ? rows(known) : known, workshop)
      isFilled = true
    }
    kernels.layOver(rows(out), rows(known), rows(radius > 0 ? blurred : layer), rows(radius > 0 ? seen : open))
  }
  for (const taken of [layer, blurred, open, seen, known]) store.give(taken)
} // prettier-ignore

/** Where a layer begins and ends: half way to its neighbours. */
function borders(layers: readonly number[], k: number): [number, number] {
  const [before, own, after] = [layers[k - 1], layers[k]!, layers[k + 1]]
  return [before === undefined ? -3e38 : (before + own) / 2, after === undefined ? 3.4e38 : (own + after) / 2]
}

/** The first and the last row that a layer has pixels in; undefined where it has none. */
function extentsOf(
  { data, width, height }: Picture,
  layers: readonly number[],
): ([number, number] | undefined)[] {
  const ends = layers.map((_, k) => borders(layers, k)[1])
  const extents = new Array<[number, number] | undefined>(layers.length).fill(undefined)
  for (let y = 0; y < height; y++)
    for (let x = 0, k = 0; x < width; x++) {
      const v = data[y * width + x]!
      // Neighbours are mostly of one layer.
      while (k > 0 && v < ends[k - 1]!) k--
      while (k < ends.length - 1 && !(v < ends[k]!)) k++
      const extent = extents[k]
      if (extent) extent[1] = y
      else extents[k] = [y, y]
    }
  return extents
}

/** Some rows of a picture, in its own memory. */
function rowsOf(picture: Picture, y0: number, y1: number): Picture {
  const { width, channels, data, at } = picture
  const [from, to] = [y0 * width * channels, y1 * width * channels]
  return { width, height: y1 - y0, channels, data: data.subarray(from, to), at: at < 0 ? at : at + from * 4 }
}

/**
 * Fills what is not known of a picture, which is weighed by how far it is known, from what is known around it, ever wider: averages over
 * halves of its size, brought back.
 */
function fillUnknown(out: Picture, known: Picture, { kernels, store }: Workshop): void {
  if (known.data.every((v) => v > 0.999)) return
  const { width, height } = out
  // Colour is weighed by how far it is known already; the weight travels as a picture of its own.
  const weight = store.take(width, height, 4)
  kernels.fill(weight, 1, 1, 1, 1)
  kernels.weigh(weight, weight, known, 0, 1)
  const levels: { colour: Picture; weight: Picture }[] = [{ colour: out, weight }]
  for (let w = width, h = height; w > 1 || h > 1; ) {
    ;[w, h] = [Math.ceil(w / 2), Math.ceil(h / 2)]
    const [colour, less] = [store.take(w, h, 4), store.take(w, h, 4)]
    const last = levels.at(-1)!
    kernels.boxReduce(colour, last.colour, 2)
    kernels.boxReduce(less, last.weight, 2)
    levels.push({ colour, weight: less })
  }
  for (let k = levels.length - 2; k >= 0; k--) {
    const [fine, coarse] = [levels[k]!, levels[k + 1]!]
    const { width: w, height: h } = fine.colour
    for (let y = 0; y < h; y++)
      for (let x = 0; x < w; x++) {
        const i = (y * w + x) * 4
        const share = fine.weight.data[i]!
        if (share > 0.999) continue
        // A little that is known near by counts for more than all that is farther away.
        const trust = Math.min(1, share * 64)
        const own = share > 0 ? trust / share : 0
        const j = ((y >> 1) * coarse.colour.width + (x >> 1)) * 4
        for (let c = 0; c < 4; c++)
          fine.colour.data[i + c] = fine.colour.data[i + c]! * own + (1 - trust) * coarse.colour.data[j + c]!
        for (let c = 0; c < 4; c++) fine.weight.data[i + c] = 1
      }
  }
  for (const { colour, weight: taken } of levels) {
    if (colour !== out) store.give(colour)
    store.give(taken)
  }
} // prettier-ignore
