import { spawn, type ChildProcess } from 'node:child_process'
import { readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { setTimeout as sleep } from 'node:timers/promises'

export interface PartNote {
  readonly name: string
  readonly pid: number
}

const isAlive = (pid: number) => {
  try {
    const stat = readFileSync(`/proc/${pid}/stat`, 'utf8')
    return stat.slice(stat.lastIndexOf(')') + 2, stat.lastIndexOf(')') + 3) !== 'Z'
  } catch {
    return false
  }
}

/** Processes begun by a process. */
export function childrenOf(pid: number): number[] {
  return readdirSync('/proc')
    .filter((name) => /^\d+$/.test(name))
    .map(Number)
    .filter((child) => {
      try {
        const stat = readFileSync(`/proc/${child}/stat`, 'utf8')
        return Number(stat.slice(stat.lastIndexOf(')') + 2).split(' ')[1]) === pid
      } catch {
        return false
      }
    })
}

/** An installation as `npm start` makes it, with a home of its own, kept running as a service would be. */
export class Installation {
  private child: ChildProcess | undefined
  private isWanted = true
  output = ''
  address = ''
  /** Starts that have said that they are ready. */
  readies = 0
  /** Starts that ended although nobody ended them. */
  ownEnds = 0

  constructor(
    readonly home: string,
    private readonly port: number,
    private readonly env: Readonly<Record<string, string>>,
  ) {
    this.address = `http://127.0.0.1:${port}`
  }

  get pid(): number {
    return this.child?.pid ?? 0
  }

  /** Starts and keeps it started until `stop`. */
  begin(): void {
    this.isWanted = true
    const child = spawn(
      process.execPath,
      ['scripts/start.mjs', '--home', this.home, '--port', String(this.port)],
      {
        env: { ...process.env, ...this.env },
        stdio: ['ignore', 'pipe', 'pipe'],
      },
    )
    this.child = child
    const keep = (data: Buffer) => {
      if (data.toString().includes('Zafiro is ready')) this.readies++
      this.output = (this.output + data.toString()).slice(-200_000)
    }
    child.stdout.on('data', keep)
    child.stderr.on('data', keep)
    child.on('exit', (_, signal) => {
      if (!this.isWanted || this.child !== child) return
      if (signal !== 'SIGKILL') this.ownEnds++
      // As a service manager does.
      setTimeout(() => {
        if (this.isWanted) this.begin()
      }, 300)
    })
  }

  async stop(): Promise<void> {
    this.isWanted = false
    const child = this.child
    if (!child || child.exitCode !== null || child.signalCode !== null) return
    await new Promise<void>((resolve) => {
      child.on('exit', () => {
        resolve()
      })
      child.kill('SIGINT')
    })
  }

  /** The parts that run, by the state that the start notes. */
  parts(): PartNote[] {
    try {
      const { parts } = JSON.parse(readFileSync(join(this.home, 'running.json'), 'utf8')) as {
        parts: PartNote[]
      }
      return parts.filter(({ pid }) => isAlive(pid))
    } catch {
      return []
    }
  }

  async isHealthy(): Promise<boolean> {
    try {
      const answer = await fetch(`${this.address}/api/health`, { signal: AbortSignal.timeout(3000) })
      await answer.arrayBuffer()
      return answer.ok
    } catch {
      return false
    }
  }

  /** Whether everything that has to run does, and answers. */
  async isWhole(): Promise<boolean> {
    const names = this.parts().map((p) => p.name)
    const wanted = ['web server', 'render worker', 'folder watcher', 'database', 'queue']
    return wanted.every((name) => names.includes(name)) && (await this.isHealthy())
  }

  /** Milliseconds until everything runs again, with so many starts done; undefined when it does not within the limit. */
  async untilWhole(limitMs: number, readies = 0): Promise<number | undefined> {
    const began = performance.now()
    while (performance.now() - began < limitMs) {
      if (this.readies >= readies && (await this.isWhole())) return performance.now() - began
      await sleep(40)
    }
    return undefined
  }
}
