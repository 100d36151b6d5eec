/** A value by which a depth pass says that nothing was hit, and how that was told. */
export interface DepthMiss {
  readonly value: number
  readonly why: string
}

/** Values that renderers write for nothing (common practice): the largest half float, and round numbers far beyond any scene. */
const usual = [65504, 1e5, 1e6, 1e7, 1e8, 1e9, 1e10, 1e15, 1e20, 1e30, 1e32, 3.4028234663852886e38] as const
/** A cluster has at least this share of the pixels. */
const leastShare = 0.0005
/** How many times what the rest spans the cluster must lie apart from it; less for a value that is usual. */
const [apart, apartUsual] = [10, 1]
/** Zero is nothing where the rest begins at no less than this share of its end. */
const clearOfZero = 0.02

const isNear = (a: number, b: number) => Math.abs(a - b) <= 1e-3 * Math.abs(b)

/**
 * The value that means nothing among depths: a cluster at the upper end, apart from all else by far more than that spans, or at exactly 0
 * with nothing near it. Values are finite, a sample in any order. Undefined where there is none; infinity needs no finding.
 */
export function findDepthMiss(values: ArrayLike<number>): DepthMiss | undefined {
  // Without a function to compare by, a typed array is sorted ten times as fast.
  const sorted = Float64Array.from(values).sort()
  const high = sorted.at(-1)
  const least = Math.max(3, sorted.length * leastShare)
  const percent = (n: number) => `${((100 * n) / sorted.length).toPrecision(2)} % of the pixels`
  if (high === undefined) return undefined
  if (high > 0) {
    const first = sorted.findIndex((v) => v >= high * 0.999)
    const count = sorted.length - first
    const rest = sorted.subarray(0, first).filter((v) => v !== 0)
    const [low, end] = [rest[0] ?? 0, rest.at(-1) ?? 0]
    const span = Math.max(end - low, Math.abs(end) * 0.1)
    const known = usual.find((v) => isNear(high, v))
    if (rest.length > 0 && count >= least && high - end > span * (known === undefined ? apart : apartUsual))
      return {
        value: known ?? high,
        why: `${percent(count)} have ${known ?? high}, all others at most ${Number(end.toPrecision(3))}`,
      }
  }
  const zeros = sorted.filter((v) => v === 0).length
  const above = sorted.find((v) => v > 0)
  if (zeros >= least && above !== undefined && sorted[0]! >= 0 && above > clearOfZero * high)
    return {
      value: 0,
      why: `${percent(zeros)} have exactly 0, all others at least ${Number(above.toPrecision(3))}`,
    }
  return undefined
}

/**
 * The same by alpha, where the values alone do not tell: all depths at alpha 0 are one value, and where something covers none is as
 * far (for 0: none is 0). `depths` and `alphas` belong to the same pixels.
 */
export function findMissByAlpha(depths: ArrayLike<number>, alphas: ArrayLike<number>): DepthMiss | undefined {
  let [value, empty, low, high] = [NaN, 0, Infinity, -Infinity]
  for (let i = 0; i < depths.length; i++) {
    const depth = depths[i]!
    if (!Number.isFinite(depth)) continue
    if (alphas[i] === 0) {
      if (empty++ > 0 && depth !== value) return undefined
      value = depth
      // At an edge the depth may be of nothing, or mixed with it; whole cover tells.
    } else if (alphas[i]! >= 0.999) {
      if (depth < low) low = depth
      if (depth > high) high = depth
    }
  }
  const isApart = value === 0 ? low > 0 : value > high
  if (empty < Math.max(3, depths.length * leastShare) || low > high || !isApart) return undefined
  return {
    value,
    why: `all pixels of alpha 0 have it, and none that is covered is as ${value === 0 ? 'near' : 'far'}`,
  }
}

/** Whether a depth means that nothing was hit: as far as the value or farther; for 0 exactly that. */
export function meansMiss(depth: number, miss: number): boolean {
  return miss === 0 ? depth === 0 : depth >= miss * 0.999
}
