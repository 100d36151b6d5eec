import { addLane, addStep, editLane, emptyComp, setDial, setFeed } from '../src/core/comp/edits.ts'
import { joinBus, placeLane } from '../src/core/comp/graph.ts'
import type { Comp, DialSetting, Source } from '../src/core/comp/schema.ts'
import { hashName, hashToFloat } from '../src/core/formats/cryptomatte.ts'

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

/** A comp that is built up; each call gives back the id of what it made. */
class Builder {
  constructor(public comp: Comp) {}
  lane(name: string, source: Source): string {
    this.comp = addLane(this.comp, name, source)
    return this.comp.lanes.at(-1)!.id
  }
  step(lane: string, effect: string, dials: Record<string, DialSetting>): string {
    const steps = this.comp.lanes.find((l) => l.id === lane)?.steps ?? this.comp.master
    const [next, id] = addStep(this.comp, lane, steps.length, effect)
    this.comp = Object.entries(dials).reduce((comp, [key, value]) => setDial(comp, id, key, value), next)
    return id
  }
  edit(lane: string, change: Parameters<typeof editLane>[2]): void {
    this.comp = editLane(this.comp, lane, change)
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

/**
 * The comp that the demo shot opens with. Open water behind; the cave with a bloom that takes its light from the jellyfish and the lamp alone,
 * sparkle on brass and crystals, and rays that take theirs from the hole in the roof;
 * the drawn plume as three live copies of one drawing; the seahorse, painted and inked, as a bus with a glow that is a live copy of it.
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
  const bloom = b.step(cave, 'bloom', { threshold: 0.08, reach: 70 * px, strength: 0.9 })
  b.comp = setFeed(b.comp, bloom, 'light', { from: { type: 'tap', lane: light } })
  const star = b.step(cave, 'star-glare', { threshold: 0.9, measure: 'channel', length: 52 * px, number: 4, turn: 38, uneven: 0.3, falloff: 2.5, strength: 4, colourSpread: 0.25 }) // prettier-ignore
  b.comp = setFeed(b.comp, star, 'within', {
    from: { type: 'pass', media: 'cave', pass: 'objects' },
    objects: idsOf('bell_brass', 'crystals'),
  })
  const rays = b.step(cave, 'light-rays', { origin: [width * 0.51, -height * 0.06], length: 620 * px, falloff: 1.3, threshold: 0.5, strength: 0.34 * (1 / px), tint: [0.62, 0.9, 1], shimmer: 0.45, shimmerSize: 5 }) // prettier-ignore
  b.comp = setFeed(b.comp, rays, 'light', { from: { type: 'tap', lane: daylight } })

  const shape = b.lane('Plume drawing', beauty('plume'))
  b.edit(shape, (l) => {
    l.kind = 'matte'
  })
  const copies = [
    { name: 'Plume wide', radius: 26, gains: [0.9, 0.28, 0.1] },
    { name: 'Plume body', radius: 9, gains: [1, 0.5, 0.2] },
    { name: 'Plume core', radius: 2.5, gains: [1, 0.86, 0.6] },
  ].map(({ name, radius, gains: [red, green, blue] }) => {
    const lane = b.lane(name, { type: 'tap', lane: shape })
    b.step(lane, 'channel-gains', { red: red!, green: green!, blue: blue! })
    b.step(lane, 'blur', { radius: radius * px })
    b.edit(lane, (l) => {
      l.join.mode = 'plus'
      l.join.opacity = 0.5
    })
    return lane
  }) as [string, string, string]
  const plume = b.bus('Plume', ...copies)
  b.edit(plume, (l) => {
    l.join.mode = 'plus'
    l.join.opacity = 0.16
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

  // Its own outline, shifted: cool on the side that turns away, a warm rim towards the vent.
  b.step(seahorse, 'matte-shade', { invert: true, moveX: 9 * px, moveY: -7 * px, softness: 9 * px, shade: [0.35, 0.5, 0.75], strength: 0.8 }) // prettier-ignore
  b.step(seahorse, 'matte-light', { invert: true, moveX: -3 * px, moveY: 2 * px, softness: 3 * px, tint: [1, 0.5, 0.2], strength: 0.8 }) // prettier-ignore
  const glow = b.lane('Seahorse glow', { type: 'tap', lane: seahorse })
  b.step(glow, 'matte-glow', { radius: 70 * px, tightness: 0.5, strength: 3, tint: [1, 0.85, 0.6], alone: true }) // prettier-ignore
  b.edit(glow, (l) => {
    l.join.mode = 'plus'
  })
  b.comp = placeLane(b.comp, glow, 'back', seahorse)
  return b.comp
}
