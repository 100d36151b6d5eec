import { describe, expect, test } from 'vitest'
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
