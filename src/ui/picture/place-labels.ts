type Point = readonly [number, number]

/** Size of a letter of the labels, on average, and of a line. */
const [letter, line] = [6, 14]
const gap = 8

/**
 * Where the labels of points stand, top left, in pixels of the view: above to the right of each, else the next of the eight places around it where it
 * lies on no other label, no point and inside the view; the first place where there is none.
 */
export function placeLabels(
  points: readonly Point[],
  texts: readonly string[],
  size: { readonly width: number; readonly height: number },
): { x: number; y: number }[] {
  const taken: { x: number; y: number; width: number }[] = []
  const isFree = (x: number, y: number, width: number) =>
    x >= 0 &&
    y >= 0 &&
    x + width <= size.width &&
    y + line <= size.height &&
    taken.every((t) => x + width <= t.x || x >= t.x + t.width || y + line <= t.y || y >= t.y + line) &&
    points.every(
      ([px, py]) => px + gap <= x || px - gap >= x + width || py + gap <= y || py - gap >= y + line,
    )
  return points.map(([px, py], i) => {
    const width = texts[i]!.length * letter
    const [right, left, middle] = [px + gap, px - gap - width, px - width / 2]
    const [above, below, level] = [py - gap - line, py + gap, py - line / 2]
    const places = [
      [right, above],
      [right, below],
      [left, above],
      [left, below],
      [right, level],
      [left, level],
      [middle, above - 4],
      [middle, below + 4],
    ] as const
    const [x, y] = places.find(([a, b]) => isFree(a, b, width)) ?? places[0]
    taken.push({ x, y, width })
    return { x, y }
  })
}
