import type { MistShape } from '../kernels/kernels.ts'
import { noiseField } from '../kernels/noise-field.ts'
import { gaussianBlur, type Workshop } from '../kernels/pyramid.ts'
import { findCamera } from '../picture/find-camera.ts'
import type { Picture, Rgb } from '../picture/picture.ts'
import { curveThrough, gradientThrough } from '../picture/tone-curve.ts'
import { choice, colour, curve, flag, gradient, number, point, type Values } from '../dials/dials.ts'
import { defineEffect, type PreparedFor } from './effect.ts'
import { isMiss } from '../picture/depth-miss.ts'
import { secondsAt } from '../time.ts'

/** Steps of the table along the distance; between them it runs straight. */
const steps = 1024
/** Contrast that is left at the visibility distance: 2 %, so that V = 3.912 / β. Source: Koschmieder 1924; WMO guide. */
const visibleContrast = 0.02
const marks = { dial: 'profile', is: ['smooth', 'linear', 'curve'] } as const

const distance = (
  from: number,
  hint: string,
  more: {
    readonly when?: { readonly dial: string; readonly is: readonly string[] }
    readonly isPicked?: boolean
  } = {},
) =>
  number({
    default: from,
    range: [0, 100],
    hard: [-1e9, 1e9],
    step: 0.1,
    unit: 'units',
    hint,
    ...(more.isPicked ? { pick: { of: 'depth' } } : {}),
    ...(more.when ? { when: more.when } : {}),
  })
const ratio = (from: number, hint: string) => number({ default: from, range: [0, 1], step: 0.01, hint })

