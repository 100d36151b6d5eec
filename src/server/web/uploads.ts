import { readdir, rm, stat, statfs } from 'node:fs/promises'
import type { IncomingMessage, ServerResponse } from 'node:http'
import { join } from 'node:path'
import { FileStore } from '@tus/file-store'
import { Server } from '@tus/server'
import { folders } from '../home.ts'

// Resumable uploads by the open tus protocol 1.0: declared size, offsets, one writer at a time.

export const uploadsPath = '/api/uploads'
const expireMs = 3 * 24 * 3600e3
/** Room that is left on the disk for everything else. */
const sparedBytes = 200e6
/** With less room than this a disk is full. */
const fullBelow = 1e6

/** Throws what the protocol's server answers with. */
function refuse(status_code: number, body: string): never {
  // The protocol's package takes this shape for an answer.
  // eslint-disable-next-line @typescript-eslint/only-throw-error
  throw { status_code, body: `${body}\n` }
}

function createServer(): Server {
  return new Server({
    path: uploadsPath,
    relativeLocation: true,
    datastore: new FileStore({ directory: folders.uploads, expirationPeriodInMilliseconds: expireMs }),
    // Nobody else's page is told anything.
    allowedOrigins: [],
    onUploadCreate: async (_, upload) => {
      if (upload.size === undefined) refuse(400, 'An upload says how large it is when it begins.')
      const { bavail, bsize } = await statfs(folders.uploads)
      if (upload.size > bavail * bsize - sparedBytes)
        refuse(507, 'The disk has no room for this file. Make room, then try again.')
      return {}
    },
    onResponseError: async (_, error) => {
      // The protocol's package hides a full disk behind its own words.
      const isOther = !('status_code' in error) || error.status_code >= 500
      if (!isOther || ('status_code' in error && error.status_code === 507)) return undefined
      const { bavail, bsize } = await statfs(folders.uploads)
      const isFull =
        bavail * bsize < fullBelow || (error instanceof Error && error.message.includes('ENOSPC'))
      return isFull
        ? { status_code: 507, body: 'The disk is full. Make room, then go on; what has arrived is kept.\n' }
        : { status_code: 503, body: 'The upload broke off. Go on from where it is.\n' }
    },
  })
}

let server: Server | undefined

/** Serves a request below `uploadsPath`. What lies there is taken by its routes, and never given out. */
export async function serveUpload(request: IncomingMessage, response: ServerResponse): Promise<void> {
  if (request.method === 'GET') {
    response.writeHead(405, { allow: 'OPTIONS, HEAD, POST, PATCH, DELETE' }).end()
    return
  }
  server ??= createServer()
  await server.handle(request, response)
}

/** Removes uploads that nobody went on with, and files whose sending broke off. Gives back how many files. */
export async function clearUploads(folder: string, now = Date.now()): Promise<number> {
  let count = 0
  for (const name of await readdir(folder).catch(() => [])) {
    const path = join(folder, name)
    const info = await stat(path).catch(() => undefined)
    // A file that is sent in one go is taken at once; an hour is long for it.
    const mostMs = name.endsWith('.part') ? 3600e3 : expireMs
    if (!info?.isFile() || now - info.mtimeMs < mostMs) continue
    await rm(path, { force: true })
    count++
  }
  return count
}
