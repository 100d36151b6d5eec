import sharp from 'sharp'
import { describe, expect, test } from 'vitest'
import { defaultDials, findEffect } from '../src/core/effects/registry.ts'
import { createLoneKernels } from '../src/core/kernels/wasm-kernels.ts'
import { findCamera } from '../src/core/picture/find-camera.ts'
import { plainPicture } from '../src/core/picture/picture.ts'
import { srgbToLinear } from '../src/core/picture/colour.ts'
import { parseComp } from '../src/core/comp/schema.ts'
import { dialProblems } from '../src/core/comp/check.ts'
import { hashName, hashToFloat } from '../src/core/formats/cryptomatte.ts'
import { nodeZlib } from '../src/server/media/node-zlib.ts'
import { objectMatte, objectsIn } from '../src/core/formats/object-masks.ts'
import { openMediaFile } from '../src/server/media/media-file.ts'
import { demoComp, demoMedia } from './demo-comp.ts'
import { drawings } from './drawings.ts'
import { encodeFrame } from './exr-frame.ts'
import { camera, emptyRows, renderRows } from './frame.ts'
import { objects, stage, type Vec } from './scene.ts'

const [width, height] = [96, 54]
const rows = emptyRows(width * height)
renderRows(rows, 5, width, height, 0, height)

describe('the stand-in renderer', () => {
  test('a camera ray goes through the point that projects to its pixel, and depth is along the axis', () => {
    const lens = camera(stage(5), width, height)
    for (const [x, y] of [
      [3, 4],
      [48, 27],
      [90.5, 50.25],
    ] as const) {
      const way = lens.ray(x, y)
      const p = [0, 1, 2].map((i) => lens.eye[i]! + way[i]! * 7) as unknown as Vec
      const seen = lens.project(p)
      expect([seen.x, seen.y]).toEqual([expect.closeTo(x, 6), expect.closeTo(y, 6)])
      expect(seen.depth).toBeLessThanOrEqual(7)
    }
  })
  test('depth and position agree, normals have length 1, and what was not hit is infinitely far', () => {
    const lens = camera(stage(5), width, height)
    let hits = 0
    for (let i = 0; i < width * height; i++) {
      if (rows.depth[i] === Infinity) {
        expect(rows.beauty[i * 4 + 3]).toBeLessThan(1)
        continue
      }
      hits++
      const seen = lens.project([0, 1, 2].map((c) => rows.position[i * 3 + c]!) as unknown as Vec)
      expect(seen.depth).toBeCloseTo(rows.depth[i]!, 3)
      expect([Math.floor(seen.x), Math.floor(seen.y)]).toEqual([i % width, Math.floor(i / width)])
      expect(Math.hypot(rows.normal[i * 3]!, rows.normal[i * 3 + 1]!, rows.normal[i * 3 + 2]!)).toBeCloseTo(
        1,
        4,
      )
    }
    expect(hits).toBeGreaterThan(0.9 * width * height)
  })
  test('its position pass alone tells where the camera stood; a plane does not', () => {
    const position = plainPicture(width, height)
    for (let i = 0; i < width * height; i++)
      position.data.set(rows.position.subarray(i * 3, i * 3 + 3), i * 4)
    const found = findCamera(position, (i) => rows.depth[i] !== Infinity)!
    found.forEach((v, c) => {
      expect(v).toBeCloseTo(camera(stage(5), width, height).eye[c]!, 2)
    })
    for (let i = 0; i < width * height; i++) position.data[i * 4 + 2] = 3
    expect(findCamera(position, () => true)).toBeUndefined()
    expect(findCamera(position, () => false)).toBeUndefined()
  })
  test('rendered in bands it is the same picture', () => {
    const bands = emptyRows(width * height)
    for (const [from, to] of [
      [30, 54],
      [0, 11],
      [11, 30],
    ] as const)
      renderRows(bands, 5, width, height, from, to)
    for (const pass of ['beauty', 'depth', 'ids', 'motion', 'emission'] as const)
      expect(bands[pass]).toEqual(rows[pass])
  })
  test('its EXR holds all passes; covers of objects never exceed the pixel', () => {
    const file = openMediaFile(encodeFrame(rows, width, height, nodeZlib))
    expect(file.info.passes.map((p) => p.kind).sort()).toEqual([
      'colour',
      'depth',
      'ids',
      'light',
      'light',
      'motion',
      'normal',
      'position',
    ])
    // The mattes of all objects together are 1 wherever something was hit at all of the pixel.
    const block = file.readPass('objects')
    const known = new Set(
      objects.map((name) => new Uint32Array(Float32Array.of(hashToFloat(hashName(name))).buffer)[0]!),
    )
    const found = objectsIn(block, 'ranked')
    expect(found.length).toBeGreaterThan(3)
    expect(found.every(({ id }) => known.has(id))).toBe(true)
    const sum = new Float32Array(width * height)
    for (const { id } of found)
      objectMatte(block, 'ranked', new Set([id])).forEach((cover, i) => {
        sum[i]! += cover
      })
    let covered = 0
    for (let i = 0; i < sum.length; i++) {
      expect(sum[i]).toBeLessThanOrEqual(1 + 1e-6)
      if (rows.depth[i] !== Infinity) expect(sum[i]).toBeGreaterThan(0)
      if (sum[i]! > 1 - 1e-5) covered++
    }
    expect(covered).toBeGreaterThan(width * height * 0.5)
  })
})

