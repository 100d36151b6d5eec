import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { expect, test } from 'vitest'
import { noteInLog } from './day-log.mjs'

test('warnings of the start command come to the notes of the day, and nothing stops where they can not', () => {
  const home = mkdtempSync(join(tmpdir(), 'zafiro-log-'))
  try {
    noteInLog(home, 'The render worker stopped (9)\nno room', new Date('2026-03-01T12:00:00Z'))
    noteInLog(home, 'The render worker stopped (9)', new Date('2026-03-01T12:00:01Z'))
    const lines = readFileSync(join(home, 'log', '2026-03-01.log'), 'utf8')
      .trim()
      .split('\n')
    expect(lines.map((line) => JSON.parse(line))).toMatchObject([
      {
        level: 40,
        part: 'start',
        msg: 'The render worker stopped (9)\nno room',
        time: Date.UTC(2026, 2, 1, 12),
      },
      { level: 40, part: 'start' },
    ])
    writeFileSync(join(home, 'file'), '')
    expect(() => noteInLog(join(home, 'file'), 'one')).not.toThrow()
  } finally {
    rmSync(home, { recursive: true, force: true })
  }
})
