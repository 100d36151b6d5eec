import { jellyCount, type Staging, type Vec } from './scene.ts'
import { tracerWasm } from './tracer.gen.ts'

/** What one camera ray sees: places of its numbers. Colours are premultiplied; `id` is −1 where nothing was hit. */
export const sample = {
  colour: 0, alpha: 3, emission: 4, reflection: 7, id: 10, position: 11, normal: 14, distance: 17, size: 18,
} as const // prettier-ignore

/** Rays that lie close together: how far all are free, and what none can meet. */
export interface Bundle {
  readonly from: number
  readonly without: number
}

interface Exports {
  readonly memory: WebAssembly.Memory
  setStage(frame: number, x: number, y: number, z: number): void
  setJelly(i: number, x: number, y: number, z: number, size: number, pulse: number): void
  freeUntil(ox: number, oy: number, oz: number, dx: number, dy: number, dz: number, spread: number): number
  outside(): number
  trace(
    ox: number,
    oy: number,
    oz: number,
    dx: number,
    dy: number,
    dz: number,
    from: number,
    without: number,
  ): void
  sampleAt(): number
}

/** Traces rays through the scene. What it has learnt of the rock, which stands still, it keeps from frame to frame. */
export function createTracer() {
  const module = new WebAssembly.Module(Buffer.from(tracerWasm, 'base64'))
  const imports = {
    env: {
      abort: () => {
        throw new Error('the tracer stopped')
      },
    },
  }
  const made = new WebAssembly.Instance(module, imports).exports as unknown as Exports
  const result = new Float64Array(made.memory.buffer, made.sampleAt(), sample.size)
  return {
    /** Sets the scene for all rays that follow. */
    enter({ frame, bell, jellies }: Staging): void {
      made.setStage(frame, ...bell)
      for (let i = 0; i < jellyCount; i++) {
        const { at, size, pulse } = jellies[i]!
        made.setJelly(i, ...at, size, pulse)
      }
    },
    /** What is known of all rays within a cone about `way`, of radius `spread` at distance 1. */
    bundle(eye: Vec, way: Vec, spread: number): Bundle {
      return { from: made.freeUntil(...eye, ...way, spread), without: made.outside() }
    },
    /** Follows a ray of a bundle; what it sees goes to `out` from `at` on. */
    trace(eye: Vec, way: Vec, { from, without }: Bundle, out: Float64Array, at: number): void {
      made.trace(eye[0], eye[1], eye[2], way[0], way[1], way[2], from, without)
      for (let part = 0; part < sample.size; part++) out[at + part] = result[part]!
    },
  }
}
export type Tracer = ReturnType<typeof createTracer>
