import * as v from 'valibot'
import { answer, readJson, RequestError } from '../../../../server/answer.ts'
import { openShot, renameShotTo } from '../../../../server/shot-service.ts'

type Context = { params: Promise<{ id: string }> }

export function GET(_: Request, { params }: Context): Promise<Response> {
  return answer(async () => Response.json(await openShot((await params).id)))
}

export function PATCH(request: Request, { params }: Context): Promise<Response> {
  return answer(async () => {
    const body = v.safeParse(v.object({ name: v.string() }), await readJson(request))
    if (!body.success) throw new RequestError(400, 'Renaming a shot wants a name.')
    await renameShotTo((await params).id, body.output.name)
    return Response.json({ ok: true })
  })
}
