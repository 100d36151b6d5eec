import { parentPort, workerData } from 'node:worker_threads'
import { FormatError } from '../../core/formats/format-error.ts'
import { decodeStored } from './decode-file.ts'

/** Decodes in a thread of its own, so that a hostile file can neither block nor bring down the server. */
decodeStored((workerData as { hash: string }).hash).then(
  (info) => {
    parentPort!.postMessage({ info })
  },
  (error: unknown) => {
    const known =
      error instanceof FormatError || (error instanceof Error && 'code' in error && error.code === 'ENOSPC')
    parentPort!.postMessage({ problem: error instanceof Error ? error.message : String(error), known })
  },
)
