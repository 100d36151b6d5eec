import { closeSync, mkdtempSync, openSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterEach, beforeEach, describe, expect, test } from 'vitest'
import { DatabaseBusy } from './db/pool.ts'
import { DayFiles, notesTo, told } from './log.ts'

let folder: string
beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), 'zafiro-log-'))
})
afterEach(() => {
  rmSync(folder, { recursive: true, force: true })
})

describe('notes of the parts', () => {
  test('a night lies in two files, a month later they go; what else lies there stays', () => {
    let now = new Date('2026-03-01T23:59:59Z')
    const files = new DayFiles(folder, () => now)
    files.write('one\n')
    now = new Date('2026-03-02T00:00:01Z')
    files.write('two\n')
    files.write('three\n')
    writeFileSync(join(folder, 'mine.txt'), '')
    expect(readdirSync(folder).sort()).toEqual(['2026-03-01.log', '2026-03-02.log', 'mine.txt'])
    expect(readFileSync(join(folder, '2026-03-02.log'), 'utf8')).toBe('two\nthree\n')
    now = new Date('2026-04-01T08:00:00Z')
    files.write('later\n')
    expect(readdirSync(folder).sort()).toEqual(['2026-03-02.log', '2026-04-01.log', 'mine.txt'])
  })

  test('a folder that goes away, or can not be made, keeps nobody from working', () => {
    const files = new DayFiles(join(folder, 'log'), () => new Date('2026-03-01'))
    files.write('one\n')
    rmSync(join(folder, 'log'), { recursive: true })
    files.write('lost\n')
    files.write('two\n')
    expect(readFileSync(join(folder, 'log', '2026-03-01.log'), 'utf8')).toBe('two\n')
    const file = join(folder, 'file')
    writeFileSync(file, '')
    expect(() => {
      new DayFiles(file).write('one\n')
    }).not.toThrow()
  })

  test('what is wrong is a readable line, and every note is JSON with the error’s stack', () => {
    const readable = openSync(join(folder, 'readable'), 'w')
    const log = notesTo(readable, join(folder, 'log')).child({ part: 'render worker' })
    log.info({ frame: 7 }, 'a frame is made')
    log.error(new Error('no room'))
    closeSync(readable)
    const words = readFileSync(join(folder, 'readable'), 'utf8')
    expect(words).toMatch(/^\[.*\] ERROR: render worker: no room/)
    expect(words).not.toContain('a frame is made')
    const [day] = readdirSync(join(folder, 'log'))
    const lines = readFileSync(join(folder, 'log', day!), 'utf8')
      .trim()
      .split('\n')
    expect(lines.map((line) => JSON.parse(line) as object)).toMatchObject([
      { level: 30, part: 'render worker', frame: 7, msg: 'a frame is made' },
      { level: 50, msg: 'no room', err: { stack: expect.stringContaining('Error: no room') as string } },
    ])
  })

  test('behind the words that people are told of a failure, what caused it', () => {
    const cause = Object.assign(new Error('Deadlock found'), { sql: 'update render_frames' })
    expect(told(new DatabaseBusy(false, cause))).toEqual({ cause: 'Deadlock found update render_frames' })
    expect(told(new Error('plain'))).toEqual({})
    expect(told('words')).toEqual({})
  })
})
