import type { RecipeFile } from './recipe-file.ts'
import { from, matteInput, sketch, type LaneOf, type Sketch } from './sketch.ts'

// Our own drawer: looks that finishers build again and again, each from the effects that everyone has.

const alone = { alone: true }
const thing: LaneOf = { name: 'What it shines on', steps: {} }

const lampInHaze: Sketch = {
  name: 'Lamp in haze',
  about: 'A lamp in thick air: a close glow, a wide one that fades slowly, and a few fine spikes.',
  words: 'lantern light fog halo shine street beam bulb headlight torch humid air diffusion',
  family: 'light',
  inputs: [matteInput('lamp', 'lamp', 'all that is bright')],
  thing: thing.name,
  lanes: [
    thing,
    { name: 'Close glow', mode: 'plus', steps: { close: ['bloom', { ...alone, threshold: 0.8, reach: 60, strength: 0.6, tightness: 0.7 }, { within: from('lamp') }] } },
    { name: 'Haze', mode: 'plus', steps: { wide: ['bloom', { ...alone, threshold: 0.8, reach: 460, strength: 0.5, tightness: 0.3, tint: [1, 0.86, 0.66] }, { within: from('lamp') }] } },
    { name: 'Spikes', mode: 'plus', steps: { spikes: ['star-glare', { ...alone, threshold: 1.2, number: 6, length: 150, strength: 0.35, softness: 1.5 }, { within: from('lamp') }] } },
  ],
  dials: {
    from: { name: 'Bright from', hint: 'What is brighter than this shines.', of: ['close.threshold', 'wide.threshold', 'spikes.threshold'] },
    size: { name: 'Size', hint: 'How far the haze reaches; the close glow goes along.', of: ['wide.reach', ['close.reach', [10, 130]]], range: [40, 1000], unit: 'px' },
    haze: { name: 'Haze', hint: 'How thick the air is.', of: ['wide.strength'], range: [0, 2] },
    spikes: { name: 'Spikes', hint: 'Fine spikes; 0 takes them away.', of: ['spikes.strength'], range: [0, 2] },
    colour: { name: 'Colour of the haze', hint: 'The colour that the air gives the light.', of: ['wide.tint'] },
  },
} // prettier-ignore

const lightFromWithin: Sketch = {
  name: 'Light from within',
  about: 'Something that shines by itself: light inside its outline, light around it, and rays that leave it.',
  words: 'from inside shining aura magic crystal jellyfish spirit core radiance emit self lit',
  family: 'light',
  inputs: [matteInput('shape', 'shape', 'its own cover')],
  thing: thing.name,
  lanes: [
    thing,
    { name: 'Inside', mode: 'plus', steps: { inner: ['matte-glow', { ...alone, side: 'inside', radius: 60, strength: 0.9, colour: 'own', tint: [0.6, 0.85, 1] }, { shape: from('shape') }] } },
    { name: 'Around', mode: 'plus', steps: { outer: ['matte-glow', { ...alone, side: 'outside', radius: 110, strength: 0.8, colour: 'own', tint: [0.35, 0.65, 1] }, { shape: from('shape') }] } },
    { name: 'Rays', mode: 'plus', steps: { rays: ['light-rays', { ...alone, threshold: 0.6, length: 420, strength: 0.25, shimmer: 0.4 }, { within: from('shape') }] } },
  ],
  dials: {
    strength: { name: 'Light', hint: 'All of its light together.', of: [['outer.strength', [0, 2.4]], ['inner.strength', [0, 2.7]], ['rays.strength', [0, 0.75]]], range: [0, 3] },
    reach: { name: 'Reach', hint: 'How far the light around it goes.', of: ['outer.radius', ['inner.radius', [6, 270]]], range: [10, 500], unit: 'px' },
    rays: { name: 'Length of the rays', hint: 'How far rays go.', of: ['rays.length'], range: [10, 2000], unit: 'px' },
    origin: { name: 'Rays come from', hint: 'The point that they leave.', of: ['rays.origin'] },
    inner: { name: 'Colour inside', hint: 'Near the core.', of: ['inner.tint'] },
    outer: { name: 'Colour around', hint: 'Away from it.', of: ['outer.tint'] },
  },
} // prettier-ignore

