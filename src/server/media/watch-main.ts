// The folder watcher: a process of its own that brings in what arrives in watched folders.
import { setTimeout as sleep } from 'node:timers/promises'
import { getPool } from '../db/pool.ts'
import { listWatchedFolders } from '../db/watched.ts'
import { followOnce, type Seen } from '../farm/follow.ts'
import { folders } from '../home.ts'
import { loggerOf, told } from '../log.ts'
import { clearParts } from './clear-parts.ts'
import { trimDerived } from './trim-derived.ts'
import { FolderWatch } from './watcher.ts'

const log = loggerOf('folder watcher')

const everyMs = 1500
/** Room for what is made from media, in gigabytes. */
const cacheBytes = Number(process.env['ZAFIRO_CACHE_GB'] ?? 20) * 1e9
const trimEveryMs = 60_000
let trimmedAt: number | undefined
const stopping = { isAsked: false }
for (const signal of ['SIGINT', 'SIGTERM'] as const)
  process.on(signal, () => {
    stopping.isAsked = true
    setTimeout(() => process.exit(0), 2000).unref()
  })

const watches = new Map<string, FolderWatch>()
const seen: Seen = new Map()
let lastFailure = ''
while (!stopping.isAsked) {
  try {
    const failures: unknown[] = []
    for (const folder of await listWatchedFolders(getPool())) {
      const key = `${folder.shotId} ${folder.path}`
      const watch = watches.get(key) ?? new FolderWatch(getPool(), folder)
      watches.set(key, watch)
      // What goes wrong in one folder is nothing to the others.
      await watch.look().catch((error: unknown) => failures.push(error))
    }
    await followOnce(getPool(), seen).catch((error: unknown) => failures.push(error))
    if (trimmedAt === undefined || performance.now() - trimmedAt > trimEveryMs) {
      const isFirst = trimmedAt === undefined
      trimmedAt = performance.now()
      await trimDerived(folders.derived, cacheBytes)
      if (isFirst) for (const folder of [folders.store, folders.renders]) await clearParts(folder)
    }
    if (failures.length > 0) throw failures[0]
    lastFailure = ''
  } catch (error) {
    const message = error instanceof Error ? error.message : String(error)
    if (message !== lastFailure) log.error(told(error), message)
    lastFailure = message
  }
  await sleep(everyMs)
}
process.exit(0)
