// "Grotto descent": a flooded sea cave. Units are metres, x right, y up, z towards the viewer. What it is made of is in assembly/.

export type Vec = readonly [number, number, number]

export const objects = [
  'rock', 'sand', 'bell_brass', 'bell_glass', 'bell_lamp', 'cable', 'crystals', 'vent',
  'jelly_1', 'jelly_2', 'jelly_3', 'jelly_4', 'jelly_5', 'surface',
] as const // prettier-ignore
export const [brass, glass, lamp, firstJelly] = [2, 3, 4, 8]

/** Where things are at a frame (1–48). */
export interface Staging {
  readonly frame: number
  readonly eye: Vec
  readonly target: Vec
  readonly bell: Vec
  readonly jellies: readonly {
    readonly at: Vec
    readonly size: number
    readonly pulse: number
  }[]
}

const jellyPlan = [
  [1.15, 3.35, -1.6, 0.62], [2.75, 2.15, 0.4, 0.4], [-3.9, 3.1, -2.8, 0.4], [0.35, 1.75, 1.2, 0.27], [3.9, 4.0, -5.5, 0.5],
] as const // prettier-ignore

export const jellyCount = jellyPlan.length

export function stage(frame: number): Staging {
  const t = (frame - 1) / 24
  const along = (frame - 1) / 47
  const eased = along * along * (3 - 2 * along)
  return {
    frame,
    eye: [0.1 - 0.25 * eased, 2.35, 9.4 - 0.9 * eased],
    target: [0.1, 2.85, -4],
    bell: [-1.75, 3.15 - 0.62 * t, -0.6],
    jellies: jellyPlan.map(([x, y, z, size], i) => ({
      at: [x + 0.16 * Math.sin(0.7 * t + i * 2.1), y + 0.22 * t + 0.06 * Math.sin(2.4 * t + i), z] as const,
      size,
      pulse: Math.sin(3.1 * t + i * 1.7),
    })),
  }
}

export const ventAt: Vec = [3.55, 0.35, -1.4]
