import { answer } from '../../../../../server/answer.ts'
import { withDb } from '../../../../../server/db/pool.ts'
import { bringBack } from '../../../../../server/render/bring-back.ts'

type Context = { params: Promise<{ id: string }> }

/** Brings back what a render was made of, see bringBack. What the desk shows becomes another only when its comp is saved. */
export function POST(_: Request, { params }: Context): Promise<Response> {
  return answer(async () => withDb(async (pool) => Response.json(await bringBack(pool, (await params).id))))
}
