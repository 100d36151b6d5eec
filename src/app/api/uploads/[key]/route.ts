import { answer, RequestError } from '../../../../server/answer.ts'
import { appendUpload, receivedBytes } from '../../../../server/incoming.ts'

type Context = { params: Promise<{ key: string }> }

/** How much of an upload is there: { received }. */
export function GET(_: Request, { params }: Context): Promise<Response> {
  return answer(async () => Response.json({ received: await receivedBytes((await params).key) }))
}

/** Adds the body to an upload from ?offset= on: { received }. What came in before a connection broke is kept. */
export function PUT(request: Request, { params }: Context): Promise<Response> {
  return answer(async () => {
    const offset = Number(new URL(request.url).searchParams.get('offset') ?? 0)
    if (!Number.isSafeInteger(offset) || offset < 0)
      throw new RequestError(400, 'The offset is not a size in bytes.')
    return Response.json({ received: await appendUpload((await params).key, offset, request.body) })
  })
}
