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

/** Lines that an outline is looked at in, in each row of pixels; each is a run of its own. */
const linesPerRow = 64

/** An area as runs of pixels whose weights make 1 in all, and its size in square pixels. */
export interface ApertureArea {
  readonly runs: readonly Run[]
  readonly area: number
}

/**
 * The area that an aperture of a radius in pixels spreads a point over, as it is gathered: mirrored about the middle, so that a point
 * becomes the shape itself. Rows are cut into many lines, so that the rim is antialiased where it runs along a row as everywhere.
 */
export function apertureRuns(radius: number, aperture: Aperture): ApertureArea {
  const corners = Array.from({ length: 1440 }, (_, i) => {
    const angle = (i / 1440) * 2 * Math.PI
    const r = radius * rimAt(aperture, angle)
    return [-r * Math.cos(angle), -r * Math.sin(angle)] as const
  })
  const reach = Math.ceil(Math.max(0.5, ...corners.map(([, y]) => Math.abs(y))) - 0.5)
  const top = -reach - 0.5
  // The rim is a fine outline; where it crosses a line says from where to where the area is on it.
  const lines = Array.from(
    { length: (2 * reach + 1) * linesPerRow },
    () => [Infinity, -Infinity] as [number, number],
  )
  for (const [i, [x0, y0]] of corners.entries()) {
    const [x1, y1] = corners[(i + 1) % corners.length]!
    const first = Math.ceil((Math.min(y0, y1) - top) * linesPerRow - 0.5)
    const last = Math.floor((Math.max(y0, y1) - top) * linesPerRow - 0.5)
    for (let k = Math.max(0, first); k <= Math.min(last, lines.length - 1); k++) {
      const y = top + (k + 0.5) / linesPerRow
      const x = y1 === y0 ? x0 : x0 + ((x1 - x0) * (y - y0)) / (y1 - y0)
      const line = lines[k]!
      line[0] = Math.min(line[0], x)
      line[1] = Math.max(line[1], x)
    }
  }
  const inside = lines.flatMap(([low, high], k): Run[] =>
    high > low ? [[Math.floor(k / linesPerRow) - reach, 0.5 + low, 0.5 + high, 1 / linesPerRow]] : [],
  )
  const area = inside.reduce((sum, [, from, to, weight]) => sum + (to - from) * weight, 0)
  // Less than a pixel: the picture as it is.
  if (area <= 1) return { runs: [[0, 0, 1, 1]], area: 1 }
  return { runs: inside.map(([row, from, to, weight]) => [row, from, to, weight / area]), area }
}

/** Spreads every pixel over the aperture; energy stays, beyond the picture its edge goes on. `out` is not `src`. */
export function apertureBlur(
  out: Picture,
  src: Picture,
  radius: number,
  aperture: Aperture,
  { kernels }: Workshop,
): void {
  kernels.areaSum(out, src, apertureRuns(radius, aperture).runs)
}

/** Cells of radius that are looked at apart; each has the layers that its pixels want. Their borders, from sharp to `most`. */
export function radiusCells(most: number): number[] {
  const borders = [0]
  for (let r = 1; r < most; r = Math.max(r + 0.75, r * 1.16)) borders.push(r)
  borders.push(most * (1 + 1e-6))
  return borders
}

/** Layers closer to each other than this, as a share of their radius or in pixels, are one. */
const [sameShare, samePixels] = [0.01, 0.02]

/**
 * The signed radii that layers are blurred by, from far to near: in every cell of radius the smallest and the largest that is there. So a
 * plane of one distance has a layer of exactly its own, and a surface that runs through all distances is blended between close ones.
 * Values that are no numbers count as in focus.
 */