const grazingReflection: Sketch = {
  name: 'Grazing reflection',
  about: 'Adds a reflection where a surface is seen from the side, as glass and water show it.',
  words: 'fresnel glass water edge gloss lacquer wet window sheen angle facing',
  family: 'shade',
  inputs: [
    { key: 'reflection', name: 'reflection', kind: 'light', required: true, hint: 'A reflection pass.' },
    { key: 'normal', name: 'normal', kind: 'normal', required: true },
    { key: 'position', name: 'position', kind: 'position', required: false, without: 'all is seen from straight ahead' },
    matteInput('where', 'where', 'everywhere'),
  ],
  lanes: [
    { name: 'Surface', steps: {} },
    { name: 'Seen from the side', isMatte: true, steps: { facing: ['facing-matte', { by: 'fresnel', white: 0.4, gamma: 0.7 }, { normal: from('normal'), position: from('position') }] } },
    { name: 'Reflection', source: { type: 'input', input: 'reflection' }, mode: 'plus', opacity: 0.8, matte: { from: { type: 'tap', lane: 'Seen from the side' }, also: [{ by: 'intersect', ...from('where') }] }, steps: { bright: ['exposure', { stops: 0.5 }], colour: ['tint', { colour: [1, 1, 1] }] } },
  ],
  dials: {
    strength: { name: 'Reflection', hint: 'How much of it is added.', of: ['lane:Reflection'] },
    stops: { name: 'Brightness', hint: 'Of the reflection, in stops.', of: ['bright.stops'] },
    index: { name: 'Refraction', hint: '1.33 is water, 1.5 glass; more reflects from straight ahead, too.', of: ['facing.index'], range: [1, 3] },
    edge: { name: 'Towards the edge', hint: 'Below 1 it comes in from the edge.', of: ['facing.gamma'], range: [0.2, 3] },
    colour: { name: 'Colour', hint: 'What the surface does to it.', of: ['colour.colour'] },
  },
} // prettier-ignore

const daylight: Sketch = {
  name: 'Daylight through an opening',
  about: 'Shafts of light from a bright hole or window, broad ones and fine ones, that wander a little.',
  words: 'sun rays shafts beams window hole cave forest dust volumetric crepuscular church roof',
  family: 'light',
  inputs: [
    { key: 'light', name: 'opening', kind: 'light', required: false, without: 'the picture itself', hint: 'An emission pass, or a lane with the opening alone.' },
    matteInput('front', 'what stands in front', 'nothing'),
  ],
  thing: thing.name,
  lanes: [
    thing,
    { name: 'Broad shafts', mode: 'plus', steps: { broad: ['light-rays', { ...alone, threshold: 0.8, length: 900, falloff: 1.2, strength: 0.8, shimmer: 0.35, shimmerSize: 14, shimmerSpeed: 0.25, tint: [1, 0.95, 0.85] }, { light: from('light'), occluder: from('front') }], soft: ['blur', { radius: 4 }] } },
    { name: 'Fine shafts', mode: 'plus', steps: { fine: ['light-rays', { ...alone, threshold: 0.8, length: 620, falloff: 1.8, strength: 0.3, shimmer: 0.8, shimmerSize: 3, shimmerSpeed: 0.6, tint: [1, 0.97, 0.9] }, { light: from('light'), occluder: from('front') }] } },
  ],
  dials: {
    origin: { name: 'Comes from', hint: 'Where the sun stands behind the opening.', of: ['broad.origin', 'fine.origin'] },
    length: { name: 'Length', hint: 'How far the shafts go.', of: ['broad.length', ['fine.length', [20, 2600]]], range: [40, 4000], unit: 'px' },
    strength: { name: 'Strength', hint: 'Of all shafts.', of: ['broad.strength', ['fine.strength', [0, 1.5]]], range: [0, 4] },
    fine: { name: 'Fine shafts', hint: 'How much the fine ones stand out.', of: ['fine.amount'] },
    unrest: { name: 'Unrest', hint: 'How fast they wander.', of: ['broad.shimmerSpeed', ['fine.shimmerSpeed', [0, 4]]], range: [0, 2] },
    colour: { name: 'Colour', hint: 'Of the light.', of: ['broad.tint', 'fine.tint'] },
  },
} // prettier-ignore

