import { availableParallelism } from 'node:os'
import { Worker } from 'node:worker_threads'
import sharp from 'sharp'
import { createControl, createKernelMemory } from '../core/kernels/thread-pool.ts'
import { castRays, drawSpikes } from '../core/kernels/draw-light.ts'
import { glare, glareSpectrum } from '../core/kernels/glare.ts'
import { plainKernels } from '../core/kernels/plain-kernels.ts'
import { gaussianBlur, spreadLight } from '../core/kernels/pyramid.ts'
import { createKernels } from '../core/kernels/wasm-kernels.ts'
import { inverse, placement } from '../core/picture/affine.ts'
import { rec709 } from '../core/colour/working.ts'
import { linearToOklab } from '../core/picture/oklab.ts'
import { plainStore, type Picture } from '../core/picture/picture.ts'
import type { Path } from '../core/comp/drawing.ts'
import { edgeRange } from '../core/kernels/kernels.ts'
import type { ShapeNow } from '../core/comp/drawing-at.ts'
import { drawShapes } from '../core/shapes/draw-shapes.ts'
import { controls } from '../core/shapes/outline.ts'
import { alternate, type Result, type Wanted, type Work } from './alternate.ts'
import { benchDepth } from './bench-depth.ts'
import { benchFinish } from './bench-finish.ts'
import { benchDesk } from './bench-desk.ts'
import { benchFormats } from './bench-formats.ts'

