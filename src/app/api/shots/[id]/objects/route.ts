import { answer } from '../../../../../server/answer.ts'
import { objectsQuery } from '../../../../../server/contracts.ts'
import { objectsOf } from '../../../../../server/media/objects.ts'
import { fitting, queryOf } from '../../../../../server/request-body.ts'

type Context = { params: Promise<{ id: string }> }

/** Objects of an ID pass (?media=&pass=&frame=) by falling cover: { objects: [{ id, name?, pixels }] }. */
export function GET(request: Request, { params }: Context): Promise<Response> {
  return answer(async () => {
    const { media, pass, frame } = fitting(objectsQuery, queryOf(request))
    return Response.json({ objects: await objectsOf((await params).id, media, pass, frame) })
  })
}
