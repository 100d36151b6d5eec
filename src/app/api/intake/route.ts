import { answer } from '../../../server/answer.ts'
import { intakeQuery } from '../../../server/contracts.ts'
import { listIntake } from '../../../server/media/intake-folder.ts'
import { fitting, queryOf } from '../../../server/request-body.ts'

/** What lies in a folder (?path=) of the intake folder: its folders, and its pictures grouped to sequences. */
export function GET(request: Request): Promise<Response> {
  return answer(async () => Response.json(await listIntake(fitting(intakeQuery, queryOf(request)).path)))
}
