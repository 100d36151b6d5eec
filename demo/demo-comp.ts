import { addLane, addStep, editStep, editLane, emptyComp, masterId, setFeed } from '../src/core/comp/edits.ts'
import { putDial, putSetting, type SettingRef } from '../src/core/comp/settings.ts'
import { joinBus, placeLane } from '../src/core/comp/buses.ts'
import type { Path, Vertex } from '../src/core/comp/drawing.ts'
import { addDrawing, editDrawing, mapPoints } from '../src/core/comp/drawing-edits.ts'
import type { Comp, MatteLink, Setting, Source, Track } from '../src/core/comp/schema.ts'
import { hashName, hashToFloat } from '../src/core/formats/cryptomatte.ts'
import { ellipse } from '../src/core/shapes/outline.ts'
import { chained, placement } from '../src/core/picture/affine.ts'
import { drawingOf, pose } from './drawings.ts'
import { camera } from './frame.ts'
import { stage, ventAt } from './scene.ts'

/** Media of the demo shot: the id that its comp uses, and the file name before the frame number. */
export const demoMedia = {
  cave: 'grotto',
  line: 'seahorse_line',
  paint: 'seahorse_paint',
  shadow: 'seahorse_shadow',
  plume: 'plume',
} as const

/** IDs of objects of the cave as comps name them. */
function idsOf(...names: string[]): string[] {
  return names.map((name) => {
    const bits = new Uint32Array(Float32Array.of(hashToFloat(hashName(name))).buffer)[0]!
    return bits.toString(16).padStart(8, '0')
  })
}

/** How bright the lamp burns through its glass at least and at most, as its emission measures. */
const lampBurns: [number, number] = [0.175, 0.245]

/** A comp that is built up; each call gives back the id of what it made. */
class Builder {
  constructor(public comp: Comp) {}
  lane(name: string, source: Source): string {
    this.comp = addLane(this.comp, name, source)
    return this.comp.lanes.at(-1)!.id
  }
  step(lane: string, effect: string, dials: Record<string, Setting>): string {
    const steps = this.comp.lanes.find((l) => l.id === lane)?.steps ?? this.comp.master
    const [next, id] = addStep(this.comp, lane, steps.length, effect)
    this.comp = Object.entries(dials).reduce((comp, [key, value]) => putDial(comp, id, key, value), next)
    return id
  }
  /** What stands in place of a constant. */
  moves(ref: SettingRef, track: Track): void {
    this.comp = putSetting(this.comp, ref, track)
  }
  edit(lane: string, change: Parameters<typeof editLane>[2]): void {
    this.comp = editLane(this.comp, lane, change)
  }
  /** Shapes with an outline for each of some frames: between them it moves, or each is a drawing of its own. */
  drawing(
    name: string,
    time: 'keyed' | 'frames',
    outlines: readonly { frame: number; path: Path }[],
    outer = 0,
  ): string {
    const [named, id] = addDrawing(this.comp, name)
    const shape = { id: 'shape1', name: 'Outline 1', by: 'union', rule: 'nonzero', opacity: 1, inner: 0, outer, shown: true, locked: false } as const // prettier-ignore
    this.comp = editDrawing(
      named,
      id,
      () =>
      time === 'keyed'
        ? { id, name, time, shapes: [{ ...shape, path: { keys: outlines.map((o) => ({ ...o })) } }] }
        : { id, name, time, between: 'hold', cels: outlines.map(({ frame, path }) => ({ frame, shapes: path.length > 0 ? [{ ...shape, path }] : [] })) }, // prettier-ignore
    )
    return id
  }
  bus(name: string, first: string, ...others: string[]): string {
    let bus = ''
    for (const lane of others) [this.comp, bus] = joinBus(this.comp, lane, bus || first)
    this.edit(bus, (l) => {
      l.name = name
    })
    return bus
  }
}

/** A window of the bell, right of its middle rib, behind which the lamp hangs, as it is seen at a frame. */
function bellWindow(frame: number, width: number, height: number): Path {
  const staging = stage(frame)
  const lens = camera(staging, width, height)
  const [x, y, z] = staging.bell
  const corner = (degrees: number, up: number): Vertex => {
    const angle = (degrees * Math.PI) / 180
    const seen = lens.project([x + 0.93 * Math.cos(angle), y + up, z + 0.93 * Math.sin(angle)])
    return { at: [Math.round(seen.x * 10) / 10, Math.round(seen.y * 10) / 10] }
  }
  return [
    corner(90, 0.56),
    corner(70, 0.58),
    corner(54, 0.5),
    corner(49, -0.06),
    corner(66, -0.08),
    corner(88, -0.08),
  ]
}

