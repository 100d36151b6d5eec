import { existsSync, readFileSync, rmSync } from 'node:fs'
import { join } from 'node:path'
import { home } from './app.ts'

/** Before all browser tests nothing is left of earlier ones; after them the application that they shared is ended. */
export default function endDemo() {
  rmSync(home, { recursive: true, force: true })
  return async () => {
    const path = join(home, 'running.json')
    if (!existsSync(path)) return
    const { owner } = JSON.parse(readFileSync(path, 'utf8')) as { owner: { pid: number } }
    try {
      process.kill(owner.pid, 'SIGINT')
    } catch {
      return
    }
    for (let i = 0; i < 100 && existsSync(path); i++) await new Promise((resolve) => setTimeout(resolve, 100))
  }
}
