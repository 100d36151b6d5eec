import { answer, RequestError } from '../../../../../server/answer.ts'
import { objectsOf } from '../../../../../server/media/objects.ts'

type Context = { params: Promise<{ id: string }> }

/** Objects of an ID pass (?media=&pass=&frame=) by falling cover: { objects: [{ id, name?, pixels }] }. */
export function GET(request: Request, { params }: Context): Promise<Response> {
  return answer(async () => {
    const query = new URL(request.url).searchParams
    const [media, pass, frame] = [query.get('media'), query.get('pass'), Number(query.get('frame') ?? NaN)]
    if (media === null || pass === null || !Number.isInteger(frame))
      throw new RequestError(400, 'Listing objects wants media, pass and frame.')
    return Response.json({ objects: await objectsOf((await params).id, media, pass, frame) })
  })
}
