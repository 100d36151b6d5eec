import { readdir, stat } from 'node:fs/promises'
import { basename, join } from 'node:path'
import type { Pool } from 'mysql2/promise'
import { namedFor } from '../../core/comp/file-names.ts'
import { listTakenFiles, noteTakenFile, type WatchedFile, type WatchedFolder } from '../db/watched.ts'
import { DatabaseBusy, DatabaseUnreachable, isUnstorable, nameFailure } from '../db/pool.ts'
import { loggerOf } from '../log.ts'
import { bringIn, IntakeError, isPictureName, NoSuchShot } from './intake.ts'

const log = loggerOf('folder watcher')

/** Files of a folder that may be pictures, by name; undefined where the folder can not be read. */
async function listFiles(folder: string): Promise<WatchedFile[] | undefined> {
  const names = await readdir(folder).catch(() => undefined)
  if (!names) return undefined
  const pictures = names.filter((name) => isPictureName(name) && !name.startsWith('.'))
  const found = await Promise.all(
    pictures.map(async (name): Promise<WatchedFile[]> => {
      const info = await stat(join(folder, name)).catch(() => undefined)
      return info?.isFile() ? [{ name, bytes: info.size, changedMs: Math.round(info.mtimeMs) }] : []
    }),
  )
  return found.flat().sort((a, b) => a.name.localeCompare(b.name, 'en', { numeric: true }))
}

const keyOf = ({ name, bytes, changedMs }: WatchedFile) => `${name} ${bytes} ${changedMs}`

const fullCodes = new Set(['ENOSPC', 'EDQUOT', 'EMFILE', 'ENFILE', 'EAGAIN', 'EIO'])
/** What lies at the machine and not at a file. */
const isPassing = (error: unknown) =>
  error instanceof DatabaseUnreachable ||
  error instanceof DatabaseBusy ||
  error instanceof NoSuchShot ||
  (error instanceof Error && 'code' in error && fullCodes.has(String(error.code)))

/**
 * Looks into a folder once and brings in what is new. A file is taken only when it looked the same at the look before,
 * so that none is read while it is being written. Gives back how many were taken.
 */
export class FolderWatch {
  private before = new Set<string>()
  private readonly unnotable = new Set<string>()
  constructor(
    private readonly pool: Pool,
    readonly folder: WatchedFolder,
    private readonly bring: typeof bringIn = bringIn,
  ) {}

  async look(): Promise<number> {
    const files = await listFiles(this.folder.path)
    if (!files) return 0
    const rested = files.filter((file) => this.before.has(keyOf(file)))
    this.before = new Set(files.map(keyOf))
    if (rested.length === 0) return 0
    const taken = new Set((await listTakenFiles(this.pool, this.folder)).map(keyOf))
    let count = 0
    for (const file of rested) {
      if (taken.has(keyOf(file)) || this.unnotable.has(keyOf(file))) continue
      let problem: string | undefined
      try {
        const { path, shotId } = this.folder
        await this.bring(this.pool, shotId, join(path, file.name), namedFor(basename(path), file.name), {
          modifiedMs: file.changedMs,
          isInPlace: true,
        })
      } catch (error) {
        const failure = nameFailure(error)
        // Without a database, a disk or a shot nothing can be taken: all is tried again later.
        if (isPassing(failure)) throw failure
        // A file that is broken, in whatever way, is told and passed by.
        problem = failure instanceof Error ? failure.message : String(failure)
        if (!(failure instanceof IntakeError)) log.error(failure, file.name)
      }
      try {
        await noteTakenFile(this.pool, this.folder, file, problem)
      } catch (error) {
        // A name that no table holds can not even be noted; it is left alone until the next start.
        if (!isUnstorable(error)) throw error
        this.unnotable.add(keyOf(file))
      }
      count++
    }
    return count
  }
}
