// npm start: from a fresh machine to a running Zafiro.
//   --empty   without the demo shot      --port N   another port      --host A   listen elsewhere than on 127.0.0.1
//   --home F  another data folder        --dev      development server
import { spawn } from 'node:child_process'
import { existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { join, resolve } from 'node:path'
import { setTimeout as sleep } from 'node:timers/promises'
import { parseArgs } from 'node:util'
import { freePort, isPortFree, startDatabase } from './database.mjs'
import {
  checkNode,
  ensureBundles,
  ensureNodePackages,
  ensureSystemPackages,
  ensureWebBuild,
  Refusal,
  root,
  run,
  say,
  stage,
} from './prepare.mjs'

const usualPort = 4310
const demoSize = process.env.ZAFIRO_DEMO_SIZE ?? '960x540'
const demoFrames = Number(process.env.ZAFIRO_DEMO_FRAMES ?? 48)

function readOptions() {
  try {
    const { values } = parseArgs({
      options: {
        empty: { type: 'boolean', default: false },
        dev: { type: 'boolean', default: false },
        port: { type: 'string' },
        host: { type: 'string', default: '127.0.0.1' },
        home: { type: 'string', default: join(root, '.zafiro') },
      },
    })
    const port = values.port === undefined ? undefined : Number(values.port)
    if (port !== undefined && !(Number.isInteger(port) && port > 0 && port < 65536))
      throw new Refusal(`--port wants a number from 1 to 65535, but met ${values.port}.`)
    return { ...values, port, home: resolve(values.home) }
  } catch (error) {
    throw new Refusal(error.message)
  }
}

const isAlive = (pid) => {
  try {
    process.kill(pid, 0)
    return true
  } catch {
    return false
  }
}

/** Whether a process is one of this installation's, and not another that was given its number since. */
function isOurs(pid) {
  try {
    return isAlive(pid) && readFileSync(`/proc/${pid}/environ`, 'utf8').includes('ZAFIRO_PART=')
  } catch {
    return false
  }
}

async function healthy(address) {
  try {
    const answer = await fetch(`${address}/api/health`, { signal: AbortSignal.timeout(3000) })
    return answer.ok
  } catch {
    return false
  }
}

/** Ends a process and what it started; by force when it does not listen. */
async function end(pid) {
  const send = (signal) => {
    try {
      process.kill(-pid, signal)
    } catch {
      /* It is gone. */
    }
  }
  send('SIGTERM')
  for (let i = 0; i < 50 && isAlive(pid); i++) await sleep(100)
  send('SIGKILL')
}

/** Makes the demo's frame (what is there already is kept) and its shot. Without it everything else still works. */
async function loadDemo(home, env) {
  const frames = join(home, 'demo')
  const program = (name) => join(root, 'dist', name)
  try {
    const isNew = !existsSync(join(frames, 'grotto.0001.exr'))
    if (isNew) say(`  rendering the first demo frame at ${demoSize}, which takes about half a minute …`)
    await stage('first demo frame ready', () =>
      run(process.execPath, [program('stand-in.mjs'), '--size', demoSize, '--out', frames], { env }),
    )
    await stage('demo shot ready', () => run(process.execPath, [program('load-demo.mjs'), frames], { env }))
  } catch (error) {
    console.error(`  The demo shot could not be loaded; Zafiro starts without it.\n${error.message}`)
  }
}

/** What must be undone when the start fails half way. */
let undo = async () => undefined

async function main() {
  const options = readOptions()
  const { home } = options
  checkNode()
  mkdirSync(home, { recursive: true })
  const stateFile = join(home, 'running.json')

  if (existsSync(stateFile)) {
    const state = JSON.parse(readFileSync(stateFile, 'utf8'))
    if (isOurs(state.owner) && (await healthy(state.address))) {
      say(`Zafiro is running already: ${state.address}`)
      return
    }
    // Left over from a start that was ended by force: what still runs of it is ended, then all is started anew.
    for (const pid of [state.owner, ...state.parts]) if (pid !== process.pid && isOurs(pid)) await end(pid)
    rmSync(stateFile, { force: true })
  }

  say('Starting Zafiro')
  if (options.port !== undefined && !(await isPortFree(options.port, options.host)))
    throw new Refusal(
      `Port ${options.port} is in use by another program. Choose another with: npm start -- --port N`,
    )
  await ensureNodePackages()
  await ensureSystemPackages({ mariadbd: 'mariadb-server' })
  await ensureBundles()
  if (!options.dev) await ensureWebBuild()
  const database = await stage('database started', () => startDatabase(join(home, 'db')))
  undo = () => database.stop()
  const env = {
    ...process.env,
    ZAFIRO_HOME: home,
    ZAFIRO_DB: database.uri,
    NEXT_TELEMETRY_DISABLED: '1',
    NODE_ENV: options.dev ? 'development' : 'production',
  }
  await stage('database up to date', () => run(process.execPath, [join(root, 'dist/migrate.mjs')], { env }))
  if (!options.empty) await loadDemo(home, env)

  const port = options.port ?? (await freePort(usualPort))
  const address = `http://${options.host === '0.0.0.0' ? '127.0.0.1' : options.host}:${port}`
  const parts = new Map()
  let isStopping = false
  const writeState = () =>
    writeFileSync(
      stateFile,
      JSON.stringify({ owner: process.pid, address, parts: [...parts.values()].map((c) => c.pid) }),
    )
  const startPart = (name, args, { isEnding = false, restarts = 0 } = {}) => {
    const child = spawn(process.execPath, args, {
      cwd: root,
      env: { ...env, ZAFIRO_PART: name },
      stdio: ['ignore', 'inherit', 'inherit'],
      detached: true,
    })
    parts.set(name, child)
    child.on('exit', (code, signal) => {
      parts.delete(name)
      if (!isStopping) writeState()
      if (isStopping || (isEnding && code === 0)) return
      if (restarts >= 5) {
        console.error(`The ${name} stopped again and again (${signal ?? code}); stopping.`)
        void stop(1)
        return
      }
      say(`The ${name} stopped (${signal ?? code}); starting it again.`)
      setTimeout(
        () => !isStopping && (startPart(name, args, { isEnding, restarts: restarts + 1 }), writeState()),
        500,
      )
    })
  }
  undo = () => stop(1)
  // On the same port and folder, so that what is connected finds it again.
  const keepDatabase = (running, restarts = 0) =>
    running.onEnd(async () => {
      if (isStopping) return
      if (restarts >= 5) return void stop(1)
      say('The database stopped; starting it again.')
      keepDatabase(await startDatabase(join(home, 'db')), restarts + 1)
    })
  keepDatabase(database)
  const stop = async (status) => {
    if (isStopping) return
    isStopping = true
    await Promise.all([...parts.values()].map((child) => end(child.pid)))
    await database.stop()
    rmSync(stateFile, { force: true })
    say('Zafiro has stopped.')
    process.exit(status)
  }
  for (const signal of ['SIGINT', 'SIGTERM', 'SIGHUP']) process.on(signal, () => void stop(0))

  const next = join(root, 'node_modules/next/dist/bin/next')
  startPart('web server', [next, options.dev ? 'dev' : 'start', '-p', String(port), '-H', options.host])
  startPart('render worker', [join(root, 'dist/render-worker.mjs')])
  startPart('folder watcher', [join(root, 'dist/watcher.mjs')])
  writeState()
  await stage('web server answers', async () => {
    for (let i = 0; !(await healthy(address)); i++) {
      if (i > 240) throw new Refusal('The web server did not answer within 60 s.')
      await sleep(150)
    }
  })
  // The other frames of the demo arrive one by one, as from an outside renderer; what is there already is kept.
  if (!options.empty && demoFrames > 1) {
    const args = [
      '--frames',
      `1-${demoFrames}`,
      '--size',
      demoSize,
      '--out',
      join(home, 'demo'),
      '--beside',
      join(home, 'work'),
    ]
    startPart('stand-in renderer', [join(root, 'dist/stand-in.mjs'), ...args], { isEnding: true })
    writeState()
  }
  say(`\nZafiro is ready: ${address}\nCtrl-C stops it.`)
}

// This process carries the mark too, so that a later start can tell it from others.
if (process.env.ZAFIRO_PART === undefined) {
  const child = spawn(process.execPath, process.argv.slice(1), {
    stdio: 'inherit',
    env: { ...process.env, ZAFIRO_PART: 'start' },
  })
  for (const signal of ['SIGINT', 'SIGTERM', 'SIGHUP']) process.on(signal, () => child.kill(signal))
  child.on('exit', (code, signal) => process.exit(code ?? (signal ? 1 : 0)))
} else {
  main().catch((error) => {
    console.error(error instanceof Refusal ? `\n${error.message}` : error)
    void undo().finally(() => process.exit(1))
  })
}
