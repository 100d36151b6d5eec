import { execFileSync } from 'node:child_process'
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'

// For checks: what OpenColorIO's library (Debian: python3-pyopencolorio) makes of colours by a file.

const reader = `
import PyOpenColorIO as O, sys, json
t = O.FileTransform(sys.argv[1], interpolation=getattr(O, sys.argv[3]), cccId=sys.argv[2])
p = O.Config.CreateRaw().getProcessor(t).getOptimizedCPUProcessor(O.OPTIMIZATION_NONE)
print(json.dumps([p.applyRGB(c) for c in json.load(sys.stdin)]))
`

/** Colours through a file of that name and text; `id` chooses one of several corrections. */
export function byOcioFile(
  name: string,
  text: string,
  colours: readonly (readonly number[])[],
  id = '',
  interpolation = 'INTERP_DEFAULT',
): number[][] {
  const folder = mkdtempSync(join(tmpdir(), 'zafiro-ocio-'))
  try {
    const path = join(folder, name)
    writeFileSync(path, text)
    const args = ['-c', reader, path, id, interpolation]
    const answer = execFileSync('/usr/bin/python3', args, { input: JSON.stringify(colours) })
    // Python writes what is beyond all floats in words that JSON does not have.
    return JSON.parse(answer.toString().replaceAll(/-?Infinity|NaN/g, 'null')) as number[][]
  } finally {
    rmSync(folder, { recursive: true })
  }
}
