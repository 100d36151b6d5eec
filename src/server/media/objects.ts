import { readFile } from 'node:fs/promises'
import * as v from 'valibot'
import { fileAt } from '../../core/comp/media.ts'
import { parseManifest } from '../../core/formats/cryptomatte.ts'
import { RequestError } from '../answer.ts'
import { listManifests, readMedia } from '../db/media.ts'
import { withDb } from '../db/pool.ts'
import type { ListedObject } from './decode-file.ts'
import { decodePool } from './decode-pool.ts'
import { objectsPath } from './store.ts'

const listSchema = v.array(v.object({ id: v.string(), name: v.optional(v.string()), pixels: v.number() }))

/** A list that was made before; undefined where it is absent or not whole. */
async function readList(path: string): Promise<ListedObject[] | undefined> {
  try {
    return v.parse(listSchema, JSON.parse(await readFile(path, 'utf8'))) as ListedObject[]
  } catch {
    return undefined
  }
}

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
    let listed = await readList(path)
    if (!listed) {
      await decodePool().objects(hash, pass)
      listed = (await readList(path)) ?? []
    }
    if (listed.every((o) => o.name !== undefined)) return listed
    const names = (await listManifests(pool, shotId)).map((doc) => parseManifest(doc))
    return listed.map((object) => {
      const name = object.name ?? names.map((m) => m?.get(Number.parseInt(object.id, 16))).find(Boolean)
      return name === undefined ? object : { ...object, name }
    })
  })
}
