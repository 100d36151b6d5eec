import { answer } from '../../../server/answer.ts'
import { withIncoming } from '../../../server/incoming.ts'
import { createShotFrom } from '../../../server/shot-service.ts'

/** A new shot from one file, see withIncoming; x-file-name is its name. */
export function POST(request: Request): Promise<Response> {
  return answer(async () => Response.json({ id: await withIncoming(request, createShotFrom) }))
}
