import { join, resolve } from 'node:path'

/** The folder with everything that this installation keeps: database, media, renders. */
export const home = resolve(/*turbopackIgnore: true*/ process.env['ZAFIRO_HOME'] ?? '.zafiro')

/** Touched whenever someone changes something, so that work in the background can step aside. */
export const signOfWork = join(home, 'work')

/** Folders below which files of renders may be put, beside the data folder: those that the start command names. */
export const outputRoots: readonly string[] = (process.env['ZAFIRO_OUTPUT'] ?? '')
  .split('\n')
  .filter(Boolean)
  .map((path) => resolve(/*turbopackIgnore: true*/ path))

export const folders = {
  store: join(home, 'store'),
  derived: join(home, 'store', 'passes'),
  renders: join(home, 'renders'),
  uploads: join(home, 'uploads'),
  /** Notes of the parts, a file a day. */
  log: join(home, 'log'),
  /** Where files may be put on this machine to be picked from a page. */
  intake: resolve(/*turbopackIgnore: true*/ process.env['ZAFIRO_INTAKE'] ?? join(home, 'intake')),
} as const