test('the opening comp fits its media and its effects, and drawings change on twos', () => {
  const comp = parseComp(JSON.parse(JSON.stringify(demoComp(width, height, 48))))
  expect(dialProblems(comp)).toEqual([])
  for (const { source } of comp.lanes)
    if (source.type === 'pass') expect(Object.keys(demoMedia)).toContain(source.media)
  const line = (frame: number) => drawings(frame, 960, 540).find((d) => d.name === demoMedia.line)!.svg
  expect([line(1) === line(2), line(2) === line(3), line(1) === line(25)]).toEqual([true, false, true])
})

test.each([1, 2, 7])('the comp fits a demo of %d frames', (frames) => {
  const comp = demoComp(width, height, frames)
  expect(parseComp(JSON.parse(JSON.stringify(comp)))).toEqual(comp)
})

test('a colour key takes the paper from under the drawn line, without a fringe', async () => {
  const [line] = drawings(9, 960, 540)
  const raw = await sharp(Buffer.from(line!.svg)).ensureAlpha().raw().toBuffer()
  const paper = [0.08, 0.3, 0.75]
  const { kernels, store } = createLoneKernels(256)
  const [shot, keyed] = [store.allocate(960, 540, 4), store.allocate(960, 540, 4)]
  const truth = new Float32Array(shot.data.length)
  for (let i = 0; i < raw.length; i += 4) {
    const alpha = raw[i + 3]! / 255
    for (let c = 0; c < 3; c++) truth[i + c] = srgbToLinear(raw[i + c]! / 255) * alpha
    truth[i + 3] = alpha
    for (let c = 0; c < 4; c++) shot.data[i + c] = truth[i + c]! + (1 - alpha) * (paper[c] ?? 1)
  }
  const effect = findEffect('colour-key')!
  /** Mean error of pixels that ink and paper share, over a black backing. */
  const fringe = (more: Record<string, unknown>) => {
    const dials = {
      ...defaultDials(effect),
      picked: [[...paper, 1]],
      reach: 0.01,
      softness: 0.6,
      lightness: 1,
      give: 'without',
      ...more,
    } as never
    effect.apply({
      out: keyed,
      picture: shot,
      feeds: {},
      dials,
      frame: 1,
      rate: 24,
      prepared: undefined,
      reduction: 1,
      kernels,
      store,
    })
    let [error, count, left] = [0, 0, 0]
    for (let i = 0; i < truth.length; i += 4) {
      if (truth[i + 3] === 0 && keyed.data[i + 3] !== 0) left++
      if (truth[i + 3]! <= 0.02 || truth[i + 3]! >= 0.98) continue
      for (let c = 0; c < 3; c++) error += Math.abs(keyed.data[i + c]! - truth[i + c]!) / 3
      count++
    }
    expect(left).toBe(0)
    return error / count
  }
  const [clean, dirty] = [fringe({}), fringe({ spill: 0 })]
  expect(clean).toBeLessThan(1 / 255)
  expect(dirty).toBeGreaterThan(3 * clean)
})
