import { execFileSync } from 'node:child_process'
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { describe, expect, test } from 'vitest'
import type { ShotFile } from '../src/core/comp/shot-file.ts'
import { openMediaFile } from '../src/server/media/media-file.ts'
import { home } from './app.ts'

import { useDemo } from './demo-shot.ts'

useDemo()

describe('the command line', () => {
  const zafiro = (...args: string[]) => {
    try {
      return {
        status: 0,
        out: execFileSync(process.execPath, ['bin/zafiro.mjs', ...args], { encoding: 'utf8', stdio: 'pipe' }),
        err: '',
      }
    } catch (error) {
      const { status, stdout, stderr } = error as { status: number; stdout: string; stderr: string }
      return { status, out: stdout, err: stderr }
    }
  }
  const frame = join(home, 'demo', 'grotto.0001.exr')
  test('inspects a file as JSON', () => {
    const info = JSON.parse(
      zafiro('inspect', frame, '--pixel', '10,20', '--pixel', '240,100', '--json').out,
    ) as {
      format: string
      width: number
      dataWindow: number[]
      parts: { channels: unknown[] }[]
      passes: { name: string; kind: string }[]
      pixels: { x: number; values: Record<string, number> }[]
    }
    expect(info).toMatchObject({ format: 'exr', width: 480, dataWindow: [0, 0, 479, 269] })
    expect(info.passes).toContainEqual({ name: 'depth', kind: 'depth', channels: ['depth.Z'] })
    expect(info.pixels.map((p) => p.x)).toEqual([10, 240])
    expect(info.pixels[0]!.values['depth.Z']).toBeGreaterThan(0)
  })
  test('renders the demo’s shot file to the same pixels as the server', () => {
    const out = mkdtempSync(join(tmpdir(), 'zafiro-cli-'))
    // The demo with nothing but the exposure of the cave, so that its pixels can be told from those of its frame.
    const shotFile = JSON.parse(
      readFileSync(join(home, 'demo', 'grotto-descent.zafiro.json'), 'utf8'),
    ) as ShotFile
    shotFile.comp.master = []
    const cave = shotFile.comp.lanes.find((l) => l.name === 'Cave')!
    cave.steps = cave.steps.filter((step) => step.effect === 'exposure')
    const plain = join(home, 'demo', 'plain.zafiro.json')
    writeFileSync(plain, JSON.stringify({ ...shotFile, name: 'Grotto descent' }))
    const { status } = zafiro('render', plain, '--frames', '1-1', '--out', out, '--format', 'exr')
    expect(status).toBe(0)
    const made = openMediaFile(new Uint8Array(readFileSync(join(out, 'grotto-descent.0001.exr'))))
    const source = openMediaFile(new Uint8Array(readFileSync(frame)))
    const at = [[20, 10]] as const
    // The comp lifts the cave by 0.4 stops; in this corner there is no other light.
    expect(
      made.storedPixels(at)[0]![0]!.values['R']! / source.storedPixels(at)[0]![0]!.values['R']!,
    ).toBeCloseTo(2 ** 0.4, 2)
    rmSync(out, { recursive: true })
  })
  test('ends with status 2 and one clear line, or JSON, when something does not fit', () => {
    const missing = zafiro('inspect', '/nowhere.exr')
    expect([missing.status, missing.err.trim().split('\n')]).toEqual([
      2,
      [expect.stringContaining('no such file')],
    ])
    const json = zafiro('inspect', '/nowhere.exr', '--json')
    expect([json.status, JSON.parse(json.out)]).toEqual([
      2,
      { error: { code: 'not-found', message: expect.stringContaining('no such file') as string } },
    ])
    const comp = join(tmpdir(), `zafiro-${process.pid}.zafiro.json`)
    writeFileSync(comp, JSON.stringify({ format: 'zafiro-shot', version: 3 }))
    expect(zafiro('render', comp, '--frames', '1', '--out', '/tmp/none').err).toContain('version')
    expect(zafiro('dance').status).toBe(2)
    rmSync(comp)
  })
})
