import { readFile } from 'node:fs/promises'
import { fileAt } from '../../core/comp/media.ts'
import { parseManifest } from '../../core/formats/cryptomatte.ts'
import { RequestError } from '../answer.ts'
import { listManifests, readMedia } from '../db/media.ts'
import { withDb } from '../db/pool.ts'
import type { ListedObject } from './decode-file.ts'
import { decodePool } from './decode-pool.ts'
import { exists, objectsPath } from './store.ts'

/** Objects of an ID pass at a frame, named by its header or by a list that came beside the pictures. Throws RequestError. */
export async function objectsOf(
  shotId: string,
  ref: string,
  passName: string,
  frame: number,
): Promise<ListedObject[]> {
  return withDb(async (pool) => {
    const media = (await readMedia(pool, shotId)).table[ref]
    const pass = media?.passes.find((p) => p.name === passName)
    if (!media || !pass) throw new RequestError(404, `There is no pass ${passName}.`)
    const hash = fileAt(media, frame, pass)
    if (hash === undefined) return []
    const path = objectsPath(hash, pass.inFile ?? pass.name)
    if (!(await exists(path))) await decodePool().objects(hash, pass)
    const listed = JSON.parse(await readFile(path, 'utf8')) as ListedObject[]
    if (listed.every((o) => o.name !== undefined)) return listed
    const names = (await listManifests(pool, shotId)).map((doc) => parseManifest(doc))
    return listed.map((object) => {
      const name = object.name ?? names.map((m) => m?.get(Number.parseInt(object.id, 16))).find(Boolean)
      return name === undefined ? object : { ...object, name }
    })
  })
}