const dials = {
  from: choice({
    default: 'depth',
    options: { depth: 'Distances (depth)', mist: 'A mist pass, 0–1', position: 'Positions' },
    label: 'Measured by',
    hint: 'Distances from the camera; a pass that is 0 where it is clear and 1 where mist is whole; or where surfaces stand in the scene.',
  }),
  profile: choice({
    default: 'smooth',
    options: { smooth: 'Smooth', linear: 'Even', visibility: 'By visibility', curve: 'Free curve' },
    hint: 'How mist grows with the distance: softly or evenly between near and far, as air and water do it, or by a curve of your own.',
  }),
  near: distance(0, 'Closer than this stays clear.', { isPicked: true }),
  far: distance(50, 'From here on the mist is whole.', { when: marks, isPicked: true }),
  visibility: number({
    default: 50,
    range: [1, 1000],
    hard: [1e-6, 1e9],
    step: 0.1,
    taper: 'log',
    unit: 'units',
    when: { dial: 'profile', is: 'visibility' },
    hint: 'Distance behind near at which 2 % of the contrast are left: less is thicker.',
  }),
  ramp: curve({
    default: [
      [0, 0],
      [1, 1],
    ],
    axis: 'unit',
    when: { dial: 'profile', is: 'curve' },
    hint: 'From near (left) to far (right): how whole the mist is.',
  }),
  keepClear: distance(0, 'Nothing closer than this gets any mist, whatever the profile says.', { isPicked: true }),
  ceiling: ratio(0.9, 'The most that mist covers: less leaves the farthest things visible.'),
  background: ratio(1, 'How much of it lies where nothing was hit: over a sky, and in place of what the picture leaves empty there.'),
  join: choice({
    default: 'mix',
    options: { mix: 'Mix', add: 'Add', screen: 'Screen' },
    hint: 'Mix takes away from what lies behind, as air does. Add and screen only brighten.',
  }),
  colour: choice({
    default: 'far',
    options: { far: 'The picture’s far part', own: 'Near and far', gradient: 'A gradient' },
    hint: 'Taken from what is farthest in the picture, so that it belongs to its light; or chosen.',
  }),
  nearColour: colour({ default: [0.2, 0.28, 0.34], when: { dial: 'colour', is: 'own' }, hint: 'Colour of thin mist.' }),
  farColour: colour({ default: [0.28, 0.42, 0.52], when: { dial: 'colour', is: 'own' }, hint: 'Colour of whole mist.' }),
  gradient: gradient({
    default: [
      [0, 0.25, 0.3, 0.33],
      [1, 0.1, 0.25, 0.4],
    ],
    when: { dial: 'colour', is: 'gradient' },
    hint: 'From near to far.',
  }),
  tint: colour({ default: [1, 1, 1], hint: 'Colours the mist as a whole; above 1 it is brighter.' }),
  lit: flag({ default: false, label: 'Near a lamp', hint: 'On: mist is brighter about a point, as near a lamp or the sun.' }),
  lampStrength: number({ default: 0.5, range: [0, 4], hard: [0, 1e4], step: 0.01, label: 'Lamp strength', when: { dial: 'lit', is: 'true' }, hint: 'Light that the mist scatters about the lamp.' }),
  lamp: point({ default: [0.5, 0.2], when: { dial: 'lit', is: 'true' }, label: 'Lamp', hint: 'Where the light stands; it may lie outside the picture.' }),
  lampReach: number({ when: { dial: 'lit', is: 'true' }, default: 400, range: [20, 4000], hard: [1, 1e5], unit: 'px', step: 1, taper: 'log', hint: 'How far from the lamp the mist is brighter.' }),
  lampColour: colour({ when: { dial: 'lit', is: 'true' }, default: [1, 0.85, 0.6], hint: 'Colour of the light.' }),
  soften: number({ default: 0, range: [0, 20], hard: [0, 400], unit: 'px', step: 0.1, hint: 'Things in mist are also softer: width at whole mist.' }),
  uneven: flag({ default: false, hint: 'On: the mist comes in slow swathes; off it is even, as a filter is.' }),
  noise: number({ default: 0.5, range: [0, 1], step: 0.01, label: 'Swathes', when: { dial: 'uneven', is: 'true' }, hint: 'How much the swathes differ.' }),
  noiseSize: number({ when: { dial: 'uneven', is: 'true' }, default: 220, range: [20, 1000], hard: [4, 1e5], unit: 'px', step: 1, taper: 'log', hint: 'Width of the swathes.' }),
  noiseSpeed: number({ when: { dial: 'uneven', is: 'true' }, default: 0.15, range: [0, 2], hard: [0, 100], unit: '/s', step: 0.01, hint: 'How often they change in a second of the shot.' }),
  driftX: number({ when: { dial: 'uneven', is: 'true' }, default: 6, range: [-100, 100], hard: [-1e5, 1e5], unit: 'px/s', step: 1, hint: 'How fast they move to the right.' }),
  driftY: number({ when: { dial: 'uneven', is: 'true' }, default: 0, range: [-100, 100], hard: [-1e5, 1e5], unit: 'px/s', step: 1, hint: 'How fast they move down.' }),
  lies: choice({
    default: 'everywhere',
    options: { everywhere: 'Everywhere', low: 'Low, over the ground' },
    label: 'Lies',
    hint: 'Alike at every height, or thinner with the height; that needs the position feed.',
  }),
  up: choice({ default: 'y', options: { y: 'y', z: 'z' }, label: 'Up is', when: { dial: 'lies', is: 'low' }, hint: 'The axis of the scene that points up.' }),
  ground: number({ default: 0, range: [-20, 20], hard: [-1e9, 1e9], step: 0.1, unit: 'units', when: { dial: 'lies', is: 'low' }, pick: { of: 'position' }, hint: 'Height up to which the mist is whole.' }),
  thins: number({ default: 4, range: [0.1, 50], hard: [1e-6, 1e9], step: 0.1, taper: 'log', unit: 'units', when: { dial: 'lies', is: 'low' }, hint: 'Over this height above the ground it thins to 37 %.' }),
} as const // prettier-ignore

type Dials = Values<typeof dials>

/**
 * The weight of mist (0–1, before its ceiling) at a distance. Near and far at one distance are a hard step; far before near turns
 * it round. Source of *by visibility*: Koschmieder 1924 with Beer–Lambert, 1 − exp(−β · d).
 */
export function mistWeight(d: Dials): (distance: number) => number {
  const isPass = d.from === 'mist'
  const [near, far] = isPass ? [0, 1] : [d.near, d.far]
  const at = (distance: number) => {
    const along = far === near ? (distance > near ? 1 : 0) : (distance - near) / (far - near)
    return Math.min(1, Math.max(0, along))
  }
  const ramp = curveThrough(d.ramp, true)
  const extinction = -Math.log(visibleContrast) / (isPass ? 1 : d.visibility)
  return (distance) => {
    switch (d.profile) {
      case 'linear':
        return at(distance)
      case 'smooth': {
        const t = at(distance)
        return t * t * (3 - 2 * t)
      }
      case 'curve':
        return Math.min(1, Math.max(0, ramp(at(distance))))
      case 'visibility':
        return 1 - Math.exp(-extinction * Math.max(0, distance - near))
    }
  }
}