/** The soft shade along the belly of the seahorse, as it is drawn on a frame. */
function bellyShade(frame: number, px: number): Path {
  const { x, y, turn, scale } = pose(drawingOf(frame))
  const belly: Path = [
    { at: [44, -178], in: [2, -16], out: [-6, 16] },
    { at: [66, -112], in: [2, -26], out: [4, 30] },
    { at: [26, -40], in: [20, -18], out: [-12, 12] },
    { at: [22, -72], in: [-8, 14], out: [12, -16] },
    { at: [40, -116], in: [8, 14], out: [-4, -20] },
  ]
  const placed = chained([scale, 0, 0, 0, scale, 0], placement([0, 0], [1, 1], turn, [x, y]))
  const round = (v: number) => Math.round(v * px * 10) / 10
  const rounded = (p: readonly [number, number] | undefined): [number, number] => [
    round(p?.[0] ?? 0),
    round(p?.[1] ?? 0),
  ]
  return mapPoints(belly, placed).map((v) => ({ at: rounded(v.at), in: rounded(v.in), out: rounded(v.out) }))
}

/**
 * The comp that the demo shot opens with. Open water behind; the cave, lit by the vent and in haze, with a bloom that takes its light from the jellyfish and the lamp alone,
 * sparkle on brass and crystals, rays that take theirs from the hole in the roof, and lamplight out of a traced window; glass that mirrors where it is seen edge-on;
 * the drawn plume as three live copies of one drawing that wavers; the seahorse, painted and inked, as a bus with a glow that is a live copy of it.
 */