const underwaterDepth: Sketch = {
  name: 'Underwater depth',
  about: 'What is far away goes under in blue water: less red, less contrast, softer, and not evenly.',
  words: 'water sea ocean lake murk turbid fog distance blue diver aquarium absorb',
  family: 'depth',
  inputs: [
    { key: 'depth', name: 'depth', kind: 'depth', required: true },
    { key: 'position', name: 'position', kind: 'position', required: false, without: 'the water is as thick everywhere' },
  ],
  lanes: [
    { name: 'Water', steps: {
      soft: ['defocus', { by: 'depth', focus: 3, range: 2, behind: 5, inFront: 0 }, { depth: from('depth') }],
      water: ['depth-mist', { profile: 'smooth', near: 1, far: 30, ceiling: 0.85, colour: 'far', farColour: [0.02, 0.16, 0.26], soften: 4, uneven: true, noise: 0.45, noiseSize: 260, noiseSpeed: 0.12, driftX: 8 }, { depth: from('depth'), position: from('position') }],
      tint: ['channel-gains', { red: 0.82, green: 1, blue: 1.06 }],
    } },
  ],
  dials: {
    near: { name: 'Clear up to', hint: 'Nearer than this nothing changes.', of: ['water.near'], range: [0, 50] },
    far: { name: 'All water from', hint: 'From here on there is nothing but water.', of: ['water.far'], range: [1, 200] },
    thick: { name: 'Thickness', hint: 'How much of the distance is left.', of: ['water.ceiling'] },
    soft: { name: 'Softness', hint: 'Of what is far away.', of: ['soft.behind', ['water.soften', [0, 20]]], range: [0, 30], unit: 'px' },
    uneven: { name: 'Clouds', hint: 'How uneven the water is.', of: ['water.noise'] },
    colour: { name: 'Colour of the water', hint: 'What the distance becomes.', of: ['water.farColour'] },
  },
} // prettier-ignore

const drawnPlume: Sketch = {
  name: 'Drawn plume',
  about: 'A flat drawn shape becomes smoke or hot water: a bright core, a soft body and a wide breath, all wavering.',
  words: 'smoke steam fire flame vapour drawn animation effect shape waver heat vent',
  family: 'motion',
  inputs: [matteInput('root', 'root', 'all of it wavers')],
  lanes: [
    { name: 'Breath', opacity: 0.35, steps: { breath: ['choke-spread', { spread: 22, softness: 60 }], breathColour: ['tint', { colour: [0.9, 0.5, 0.3], wash: 1 }], breathWaver: ['noise-warp', { size: 160, strength: 40, speed: 0.7, driftY: -70 }, { hold: from('root') }] } },
    { name: 'Body', opacity: 0.7, steps: { body: ['choke-spread', { spread: 2, softness: 22 }], bodyColour: ['tint', { colour: [1, 0.62, 0.32], wash: 0.7 }], bodyWaver: ['noise-warp', { size: 110, strength: 26, speed: 0.9, driftY: -90 }, { hold: from('root') }] } },
    { name: 'Core', mode: 'plus', steps: { core: ['choke-spread', { spread: -10, softness: 14 }], coreColour: ['tint', { colour: [1, 0.86, 0.6], wash: 1 }], coreWaver: ['noise-warp', { size: 80, strength: 18, speed: 1.1, driftY: -110 }, { hold: from('root') }], glow: ['bloom', { threshold: 0.4, reach: 70, strength: 0.6 }] } },
  ],
  dials: {
    waver: { name: 'Wavering', hint: 'How far it goes to and fro.', of: ['bodyWaver.strength', ['breathWaver.strength', [0, 154]], ['coreWaver.strength', [0, 69]]], range: [0, 100], unit: 'px' },
    rise: { name: 'Rises', hint: 'How fast the unrest goes up; below 0 up.', of: ['bodyWaver.driftY', ['breathWaver.driftY', [-311, 311]], ['coreWaver.driftY', [-489, 489]]], range: [-400, 400], unit: 'px/s' },
    breath: { name: 'Breath', hint: 'The wide soft part.', of: ['lane:Breath'] },
    glow: { name: 'Glow', hint: 'Light of the core.', of: ['glow.strength'], range: [0, 3] },
    core: { name: 'Colour of the core', hint: 'Where it is hottest.', of: ['coreColour.colour'] },
    colour: { name: 'Colour of the body', hint: 'Of the rest of it.', of: ['bodyColour.colour', 'breathColour.colour'] },
  },
} // prettier-ignore

