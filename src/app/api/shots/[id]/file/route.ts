import { answer } from '../../../../../server/answer.ts'
import { frameFiles } from '../../../../../server/db/media.ts'
import { withDb } from '../../../../../server/db/pool.ts'
import { openShot } from '../../../../../server/shot-service.ts'

type Context = { params: Promise<{ id: string }> }

/** The shot as a portable file; its media are expected beside it under the names they were brought in with. */
export function GET(_: Request, { params }: Context): Promise<Response> {
  return answer(async () => {
    const { id, name, comp, media } = await openShot((await params).id)
    const rows = await withDb((pool) => frameFiles(pool, id))
    const files = (ref: string, beside: string) =>
      Object.fromEntries(
        rows.filter((r) => r.ref === ref && r.beside === beside).map((r) => [r.frame, r.file]),
      )
    const listed = Object.entries(media).map(([ref, m]) => {
      const { name: mediaName, passes, beside, reading, gaps } = m
      const besides = Object.keys(beside ?? {}).map((b) => [b, files(ref, b)] as const)
      const more = {
        ...(besides.length > 0 ? { beside: Object.fromEntries(besides) } : {}),
        passes,
        reading,
        gaps,
      }
      return [ref, { name: mediaName, files: files(ref, ''), ...more }] as const
    })
    const shotFile = { format: 'zafiro-shot', version: 1, name, comp, media: Object.fromEntries(listed) }
    const fileName = encodeURIComponent(`${name}.zafiro.json`)
    return new Response(JSON.stringify(shotFile, undefined, 2), {
      headers: {
        'content-type': 'application/json',
        'content-disposition': `attachment; filename*=UTF-8''${fileName}`,
      },
    })
  })
}
