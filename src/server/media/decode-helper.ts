// The second thread that takes a large file: unpacks what the first does not, and looks through its share of the passes.
import { parentPort, workerData } from 'node:worker_threads'
import { takeShare, type HelperReply, type HelperWork } from './decode-file.ts'
import { openMedia } from './raster-file.ts'
import { noteWhole, readStored } from './store.ts'

const { hash, shared, options } = workerData as HelperWork

async function take(): Promise<HelperReply> {
  try {
    // The first thread has looked.
    noteWhole(hash)
    const file = await openMedia(await readStored(hash))
    file.unpackWith!(shared)
    return { taken: await takeShare(file, hash, options) }
  } catch (error) {
    const code = error instanceof Error && 'code' in error ? String(error.code) : undefined
    return { problem: error instanceof Error ? error.message : String(error), code }
  }
}

void take().then((reply) => {
  parentPort!.postMessage(reply)
})
