// The folder watcher: a process of its own that brings in what arrives in watched folders.
import { setTimeout as sleep } from 'node:timers/promises'
import { getPool } from '../db/pool.ts'
import { listWatchedFolders } from '../db/watched.ts'
import { FolderWatch } from './watcher.ts'

const everyMs = 1500
const stopping = { isAsked: false }
for (const signal of ['SIGINT', 'SIGTERM'] as const)
  process.on(signal, () => {
    stopping.isAsked = true
    setTimeout(() => process.exit(0), 2000).unref()
  })

const watches = new Map<string, FolderWatch>()
let lastFailure = ''
while (!stopping.isAsked) {
  try {
    for (const folder of await listWatchedFolders(getPool())) {
      const key = `${folder.shotId} ${folder.path}`
      const watch = watches.get(key) ?? new FolderWatch(getPool(), folder)
      watches.set(key, watch)
      await watch.look()
    }
    lastFailure = ''
  } catch (error) {
    const message = error instanceof Error ? error.message : String(error)
    if (message !== lastFailure) console.error('folder watcher:', message)
    lastFailure = message
  }
  await sleep(everyMs)
}
process.exit(0)