/** Where the table begins and how many of its steps are one unit. */
function tableSpan(d: Dials): { from: number; scale: number } {
  const isPass = d.from === 'mist'
  if (d.profile === 'visibility') {
    const reach = (3 * (isPass ? 1 : d.visibility) * -Math.log(visibleContrast)) / 3.9
    return { from: isPass ? 0 : d.near, scale: steps / reach }
  }
  if (isPass) return { from: 0, scale: steps }
  return { from: d.near, scale: d.far === d.near ? 1e12 : steps / (d.far - d.near) }
}

/** Weights and colours along the distance, as the kernel takes them; the last entry is for where nothing was hit. */
function mistTable(
  d: Dials,
  { from, scale }: { from: number; scale: number },
  colourAt: (along: number) => Rgb,
) {
  const weight = mistWeight(d)
  // The onset behind what is kept clear is spread over some steps, so that it is no hard line.
  const onset = Math.max(0.1 * Math.abs(d.keepClear), 4 / Math.abs(scale), 1e-9)
  const table = new Float32Array((steps + 2) * 4)
  for (let i = 0; i <= steps + 1; i++) {
    const isEmpty = i === steps + 1
    const distance = isEmpty ? Infinity : from + i / scale
    const grown = isEmpty
      ? 1
      : i === steps
        ? Math.max(weight(distance), d.profile === 'visibility' ? 1 - 1e-5 : 0)
        : weight(distance)
    const clear =
      d.from === 'mist' || isEmpty || d.keepClear <= 0
        ? 1
        : Math.min(1, Math.max(0, (distance - d.keepClear - 1 / Math.abs(scale)) / onset))
    const w = grown * clear * d.ceiling * (isEmpty ? d.background : 1)
    const along = d.profile === 'visibility' ? grown : Math.min(1, i / steps)
    table.set(
      colourAt(along).map((v, c) => v * w * d.tint[c]!),
      i * 4,
    )
    table[i * 4 + 3] = w
  }
  return table
}

/** The straight colour of what has the most mist, from every fourth pixel; undefined where there is nothing. */
function farColourOf(
  picture: Picture,
  depth: Picture,
  { from, scale }: { from: number; scale: number },
  table: Float32Array,
): Rgb | undefined {
  const sum = [0, 0, 0]
  let all = 0
  for (let y = 2; y < picture.height; y += 4)
    for (let x = 2; x < picture.width; x += 4) {
      const i = y * picture.width + x
      const d = depth.data[i]!
      const place = isMiss(d) ? steps + 1 : Math.min(steps, Math.max(0, Math.round((d - from) * scale)))
      const alpha = picture.data[i * 4 + 3]!
      const weight = table[place * 4 + 3]! ** 4 * alpha
      if (!(weight > 0)) continue
      for (let c = 0; c < 3; c++) sum[c]! += (picture.data[i * 4 + c]! / alpha) * weight
      all += weight
    }
  return all > 0 ? [sum[0]! / all, sum[1]! / all, sum[2]! / all] : undefined
}

const hasSwathes = ({ uneven, noise }: Pick<Dials, 'uneven' | 'noise'>) => uneven && noise > 0

/** How much thicker or thinner the mist is in its swathes. */
function drawSwathes(
  d: Dials,
  { width, height, frame, rate, reduction }: Omit<PreparedFor, 'frameWidth' | 'whole'>,
  { kernels, store }: Workshop,
): Picture {
  const swathes = store.allocate(width, height, 1)
  const seconds = secondsAt(frame, rate)
  const drift = [(d.driftX / reduction) * seconds, (d.driftY / reduction) * seconds] as const
  noiseField(swathes, { size: d.noiseSize, octaves: 3, time: d.noiseSpeed * seconds, drift }, kernels)
  kernels.linearMatte(swathes, swathes, 1.6 * d.noise, 1, 0)
  return swathes
}

