// Brings the demo shot into the database, once.  node dist/load-demo.mjs FOLDER
import { existsSync, statSync } from 'node:fs'
import { join, resolve } from 'node:path'
import { saveComp } from '../src/server/db/comps.ts'
import { insertFrame, insertMedia, readMedia } from '../src/server/db/media.ts'
import { getPool } from '../src/server/db/pool.ts'
import { noteTakenFile, watchFolder } from '../src/server/db/watched.ts'
import { findShot, insertShot, saveThumbnail } from '../src/server/db/shots.ts'
import { loadStoredPass, NodeEngine } from '../src/server/engine/node-engine.ts'
import { makeThumbnail } from '../src/server/engine/thumbnail.ts'
import { takeStored } from '../src/server/media/decode-file.ts'
import { storeFile } from '../src/server/media/store.ts'
import { writeWhole } from '../src/server/whole-file.ts'
import { demoComp, demoMedia } from './demo-comp.ts'

export const demoShotId = 'grottodemo01'
const name = 'Grotto descent'

async function load(folder: string): Promise<void> {
  const pool = getPool()
  if (await findShot(pool, demoShotId)) return
  const files: Record<string, { name: string; files: Record<string, string> }> = {}
  const rows: (() => Promise<void>)[] = []
  let size = { width: 960, height: 540 }
  for (const [ref, stem] of Object.entries(demoMedia)) {
    const fileName = [`${stem}.0001.exr`, `${stem}.0001.png`].find((f) => existsSync(join(folder, f)))
    if (!fileName) throw new Error(`${stem} is missing in ${folder}`)
    const hash = await storeFile(join(folder, fileName))
    const info = (await takeStored(hash)).info
    if (ref === 'cave') size = { width: info.width, height: info.height }
    files[ref] = { name: stem, files: { 1: fileName } }
    rows.push(async () => {
      await insertMedia(pool, demoShotId, ref, stem, info.passes, info)
      const { width, height, warnings } = info
      await insertFrame(pool, demoShotId, ref, {
        frame: 1,
        fileHash: hash,
        fileName,
        bytes: 0,
        width,
        height,
        warnings,
      })
    })
  }
  const comp = demoComp(size.width, size.height, Number(process.env['ZAFIRO_DEMO_FRAMES'] ?? 48))
  await insertShot(pool, demoShotId, name)
  for (const row of rows) await row()
  await saveComp(pool, demoShotId, 0, comp)
  // What was loaded here need not come in again.
  const watched = { shotId: demoShotId, path: resolve(folder) }
  await watchFolder(pool, watched)
  for (const { files: byFrame } of Object.values(files)) {
    const fileName = byFrame['1']!
    const { size: bytes, mtimeMs } = statSync(join(folder, fileName))
    await noteTakenFile(pool, watched, { name: fileName, bytes, changedMs: Math.round(mtimeMs) }, undefined)
  }
  const engine = new NodeEngine(loadStoredPass)
  const { picture } = await engine.renderFrame(comp, (await readMedia(pool, demoShotId)).table, 1)
  await saveThumbnail(pool, demoShotId, makeThumbnail(picture, comp.space))
  await engine.close()
  // The same shot as a portable file, for the command line.
  const shotFile = { format: 'zafiro-shot', version: 1, name, comp, media: files }
  await writeWhole(
    join(folder, 'grotto-descent.zafiro.json'),
    new TextEncoder().encode(JSON.stringify(shotFile, undefined, 2)),
  )
}

await load(process.argv[2] ?? '.')
await getPool().end()
