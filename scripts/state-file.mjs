// Small state files: whole or absent, whatever happens in between.
import {
  closeSync,
  fsyncSync,
  mkdirSync,
  openSync,
  readFileSync,
  renameSync,
  rmSync,
  writeFileSync,
} from 'node:fs'
import { dirname } from 'node:path'

/** Makes a folder's entries outlive a loss of power. */
export function syncFolder(folder) {
  const opened = openSync(folder, 'r')
  try {
    fsyncSync(opened)
  } finally {
    closeSync(opened)
  }
}

/** Writes beside, syncs and renames. Throws when the disk is full; what was there before stays then. */
export function writeState(path, value, { mode = 0o600 } = {}) {
  mkdirSync(dirname(path), { recursive: true })
  const part = `${path}.${process.pid}.part`
  try {
    const opened = openSync(part, 'w', mode)
    try {
      writeFileSync(opened, `${JSON.stringify(value)}\n`)
      fsyncSync(opened)
    } finally {
      closeSync(opened)
    }
    renameSync(part, path)
    syncFolder(dirname(path))
  } catch (error) {
    rmSync(part, { force: true })
    throw error
  }
}

/**
 * What a state file holds. Undefined where it is absent; where it can not be read, or does not hold what it should, that is
 * said and it counts as absent too.
 */
export function readState(path, isFit, say = console.error) {
  let text
  try {
    text = readFileSync(path, 'utf8')
  } catch (error) {
    if (error.code !== 'ENOENT') say(`  ${path} can not be read (${error.message}); going on without it.`)
    return undefined
  }
  try {
    const value = JSON.parse(text)
    if (typeof value === 'object' && value !== null && isFit(value)) return value
  } catch {
    /* It is told below. */
  }
  say(`  ${path} does not hold what it should; going on without it.`)
  return undefined
}
