import { depthMiss, isMiss } from '../../picture/depth-miss.ts'
import type { Picture } from '../../picture/picture.ts'
import { eachValue } from '../twin-maths.ts'
import type { KernelCalls } from '../kernel-calls.ts'

const isSurface = (place: readonly number[], depth: number | undefined) =>
  depth === undefined ? place.some((v) => v !== 0) : !isMiss(depth)

/** Mean density, 0–1, between two heights of what is whole up to the ground and thins out exponentially above it. */
export function meanDensity(a: number, b: number, ground: number, thins: number): number {
  const below = (h: number) => (h < ground ? h - ground : thins * (1 - Math.exp(-(h - ground) / thins)))
  const density = (h: number) => (h < ground ? 1 : Math.exp(-(h - ground) / thins))
  return Math.abs(b - a) < 0.01 * thins ? density((a + b) / 2) : (below(b) - below(a)) / (b - a)
}

export interface PositionKernels {
  /**
   * Distances of surfaces from a point in the scene, one channel; 3.4e38 where there is none: where `depth` says so (1e30 and more), or without it
   * where the position is 0.
   */
  distancesFrom(
    out: Picture,
    position: Picture,
    depth: Picture | undefined,
    from: readonly [number, number, number],
  ): void
  /**
   * Multiplies one channel by the mean density, along the line of sight, of what is whole up to `ground` and above it falls to 1/e over
   * `thins` units. Where there is no surface nothing changes. Source: the integral of the exponential atmosphere between two heights.
   */
  thinWithHeight(
    out: Picture,
    src: Picture,
    position: Picture,
    depth: Picture | undefined,
    layer: { readonly axis: 1 | 2; readonly camera: number; readonly ground: number; readonly thins: number },
  ): void
}

/** The plain twins. */
export const plainPosition: PositionKernels = {
  distancesFrom(out, position, depth, from) {
    eachValue(out, (i) => {
      const place = [0, 1, 2].map((c) => position.data[i * 4 + c]!)
      return isSurface(place, depth?.data[i]) ? Math.hypot(...place.map((v, c) => v - from[c]!)) : depthMiss
    })
  },
  thinWithHeight(out, src, position, depth, { axis, camera, ground, thins }) {
    eachValue(out, (i) => {
      const place = [0, 1, 2].map((c) => position.data[i * 4 + c]!)
      const density = isSurface(place, depth?.data[i]) ? meanDensity(camera, place[axis]!, ground, thins) : 1
      return src.data[i]! * density
    })
  },
}

export const fastPosition = ({ run }: KernelCalls): PositionKernels => ({
  distancesFrom: (out, position, depth, from) => {
    run('distancesFrom', out, out.at, position.at, depth?.at ?? 0, ...from, out.width)
  },
  thinWithHeight: (out, src, position, depth, { axis, camera, ground, thins }) => {
    const sources = [out.at, src.at, position.at, depth?.at ?? 0] as const
    run('thinWithHeight', out, ...sources, axis, camera, ground, thins, out.width)
  },
})
