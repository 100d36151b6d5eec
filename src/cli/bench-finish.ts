import { waysOf } from '../core/effects/noise-warp.ts'
import { wavesOf } from '../core/effects/lens-fringe.ts'
import { grainLine } from '../core/effects/grain.ts'
import { lineBlur } from '../core/kernels/line-blur.ts'
import type { Workshop } from '../core/kernels/pyramid.ts'
import { smearBy } from '../core/kernels/smear.ts'
import type { Picture } from '../core/picture/picture.ts'
import { alternate, type Result, type Wanted, type Work } from './alternate.ts'

/** What moves and what the lens does, at the size of a picture, against copies of it in the same run. */
export async function benchFinish(a: Picture, out: Picture, workshop: Workshop, threads: number, rounds: number, isWanted: Wanted): Promise<Result[]> {
  const { kernels, store } = workshop
  const { width, height } = a
  const [turning, flying, opaque] = [0, 1, 2].map(() => store.allocate(width, height, 4)) as [Picture, Picture, Picture]
  const ways = { right: store.allocate(width, height, 1), down: store.allocate(width, height, 1) }
  a.data.forEach((v, i) => { opaque.data[i] = i % 4 === 3 ? 1 : v })
  // A camera that turns: 40 px in the corner while the shutter is open. Things that fly over a ground that stands.
  const corner = Math.hypot(width, height) / 2
  for (let i = 0; i < width * height; i++) {
    const [x, y] = [(i % width) - width / 2, Math.floor(i / width) - height / 2]
    turning.data.set([(-y * 80) / corner, (x * 80) / corner, 0, 1], i * 4)
    const isThing = Math.hypot(((i % width) % 480) - 240, (Math.floor(i / width) % 540) - 270) < 60
    flying.data.set([isThing ? 76 : 0, isThing ? 24 : 0, 0, 1], i * 4)
  }
  const parts = waysOf({ size: 90, strength: 14, octaves: 2, roughness: 0.5, speed: 1, driftX: 0, driftY: 0, way: 'both', angle: 0, swirl: false, seed: 1 }, 0.5)
  const shutter = { scale: 1, longest: 400, opening: { from: -0.25, to: 0.25, peak: 0 } }
  const line = grainLine([0.55, 0.55, 0.77, 0.55])
  const reach = line.length - 1
  const noise = store.allocate(width, height + 2 * reach, 4)
  const copy = () => { out.data.set(a.data) }
  const rows: [name: string, work: Work, target: number | null][] = [
    ['noise warp', () => { kernels.noiseWay(ways, parts, [0, 0]); kernels.warp(out, a, ways, undefined, 'stretched') }, 25],
    ['motion blur, turning', () => { smearBy(out, opaque, turning, shutter, workshop) }, 60],
    ['motion blur, flying', () => { smearBy(out, opaque, flying, shutter, workshop) }, 60],
    ['motion blur, flying, alpha of all kinds', () => { smearBy(out, a, flying, shutter, workshop) }, null],
    ['lens fringe, 8 waves', () => { kernels.fringe(out, a, wavesOf(8), [width / 2, height / 2], 1.5, corner, 2) }, 40],
    ['grain', () => { kernels.grainRows(noise, 5, [0, -reach], line); kernels.grain(out, a, noise, line, { shadows: 0.003, middle: 0.014, lights: 0.03, colour: 0.5 }) }, 12],
    ['vignette', () => { kernels.vignette(out, a, { by: 'angle', centre: [width / 2, height / 2], focal: width }, [0, 0, 0]) }, 3],
    ['blur along 20°, 60 px', () => { lineBlur(out, a, 20, 60, workshop) }, 15],
    ['blur along 70°, 60 px', () => { lineBlur(out, a, 70, 60, workshop) }, 15],
    ['cast light, one lamp', () => { kernels.castLight(out, turning, a, a, [{ at: [1, 2, 3], light: [1, 1, 1], limit: 0.1, size: 0.1 }]) }, 8],
  ]
  const results: Result[] = []
  for (const [name, work, target] of rows) {
    if (!isWanted(name)) continue
    const [medianMs, referenceMs] = (await alternate([work, copy], rounds)) as [number, number]
    results.push({ name, size: `${width}x${height}`, threads, medianMs, reference: 'memory copy', referenceMs, ratio: medianMs / referenceMs, target: threads === 1 && width === 1920 ? target : null })
  }
  for (const taken of [ways.right, ways.down, turning, flying, opaque, noise]) store.release(taken)
  return results
} // prettier-ignore
