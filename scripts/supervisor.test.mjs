import { EventEmitter } from 'node:events'
import { mkdtempSync, rmSync, writeFileSync, readdirSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { spawn } from 'node:child_process'
import { afterAll, afterEach, beforeEach, describe, expect, test, vi } from 'vitest'
import { endProcess, isRunning, noteOf, startMark } from './processes.mjs'
import { readState, writeState } from './state-file.mjs'
import { restartDelay, Supervisor, within } from './supervisor.mjs'

const folder = mkdtempSync(join(tmpdir(), 'zafiro-scripts-'))
afterAll(() => rmSync(folder, { recursive: true }))

describe('a state file', () => {
  const isFit = (value) => typeof value.password === 'string'
  test.each([
    ['empty', ''],
    ['cut', '{"password":"ab'],
    ['of another shape', '[1]'],
    ['no object', 'null'],
    ['with other contents', '{"pass":1}'],
  ])('that is %s counts as absent, and that is said', (_, text) => {
    const path = join(folder, 'odd.json')
    writeFileSync(path, text)
    const said = []
    expect(readState(path, isFit, (line) => said.push(line))).toBeUndefined()
    expect(said).toHaveLength(1)
    expect(said[0]).toContain(path)
  })
  test('is whole after a write, with nothing beside it; a write that fails leaves what was there', () => {
    const home = mkdtempSync(join(folder, 'whole-'))
    const path = join(home, 'state.json')
    writeState(path, { password: 'a' })
    writeState(path, { password: 'b' })
    expect(() => writeState(path, { password: 1n })).toThrow()
    expect(readState(path, isFit)).toEqual({ password: 'b' })
    expect(readdirSync(home)).toEqual(['state.json'])
    expect(readState(join(home, 'absent.json'), isFit, () => expect.unreachable())).toBeUndefined()
  })
})

test('a process is told from another of the same number by when it was started, and ended with its group', async () => {
  const child = spawn('sh', ['-c', 'trap "" TERM; sleep 100 & wait'], { detached: true, stdio: 'ignore' })
  const note = noteOf(child.pid)
  expect(isRunning(note)).toBe(true)
  // The same number with another start is someone else's: nothing is sent to it.
  await endProcess({ pid: child.pid, mark: `${note.mark}1` }, 100)
  expect(isRunning(note)).toBe(true)
  await endProcess(note, 200)
  expect(startMark(child.pid)).toBeUndefined()
  expect(isRunning({ pid: 0, mark: undefined })).toBe(false)
})

describe('the supervisor', () => {
  beforeEach(() => vi.useFakeTimers())
  afterEach(() => vi.useRealTimers())
  let started = []
  const supervisor = () => {
    started = []
    const clock = { now: 0 }
    const made = new Supervisor({
      cwd: folder,
      env: {},
      say: () => undefined,
      now: () => clock.now,
      start: () => {
        const child = new EventEmitter()
        child.stderr = new EventEmitter()
        started.push(child)
        return child
      },
    })
    return { made, clock }
  }
  const crash = async (clock, words = '') => {
    started.at(-1).stderr.emit('data', words)
    started.at(-1).emit('exit', 1, null)
    await vi.advanceTimersByTimeAsync(30_000)
    clock.now += 1000
  }

  test('starts a part that crashes again for ever, with growing pauses, and says so; a quiet minute is forgiven', async () => {
    const write = vi.spyOn(process.stderr, 'write').mockReturnValue(true)
    const { made, clock } = supervisor()
    made.start('render worker', ['x'])
    for (let i = 0; i < 40; i++) await crash(clock, `reason ${i}\n`)
    expect(started).toHaveLength(41)
    expect(made.report()).toMatchObject([{ name: 'render worker', crashes: 40, lastWords: 'reason 39' }])
    clock.now += 61_000
    expect(made.report()[0]).not.toHaveProperty('lastWords')
    expect(made.report()[0].crashes).toBe(0)
    write.mockRestore()
  })
  test('waits 0.1 s at first, twice as long each time, never more than 30 s', () => {
    expect([1, 2, 3, 4, 50].map(restartDelay)).toEqual([100, 200, 400, 800, 30_000])
    expect(within([0, 30_000, 59_000], 60_000)).toEqual([30_000, 59_000])
  })
  test('lets a part end that is meant to end, and starts it again when it fails', async () => {
    const { made, clock } = supervisor()
    made.start('stand-in renderer', ['x'], { isEnding: true })
    await crash(clock)
    expect(started).toHaveLength(2)
    started.at(-1).emit('exit', 0, null)
    await vi.advanceTimersByTimeAsync(60_000)
    expect([started.length, made.report().length]).toEqual([2, 0])
  })
  test('once it is stopped starts nothing', async () => {
    const { made, clock } = supervisor()
    made.start('web server', ['x'])
    await made.stop()
    await crash(clock)
    expect(started).toHaveLength(1)
  })
})
