import { fileAt } from '../../core/comp/media.ts'
import { RequestError } from '../answer.ts'
import { listManifests, readMedia } from '../db/media.ts'
import { withDb } from '../db/pool.ts'
import type { ListedObject } from './decode-file.ts'
import { listedObjects, namesOf } from './object-names.ts'

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
    const listed = await listedObjects(hash, pass)
    if (listed.every((o) => o.name !== undefined)) return listed
    const names = namesOf(listed, await listManifests(pool, shotId))
    return listed.map((object) => {
      const name = names.get(Number.parseInt(object.id, 16))
      return name === undefined ? object : { ...object, name }
    })
  })
}