const rimAndCore: Sketch = {
  name: 'Rim and core',
  about: 'A drawn character in the light of a scene: a lit rim on one side, a core shadow on the other.',
  words: 'cel animation character edge light back light shade form 2d hand drawn terminator',
  family: 'shade',
  inputs: [matteInput('shape', 'character', 'its own cover')],
  lanes: [
    { name: 'Character', steps: {
      core: ['matte-shade', { invert: true, shade: [0.34, 0.36, 0.62], strength: 0.7, moveX: 46, moveY: -14, softness: 26 }, { shape: from('shape') }],
      rim: ['matte-light', { invert: true, tint: [1, 0.85, 0.6], strength: 0.9, moveX: -7, moveY: 5, softness: 5 }, { shape: from('shape') }],
    } },
  ],
  dials: {
    rimWidth: { name: 'Width of the rim', hint: 'Above 0 on the right, below on the left.', of: [['rim.moveX', [40, -40]]], range: [-40, 40], unit: 'px' },
    rim: { name: 'Rim', hint: 'How bright it is.', of: ['rim.strength'], range: [0, 4] },
    rimColour: { name: 'Colour of the rim', hint: 'Of the light behind.', of: ['rim.tint'] },
    coreWidth: { name: 'Where the core lies', hint: 'How far the shadow comes in: above 0 from the left, below from the right.', of: [['core.moveX', [-150, 150]]], range: [-150, 150], unit: 'px' },
    core: { name: 'Core shadow', hint: 'How dark it is.', of: ['core.strength'] },
    coreColour: { name: 'Colour of the shadow', hint: 'What the scene throws back.', of: ['core.shade'] },
    soft: { name: 'Softness of the core', hint: '0 is a hard edge, as in paint.', of: ['core.softness'], range: [0, 150], unit: 'px' },
  },
} // prettier-ignore

const wetStreets: Sketch = {
  name: 'Wet night streets',
  about: 'Lamps and signs run down wet ground as long streaks, and stand in a little haze.',
  words: 'rain road reflection puddle asphalt city vertical streak neon night car wet ground',
  family: 'light',
  inputs: [matteInput('ground', 'ground', 'everywhere'), matteInput('lamps', 'lamps', 'all that is bright')],
  thing: thing.name,
  lanes: [
    thing,
    { name: 'Streaks', mode: 'plus', matte: from('ground'), steps: {
      streaks: ['star-glare', { ...alone, threshold: 0.9, from: 'count', number: 2, turn: 90, length: 420, falloff: 1.4, uneven: 0.25, softness: 5, colourSpread: 0.05, strength: 0.72, saturation: 1.3 }, { within: from('lamps') }],
      broken: ['noise-warp', { size: 34, strength: 5, speed: 0.4, way: 'across', angle: 90 }],
    } },
    { name: 'Haze', mode: 'plus', steps: { haze: ['bloom', { ...alone, threshold: 0.9, reach: 240, strength: 0.35 }, { within: from('lamps') }] } },
  ],
  dials: {
    from: { name: 'Bright from', hint: 'What is brighter than this runs down.', of: ['streaks.threshold', 'haze.threshold'] },
    length: { name: 'Length', hint: 'Of the streaks.', of: ['streaks.length'], range: [20, 1000], unit: 'px' },
    strength: { name: 'Streaks', hint: 'How wet the ground is.', of: ['streaks.amount'] },
    broken: { name: 'Ripples', hint: 'How much the water breaks them.', of: ['broken.strength'], range: [0, 40], unit: 'px' },
    haze: { name: 'Haze', hint: 'Of the night air.', of: ['haze.strength'], range: [0, 2] },
  },
} // prettier-ignore

