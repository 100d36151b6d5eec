import { displayTable } from '../picture/colour.ts'
import type { Picture } from '../picture/picture.ts'
import { ThreadPool, createControl, createKernelMemory, instantiateKernels } from './thread-pool.ts'
import { KernelMemory } from './kernel-memory.ts'
import { blends, isOperator, operators } from './join-modes.ts'
import {
  resampleFilters,
  displayChannels,
  scopeKinds,
  type Caught,
  type Kernels,
  type RayGeometry,
} from './kernels.ts'
import type { Tap } from './line-profile.ts'

const caughtNumbers = ({ threshold, knee, ceiling, byMost }: Caught) => [
  threshold,
  knee,
  ceiling,
  Number(byMost ?? false),
]
const geometryNumbers = ({ origin, firstAngle, stepAngle, firstRadius }: RayGeometry) => [
  ...origin,
  firstAngle,
  stepAngle,
  firstRadius,
]

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

/** No two pixels are farther apart. */
const farthestPixel = 40_000

/** The kernels as SIMD WebAssembly on a shared memory, with row bands computed by all threads of the pool. */
export function createWasmKernels(store: KernelMemory, pool: ThreadPool): Kernels {
  const table = displayTable()
  const tableAt = store.allocateBytes(table.length)
  new Uint8Array(store.memory.buffer, tableAt, table.length).set(table)

  const run = (name: Parameters<ThreadPool['run']>[0], out: Picture, ...args: number[]) => {
    pool.run(name, args, out.height, out.width * 4)
  }
  const withBytes = (bytes: number, call: (at: number) => void) => {
    const at = store.allocateBytes(bytes)
    try {
      call(at)
    } finally {
      store.releaseBytes(at)
    }
  }
  /** Rows of its own for each thread, for the time of one call. */
  const withScratch = (bytes: number, call: (at: number) => void) => {
    withBytes(bytes * (pool.workers + 1), call)
  }
  /** Puts numbers in kernel memory for the time of one call. */
  const withFloats = (values: ArrayLike<number>, call: (at: number) => void) => {
    withBytes(values.length * 4, (at) => {
      new Float32Array(store.memory.buffer, at, values.length).set(values)
      call(at)
    })
  }
  const withDoubles = (values: readonly number[], call: (at: number) => void) => {
    withBytes(values.length * 8, (at) => {
      new Float64Array(store.memory.buffer, at, values.length).set(values)
      call(at)
    })
  }
  /** Taps as { offset: i32, weight: f64 at byte 8 }. */
  const withTaps = (taps: readonly Tap[], call: (at: number) => void) => {
    withDoubles(
      taps.flatMap(([, weight]) => [0, weight]),
      (at) => {
        const words = new Int32Array(store.memory.buffer, at, taps.length * 4)
        for (const [i, [offset]] of taps.entries()) words[i * 4] = offset
        call(at)
      },
    )
  }
  const isShared = (array: ArrayBufferView) => array.buffer instanceof SharedArrayBuffer
  /** Calls `convert` with addresses of the two arrays, copying whichever lies outside the kernel memory. */
  const convert = (
    name: 'halfToFloat' | 'floatToHalf',
    out: Float32Array | Uint16Array,
    src: Float32Array | Uint16Array,
  ) => {
    const from = isShared(src) ? src.byteOffset : store.allocateBytes(src.byteLength)
    const to = isShared(out) ? out.byteOffset : store.allocateBytes(out.byteLength)
    try {
      const bytes = (array: ArrayBufferView) =>
        new Uint8Array(array.buffer, array.byteOffset, array.byteLength)
      const inside = (at: number, length: number) => new Uint8Array(store.memory.buffer, at, length)
      if (!isShared(src)) inside(from, src.byteLength).set(bytes(src))
      pool.run(name, [to, from], src.length, 1)
      if (!isShared(out)) bytes(out).set(inside(to, out.byteLength))
    } finally {
      if (!isShared(src)) store.releaseBytes(from)
      if (!isShared(out)) store.releaseBytes(to)
    }
  }

  return {
    watch: (isStale) => {
      pool.watch(isStale)
    },
    join: (out, below, top, matte, mode, opacity) => {
      const sources = [out.at, below.at, top.at, matte?.at ?? 0, opacity]
      if (mode === 'over') run('joinOver', out, ...sources, out.width)
      else if (mode === 'screen') run('joinScreen', out, ...sources, out.width)
      else if (isOperator(mode)) {
        const { a0, a1, b0, b1 } = operators[mode]
        run('joinOperator', out, ...sources, a0, a1, b0, b1, out.width)
      } else run('joinBlend', out, ...sources, blends.indexOf(mode), out.width)
    },
    mix: (out, src, effect, matte, amount) => {
      run('mix', out, out.at, src.at, effect.at, matte?.at ?? 0, amount, out.width)
    },
    addLight: (out, src, light, mode, intoAlpha) => {
      run('addLight', out, out.at, src.at, light.at, Number(mode === 'screen'), Number(intoAlpha), out.width)
    },
    fill: (out, r, g, b, a) => {
      run('fill', out, out.at, r, g, b, a, out.width)
    },
    gains: (out, src, r, g, b, a) => {
      run('gains', out, out.at, src.at, r, g, b, a, out.width)
    },
    colourMatrix: (out, src, m, alpha) => {
      const columns = [0, 1, 2, 3].map((c) => [m[c]!, m[4 + c]!, m[8 + c]!, c === 3 ? alpha : 0])
      withFloats(columns.flat(), (at) => {
        run('colourMatrix', out, out.at, src.at, at, out.width)
      })
    },
    brightPass: (out, src, caught) => {
      run('brightPass', out, out.at, src.at, ...caughtNumbers(caught), out.width)
    },
    weigh: (out, src, matte, base, share) => {
      run('weigh', out, out.at, src.at, matte.at, base, share, out.width)
    },
    unweigh: (out, src, matte, otherwise) => {
      run('unweigh', out, out.at, src.at, matte.at, otherwise.at, out.width)
    },
    brightHalve: (out, src, offset, caught) => {
      const bytes = 5 * (src.width + 32) * 16
      const sizes = [out.width, src.width, src.height, offset]
      withScratch(bytes, (at) => {
        run('brightHalve', out, out.at, src.at, at, bytes, ...sizes, ...caughtNumbers(caught))
      })
    },
    sanitise: (picture) => pool.exports.sanitise(picture.at, picture.data.length),
    halve: (out, src, offset, edge) => {
      run('halve', out, out.at, src.at, out.width, src.width, src.height, offset, Number(edge === 'black'))
    },
    upAdd: (out, fine, coarse, offset, fineWeight, coarseWeight) => {
      const sizes = [out.width, coarse.width, coarse.height, offset]
      run('upAdd', out, out.at, fine?.at ?? 0, coarse.at, ...sizes, fineWeight, coarseWeight)
    },
    smooth: (out, src) => {
      const bytes = (src.width + 6) * 16
      withScratch(bytes, (at) => {
        run('smooth', out, out.at, src.at, at, bytes, out.width, out.height)
      })
    },
    gaussRows: (out, src, weights) => {
      withFloats(weights, (at) => {
        run('gaussRows', out, out.at, src.at, at, weights.length - 1, out.width)
      })
    },
    gaussColumns: (out, src, weights) => {
      withFloats(weights, (at) => {
        run('gaussColumns', out, out.at, src.at, at, weights.length - 1, out.width, out.height)
      })
    },
    boxReduce: (out, src, factor) => {
      run('boxReduce', out, out.at, src.at, factor, out.width, src.width, src.height)
    },
    resample: (out, src, back, filter) => {
      run(
        'resample',
        out,
        out.at,
        src.at,
        ...back,
        resampleFilters.indexOf(filter),
        src.width,
        src.height,
        out.width,
      )
    },
    streakLines: (out, src, slope, first, ahead, behind) => {
      const tables = [ahead, behind].map((taps) => {
        const count = Math.max(0, ...(taps ?? []).map((channel) => channel.length))
        // Tables of one length: what is added lies beyond any line.
        const rows = (taps ?? []).map((channel) => [
          ...channel,
          ...new Array<Tap>(count - channel.length).fill([2e9, 0]),
        ])
        return { count, values: rows.flat() }
      })
      const bytes = src.width * 56
      const byChannel = (ahead ?? behind)?.length === 3
      withScratch(bytes, (scratch) => {
        withTaps(tables[0]!.values, (aheadAt) => {
          withTaps(tables[1]!.values, (behindAt) => {
            const taps = [aheadAt, tables[0]!.count, behindAt, tables[1]!.count, Number(byChannel)]
            run(
              'streakLines',
              out,
              out.at,
              src.at,
              scratch,
              bytes,
              ...taps,
              slope,
              first,
              src.width,
              src.height,
            )
          })
        })
      })
    },
    streakBack: (out, lines, slope, first, gain) => {
      const bytes = out.width * 8
      withScratch(bytes, (scratch) => {
        const line = [slope, first, lines.height, gain]
        run('streakBack', out, out.at, lines.at, scratch, bytes, ...line, out.width)
      })
    },
    transpose: (out, src) => {
      run('transpose', out, out.at, src.at, out.width, out.height)
    },
    opticalDepth: (out, src) => {
      run('opticalDepth', out, out.at, src.at, out.width)
    },
    rayLines: (out, light, depth, taps, gains, geometry) => {
      const bytes = out.width * 32 + out.height * 24
      withScratch(bytes, (scratch) => {
        withTaps(taps, (tapsAt) => {
          withFloats(gains, (gainsAt) => {
            withDoubles(geometryNumbers(geometry), (geometryAt) => {
              const lines = [scratch, bytes, tapsAt, taps.length, gainsAt, geometryAt]
              const sizes = [out.width, light.width, light.height]
              run('rayLines', out, out.at, light.at, depth?.at ?? 0, ...lines, ...sizes)
            })
          })
        })
      })
    },
    rayBack: (out, rays, geometry, gain) => {
      withDoubles(geometryNumbers(geometry), (at) => {
        const sizes = [rays.height, rays.width, Number(geometry.isRound)]
        withScratch(64, (scratch) => {
          run('rayBack', out, out.at, rays.at, scratch, 64, at, ...sizes, gain, out.width)
        })
      })
    },
    fourier: (data, isInverse, rows = data.height) => {
      const { width, height } = data
      const twiddles = (n: number) =>
        Array.from({ length: n }, (_, i) => {
          const angle = ((isInverse ? 2 : -2) * Math.PI * (i >> 1)) / n
          return i & 1 ? Math.sin(angle) : Math.cos(angle)
        })
      const bytes = Math.max(width * 20, height * 68)
      const way = Number(isInverse)
      withScratch(bytes, (scratch) => {
        const alongRows = (count: number) => {
          withFloats(twiddles(width), (at) => {
            pool.run('fourierRows', [data.at, scratch, bytes, at, way, width], count, width * 4)
          })
        }
        if (!isInverse) alongRows(height)
        withFloats(twiddles(height), (at) => {
          const args = [data.at, scratch, bytes, at, way, width, height]
          pool.run('fourierColumns', args, Math.ceil(width / 4), height * 16)
        })
        if (isInverse) alongRows(rows)
      })
    },
    filterSpectrum: (data, spectrum, which) => {
      const [near, far] = { near: [1, 0], far: [0, 1], both: [1, 1] }[which] as [number, number]
      run('filterSpectrum', data, data.at, spectrum.at, near, far, data.width)
    },
    distance: (out, src, [from, to] = [-Infinity, Infinity]) => {
      const { width, height } = src
      // The edge lies up to two pixels from the middle of the nearest pixel of the other side.
      const reaches = [to > -0.5 ? to : -Infinity, from < 0.5 ? -from : -Infinity].map((reach) =>
        reach === -Infinity ? -1 : Math.ceil(Math.min(farthestPixel, Math.max(0, reach) + 2)),
      )
      const bytes = width * 12
      withBytes(width * height * 16, (lines) => {
        run('edgeLines', out, lines, src.at, width, height)
        withBytes(width * height * 4, (nearest) => {
          withScratch(bytes, (scratch) => {
            for (const [outside, reach] of reaches.entries()) {
              const columns = [nearest, src.at, outside, width, height]
              if (reach >= 0) pool.run('nearestInColumns', columns, Math.ceil(width / 16), height * 16)
              run(
                'distanceRows',
                out,
                out.at,
                src.at,
                lines,
                nearest,
                scratch,
                bytes,
                outside,
                reach,
                width,
                height,
              )
            }
          })
        })
      })
    },
    edge: (out, distance, spread, soft) => {
      run('edge', out, out.at, distance.at, spread, soft, out.width)
    },
    keyColour: (out, src, picks, { reach, soft, lightness }) => {
      const numbers = picks.flatMap(({ lab, isWanted }) => [...lab, isWanted ? 1 : -1])
      withFloats(numbers, (at) => {
        run('keyColour', out, out.at, src.at, at, picks.length, reach, soft, lightness, out.width)
      })
    },
    lightLevels: (out, src, black, white, gamma) => {
      run('lightLevels', out, out.at, src.at, black, white, 1 / gamma, out.width)
    },
    mist: (out, src, depth, vary, { from, scale, table, join, fills, glow }) => {
      const last = table.length / 4 - 1
      const colour = join === 'mix' ? colourOf(table) : undefined
      const params = [from, scale, last, ['mix', 'add', 'screen'].indexOf(join), Number(fills), ...(glow?.colour ?? [0, 0, 0]), ...(colour ?? [0, 0, 0]), 0] // prettier-ignore
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
            ]
            run('mist', out, ...sources, scratch, bytes, src.width, src.height)
          })
        })
      })
    },
    distancesFrom: (out, position, depth, from) => {
      run('distancesFrom', out, out.at, position.at, depth?.at ?? 0, ...from, out.width)
    },
    thinWithHeight: (out, src, position, depth, { axis, camera, ground, thins }) => {
      const sources = [out.at, src.at, position.at, depth?.at ?? 0]
      run('thinWithHeight', out, ...sources, axis, camera, ground, thins, out.width)
    },
    toneTable: (out, src, tones, by) => {
      withFloats(tones, (at) => {
        run('toneTable', out, out.at, src.at, at, Number(by === 'colours'), out.width)
      })
    },
    decisionList: (out, src, { slope, offset, power, saturation, isHeld }) => {
      const numbers = [...slope, 1, ...offset, 0, ...power, 1, saturation, Number(isHeld)]
      withFloats(numbers, (at) => {
        run('decisionList', out, out.at, src.at, at, out.width)
      })
    },
    hold: (out, src, low, high, withAlpha) => {
      run('hold', out, out.at, src.at, low, high, Number(withAlpha), out.width)
    },
    lookUp: (out, src, { table: entries, size, isCube, from, to, gain, takesEncoded, givesEncoded }) => {
      const scales = from.map((low, c) => (size - 1) / (to[c]! - low))
      withFloats([...from, 0, ...scales, 0, gain, 0, 0, 0], (at) => {
        const encoded = Number(takesEncoded) + 2 * Number(givesEncoded)
        run('lookUp', out, out.at, src.at, entries.at, size, Number(isCube), encoded, at, out.width)
      })
    },
    shoulder: (out, src, gain, white) => {
      run('shoulder', out, out.at, src.at, gain, white, out.width)
    },
    rowSums: (out, src) => {
      run('rowSums', out, out.at, src.at, src.channels, src.width)
    },
    sumOfRuns: (out, sums, runs) => {
      withFloats(runs.flat(), (at) => {
        const args = [out.at, sums.at, sums.channels, at, runs.length, sums.width, sums.height]
        pool.run('sumOfRuns', args, out.height, out.width * sums.channels * runs.length)
      })
    },
    slice: (out, src, places, at) => {
      run('slice', out, out.at, src.at, places.at, at, out.channels, out.width)
    },
    layOver: (out, known, layer, seen) => {
      run('layOver', out, out.at, known.at, layer.at, seen.at, out.width)
    },
    countScope: (counts, src, { kind, region, columns, levels, side, reach, shift, level, encoded }) => {
      let pixels = 0
      const last = level.length - 1
      withBytes(counts.byteLength + 2 * level.byteLength, (at) => {
        const [levelAt, encodedAt] = [at + counts.byteLength, at + counts.byteLength + level.byteLength]
        const { buffer } = store.memory
        const own = new Uint32Array(buffer, at, counts.length).fill(0)
        new Int32Array(buffer, levelAt, level.length).set(level)
        new Float32Array(buffer, encodedAt, encoded.length).set(encoded)
        const sizes = [src.width, ...region, columns, levels, side, reach]
        const which = scopeKinds.indexOf(kind)
        pixels = pool.exports.countScope(at, src.at, levelAt, encodedAt, which, shift, last, ...sizes)
        counts.set(own)
      })
      return pixels
    },
    halfToFloat: (out, codes) => {
      convert('halfToFloat', out, codes)
    },
    floatToHalf: (codes, src) => {
      convert('floatToHalf', codes, src)
    },
    display: (out, src, { gain, channel, checker }) => {
      const size = src.width * src.height * 4
      const at = isShared(out) ? out.byteOffset : store.allocateBytes(size)
      run('display', src, at, src.at, tableAt, gain, displayChannels.indexOf(channel), checker, src.width)
      if (isShared(out)) return
      out.set(new Uint8Array(store.memory.buffer, at, size))
      store.releaseBytes(at)
    },
  }
}

/** A memory of its own, the pictures in it and the kernels on it; `workers` other threads serve the control block. */
export function createKernels(memory: WebAssembly.Memory, control: SharedArrayBuffer, workers: number) {
  const exports = instantiateKernels(memory)
  const store = new KernelMemory(memory, exports.heapBase())
  return { store, kernels: createWasmKernels(store, new ThreadPool(exports, control, workers)) }
}

/** Kernels on the calling thread alone. */
export function createLoneKernels(maximumMiB = 1024) {
  return createKernels(createKernelMemory(maximumMiB), createControl(), 0)
}