/** Kernels at one size of picture, on one thread and on two. */
async function benchSize(width: number, height: number, rounds: number, isWanted: Wanted): Promise<Result[]> {
  const results: Result[] = []
  const worker = new URL('./pool-worker.mjs', import.meta.url)
  const pools = [1, Math.min(2, availableParallelism())].map((threads) => {
    const memory = createKernelMemory(2048)
    const control = createControl()
    const workers = Array.from(
      { length: threads - 1 },
      () => new Worker(worker, { workerData: { memory, control } }),
    )
    for (const worker of workers) worker.unref()
    return { threads, workers, control, ...createKernels(memory, control, threads - 1) }
  })
  const codes = Buffer.from(
    Uint8Array.from({ length: width * height * 4 }, (_, i) => (Math.imul(i, 2654435761) >>> 24) & 255),
  )
  const raw = { raw: { width, height, channels: 4 } } as const
  // sharp works on as many threads as the kernels it is set beside.
  const sharpOver = () =>
    sharp(codes, raw)
      .composite([{ input: codes, ...raw, blend: 'over' }])
      .raw()
      .toBuffer()
  const sharpMultiply = () =>
    sharp(codes, raw)
      .composite([{ input: codes, ...raw, blend: 'multiply' }])
      .raw()
      .toBuffer()
  const turned = inverse(placement([width / 2, height / 2], [1.1, 1.1], 12, [3, 4]))!
  const sharpBlur = () => sharp(codes, raw).blur(20).raw().toBuffer()

  for (const { threads, kernels, store, workers, control } of pools) {
    // Word 8 counts the workers that wait for work.
    while (Atomics.load(new Int32Array(control), 8) < threads - 1)
      await new Promise((resolve) => setTimeout(resolve, 10))
    sharp.concurrency(threads)
    const [a, b, out] = [0, 1, 2].map(() => store.allocate(width, height, 4)) as [
      ReturnType<typeof store.allocate>,
      ReturnType<typeof store.allocate>,
      ReturnType<typeof store.allocate>,
    ]
    for (const picture of [a, b])
      picture.data.forEach((_, i) => {
        picture.data[i] = codes[i]! / 255
      })
    const copy = () => {
      out.data.set(a.data)
    }
    const lights = store.allocate(width, height, 4)
    lights.data.fill(0)
    for (let k = 0; k < 60 * 18; k++) {
      const [x, y] = [
        (Math.floor(k / 18) * 7919) % (width - 18),
        ((Math.floor(k / 18) * 104729) % (height - 18)) + (k % 18),
      ]
      lights.data.fill(5, (y * width + x) * 4, (y * width + x + 18) * 4)
    }
    const workshop = { kernels, store }
    // For 1920×1080, and for 3840×2160 at half of it: red, green, blue and alpha at once, so that 80 M are 40 M for two.
    const spectrum = glareSpectrum(width, height, { field: 40, age: 30, pigment: 0.5 }, width, workshop)
    const spikes = { exponent: 1.5, gain: 0.01, colourSpread: 0 }
    const bloom = () => {
      const caught = { threshold: 0.4, knee: 0.2, ceiling: 100 }
      spreadLight(out, a, { widest: 60, tight: 0, gain: 1, reduction: 1, caught, workshop })
    }
    const [shape, distance, cover] = [0, 1, 2].map(() => store.allocate(width, height, 1)) as [
      Picture,
      Picture,
      Picture,
    ]
    const outline = wavyOutline(width, height)
    drawShapes(shape, [outline], { scale: 1, left: 0, top: 0 }, workshop)
    const svg = Buffer.from(svgOf(outline.path, width, height))
    const sharpShape = () => sharp(svg).raw().toBuffer()
    const picks = [1, -1].map((sign) => ({
      lab: linearToOklab(rec709, 0.3 + 0.2 * sign, 0.3, 0.2),
      isWanted: sign > 0,
    }))
    // Addresses first: taking memory may replace the buffer by a larger one.
    const [halvesAt, shownAt] = [store.allocateBytes(a.data.length * 2), store.allocateBytes(a.data.length)]
    const halves = new Uint16Array(store.memory.buffer, halvesAt, a.data.length)
    const shown = new Uint8Array(store.memory.buffer, shownAt, a.data.length)
    const rows: [name: string, work: Work, reference: string, referenceWork: Work, target: number | null][] = [
      ['over', () => { kernels.join(out, a, b, undefined, 'over', 1) }, 'memory copy', copy, threads === 1 ? 1.6 : null],
      ['over', () => { kernels.join(out, a, b, undefined, 'over', 1) }, 'sharp 8-bit over', sharpOver, 0.16],
      ['multiply', () => { kernels.join(out, a, b, undefined, 'multiply', 1) }, 'sharp 8-bit multiply', sharpMultiply, null],
      ['place, cubic', () => { kernels.resample(out, a, turned, 'cubic') }, 'memory copy', copy, null],
      ['gaussian sigma 20', () => { gaussianBlur(out, a, 20, workshop) }, 'memory copy', copy, threads === 1 ? 3.5 : null],
      ['gaussian sigma 20', () => { gaussianBlur(out, a, 20, workshop) }, 'sharp 8-bit blur(20)', sharpBlur, 0.2],
      ['bloom', bloom, 'memory copy', copy, threads === 1 ? 5 : null],
      ['star glare, 1 way', () => { drawSpikes(out, a, [{ angle: 20, length: 256 }], spikes, workshop) }, 'memory copy', copy, threads === 1 ? 18 : null],
      ['star glare, 6 ways', () => { drawSpikes(out, a, [0, 1, 2, 3, 4, 5].map((i) => ({ angle: 20 + i * 60, length: 256 })), spikes, workshop) }, 'memory copy', copy, null],
      ['light rays', () => { castRays(out, a, { origin: [width * 0.55, height * 0.1], length: 700, exponent: 1.5, gain: 0.01 }, workshop) }, 'memory copy', copy, threads === 1 ? 45 : null],
      ['star glare, 6 ways, 60 lights', () => { drawSpikes(out, lights, [0, 1, 2, 3, 4, 5].map((i) => ({ angle: 20 + i * 60, length: 256 })), spikes, workshop) }, 'memory copy', copy, null],
      ['light rays, 60 lights', () => { castRays(out, lights, { origin: [width * 0.55, height * 0.1], length: 700, exponent: 1.5, gain: 0.01 }, workshop) }, 'memory copy', copy, null],
      ['eye glare', () => { glare(out, a, spectrum, [1, 1, 1], [1, 1, 1], workshop) }, 'memory copy', copy, threads === 1 ? 45 : null],
      ['choke-spread', () => { kernels.distance(distance, shape, edgeRange(12, 4)); kernels.edge(cover, distance, 12, 4) }, 'memory copy', copy, threads === 1 ? 7 : null],
      ['colour key', () => { kernels.keyColour(cover, a, picks, { reach: 0.1, soft: 0.1, lightness: 0.5 }) }, 'memory copy', copy, null],
      ['shape, 200 points', () => { drawShapes(cover, [outline], { scale: 1, left: 0, top: 0 }, workshop) }, 'sharp (librsvg) 8-bit', sharpShape, threads === 1 ? 1 : null],
      ['shape, soft 20 px', () => { drawShapes(cover, [{ ...outline, outer: 20 }], { scale: 1, left: 0, top: 0 }, workshop) }, 'memory copy', copy, null],
      ['half to float', () => { kernels.halfToFloat(out.data, halves) }, 'memory copy', copy, threads === 1 ? 1.7 : null],
      ['float to half', () => { kernels.floatToHalf(halves, a.data) }, 'memory copy', copy, threads === 1 ? 3 : null],
      ['display 8-bit', () => { kernels.display(shown, a, { gain: 1, channel: 'colour', checker: 0 }) }, 'memory copy', copy, threads === 1 ? 3.5 : null],
    ] // prettier-ignore
    for (const [name, work, reference, referenceWork, target] of rows) {
      if (!isWanted(name)) continue
      const [medianMs, referenceMs] = (await alternate([work, referenceWork], rounds)) as [number, number]
      results.push({
        name,
        size: `${width}x${height}`,
        threads,
        medianMs,
        reference,
        referenceMs,
        ratio: medianMs / referenceMs,
        target,
      })
    }
    results.push(...(await benchDepth(a, out, workshop, threads, Math.min(rounds, 9), isWanted)))
    results.push(...(await benchFinish(a, out, workshop, threads, Math.min(rounds, 7), isWanted)))
    if (threads === 1 && width === 1920 && isWanted('gaussian sigma 8')) {
      // The plain twin is slow: a smaller picture for both.
      const [w, h] = [480, 270]
      const small = [0, 1].map(() => store.allocate(w, h, 4))
      const plain = { width: w, height: h, channels: 4 as const, data: new Float32Array(w * h * 4), at: -1 }
      const works = [
        () => {
          gaussianBlur(small[0]!, small[1]!, 8, workshop)
        },
        () => {
          gaussianBlur(plain, plain, 8, { kernels: plainKernels, store: plainStore })
        },
      ]
      const [medianMs, referenceMs] = (await alternate(works, 5)) as [number, number]
      results.push({
        name: 'gaussian sigma 8',
        size: `${w}x${h}`,
        threads,
        medianMs,
        reference: 'plain TypeScript twin',
        referenceMs,
        ratio: medianMs / referenceMs,
        target: 0.33,
      })
    }
    await Promise.all(workers.map((worker) => worker.terminate()))
  }
  return results
}

