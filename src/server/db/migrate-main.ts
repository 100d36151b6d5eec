// Brings the database up to date.  node dist/migrate.mjs
import { join } from 'node:path'
import { migrate } from './migrate.ts'

const applied = await migrate(process.env['ZAFIRO_DB'] ?? '', join(process.cwd(), 'src/server/db/migrations'))
if (applied.length > 0) console.log(applied.join(', '))
