import { readFile } from 'node:fs/promises'
import * as v from 'valibot'
import type { Pass } from '../../core/comp/media.ts'
import { parseManifest } from '../../core/formats/cryptomatte.ts'
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

/** Objects of an ID pass of a stored file by falling cover, made where nobody has asked before. */
export async function listedObjects(hash: string, pass: Pass): Promise<ListedObject[]> {
  const path = objectsPath(hash, pass.inFile ?? pass.name)
  const listed = await readList(path)
  if (listed) return listed
  await decodePool().objects(hash, pass)
  return (await readList(path)) ?? []
}

/** Their names by the bits of their IDs: as their file says, else as lists say that came beside the pictures. */
export function namesOf(
  objects: readonly ListedObject[],
  manifests: readonly string[],
): ReadonlyMap<number, string> {
  const lists = manifests.map((text) => parseManifest(text))
  return new Map(
    objects.flatMap(({ id, name }) => {
      const bits = Number.parseInt(id, 16)
      const found = name ?? lists.map((m) => m?.get(bits)).find(Boolean)
      return found === undefined ? [] : [[bits, found] as const]
    }),
  )
}
