// Keeps the parts of the application running: what stops is started again, sooner or later, for ever.
import { spawn } from 'node:child_process'
import { endProcess, noteOf } from './processes.mjs'

/** Crashes further back than this no longer count. */
const windowMs = 60_000
const firstDelayMs = 100
const longestDelayMs = 30_000
/** From so many crashes in the window on, people are told. */
export const toldFrom = 3
const keptLines = 12

/** How long to wait before the next start, after so many crashes in the window. */
export function restartDelay(crashes) {
  return Math.min(longestDelayMs, firstDelayMs * 2 ** Math.max(0, crashes - 1))
}

/** Times of crashes that count at a time. Times are of a clock that is never set. */
export const within = (crashes, now) => crashes.filter((at) => now - at < windowMs)

export class Supervisor {
  #parts = new Map()
  #isStopping = false

  /** `onChange` hears of every start and stop. */
  constructor({ cwd, env, say, onChange = () => undefined, now = () => performance.now(), start = spawn }) {
    Object.assign(this, { cwd, env, say, onChange, now, startProcess: start })
  }

  /** Starts a part and keeps it running; one that is meant to end is not started again once it ends well. */
  start(name, args, { isEnding = false, command = process.execPath } = {}) {
    const part = {
      name,
      command,
      args,
      isEnding,
      crashes: [],
      lastWords: '',
      child: undefined,
      timer: undefined,
      note: undefined,
    }
    this.#parts.set(name, part)
    this.#begin(part)
  }

  #begin(part) {
    part.timer = undefined
    const child = this.startProcess(part.command, part.args, {
      cwd: this.cwd,
      env: this.env,
      stdio: ['ignore', 'inherit', 'pipe'],
      detached: true,
    })
    part.child = child
    part.note = child.pid === undefined ? undefined : noteOf(child.pid)
    let words = ''
    child.stderr?.on('data', (data) => {
      process.stderr.write(data)
      words = (words + data)
        .split('\n')
        .slice(-keptLines - 1)
        .join('\n')
    })
    let isOver = false
    const over = (code, signal) => {
      if (isOver) return
      isOver = true
      part.child = part.note = undefined
      if (this.#isStopping) return
      if (part.isEnding && code === 0) {
        this.#parts.delete(part.name)
        this.onChange()
        return
      }
      const now = this.now()
      part.crashes = [...within(part.crashes, now), now]
      part.lastWords = words.trim()
      const delay = restartDelay(part.crashes.length)
      this.say(
        `The ${part.name} stopped (${signal ?? code}); starting it again in ${(delay / 1000).toFixed(1)} s.`,
        part.lastWords,
      )
      part.timer = setTimeout(() => !this.#isStopping && this.#begin(part), delay)
      this.onChange()
    }
    child.on('exit', over)
    child.on('error', (error) => {
      words += error.message
      over(error.code ?? 'error')
    })
    this.onChange()
  }

  /** The parts as people are told of them: which run, which stop again and again, and their last words. */
  report() {
    const now = this.now()
    return [...this.#parts.values()].map(({ name, note, crashes, lastWords }) => {
      const count = within(crashes, now).length
      return {
        name,
        isRunning: note !== undefined,
        crashes: count,
        ...(count >= toldFrom ? { lastWords } : {}),
      }
    })
  }

  /** Processes that run now, for the state file. */
  notes() {
    return [...this.#parts.values()].flatMap(({ name, note }) => (note ? [{ name, ...note }] : []))
  }

  async stop() {
    this.#isStopping = true
    const parts = [...this.#parts.values()]
    for (const part of parts) clearTimeout(part.timer)
    await Promise.all(parts.map(({ note }) => note && endProcess(note)))
  }
}
