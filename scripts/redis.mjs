// The installation's own Redis, which hands out frames: reached by a socket that only its owner can open, with a password.
import { randomBytes } from 'node:crypto'
import { spawnSync } from 'node:child_process'
import { chmodSync, existsSync, mkdirSync, rmSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { plainPath } from './database.mjs'
import { say } from './prepare.mjs'
import { readState, writeState } from './state-file.mjs'

/** Libraries that are loaded before all others, such as one that sets the clock, can keep Redis's allocator from starting. */
const plainly = ['-u', 'LD_PRELOAD']

const isSettings = (s) => typeof s.password === 'string'

/**
 * Prepares the folder of the queue. Gives back what starts its server, which is restarted by whoever runs it, and where it is
 * reached. What it holds is written to an append-only file; if that is lost, the queue is made again from the database.
 */
export function prepareQueue(folder) {
  mkdirSync(folder, { recursive: true, mode: 0o700 })
  chmodSync(folder, 0o700)
  const base = plainPath(folder)
  const kept = join(folder, 'queue.json')
  const known = readState(kept, isSettings)
  const password = known?.password ?? randomBytes(24).toString('hex')
  if (!known) writeState(kept, { password })
  const socket = join(base, 'queue.sock')
  rmSync(socket, { force: true })
  const log = join(folder, 'appendonlydir')
  const manifest = join(log, 'appendonly.aof.manifest')
  const check = () => spawnSync('env', [...plainly, 'redis-check-aof', manifest], { timeout: 20_000 }).status
  if (existsSync(manifest) && (check() ?? 0) !== 0) {
    say('  what the queue of renders kept is damaged; it is made again from the database.')
    rmSync(log, { recursive: true, force: true })
  }
  // The password is in a file, as the words of a command can be read by all of the machine.
  const settings = join(base, 'redis.conf')
  const lines = [
    'port 0',
    `unixsocket ${socket}`,
    'unixsocketperm 700',
    `requirepass ${password}`,
    `dir ${base}`,
    'appendonly yes',
    // A disk that is busy must not hold it up: what a loss of power takes is made again from the database.
    'appendfsync no',
    'save ""',
    'maxmemory-policy noeviction',
    `logfile ${join(base, 'redis.log')}`,
    'daemonize no',
  ]
  writeFileSync(settings, `${lines.join('\n')}\n`, { mode: 0o600 })
  return {
    command: 'env',
    args: [...plainly, 'redis-server', settings],
    uri: `redis+unix://${socket}?password=${password}`,
  }
}