export function layersOf(
  nearness: Picture,
  { behind, inFront }: { readonly behind: number; readonly inFront: number },
  { kernels, store }: Workshop,
): number[] {
  const far = radiusCells(behind)
    .map((r) => -r)
    .reverse()
  // What is in focus ends the cells behind it and begins those in front.
  const borders = [...far.slice(0, -1), ...radiusCells(inFront)]
  const ranges = store.allocate(2 * borders.length, nearness.height, 1)
  kernels.cellRanges(ranges, nearness, borders)
  const cells = borders.map(() => [Infinity, -Infinity] as [number, number])
  for (let i = 0; i < ranges.data.length; i += 2) {
    const cell = cells[(i >> 1) % borders.length]!
    cell[0] = Math.min(cell[0], ranges.data[i]!)
    cell[1] = Math.max(cell[1], ranges.data[i + 1]!)
  }
  store.release(ranges)
  const layers: number[] = []
  for (const [low, high] of cells)
    for (const radius of low > high ? [] : [low, high]) {
      const last = layers.at(-1)
      if (last !== undefined && radius - last <= Math.max(samePixels, sameShare * Math.abs(radius))) continue
      layers.push(radius)
    }
  return layers
}

/** Of what is about a pixel, shares as small as these, or as few pixels, are what sums over rows of thousands of pixels leave of nothing. */
const [leastShare, leastPixels] = [0.0005, 0.02]

/** Pixels of a tile across and down, by which it is known where a layer has any. */
const [tileAcross, tileDown] = [64, 8]

/** A value for each tile of a picture, row by row. */
interface Tiles {
  readonly columns: number
  readonly values: Uint16Array
}

/** The largest value of the tiles about each. */
function spreadTiles({ columns, values }: Tiles, across: number, down: number): Uint16Array {
  const largest = (
    from: Uint16Array,
    reach: number,
    step: number,
    count: number,
    place: (i: number) => number,
  ) =>
    from.map((_, i) => {
      let most = 0
      for (let k = Math.max(-reach, -place(i)); k <= Math.min(reach, count - 1 - place(i)); k++)
        most = Math.max(most, from[i + k * step]!)
      return most
    })
  const rows = values.length / columns
  const wide = largest(values, across, 1, columns, (i) => i % columns)
  return largest(wide, down, columns, rows, (i) => Math.floor(i / columns))
}

/** Where each layer has pixels (1 in its tiles), and of all tiles the first and the last layer that has some there. */
function tilesOf(places: Picture, layers: number, { kernels, store }: Workshop) {
  const [columns, rows] = [Math.ceil(places.width / tileAcross), Math.ceil(places.height / tileDown)]
  const made = store.allocate(columns, rows * layers, 1)
  kernels.layersIn(made, places, layers)
  const empty = (): Tiles => ({ columns, values: new Uint16Array(columns * rows) })
  const own = Array.from({ length: layers }, empty)
  // Counted from one; the first by how many are left.
  const [last, first] = [empty(), empty()]
  for (let row = 0; row < rows; row++)
    for (const [k, { values }] of own.entries())
      for (let column = 0; column < columns; column++) {
        const at = row * columns + column
        if (made.data[(row * layers + k) * columns + column] === 0) continue
        values[at] = 1
        last.values[at] = k + 1
        first.values[at] = Math.max(first.values[at]!, layers - k)
      }
  store.release(made)
  return { own, last, first }
}

/**
 * The rows of tiles that layer k reaches, from its first to its last: which of their tiles it reaches (1), and how open these are to it: 0 where
 * nearer layers cover all that is about them, 2 where none of them is, else 1. Undefined where the layer has no pixel.
 */
function reachedTiles(
  k: number,
  { own, last, first }: ReturnType<typeof tilesOf>,
  reach: number,
  { store }: Workshop,
) {
  const tiles = own[k]!
  const begin = tiles.values.indexOf(1)
  if (begin < 0) return undefined
  const { columns, values } = tiles
  const rows = values.length / columns
  const [across, down] = [Math.ceil(reach / tileAcross), Math.ceil(reach / tileDown)]
  const top = Math.max(0, Math.floor(begin / columns) - down)
  const bottom = Math.min(rows, Math.floor(values.lastIndexOf(1) / columns) + 1 + down)
  const part = ({ values: all }: Tiles) =>
    all.subarray(Math.max(0, top - down) * columns, Math.min(rows, bottom + down) * columns)
  const reached = (of: Tiles) => spreadTiles({ columns, values: part(of) }, across, down)
  const put = (value: (i: number) => number) => {
    const made = store.allocate(columns, bottom - top, 1)
    for (let i = 0; i < made.data.length; i++) made.data[i] = value(i)
    return made
  }
  const skipped = Math.min(down, top) * columns
  const [here, farthest, nearest] = [reached(tiles), reached(first), reached(last)]
  const lit = put((i) => here[skipped + i]!)
  const open = put((i) => {
    const hasOpen = own.length - farthest[skipped + i]! <= k
    const hasCovered = nearest[skipped + i]! - 1 > k
    return hasOpen && hasCovered ? 1 : hasOpen ? 2 : 0
  })
  return { lit, open, rows: [top * tileDown, bottom * tileDown] as const }
}

