import { answer } from '../../../server/answer.ts'
import { createShotFrom } from '../../../server/shot-service.ts'
import { withUpload } from '../../../server/upload.ts'

/** A new shot from one file: the body is the file, x-file-name its name. */
export function POST(request: Request): Promise<Response> {
  return answer(async () => Response.json({ id: await withUpload(request, createShotFrom) }))
}
