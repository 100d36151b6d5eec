import { createWriteStream } from 'node:fs'
import { mkdir, rm } from 'node:fs/promises'
import { join } from 'node:path'
import { Readable } from 'node:stream'
import { pipeline } from 'node:stream/promises'
import { newId, RequestError } from './answer.ts'
import { folders } from './home.ts'

/** Streams a request body to disk for the time of some work; the file is gone afterwards. */
export async function withUpload<T>(
  request: Request,
  work: (path: string, fileName: string) => Promise<T>,
): Promise<T> {
  const fileName = decodeURIComponent(request.headers.get('x-file-name') ?? '')
    .split(/[\\/]/)
    .at(-1)
    ?.trim()
  if (!request.body || !fileName)
    throw new RequestError(400, 'The request holds no file, or does not say its name.')
  await mkdir(folders.uploads, { recursive: true })
  const path = join(folders.uploads, newId())
  try {
    await pipeline(Readable.fromWeb(request.body as never), createWriteStream(path))
    return await work(path, fileName)
  } finally {
    await rm(path, { force: true })
  }
}
