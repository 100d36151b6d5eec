import { answer } from '../../../../server/answer.ts'
import { renameBody } from '../../../../server/contracts.ts'
import { readBody } from '../../../../server/request-body.ts'
import { openShot, renameShotTo } from '../../../../server/shot-service.ts'

type Context = { params: Promise<{ id: string }> }

export function GET(_: Request, { params }: Context): Promise<Response> {
  return answer(async () => Response.json(await openShot((await params).id)))
}

export function PATCH(request: Request, { params }: Context): Promise<Response> {
  return answer(async () => {
    const { name } = await readBody(request, renameBody)
    await renameShotTo((await params).id, name)
    return Response.json({ ok: true })
  })
}
