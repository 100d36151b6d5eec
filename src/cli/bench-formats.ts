import { execFileSync } from 'node:child_process'
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { readExrHeader } from '../core/formats/exr-header.ts'
import { readExrPart } from '../core/formats/exr-read.ts'
import { writeExr, type ExrPicture } from '../core/formats/exr-write.ts'
import { numberToHalf } from '../core/picture/half.ts'
import { nodeZlib } from '../server/media/node-zlib.ts'
import { alternate, type Result } from './alternate.ts'

/** A picture with smooth light, hard edges and the noise of few samples, as renders have. */
function rendered(width: number, height: number): ExrPicture {
  const noise = (i: number) => ((Math.imul(i ^ (i >>> 13), 0x5bd1e995) >>> 8) & 0xffff) / 65_536
  const channels = ['R', 'G', 'B', 'A'].map((name, c) => ({
    name,
    type: 'half' as const,
    values: Uint16Array.from({ length: width * height }, (_, i) => {
      const [x, y] = [i % width, Math.floor(i / width)]
      const isNear = Math.hypot(x - 700, y - 500) < 300
      if (name === 'A') return numberToHalf(isNear || y > 300 ? 1 : 0)
      return numberToHalf(
        (isNear ? 0.6 : 0.1) + 0.2 * Math.sin(x / (90 + c * 20)) * Math.cos(y / 70) + 0.02 * noise(i + c),
      )
    }),
  }))
  const window = [0, 0, width - 1, height - 1] as const
  return { dataWindow: window, displayWindow: window, compression: 'zip', channels }
}

/**
 * Reading and writing EXR in memory on one thread, against OpenImageIO's tool on one thread in the same run. The tool's own start
 * and its plain reading or writing are measured beside it and taken off. Empty where the tool is not installed.
 */
export async function benchFormats(): Promise<Result[]> {
  const [width, height] = [1920, 1080]
  const folder = mkdtempSync(join(tmpdir(), 'zafiro-bench-'))
  const at = (name: string) => join(folder, `${name}.exr`)
  const tool = (from: string, to: string, compression: string) => () =>
    execFileSync('oiiotool', [
      '--threads',
      '1',
      at(from),
      '-d',
      'half',
      '--compression',
      compression,
      '-o',
      at(to),
    ])
  try {
    const picture = rendered(width, height)
    writeFileSync(at('none'), writeExr({ ...picture, compression: 'none' }, nodeZlib))
    try {
      tool('none', 'zip', 'zip:4')()
      tool('none', 'piz', 'piz')()
    } catch {
      return []
    }
    const read = (name: string) => {
      const bytes = new Uint8Array(readFileSync(at(name)))
      return () => readExrPart(bytes, readExrHeader(bytes), 0, { zlib: nodeZlib })
    }
    const results: Result[] = []
    const add = (name: string, ms: number, toolMs: number, plainMs: number) => {
      const referenceMs = Math.max(1, toolMs - plainMs)
      results.push({
        name,
        size: `${width}x${height}`,
        threads: 1,
        medianMs: ms,
        reference: 'OpenImageIO tool',
        referenceMs,
        ratio: ms / referenceMs,
        target: null,
      })
    }
    for (const compression of ['zip', 'piz']) {
      const works = [read(compression), tool(compression, 'x', 'none'), tool('none', 'x', 'none')]
      const [ms, toolMs, plainMs] = (await alternate(works, 7)) as [number, number, number]
      add(`read EXR ${compression}`, ms, toolMs, plainMs)
    }
    const write = () => writeExr(picture, nodeZlib)
    const works = [write, tool('none', 'x', 'zip:4'), tool('none', 'x', 'none')]
    const [ms, toolMs, plainMs] = (await alternate(works, 7)) as [number, number, number]
    add('write EXR zip', ms, toolMs, plainMs)
    return results
  } finally {
    rmSync(folder, { recursive: true })
  }
}