const neon: Sketch = {
  name: 'Neon',
  about: 'A drawn line or a sign becomes a glass tube: white core, coloured gas, light on what is around.',
  words: 'tube sign lettering glow line laser led strip luminous advertising',
  family: 'light',
  inputs: [matteInput('tube', 'tube', 'its own cover')],
  thing: thing.name,
  lanes: [
    thing,
    { name: 'Gas', mode: 'plus', steps: { gas: ['matte-glow', { ...alone, side: 'both', radius: 14, tightness: 0.75, strength: 1.4, core: 0.8, coreSoftness: 3, colour: 'own', tint: [1, 0.18, 0.42] }, { shape: from('tube') }] } },
    { name: 'Light around', mode: 'plus', steps: { around: ['matte-glow', { ...alone, side: 'outside', radius: 190, tightness: 0.35, strength: 0.6, colour: 'own', tint: [1, 0.18, 0.42] }, { shape: from('tube') }] } },
  ],
  dials: {
    colour: { name: 'Gas', hint: 'The colour of the tube.', of: ['gas.tint', 'around.tint'] },
    strength: { name: 'Brightness', hint: 'Of tube and light.', of: ['gas.strength', ['around.strength', [0, 2.14]]], range: [0, 5] },
    core: { name: 'White core', hint: 'How much the middle burns out.', of: ['gas.core'], range: [0, 4] },
    reach: { name: 'Reach', hint: 'How far it lights what is around.', of: ['around.radius'], range: [10, 600], unit: 'px' },
    tube: { name: 'Thickness', hint: 'Of the gas around the core.', of: ['gas.radius'], range: [1, 80], unit: 'px' },
  },
} // prettier-ignore

const sparkle: Sketch = {
  name: 'Star field sparkle',
  about: 'Points of light become small stars: four fine spikes of many lengths and a breath of glow.',
  words: 'stars night sky glitter snow dew twinkle jewels sequins water glint plankton',
  family: 'light',
  inputs: [matteInput('where', 'where', 'everywhere')],
  thing: thing.name,
  lanes: [
    thing,
    { name: 'Spikes', mode: 'plus', steps: { spikes: ['star-glare', { ...alone, threshold: 1, from: 'count', number: 4, turn: 0, length: 46, falloff: 2.4, uneven: 0.6, pattern: 'random', softness: 0.8, colourSpread: 0.5, strength: 1.2 }, { within: from('where') }] } },
    { name: 'Glow', mode: 'plus', steps: { glow: ['bloom', { ...alone, threshold: 1, reach: 16, strength: 0.5 }, { within: from('where') }] } },
  ],
  dials: {
    from: { name: 'Bright from', hint: 'What is brighter than this sparkles.', of: ['spikes.threshold', 'glow.threshold'] },
    size: { name: 'Size', hint: 'Of the spikes.', of: ['spikes.length', ['glow.reach', [2, 140]]], range: [6, 400], unit: 'px' },
    strength: { name: 'Sparkle', hint: 'How bright spikes are.', of: ['spikes.strength'], range: [0, 6] },
    turn: { name: 'Turn', hint: 'Of the cross.', of: ['spikes.turn'], range: [0, 90], unit: '°' },
    spread: { name: 'Colours', hint: 'How far spikes break into colours.', of: ['spikes.colourSpread'] },
  },
} // prettier-ignore

