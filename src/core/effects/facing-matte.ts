import { findCamera } from '../picture/find-camera.ts'
import { choice, number } from '../dials/dials.ts'
import { defineEffect } from './effect.ts'
import { levelDials } from './level-dials.ts'

const place = (axis: string) =>
  number({
    default: 0,
    range: [-20, 20],
    hard: [-1e9, 1e9],
    step: 0.1,
    unit: 'units',
    label: `Camera ${axis}`,
    when: { dial: 'space', is: 'typed' },
    hint: 'Where the camera stands in the scene.',
  })

export default defineEffect({
  id: 'facing-matte',
  title: 'Facing matte',
  family: 'matte',
  kind: 'filter',
  purpose:
    'A matte of surfaces seen edge-on, as glass and water reflect: from the normal pass, and the position pass where there is one.',
  search: 'fresnel facing ratio grazing reflection glass rim normal mask edges away angle view normals',
  law: `c = |n · v| / (|n| |v|), with n the normal and v = camera − position (the camera is 0 in camera space; without positions v is (0, 0, 1)). Plain: 1 − c. Fresnel: the exact reflectance of unpolarised light for the index n (mean of both polarisations). 0 where the normal is shorter than 10⁻⁶. Then the levels: v = clamp((v − black) / (white − black), 0, 1)^(1 / gamma), inverted 1 − v.`,
  belongs: { after: [], before: ['light', 'shade', 'finish'], reason: 'A matte says where later steps act.' },
  feeds: {
    normal: { kind: 'normal', required: true, hint: 'The normal pass.' },
    position: {
      kind: 'position',
      required: false,
      without: 'straight ahead',
      hint: 'The position pass: each pixel is looked at along its own line. Without it all look the same way.',
    },
  },
  reach: () => 0,
  surveys: ({ space }) => space === 'world',
  dials: {
    by: choice({
      default: 'facing',
      options: { facing: 'Plain', fresnel: 'Fresnel' },
      hint: 'Plain: 0 where it faces the camera, 1 where it is edge-on. Fresnel: the share of light that a surface reflects.',
    }),
    index: number({
      default: 1.5,
      range: [1, 3],
      hard: [1, 100],
      step: 0.01,
      label: 'Refraction',
      when: { dial: 'by', is: 'fresnel' },
      hint: 'Index of refraction: 1.33 water, 1.5 glass, 2.4 diamond. More reflects more straight on.',
    }),
    space: choice({
      default: 'world',
      options: { world: 'World, camera found', typed: 'World, camera typed', camera: 'Camera' },
      hint: 'What the passes are measured in: the scene, or what the camera sees. Where the camera stood in the scene is found from the position pass, or typed.',
    }),
    cameraX: place('x'),
    cameraY: place('y'),
    cameraZ: place('z'),
    ...levelDials,
  },
  version: 2,
  example: {},
  apply({ out, picture, feeds, dials, overview = { picture, feeds }, kernels, store }) {
    const { normal, position } = feeds
    const { normal: ways, position: places } = overview.feeds
    const { by, index, space } = dials
    const isThere = (p: number) =>
      ways !== undefined &&
      ways.data[p * 4]! ** 2 + ways.data[p * 4 + 1]! ** 2 + ways.data[p * 4 + 2]! ** 2 > 1e-6
    const found = space === 'world' && places ? findCamera(places, isThere) : undefined
    const camera =
      space === 'camera'
        ? ([0, 0, 0] as const)
        : (found ?? ([dials.cameraX, dials.cameraY, dials.cameraZ] as const))
    const matte = store.allocate(out.width, out.height, 1)
    if (normal) kernels.facing(matte, normal, position, camera, by === 'fresnel' ? index : undefined)
    else matte.data.fill(0)
    kernels.levelMatte(out, matte, dials)
    store.release(matte)
  },
})