export default defineEffect({
  id: 'depth-mist',
  title: 'Depth mist',
  family: 'depth',
  kind: 'filter',
  version: 2,
  purpose: 'Light scattered in by the air or water between camera and surface: it tells how far things are.',
  search:
    'fog haze atmosphere aerial perspective distance depth fade water murk foggy smoke smog dust hazy misty steam air murky background',
  law: `out = kept · RGB + w · α · tint · colour. Mix: kept = 1 − w; add: kept = 1; screen: kept = 1 − the mist of that channel. w = ceiling · profile(d) · clear(d), times the swathes and the thinning with height. With t = clamp((d − near) / (far − near), 0, 1): even t; smooth t²(3 − 2t); free curve ramp(t); by visibility 1 − 0.02^(max(0, d − near) / visibility) (Koschmieder: 2 % of contrast is left there). clear(d) is 0 up to keep-clear k and rises straight to 1 over max(k / 10, 4/1024 of the span) behind it. Where nothing was hit w = ceiling · background, and with background above 0 the mist also fills what the picture leaves empty there. Of a 0–1 mist pass near is 0 and far 1. Colour runs along t from near to far (by visibility along w), and *the picture's far part* is the mean straight colour weighed by w⁴. The profile is looked up in 1024 straight steps. Edges where the depth knows one side alone are taken apart by the colours on both sides, so that they neither fringe nor fog. Alpha stays, but where the mist fills.`,
  belongs: {
    after: ['colour'],
    before: ['light', 'motion', 'finish'],
    reason: 'Light that shines in mist comes after it; what is moved or grained takes its mist along.',
  },
  feeds: {
    depth: {
      kind: 'depth',
      required: false,
      without: 'nothing',
      hint: 'The depth pass, or a mist pass from 0 to 1.',
    },
    position: {
      kind: 'position',
      required: false,
      without: 'nothing',
      hint: 'Where surfaces stand in the scene: for mist that lies low, or in place of depth.',
    },
  },
  needs: ({ from, lies }) => [
    ...(from === 'position' ? [] : (['depth'] as const)),
    ...(from === 'position' || lies === 'low' ? (['position'] as const) : []),
  ],
  reach: (d) =>
    (d.from === 'position' && d.colour === 'far') || hasSwathes(d) ? undefined : 2 * d.soften + 8,
  surveys: (d) => d.colour === 'far' || d.from === 'position' || d.lies === 'low',
  dials,
  varies: ({ uneven, noise, noiseSpeed, driftX, driftY }) =>
    uneven && noise > 0 && (noiseSpeed > 0 || driftX !== 0 || driftY !== 0),
  prepare: (d, at) =>
    hasSwathes(d)
      ? {
          key: JSON.stringify([
            d.noise,
            d.noiseSize,
            d.noiseSpeed,
            d.driftX,
            d.driftY,
            at.width,
            at.height,
            at.frame,
            at.rate,
            at.reduction,
          ]),
          make: (workshop) => drawSwathes(d, at, workshop),
        }
      : undefined,
  span: {
    feed: 'depth',
    marks: ({ from, profile }) =>
      from !== 'depth' ? [] : profile === 'visibility' ? ['near'] : ['near', 'far'],
    weight: (d) => {
      const weight = mistWeight(d)
      return (distance) => (distance < d.keepClear ? 0 : d.ceiling * weight(distance))
    },
    swapped: 'Mist grows towards the camera: far lies before near, or the pass runs the other way.',
  },
  starts: [
    { name: 'Thin haze', dials: { profile: 'smooth', ceiling: 0.55, soften: 1 } },
    { name: 'Clear water', dials: { profile: 'visibility', visibility: 40, ceiling: 0.95, soften: 2 } },
    {
      name: 'Thick and uneven',
      dials: { profile: 'visibility', visibility: 14, ceiling: 1, uneven: true, noise: 0.6, soften: 4 },
    },
    {
      name: 'Lamp in the murk',
      dials: { profile: 'smooth', ceiling: 0.8, lit: true, lampStrength: 0.6, soften: 3 },
    },
  ],
  example: { near: 6, far: 22, ceiling: 0.9, colour: 'own' },
  apply({
    out,
    picture,
    feeds,
    dials: d,
    prepared,
    frame,
    rate,
    reduction,
    overview = { picture, feeds },
    kernels,
    store,
  }) {
    const { position } = feeds
    const { width, height } = picture
    const { depth: farDepth, position: places } = overview.feeds
    const there = (i: number) =>
      farDepth && d.from !== 'mist'
        ? !isMiss(farDepth.data[i]!)
        : places!.data[i * 4] !== 0 || places!.data[i * 4 + 1] !== 0 || places!.data[i * 4 + 2] !== 0
    const camera =
      position && (d.from === 'position' || d.lies === 'low')
        ? (findCamera(places!, there) ?? ([0, 0, 0] as const))
        : ([0, 0, 0] as const)
    const depth = d.from === 'position' ? store.allocate(width, height, 1) : feeds.depth!
    const hits = d.from === 'mist' ? undefined : feeds.depth
    if (d.from === 'position') kernels.distancesFrom(depth, position!, hits, camera)
    const made =
      hasSwathes(d) && !prepared
        ? drawSwathes(d, { width, height, frame, rate, reduction }, { kernels, store })
        : undefined
    const swathes = hasSwathes(d) ? (prepared ?? made) : undefined
    const thinned = d.lies === 'low' ? store.allocate(width, height, 1) : undefined
    if (thinned) {
      if (!swathes) thinned.data.fill(1)
      const axis = d.up === 'y' ? 1 : 2
      kernels.thinWithHeight(thinned, swathes ?? thinned, position!, hits, {
        axis,
        camera: camera[axis],
        ground: d.ground,
        thins: d.thins,
      })
    }
    const vary = thinned ?? swathes
    const span = tableSpan(d)
    const own =
      d.colour === 'gradient'
        ? gradientThrough(d.gradient)
        : (along: number): Rgb =>
            [0, 1, 2].map(
              (c) => d.nearColour[c]! + (d.farColour[c]! - d.nearColour[c]!) * along,
            ) as unknown as Rgb
    const far =
      d.colour === 'far'
        ? (farColourOf(
            overview.picture,
            overview.picture === picture ? depth : farDepth!,
            span,
            mistTable(d, span, () => [0, 0, 0]),
          ) ?? d.farColour)
        : undefined
    const table = mistTable(d, span, far ? () => far : own)
    const fall = (length: number, at: number) =>
      Float32Array.from({ length }, (_, i) => Math.exp(-(((i + 0.5 - at) / d.lampReach) ** 2)))
    const shape: MistShape = {
      ...span,
      table,
      join: d.join,
      fills: d.background > 0,
      ...(d.lit && d.lampStrength > 0
        ? {
            glow: {
              colour: d.lampColour.map((v) => v * d.lampStrength) as [number, number, number],
              columns: fall(width, d.lamp[0]),
              rows: fall(height, d.lamp[1]),
            },
          }
        : {}),
    }
    const soft =
      d.soften > 0 ? softened(picture, depth, vary, shape, d.soften, { kernels, store }) : undefined
    kernels.mist(out, soft ?? picture, depth, vary, shape)
    for (const taken of [soft, made, thinned, d.from === 'position' ? depth : undefined])
      if (taken) store.release(taken)
  },
})

