import { createHash, randomBytes, timingSafeEqual } from 'node:crypto'
import { readFileSync, statSync } from 'node:fs'
import { join } from 'node:path'
import * as v from 'valibot'
import { writeWholeSync } from '../whole-file.ts'

// Keys of an installation that is open to a network. Only their hashes are kept.

const keySchema = v.object({
  id: v.string(),
  label: v.string(),
  hash: v.pipe(v.string(), v.regex(/^[0-9a-f]{64}$/)),
  madeAt: v.string(),
  /** Undefined until someone has come in with it. */
  usedAt: v.optional(v.string()),
})
export type Key = v.InferOutput<typeof keySchema>
const fileSchema = v.object({ keys: v.array(keySchema) })

const hashOf = (key: string) => createHash('sha256').update(key).digest('hex')
export const keysFile = (home: string): string => join(home, 'keys.json')

/** The keys that are valid; none where the file is absent. Throws when it can not be understood: nobody comes in then. */
export function readKeys(path: string): Key[] {
  let text
  try {
    text = readFileSync(path, 'utf8')
  } catch (error) {
    if (error instanceof Error && 'code' in error && error.code === 'ENOENT') return []
    throw error
  }
  return v.parse(fileSchema, JSON.parse(text)).keys
}

const save = (path: string, keys: readonly Key[]) => {
  writeWholeSync(path, new TextEncoder().encode(JSON.stringify({ keys }, undefined, 2)), 0o600)
}

/** Makes a key of 192 random bits; it is told once and can not be had again. */
export function makeKey(path: string, label: string): { key: string; id: string } {
  const key = randomBytes(24).toString('base64url')
  const id = randomBytes(4).toString('hex')
  // The links of earlier starts that nobody used are of no more use.
  const kept = readKeys(path).filter((k) => !startLabels.includes(k.label) || k.usedAt !== undefined)
  save(path, [...kept, { id, label, hash: hashOf(key), madeAt: new Date().toISOString() }])
  return { key, id }
}
export const startLabel = 'link of a start'
/** Keys of these are made by every start. */
const startLabels: readonly string[] = [startLabel, 'render workers']

/** Withdraws a key: who came in with it is asked for another at once. False when there is none of that id. */
export function withdrawKey(path: string, id: string): boolean {
  const keys = readKeys(path)
  const kept = keys.filter((k) => k.id !== id)
  if (kept.length === keys.length) return false
  save(path, kept)
  return true
}

/** Wrong tries that an address, and all addresses together, have in a window of time. */
const [triesOfOne, triesOfAll, windowMs] = [10, 200, 60_000]

/** Whom the door lets in. The file is looked at again whenever it has changed. */
export class Door {
  private keys: Key[] = []
  private seen = ''
  private tries: { readonly from: string; readonly at: number }[] = []

  constructor(
    private readonly path: string,
    private readonly now: () => number = () => performance.now(),
  ) {}

  private current(): Key[] {
    let mark = 'absent'
    try {
      const { mtimeMs, size, ino } = statSync(this.path)
      mark = `${mtimeMs} ${size} ${ino}`
    } catch {
      /* Without a file there is no key. */
    }
    if (mark !== this.seen) {
      this.keys = readKeys(this.path)
      this.seen = mark
    }
    return this.keys
  }

  /** Whether someone has tried in vain so often that no more is looked at for a while. */
  isTired(from: string): boolean {
    const now = this.now()
    this.tries = this.tries.filter((t) => now - t.at < windowMs)
    return this.tries.length >= triesOfAll || this.tries.filter((t) => t.from === from).length >= triesOfOne
  }

  /** The key that a text is; a wrong one counts as a try. */
  find(key: string, from: string): Key | undefined {
    if (this.isTired(from)) return undefined
    const hash = Buffer.from(hashOf(key), 'hex')
    const found = this.current().find((k) => timingSafeEqual(Buffer.from(k.hash, 'hex'), hash))
    if (!found) this.tries.push({ from, at: this.now() })
    return found
  }

  /** Notes that someone came in. */
  noteUse(id: string): void {
    const keys = this.current().map((k) => (k.id === id ? { ...k, usedAt: new Date().toISOString() } : k))
    save(this.path, keys)
  }
}