export function demoComp(width: number, height: number, demoFrames: number): Comp {
  const beauty = (media: keyof typeof demoMedia) => ({ type: 'pass', media, pass: 'beauty' }) as const
  const b = new Builder({ ...emptyComp(width, height), frames: { first: 1, last: demoFrames, rate: 24 } })
  const px = width / 960

  b.lane('Open water', {
    type: 'gradient',
    shape: 'line',
    from: { at: [width / 2, height * 0.3], colour: [0.01, 0.08, 0.13], alpha: 1 },
    to: { at: [width / 2, height * 0.75], colour: [0.004, 0.03, 0.07], alpha: 1 },
  })
  /** A matte lane: a pass of the cave, of these objects alone. */
  const only = (name: string, pass: string, ...objects: string[]): string => {
    const lane = b.lane(name, { type: 'pass', media: 'cave', pass })
    b.edit(lane, (l) => {
      l.kind = 'matte'
    })
    const kept = b.step(lane, 'opacity', { opacity: 0 })
    b.comp = setFeed(b.comp, kept, 'matte', {
      from: { type: 'pass', media: 'cave', pass: 'objects' },
      objects: idsOf(...objects),
      invert: true,
    })
    return lane
  }
  const daylight = only('Daylight', 'emission', 'surface')
  const jellies = ['jelly_1', 'jelly_2', 'jelly_3', 'jelly_4', 'jelly_5']
  const light = only('Living light', 'emission', ...jellies, 'bell_lamp')

  const cave = b.lane('Cave', beauty('cave'))
  b.step(cave, 'exposure', { stops: 0.4 })
  const data = (pass: string) => ({ from: { type: 'pass', media: 'cave', pass } }) as const
  // Warm light of the vent on the rock and sand about it: as much of their own colours as it brings.
  const spot = camera(stage(Math.ceil(demoFrames / 2)), width, height).project([ventAt[0], ventAt[1] + 0.9, ventAt[2]]) // prettier-ignore
  const ventLight = b.lane('Vent light', {
    type: 'gradient',
    shape: 'round',
    from: { at: [Math.round(spot.x), Math.round(spot.y)], colour: [1, 1, 1], alpha: 1 },
    to: { at: [Math.round(spot.x + 190 * px), Math.round(spot.y)], colour: [1, 1, 1], alpha: 0 },
  })
  b.edit(ventLight, (l) => {
    l.kind = 'matte'
  })
  const elsewhere = b.step(ventLight, 'opacity', { opacity: 0 })
  b.comp = setFeed(b.comp, elsewhere, 'matte', {
    ...data('objects'),
    objects: idsOf('rock', 'sand', 'vent', 'crystals'),
    invert: true,
  })
  const warmth = b.step(cave, 'matte-light', { colour: 'source', tint: [1, 0.42, 0.12], strength: 1.7, softness: 0 }) // prettier-ignore
  b.comp = setFeed(b.comp, warmth, 'shape', { from: { type: 'tap', lane: ventLight } })
  // The lamp in the bell lights what stands around it: brass, crystals and rock.
  const cast = b.step(cave, 'cast-light', { at1: [width * 0.42, height * 0.5], distance1: 0.55, power1: 1.5, colour1: [1, 0.66, 0.32], size1: 0.35, nearest: 0.35, coverAlpha: false }) // prettier-ignore
  b.comp = setFeed(setFeed(b.comp, cast, 'position', data('position')), cast, 'normal', data('normal'))
  b.moves({ of: 'dial', step: cast, key: 'at1' }, {
    keys: [{ frame: 1, value: [width * 0.42, height * 0.5] }],
    riders: [{ type: 'follow', on: true, of: { type: 'matte', matte: { ...data('objects'), objects: idsOf('bell_glass') } }, offset: [0, 0] }],
  }) // prettier-ignore
  // Haze before the light: rays and glows shine in it, and are not dimmed by it.
  const haze = b.step(cave, 'depth-mist', { profile: 'visibility', near: 8.5, visibility: 40, ceiling: 0.85, colour: 'own', nearColour: [0.035, 0.11, 0.14], farColour: [0.05, 0.2, 0.25], soften: 2.5 * px, uneven: true, noise: 0.35, noiseSize: 240 * px, lit: true, lamp: [Math.round(spot.x), Math.round(spot.y)], lampReach: 150 * px, lampStrength: 0.1, lampColour: [1, 0.4, 0.14] }) // prettier-ignore
  b.comp = setFeed(setFeed(b.comp, haze, 'depth', data('depth')), haze, 'position', data('position'))
  const bloom = b.step(cave, 'bloom', { threshold: 0.08, reach: 70 * px, strength: 0.9 })
  b.comp = setFeed(b.comp, bloom, 'light', { from: { type: 'tap', lane: light } })
  // It comes up in the first second.
  const up = Math.max(2, Math.min(24, demoFrames))
  b.moves({ of: 'dial', step: bloom, key: 'strength' }, {
    keys: [{ frame: 1, value: 0.12, go: 'curve', out: [[up * 0.35, 0]] }, { frame: up, value: 0.9, in: [[-up * 0.4, 0]] }],
  }) // prettier-ignore
  const star = b.step(cave, 'star-glare', { threshold: 0.9, measure: 'channel', length: 52 * px, number: 4, turn: 38, uneven: 0.3, falloff: 2.5, strength: 4, colourSpread: 0.25 }) // prettier-ignore
  b.comp = setFeed(b.comp, star, 'within', {
    from: { type: 'pass', media: 'cave', pass: 'objects' },
    objects: idsOf('bell_brass', 'crystals'),
  })
  // Brass sparkles in a circle that goes with the bell.
  const spark = b.drawing('Bell circle', 'keyed', [{ frame: 1, path: ellipse(-86 * px, -100 * px, 86 * px, 120 * px) }], 14 * px) // prettier-ignore
  b.moves({ of: 'placing', drawing: spark, key: 'move' }, {
    keys: [{ frame: 1, value: [0, 0] }],
    riders: [{ type: 'follow', on: true, of: { type: 'matte', matte: { ...data('objects'), objects: idsOf('bell_brass') } }, offset: [0, 0] }],
  }) // prettier-ignore
  const sparkling: MatteLink = {
    from: { type: 'drawing', drawing: spark },
    also: [{ by: 'union', ...data('objects'), objects: idsOf('crystals') }],
  }
  b.comp = setFeed(b.comp, star, 'matte', sparkling)
  const rays = b.step(cave, 'light-rays', { origin: [width * 0.51, -height * 0.06], length: 620 * px, falloff: 1.3, threshold: 0.5, strength: 0.34 * (1 / px), tint: [0.62, 0.9, 1], shimmer: 0.45, shimmerSize: 5 }) // prettier-ignore
  b.comp = setFeed(b.comp, rays, 'light', { from: { type: 'tap', lane: daylight } })
  // The sun wanders a little behind the hole.
  b.moves({ of: 'dial', step: rays, key: 'origin' }, {
    along: 'even',
    keys: [
      { frame: 1, value: [width * 0.47, -height * 0.06], bendOut: [width * 0.03, -height * 0.05] },
      { frame: Math.max(2, demoFrames), value: [width * 0.56, -height * 0.02], bendIn: [-width * 0.03, -height * 0.04] },
    ],
  }) // prettier-ignore

  // The lamp shines out of a window that was traced on a few frames.
  const marks = [1, Math.round(demoFrames / 3), Math.round((demoFrames * 2) / 3), demoFrames]
  const frames = [...new Set(marks)].filter((f) => f >= 1)
  const window = b.drawing('Bell window', 'keyed', frames.map((frame) => ({ frame, path: bellWindow(frame, width, height) }))) // prettier-ignore
  const glass = b.step(cave, 'matte-glow', { radius: 46 * px, tightness: 0.6, strength: 1.1, core: 0.3, coreSoftness: 15 * px, tint: [1, 0.72, 0.36] }) // prettier-ignore
  b.comp = setFeed(b.comp, glass, 'shape', { from: { type: 'drawing', drawing: window }, soft: 3 * px })

  // As bright as the lamp burns, with a flicker of its own.
  for (const [key, value, to] of [
    ['strength', 1.1, [0.7, 1.6]],
    ['core', 0.3, [0.2, 0.42]],
  ] as const)
    b.moves({ of: 'dial', step: glass, key }, {
      keys: [{ frame: 1, value }],
      riders: [
        { type: 'measure', on: true, of: data('emission').from, inside: { ...data('objects'), objects: idsOf('bell_glass') }, what: 'mean', from: lampBurns, to: [...to], lag: 0.5, as: 'value' },
        { type: 'flicker', on: true, amount: value * 0.15, rate: 7, roughness: 0.5, seed: 5 },
      ],
    }) // prettier-ignore

  // What sinks and drifts smears, its light with it.
  const smear = b.step(cave, 'motion-blur', { by: 'motion', shutter: 180, opens: -90, longest: 80 * px })
  b.comp = setFeed(setFeed(b.comp, smear, 'motion', data('motion')), smear, 'depth', data('depth'))

  // Glass mirrors its surroundings where it is seen edge-on.
  const grazing = b.lane('Grazing', { type: 'pass', media: 'cave', pass: 'normal' })
  b.edit(grazing, (l) => {
    l.kind = 'matte'
  })
  const facing = b.step(grazing, 'facing-matte', { by: 'fresnel', index: 1.5 })
  b.comp = setFeed(setFeed(b.comp, facing, 'normal', data('normal')), facing, 'position', data('position'))
  const mirror = b.lane('Glass reflection', { type: 'pass', media: 'cave', pass: 'reflection' })
  b.edit(mirror, (l) => {
    l.join = {
      mode: 'plus',
      opacity: 0.8,
      matte: {
        from: { type: 'tap', lane: grazing },
        also: [{ by: 'intersect', from: data('objects').from, objects: idsOf('bell_glass') }],
      },
    }
  })

  const shape = b.lane('Plume drawing', beauty('plume'))
  b.edit(shape, (l) => {
    l.kind = 'matte'
  })
  // Three live copies of one drawing, each wider, darker and farther up than the one before.
  const copies = [
    { name: 'Plume wide', spread: 15, soft: 20, up: -16, gains: [0.62, 0.16, 0.05], opacity: 0.7 },
    { name: 'Plume body', spread: 0, soft: 9, up: 0, gains: [0.95, 0.42, 0.12], opacity: 0.65 },
    { name: 'Plume core', spread: -9, soft: 5, up: 8, gains: [1.5, 1.15, 0.62], opacity: 0.75 },
  ].map(({ name, spread, soft, up, gains: [red, green, blue], opacity }) => {
    const lane = b.lane(name, { type: 'tap', lane: shape })
    if (spread !== 0)
      b.step(lane, 'choke-spread', { spread: spread * px, softness: Math.abs(spread) * 0.6 * px })
    b.step(lane, 'channel-gains', { red: red!, green: green!, blue: blue! })
    b.step(lane, 'place', { moveY: up * px })
    b.step(lane, 'blur', { radius: soft * px })
    b.edit(lane, (l) => {
      l.join.mode = 'plus'
      l.join.opacity = opacity
    })
    return lane
  }) as [string, string, string]
  const plume = b.bus('Plume', ...copies)
  // It wavers without being drawn anew, and stands still at the vent.
  const root = b.lane('Plume root', {
    type: 'gradient',
    shape: 'line',
    from: { at: [Math.round(spot.x), Math.round(spot.y + 34 * px)], colour: [1, 1, 1], alpha: 1 },
    to: { at: [Math.round(spot.x), Math.round(spot.y - 90 * px)], colour: [1, 1, 1], alpha: 0 },
  })
  b.edit(root, (l) => {
    l.kind = 'matte'
  })
  const waver = b.step(plume, 'noise-warp', { size: 64 * px, strength: 26 * px, octaves: 3, roughness: 0.55, speed: 0.9, driftY: -110 * px, seed: 3 }) // prettier-ignore
  b.comp = setFeed(b.comp, waver, 'hold', { from: { type: 'tap', lane: root } })
  const tone = b.step(plume, 'curves', { luminance: [[0, 0], [0.06, 0.035], [0.4, 0.42], [1.6, 1.9]] }) // prettier-ignore
  const ember = b.step(plume, 'bloom', {
    threshold: 0.25,
    reach: 60 * px,
    strength: 0.7,
    tint: [1, 0.6, 0.3],
  })
  for (const [id, name] of [[tone, 'Plume tone'], [ember, 'Ember light']] as const)
    b.comp = editStep(b.comp, id, (s) => {
      s.name = name
    }) // prettier-ignore
  // It thins as it rises.
  const rise = b.lane('Plume fade', {
    type: 'gradient',
    shape: 'line',
    from: { at: [width / 2, height * 0.26], colour: [1, 1, 1], alpha: 0 },
    to: { at: [width / 2, height * 0.64], colour: [1, 1, 1], alpha: 1 },
  })
  b.step(rise, 'levels', { gamma: 0.42 })
  b.edit(rise, (l) => {
    l.kind = 'matte'
  })
  b.edit(plume, (l) => {
    l.join = { mode: 'plus', opacity: 0.42, matte: { from: { type: 'tap', lane: rise } } }
    l.folded = true
  })

  const paint = b.lane('Seahorse paint', beauty('paint'))
  // The paint stands in the light of the cave, not on paper.
  b.step(paint, 'channel-gains', { red: 0.62, green: 0.8, value: 0.9 })
  const shade = b.lane('Seahorse shade', beauty('shadow'))
  b.edit(shade, (l) => {
    l.join.mode = 'multiply'
    l.join.opacity = 0.45
  })
  const line = b.lane('Seahorse line', beauty('line'))
  const seahorse = b.bus('Seahorse', paint, shade, line)

  // A soft blue shade that is drawn every second frame, from the thirteenth until near the end.
  const shadeFrames = Array.from(
    { length: Math.max(1, Math.floor((demoFrames - 20) / 2)) },
    (_, i) => 13 + 2 * i,
  )
  const drawn = shadeFrames.map((frame) => ({ frame, path: bellyShade(frame, px) }))
  const end = { frame: shadeFrames.at(-1)! + 2, path: [] }
  const belly = b.drawing('Belly shade', 'frames', [...drawn, end], 6 * px)
  const soft = b.step(seahorse, 'matte-shade', { softness: 6 * px, shade: [0.3, 0.45, 0.85], strength: 0.9 })
  b.comp = setFeed(b.comp, soft, 'shape', { from: { type: 'drawing', drawing: belly } })
  // Its own outline, shifted: cool on the side that turns away, a warm rim towards the vent.
  b.step(seahorse, 'matte-shade', { invert: true, moveX: 9 * px, moveY: -7 * px, softness: 9 * px, shade: [0.35, 0.5, 0.75], strength: 0.8 }) // prettier-ignore
  b.step(seahorse, 'matte-light', { invert: true, moveX: -3 * px, moveY: 2 * px, softness: 3 * px, tint: [1, 0.5, 0.2], strength: 0.8 }) // prettier-ignore
  // Warmer near the vent, which it passes in the middle of the shot.
  const cool: [number, number, number] = [0.3, 0.45, 0.85]
  const near = Math.max(2, Math.round(demoFrames / 2))
  b.moves({ of: 'dial', step: soft, key: 'shade' }, {
    mix: 'oklab',
    keys: [{ frame: 1, value: cool }, { frame: near, value: [0.78, 0.5, 0.46] }, { frame: Math.max(near + 1, demoFrames), value: cool }],
  }) // prettier-ignore
  const glow = b.lane('Seahorse glow', { type: 'tap', lane: seahorse })
  b.step(glow, 'matte-glow', { radius: 70 * px, tightness: 0.5, strength: 3, tint: [1, 0.85, 0.6], alone: true }) // prettier-ignore
  b.edit(glow, (l) => {
    l.join.mode = 'plus'
  })
  b.comp = placeLane(b.comp, glow, 'back', seahorse)
  // The finished look: a little more contrast, and light above white held back softly.
  b.step(masterId, 'curves', { luminance: [[0, 0], [0.42, 0.385], [0.85, 0.87], [1.5, 1.08]] }) // prettier-ignore
  // What the lens and the film add, last.
  b.step(masterId, 'lens-fringe', { amount: 1.1 * px, growth: 2.4 })
  b.step(masterId, 'vignette', { by: 'lens', field: 52 })
  b.step(masterId, 'grain', { size: 1.3 * px, shadows: 0.001, middle: 0.007, lights: 0.018, seed: 11 })
  return b.comp
}
