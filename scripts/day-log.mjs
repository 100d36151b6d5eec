import { appendFileSync, mkdirSync } from 'node:fs'
import { join } from 'node:path'

/** Adds a warning of the start command to the day's notes in the data folder, in the form in which the parts write theirs. */
export function noteInLog(home, message, now = new Date()) {
  const line = { level: 40, time: now.getTime(), part: 'start', process: process.pid, msg: message }
  try {
    mkdirSync(join(home, 'log'), { recursive: true })
    appendFileSync(join(home, 'log', `${now.toISOString().slice(0, 10)}.log`), `${JSON.stringify(line)}\n`)
  } catch {
    // A full disk is told elsewhere.
  }
}
