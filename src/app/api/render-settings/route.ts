import { mostSettings } from '../../../core/renders/render-settings.ts'
import { answer, RequestError } from '../../../server/answer.ts'
import { settingsBody, settingsQuery } from '../../../server/contracts.ts'
import { withDb } from '../../../server/db/pool.ts'
import { deleteSettings, listSettings, saveSettings } from '../../../server/db/render-settings.ts'
import { fitting, queryOf, readBody } from '../../../server/request-body.ts'

const all = async () => Response.json({ settings: await withDb(listSettings) })

/** What renders are asked for, as it was kept under names. */
export const GET = (): Promise<Response> => answer(all)

/** Keeps { name, formats, options }; what had the name before is replaced. */
export function POST(request: Request): Promise<Response> {
  return answer(async () => {
    const settings = await readBody(request, settingsBody)
    if (!(await withDb((db) => saveSettings(db, settings))))
      throw new RequestError(409, `${mostSettings} settings are kept already. Delete one, then keep this.`)
    return all()
  })
}

export function DELETE(request: Request): Promise<Response> {
  return answer(async () => {
    const { name } = fitting(settingsQuery, queryOf(request))
    await withDb((db) => deleteSettings(db, name))
    return all()
  })
}
