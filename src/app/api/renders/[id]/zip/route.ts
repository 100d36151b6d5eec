import { createReadStream } from 'node:fs'
import { join } from 'node:path'
import { Zip, ZipPassThrough } from 'fflate'
import { answer, RequestError } from '../../../../../server/answer.ts'
import { withDb } from '../../../../../server/db/pool.ts'
import { findRender } from '../../../../../server/db/renders.ts'
import { folders } from '../../../../../server/home.ts'

type Context = { params: Promise<{ id: string }> }

/** All files of a render in one, as they are; pictures are compressed already. What has gone from the disk is left out. */
export function GET(_: Request, { params }: Context): Promise<Response> {
  return answer(async () => {
    const { id } = await params
    const render = await withDb((pool) => findRender(pool, id))
    const names = render?.frames.flatMap((f) => f.files) ?? []
    if (!render || names.length === 0) throw new RequestError(404, 'This render has no files.')
    const body = new ReadableStream<Uint8Array>({
      async start(controller) {
        const zip = new Zip((error, piece, isLast) => {
          if (error) controller.error(error)
          else controller.enqueue(piece)
          if (isLast) controller.close()
        })
        for (const name of new Set(names)) {
          const entry = new ZipPassThrough(name)
          zip.add(entry)
          try {
            for await (const piece of createReadStream(
              join(/*turbopackIgnore: true*/ folders.renders, id, name),
            )) {
              // What is not read yet waits on the disk.
              while ((controller.desiredSize ?? 1) < -8)
                await new Promise((resolve) => setTimeout(resolve, 20))
              entry.push(piece as Uint8Array)
            }
          } catch {
            // Gone from the disk: it stays empty.
          }
          entry.push(new Uint8Array(0), true)
        }
        zip.end()
      },
    })
    return new Response(body, {
      headers: {
        'content-type': 'application/zip',
        'content-disposition': `attachment; filename="render-${render.version}.zip"`,
      },
    })
  })
}
