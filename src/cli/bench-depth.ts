import { outOfFocus } from '../core/picture/out-of-focus.ts'
import { countScope } from '../core/engine/scopes.ts'
import { apertureBlur, defocusByDepth } from '../core/kernels/defocus.ts'
import { scopeKinds, toneEntries, toneEntry } from '../core/kernels/kernels.ts'
import type { Workshop } from '../core/kernels/pyramid.ts'
import type { Picture } from '../core/picture/picture.ts'
import { alternate, type Result, type Wanted, type Work } from './alternate.ts'

const disc = { blades: 0, turn: 0, roundness: 0 }

/** Depth and colour at the size of a picture, against copies in the same run; defocus against a disc that is summed pixel by pixel. */
export async function benchDepth(a: Picture, out: Picture, workshop: Workshop, threads: number, rounds: number, isWanted: Wanted): Promise<Result[]> {
  const { kernels, store } = workshop
  const { width, height } = a
  const [depth, copied, near] = [0, 1, 2].map(() => store.allocate(width, height, 1)) as [Picture, Picture, Picture]
  // A floor that runs away, and things in front of it.
  for (let i = 0; i < depth.data.length; i++) {
    const [x, y] = [i % width, Math.floor(i / width)]
    const isThing = Math.hypot((x % 480) - 240, (y % 540) - 200) < 70
    depth.data[i] = isThing ? 3 : 40 - (36 * y) / height
    near.data[i] = outOfFocus(depth.data[i]!, { focus: 12, range: 0, behind: 12, inFront: 12 })
  }
  const steps = 1024
  const table = Float32Array.from({ length: (steps + 2) * 4 }, (_, i) => Math.min(1, (i >> 2) / steps) * [0.3, 0.4, 0.5, 1][i % 4]!)
  const mist = { from: 4, scale: steps / 30, table, join: 'mix', fills: false } as const
  const tones = Float32Array.from({ length: toneEntries * 4 }, (_, i) => toneEntry(i >> 2) ** 1.1)
  const cube = store.allocate(33 * 33, 33, 4)
  cube.data.forEach((_, i) => { cube.data[i] = ((i * 37) % 101) / 100 })
  const lookUp = { table: cube, size: 33, isCube: true, from: [0, 0, 0], to: [1, 1, 1], gain: 1 } as const
  const copy = () => { out.data.set(a.data) }
  const copyInputs = () => { out.data.set(a.data); copied.data.set(depth.data) }
  const rows: [name: string, work: Work, reference: string, referenceWork: Work, target: number | null, rounds: number][] = [
    ['depth mist', () => { kernels.mist(out, a, depth, undefined, mist) }, 'copy of its inputs', copyInputs, threads === 1 ? 1.5 : null, rounds],
    ['defocus, disc of 20 px', () => { apertureBlur(out, a, 20, disc, workshop) }, 'memory copy', copy, null, rounds],
    ['curves', () => { kernels.toneTable(out, a, tones, 'tones') }, 'memory copy', copy, null, rounds],
    ['CDL grade', () => { kernels.decisionList(out, a, { slope: [1.1, 1, 0.9], offset: [0.01, 0, 0], power: [1.1, 1, 0.9], saturation: 1.1, isHeld: false }) }, 'memory copy', copy, null, rounds],
    ['look table 33³, light', () => { kernels.lookUp(out, a, { ...lookUp, takesEncoded: false, givesEncoded: false }) }, 'memory copy', copy, null, rounds],
    ['look table 33³, sRGB', () => { kernels.lookUp(out, a, { ...lookUp, takesEncoded: true, givesEncoded: true }) }, 'memory copy', copy, null, rounds],
  ]
  if (width === 1920) {
    rows.push(['defocus by depth, 12 px', () => { defocusByDepth(out, a, near, { behind: 12, inFront: 12 }, disc, workshop) }, 'memory copy', copy, null, 3])
    if (threads === 1) rows.push(...smallWorks(workshop))
  }
  const results: Result[] = []
  for (const [name, work, reference, referenceWork, target, turns] of rows) {
    if (!isWanted(name)) continue
    const [medianMs, referenceMs] = (await alternate([work, referenceWork], turns)) as [number, number]
    results.push({ name, size: `${width}x${height}`, threads, medianMs, reference, referenceMs, ratio: medianMs / referenceMs, target })
  }
  for (const taken of [depth, copied, near, cube]) store.release(taken)
  return results
} // prettier-ignore

/** Scopes at their usual size; and a small picture, as summing a disc pixel by pixel is slow. */
function smallWorks(workshop: Workshop): [string, Work, string, Work, number | null, number][] {
  const shown = workshop.store.allocate(1280, 720, 4)
  shown.data.forEach((_, i) => { shown.data[i] = i % 4 === 3 ? 1 : ((i * 7919) % 1000) / 700 })
  const other = new Float32Array(shown.data.length)
  const [w, h] = [240, 135]
  const [src, out] = [workshop.store.allocate(w, h, 4), workshop.store.allocate(w, h, 4)]
  src.data.fill(0.5)
  return [
    ['defocus, disc of 20 px, 240x135', () => { apertureBlur(out, src, 20, disc, workshop) }, 'disc summed pixel by pixel', () => { sumDisc(out, src, 20) }, null, 3],
    ...scopeKinds.map((kind): [string, Work, string, Work, number | null, number] => [
      `${kind} of 1280x720`, () => { countScope(shown, kind, [0, 0, 1280, 720], workshop.kernels) }, 'copy of 1280x720', () => { other.set(shown.data) }, null, 9,
    ]),
  ]
} // prettier-ignore

/** The mean of all pixels within a radius, one by one. */
function sumDisc(out: Picture, src: Picture, radius: number): void {
  const { width, height } = src
  const hold = (i: number, n: number) => Math.min(n - 1, Math.max(0, i))
  const taps: [number, number][] = []
  for (let y = -radius; y <= radius; y++)
    for (let x = -radius; x <= radius; x++) if (x * x + y * y <= radius * radius) taps.push([x, y])
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      let [r, g, b, a] = [0, 0, 0, 0]
      for (const [dx, dy] of taps) {
        const i = (hold(y + dy, height) * width + hold(x + dx, width)) * 4
        r += src.data[i]!
        g += src.data[i + 1]!
        b += src.data[i + 2]!
        a += src.data[i + 3]!
      }
      out.data.set([r / taps.length, g / taps.length, b / taps.length, a / taps.length], (y * width + x) * 4)
    }
}
