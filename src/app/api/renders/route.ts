import { answer } from '../../../server/answer.ts'
import { withDb } from '../../../server/db/pool.ts'
import { allRenders, findRender } from '../../../server/db/renders.ts'

const mostListed = 60

/** Renders of all shots: those that are not through in the order in which they come, then the newest. */
export function GET(): Promise<Response> {
  return answer(async () =>
    withDb(async (pool) => {
      const found = await Promise.all(
        (await allRenders(pool, mostListed)).map(async ({ id, shotName }) => ({
          shotName,
          render: await findRender(pool, id),
        })),
      )
      return Response.json({ renders: found.filter(({ render }) => render !== undefined) })
    }),
  )
}