/**
 * The picture, softer where there is more mist. What is blurred is weighed by its mist, so that nothing clear in front smears over
 * what lies far behind it.
 */
function softened(
  picture: Picture,
  depth: Picture,
  vary: Picture | undefined,
  shape: MistShape,
  width: number,
  workshop: Workshop,
): Picture {
  const { kernels, store } = workshop
  const { width: w, height: h } = picture
  const [blurred, cover] = [store.allocate(w, h, 4), store.allocate(w, h, 4)]
  const [weight, seen] = [store.allocate(w, h, 1), store.allocate(w, h, 1)]
  // Black mist over white leaves white where there is none.
  kernels.fill(blurred, 1, 1, 1, 1)
  const black = shape.table.map((v, i) => (i % 4 === 3 ? v : 0))
  kernels.mist(cover, blurred, depth, vary, {
    from: shape.from,
    scale: shape.scale,
    table: black,
    join: 'mix',
    fills: false,
  })
  kernels.matteOf(weight, cover, 'red', true)
  kernels.weigh(cover, blurred, weight, 0, 1)
  gaussianBlur(cover, cover, width / 2, workshop)
  kernels.matteOf(seen, cover, 'red', false)
  kernels.weigh(blurred, picture, weight, 0, 1)
  gaussianBlur(blurred, blurred, width / 2, workshop)
  kernels.unweigh(blurred, blurred, seen, picture)
  kernels.mix(cover, picture, blurred, weight, 1)
  for (const taken of [blurred, weight, seen]) store.release(taken)
  return cover
}
