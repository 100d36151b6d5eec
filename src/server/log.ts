import { appendFileSync, mkdirSync, readdirSync, rmSync } from 'node:fs'
import { join } from 'node:path'
import { isatty } from 'node:tty'
import pino, { type Logger } from 'pino'
import pretty from 'pino-pretty'
import { folders } from './home.ts'

/** Days that notes are kept. */
const keptDays = 30

/**
 * Appends lines to a file a day, so that a night can be read in the morning and several processes can write to it. Days that are over for long are taken
 * away. What can not be written is left: a full disk is told elsewhere.
 */
export class DayFiles {
  private day = ''

  constructor(
    private readonly folder: string,
    private readonly now: () => Date = () => new Date(),
  ) {}

  write(line: string): void {
    try {
      const day = this.now().toISOString().slice(0, 10)
      if (day !== this.day) this.begin(day)
      appendFileSync(join(/*turbopackIgnore: true*/ this.folder, `${day}.log`), line)
    } catch {
      this.day = ''
    }
  }

  private begin(day: string): void {
    mkdirSync(this.folder, { recursive: true })
    const oldest = new Date(Date.parse(day) - keptDays * 86_400e3).toISOString().slice(0, 10)
    for (const name of readdirSync(this.folder))
      if (/^\d{4}-\d\d-\d\d\.log$/.test(name) && name < oldest)
        rmSync(join(/*turbopackIgnore: true*/ this.folder, name))
    this.day = day
  }
}

/** Readable lines of what is wrong on a file descriptor, and all notes as JSON in a folder. */
export function notesTo(descriptor: number, folder: string): Logger {
  const readable = pretty({
    destination: descriptor,
    sync: true,
    colorize: isatty(descriptor),
    messageFormat: '{part}: {msg}',
    ignore: 'part,process',
    translateTime: 'SYS:yyyy-mm-dd HH:MM:ss',
  })
  const streams = [{ level: 'warn', stream: readable }, { stream: new DayFiles(folder) }] as const
  return pino({ base: null }, pino.multistream([...streams]))
}

let shared: Logger | undefined

/** For what a part of the application notes: on its error output and in the folder of notes. */
export function loggerOf(part: string): Logger {
  shared ??= notesTo(2, folders.log)
  return shared.child({ part, process: process.pid })
}

/** For a note of a failure that people are told of in words: what lies behind those words, where something does. */
export function told(error: unknown): { cause?: string } {
  const cause = error instanceof Error ? error.cause : undefined
  if (!(cause instanceof Error)) return {}
  return { cause: 'sql' in cause ? `${cause.message} ${String(cause.sql).slice(0, 300)}` : cause.message }
}