const emberTrail: Sketch = {
  name: 'Ember trail',
  about: 'Sparks and embers leave a tail that cools from yellow to red, with a glow on the hot end.',
  words: 'sparks fire tail trace comet firefly particles streak afterimage cooling hot',
  family: 'motion',
  inputs: [matteInput('embers', 'embers', 'all that is bright')],
  thing: thing.name,
  lanes: [
    thing,
    { name: 'Tail', mode: 'plus', steps: {
      tail: ['afterglow', { ...alone, frames: 12, halfLife: 3, strength: 0.9, tint: [1, 0.42, 0.14], threshold: 0.8 }, { within: from('embers') }],
      soft: ['blur', { radius: 2 }],
    } },
    { name: 'Heat', mode: 'plus', steps: { heat: ['bloom', { ...alone, threshold: 0.8, reach: 36, strength: 0.7, tint: [1, 0.8, 0.45] }, { within: from('embers') }] } },
  ],
  dials: {
    from: { name: 'Bright from', hint: 'What is brighter than this leaves a tail.', of: ['tail.threshold', 'heat.threshold'] },
    length: { name: 'Half of it is gone after', hint: 'How long the tail is.', of: ['tail.halfLife', ['tail.frames', [2, 48]]], range: [0.5, 12], unit: 'frames' },
    strength: { name: 'Tail', hint: 'How bright it is.', of: ['tail.strength'], range: [0, 3] },
    heat: { name: 'Heat', hint: 'Glow of the hot end.', of: ['heat.strength'], range: [0, 3] },
    colour: { name: 'Colour of the tail', hint: 'What it cools to.', of: ['tail.tint'] },
  },
} // prettier-ignore

const softPrint: Sketch = {
  name: 'Soft print',
  about: 'The whole picture as from an old print: bright parts bloom softly, dark ones lift, corners fall off, grain.',
  words: 'film vintage dreamy diffusion romantic photochemical nostalgic filter pastel fade whole',
  family: 'finish',
  lanes: [
    { name: 'Print', steps: {
      soft: ['bloom', { threshold: 0.35, knee: 1, reach: 180, tightness: 0.3, strength: 0.28, coverAlpha: false }],
      less: ['saturation', { saturation: 0.86 }],
      fade: ['cdl-grade', { offsetRed: 0.008, offsetGreen: 0.008, offsetBlue: 0.009, powerRed: 0.96, powerGreen: 0.96, powerBlue: 0.95 }],
      corners: ['vignette', { by: 'free', size: 95, softness: 0.8 }],
      grain: ['grain', { size: 1.4, shadows: 0.002, middle: 0.01, lights: 0.02 }],
    } },
  ],
  dials: {
    soft: { name: 'Softness', hint: 'How much bright parts spread.', of: ['soft.strength'], range: [0, 1.5] },
    fade: { name: 'Fade', hint: 'How much dark parts lift.', of: ['fade.amount'] },
    colour: { name: 'Colour', hint: '0 is without colour.', of: ['less.saturation'], range: [0, 2] },
    corners: { name: 'Corners', hint: 'How much they fall off.', of: ['corners.amount'] },
    grain: { name: 'Grain', hint: 'How much of it is seen.', of: ['grain.amount'] },
  },
} // prettier-ignore

const sketches = {
  'lamp-in-haze': lampInHaze,
  'light-from-within': lightFromWithin,
  'grazing-reflection': grazingReflection,
  'daylight-through-an-opening': daylight,
  'underwater-depth': underwaterDepth,
  'drawn-plume': drawnPlume,
  'rim-and-core': rimAndCore,
  'wet-night-streets': wetStreets,
  neon,
  'star-field-sparkle': sparkle,
  'ember-trail': emberTrail,
  'soft-print': softPrint,
} as const

/** The version of what lies in the drawer: raised when one of them gives another picture. */
const drawerVersion = 1

let made: ReadonlyMap<string, RecipeFile> | undefined
/** The recipes that come with Zafiro, by id. Made when they are asked for first. */
export function drawer(): ReadonlyMap<string, RecipeFile> {
  made ??= new Map(
    Object.entries(sketches).map(([id, one]) => {
      const file = sketch(one)
      const recipe = { ...file.step.recipe!, from: { id, version: drawerVersion } }
      return [id, { ...file, step: { ...file.step, recipe } }]
    }),
  )
  return made
}