/**
 * Blurs by depth: `nearness` says for each pixel how far it is out of focus, in pixels of radius, positive in front of the focus and
 * negative behind it. The picture is cut into layers, a pixel between two of them lies in both by its share; each is blurred whole and laid over those behind it. What a layer
 * hides of those behind is not known: they go on beneath it as they are beside it. So what is in focus stays sharp and takes nothing from
 * behind it, and what is in front spreads over what is in focus, as through a lens.
 */
export function defocusByDepth(
  out: Picture,
  src: Picture,
  nearness: Picture,
  most: { readonly behind: number; readonly inFront: number },
  aperture: Aperture,
  workshop: Workshop,
): void {
  const { kernels, store } = workshop
  const { width, height } = src
  const layers = layersOf(nearness, most, workshop)
  const places = store.allocate(width, height, 1)
  kernels.placeBetween(places, nearness, layers)
  const tiles = tilesOf(places, layers.length, workshop)
  const known = store.allocate(width, height, 1)
  kernels.fill(out, 0, 0, 0, 0)
  known.data.fill(0)
  let isFilled = false
  for (const [k, value] of layers.entries()) {
    const radius = Math.abs(value)
    // Beyond what the layer can reach it is empty, which is what goes on there.
    const reached = reachedTiles(k, tiles, Math.ceil(radius) + 1, workshop)
    if (!reached) continue
    const { lit, open } = reached
    const [top, bottom] = reached.rows
    const rows = (picture: Picture) => rowsOf(picture, top, Math.min(height, bottom))
    // What shows through the rim of something near was never rendered: it is filled in from around, from what is as far as possible.
    if (value > 0) {
      if (isFilled) kernels.weigh(rows(out), rows(out), rows(known), 0, 1)
      fillUnknown(isFilled ? rows(out) : out, isFilled ? rows(known) : known, workshop)
      isFilled = true
    }
    const { runs, area } = apertureRuns(radius, aperture)
    kernels.layLayer(out, known, src, places, {
      at: k,
      runs,
      least: Math.min(leastShare, leastPixels / area),
      isWeighed: !isFilled,
      top,
      lit,
      open,
    })
    store.release(lit)
    store.release(open)
  }
  // What little is known of a place is all there is to it.
  if (!isFilled) fillUnknown(out, known, workshop)
  for (const taken of [places, known]) store.release(taken)
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
  if (isKnown(known)) return
  const levels: { colour: Picture; share: Picture }[] = [{ colour: out, share: known }]
  for (let { width: w, height: h } = out; w > 1 || h > 1;) {
    ;[w, h] = [Math.ceil(w / 2), Math.ceil(h / 2)]
    const [colour, share] = [store.allocate(w, h, 4), store.allocate(w, h, 1)]
    const last = levels.at(-1)!
    kernels.halveKnown(colour, share, last.colour, last.share)
    levels.push({ colour, share })
  }
  for (let k = levels.length - 2; k >= 0; k--)
    kernels.fillIn(levels[k]!.colour, levels[k]!.share, levels[k + 1]!.colour)
  for (const { colour, share } of levels.slice(1)) {
    store.release(colour)
    store.release(share)
  }
}

/** Whether there is nothing to fill in. */
function isKnown({ data }: Picture): boolean {
  for (let i = 0; i < data.length; i++) if (!(data[i]! > 0.999)) return false
  return true
}