/** A closed curve of 200 smooth points around the middle of a picture. */
function wavyOutline(width: number, height: number): ShapeNow {
  const path: Path = Array.from({ length: 200 }, (_, i) => {
    const angle = (i / 200) * 2 * Math.PI
    const far = 0.3 + 0.12 * Math.sin(9 * angle) + 0.03 * Math.sin(31 * angle)
    const at: [number, number] = [
      width * (0.5 + far * Math.cos(angle)),
      height * (0.5 + far * Math.sin(angle)),
    ]
    const along: [number, number] = [-width * 0.003 * Math.sin(angle), height * 0.003 * Math.cos(angle)]
    return { at, in: [-along[0], -along[1]], out: along }
  })
  return { id: 'shape1', by: 'union', rule: 'nonzero', inner: 0, outer: 0, opacity: 1, path }
}

function svgOf(path: Path, width: number, height: number): string {
  const curves = path.map((_, i) => {
    const [a, b, c, d] = controls(path, i)
    return `${i === 0 ? `M ${a.join(' ')} ` : ''}C ${[b, c, d].map((p) => p.join(' ')).join(', ')}`
  })
  return `<svg xmlns="http://www.w3.org/2000/svg" width="${width}" height="${height}"><path d="${curves.join(' ')} Z" fill="#fff"/></svg>`
}

/** `zafiro bench`: kernels, formats and desks against named references in the same run, as ratios. */
export async function runBench(
  asJson: boolean,
  only: string | undefined,
  say: (line: string) => void,
): Promise<void> {
  const isWanted = (name: string) => only === undefined || name.includes(only)
  const results = [
    ...(await benchSize(1920, 1080, 15, isWanted)),
    ...(await benchSize(3840, 2160, 7, isWanted)),
    ...(only === undefined ? await benchDesk() : []),
    ...(only === undefined || only.includes('EXR') ? await benchFormats() : []),
  ]
  if (asJson) {
    say(JSON.stringify({ results }, undefined, 2))
    return
  }
  for (const r of results) {
    const goal =
      r.target === null
        ? ''
        : r.ratio <= r.target
          ? `  (to reach ${r.target}: reached)`
          : `  (to reach ${r.target})`
    say(
      `${r.name.padEnd(18)} ${r.size} ${r.threads} thread(s)  ${r.medianMs.toFixed(1).padStart(7)} ms = ${r.ratio.toFixed(2).padStart(5)} × ${r.reference}${goal}`,
    )
  }
}
