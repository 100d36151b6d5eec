// npm start: from a fresh machine to a running Zafiro.
//   --empty   without the demo shot      --port N   another port      --host A   listen elsewhere than on 127.0.0.1
//   --home F  another data folder        --dev      development server
//   --output-root F   renders may put files below the folder F, too (again for more)
//   --farm    with --host A: says how other machines render along        --no-render   this machine itself renders nothing
//   --tls-cert F, --tls-key F   speak TLS with this certificate and key
import { existsSync, mkdirSync, readFileSync, rmSync, statSync } from 'node:fs'
import { get as getPlain } from 'node:http'
import { get as getTls } from 'node:https'
import { spawn } from 'node:child_process'
import { hostname, networkInterfaces } from 'node:os'
import { join, resolve } from 'node:path'
import { setTimeout as sleep } from 'node:timers/promises'
import { parseArgs } from 'node:util'
import { startDatabase } from './database.mjs'
import { noteInLog } from './day-log.mjs'
import { freePort, isPortFree } from './ports.mjs'
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
import { prepareQueue } from './redis.mjs'
import { endProcess, isNote, isRunning, noteOf } from './processes.mjs'
import { readState, writeState } from './state-file.mjs'
import { Supervisor } from './supervisor.mjs'

const usualPort = 4310
const demoSize = process.env.ZAFIRO_DEMO_SIZE ?? '960x540'
const demoFrames = Number(process.env.ZAFIRO_DEMO_FRAMES ?? 48)
const text = { type: 'string' }

function readOptions() {
  let values
  try {
    values = parseArgs({
      options: {
        empty: { type: 'boolean', default: false },
        dev: { type: 'boolean', default: false },
        port: text,
        host: { ...text, default: '127.0.0.1' },
        home: { ...text, default: join(root, '.zafiro') },
        'tls-cert': text,
        'tls-key': text,
        farm: { type: 'boolean', default: false },
        'no-render': { type: 'boolean', default: false },
        'output-root': { ...text, multiple: true, default: [] },
      },
    }).values
  } catch (error) {
    throw new Refusal(error.message)
  }
  const port = values.port === undefined ? undefined : Number(values.port)
  if (port !== undefined && !(Number.isInteger(port) && port > 0 && port < 65536))
    throw new Refusal(`--port wants a number from 1 to 65535, but met ${values.port}.`)
  const tls = [values['tls-cert'], values['tls-key']]
  if ((tls[0] === undefined) !== (tls[1] === undefined))
    throw new Refusal('--tls-cert and --tls-key go together: a certificate and its key, both as PEM files.')
  for (const file of tls)
    if (file !== undefined) {
      try {
        readFileSync(file)
      } catch (error) {
        throw new Refusal(`${file} can not be read: ${error.message}`)
      }
    }
  const roots = values['output-root'].map((folder) => resolve(folder))
  for (const folder of roots)
    if (!statSync(folder, { throwIfNoEntry: false })?.isDirectory())
      throw new Refusal(
        `--output-root ${folder} is no folder. Make it first: Zafiro does not, as it may be a disk that is away.`,
      )
  const [cert, key] = tls.map((file) => file && resolve(file))
  return { ...values, port, home: resolve(values.home), roots, tls: cert ? { cert, key } : undefined }
}

/** Whether Zafiro answers at an address of this machine; its certificate is not ours to judge. */
function healthy(address) {
  return new Promise((done) => {
    const get = address.startsWith('https:') ? getTls : getPlain
    const request = get(`${address}/api/health`, { timeout: 3000, rejectUnauthorized: false }, (answer) => {
      answer.resume()
      done(answer.statusCode === 200)
    })
    request.on('error', () => done(false))
    request.on('timeout', () => request.destroy())
  })
}

/**
 * Takes a folder for this process alone until it ends, however it ends: a lock of the system, held by a child that ends with us.
 * Undefined when another process has it.
 */
function takeHome(home) {
  return new Promise((done, fail) => {
    const child = spawn(
      'flock',
      ['-n', '-E', '75', join(home, 'start.lock'), 'sh', '-c', 'echo held; exec cat'],
      {
        stdio: ['pipe', 'pipe', 'ignore'],
        detached: true,
      },
    )
    child.stdin.on('error', () => undefined)
    child.on('error', (error) => fail(new Refusal(`${home} can not be locked: ${error.message}`)))
    child.stdout.once('data', () => {
      child.unref()
      child.stdin.unref?.()
      child.stdout.unref?.()
      done(child)
    })
    child.on('exit', (code) =>
      code === 75 ? done(undefined) : fail(new Refusal(`${home} can not be locked. Can it be written to?`)),
    )
  })
}

function prepareHome(home) {
  try {
    mkdirSync(home, { recursive: true })
    const probe = join(home, `.probe-${process.pid}`)
    mkdirSync(probe)
    rmSync(probe, { recursive: true })
  } catch (error) {
    const why =
      error.code === 'ENOSPC'
        ? 'its disk is full. Make room, then start again.'
        : `it can not be written to (${error.code}). Choose another folder with --home FOLDER.`
    throw new Refusal(`The data folder ${home}: ${why}`)
  }
}

const isState = (s) =>
  typeof s.home === 'string' && typeof s.address === 'string' && isNote(s.owner) && Array.isArray(s.parts)

/** Makes the demo's frame (what is there already is kept) and its shot. Without it everything else still works. */
async function loadDemo(home, env) {
  const frames = join(home, 'demo')
  const program = (name) => join(root, 'dist', name)
  try {
    const isNew = !existsSync(join(frames, 'grotto.0001.exr'))
    if (isNew) say(`  rendering the first demo frame at ${demoSize}, which takes about ten seconds …`)
    await stage('first demo frame ready', () =>
      run(process.execPath, [program('stand-in.mjs'), '--size', demoSize, '--out', frames], { env }),
    )
    await stage('demo shot ready', () => run(process.execPath, [program('load-demo.mjs'), frames], { env }))
  } catch (error) {
    console.error(`  The demo shot could not be loaded; Zafiro starts without it.\n${error.message}`)
  }
}

const isOpen = (host) => !['127.0.0.1', 'localhost', '::1'].includes(host)

/** Says what it means to be open to a network, and gives the link with a key. */
async function sayHowToEnter(address, { host, tls }, env) {
  const link = await run(
    process.execPath,
    [join(root, 'bin/zafiro.mjs'), 'key', 'link', '--address', address],
    { env },
  )
  say(
    `\n${host} is open to the network. Who has this link may see and change everything; it holds a key:\n  ${link.trim()}`,
  )
  say('npx zafiro key lists keys, makes further ones and withdraws them.')
  if (!tls)
    say(
      'Without TLS whoever can listen in on the network can read the key and the pictures, and browsers on other machines do not\n' +
        'give the page the shared memory that it computes in. Give --tls-cert and --tls-key, or reach this machine through a tunnel.',
    )
}

/** An address under which others reach this machine. */
const ownAddress = () =>
  Object.values(networkInterfaces())
    .flatMap((all) => all ?? [])
    .find((one) => one.family === 'IPv4' && !one.internal)?.address ?? hostname()

/** Gives the one line that makes another machine render along. */
async function sayHowToRender(address, { host }, env) {
  if (!isOpen(host)) {
    say('\n--farm opens this installation to other machines only together with --host ADDRESS.')
    return
  }
  const reached = ['0.0.0.0', '::'].includes(host) ? address.replace('127.0.0.1', ownAddress()) : address
  const args = [join(root, 'bin/zafiro.mjs'), 'key', 'new', '--label', 'render workers']
  const key = (await run(process.execPath, args, { env })).trim().split(/\s+/).at(-1)
  say(
    `\nOn each machine that renders along, in a copy of this folder:\n  npx zafiro worker ${reached} --key ${key}`,
  )
}

/** What must be undone when the start fails half way. */
let undo = async () => undefined

async function main() {
  const options = readOptions()
  const { home } = options
  checkNode()
  prepareHome(home)
  const stateFile = join(home, 'running.json')
  const lock = await takeHome(home)
  if (!lock) {
    for (let i = 0; i < 20; i++) {
      const state = readState(stateFile, isState, () => undefined)
      if (state && isRunning(state.owner) && (await healthy(state.address))) {
        say(`Zafiro is running already: ${state.address}`)
        return
      }
      await sleep(200)
    }
    throw new Refusal(
      `Another start is under way on ${home}. Wait for the address that it prints, or give another folder with --home FOLDER.`,
    )
  }

  // Left over from a start that was ended by force: what still runs of it is ended, then all is started anew.
  const left = readState(stateFile, isState)
  if (left?.home === home)
    await Promise.all(
      [left.owner, ...left.parts]
        .filter((n) => n.name !== 'database' && n.pid !== process.pid)
        .map((n) => endProcess(n)),
    )
  rmSync(stateFile, { force: true })

  say('Starting Zafiro')
  if (options.port !== undefined && !(await isPortFree(options.port, options.host)))
    throw new Refusal(
      `Port ${options.port} is in use by another program, or ${options.host} is no address of this machine. Choose another with: npm start -- --port N`,
    )
  await ensureNodePackages()
  await ensureSystemPackages({ mariadbd: 'mariadb-server', 'redis-server': 'redis-server' })
  // Only movies need it: without it all else works, and asking for a movie says what to install.
  await ensureSystemPackages({ ffmpeg: 'ffmpeg' }).catch((error) =>
    say(`  without movies: ${error.message.split('\n')[0]}`),
  )
  await ensureBundles()
  if (!options.dev) await ensureWebBuild()
  let database = await stage('database started', () => startDatabase(join(home, 'db')))
  undo = () => database.stop()
  const queue = prepareQueue(join(home, 'queue'))
  const env = {
    ...process.env,
    ZAFIRO_HOME: home,
    ZAFIRO_DB: database.uri,
    ZAFIRO_QUEUE: queue.uri,
    ZAFIRO_OUTPUT: options.roots.join('\n'),
    NEXT_TELEMETRY_DISABLED: '1',
    NODE_ENV: options.dev ? 'development' : 'production',
  }
  await stage('database up to date', () => run(process.execPath, [join(root, 'dist/migrate.mjs')], { env }))
  if (!options.empty) await loadDemo(home, env)

  const port = options.port ?? (await freePort(usualPort, options.host))
  const shownHost = ['0.0.0.0', '::'].includes(options.host) ? '127.0.0.1' : options.host
  const address = `${options.tls ? 'https' : 'http'}://${shownHost.includes(':') ? `[${shownHost}]` : shownHost}:${port}`
  let isStopping = false
  let lastProblem = ''
  /** A full disk must not end what runs: the state is written again at the next change, or in a while. */
  const noteState = () => {
    if (isStopping) return
    try {
      const parts = [
        ...supervisor.notes(),
        ...(database.note ? [{ name: 'database', ...database.note }] : []),
      ]
      writeState(stateFile, { home, owner: noteOf(process.pid), address, parts })
      writeState(join(home, 'parts.json'), { parts: supervisor.report() })
      lastProblem = ''
    } catch (error) {
      if (error.code !== lastProblem)
        console.error(`The state of the parts could not be noted (${error.code}); going on.`)
      lastProblem = error.code
    }
  }
  const supervisor = new Supervisor({
    cwd: root,
    env,
    say: (line, words) => {
      say(line)
      noteInLog(home, words ? `${line}\n${words}` : line)
    },
    onChange: () => queueMicrotask(noteState),
  })
  setInterval(noteState, 10_000).unref()

  const stop = async (status) => {
    if (isStopping) return
    isStopping = true
    await supervisor.stop()
    await database.stop()
    rmSync(stateFile, { force: true })
    rmSync(join(home, 'parts.json'), { force: true })
    say('Zafiro has stopped.')
    process.exit(status)
  }
  undo = () => stop(1)
  for (const signal of ['SIGINT', 'SIGTERM', 'SIGHUP']) process.on(signal, () => void stop(0))

  // Found running or started here, the database is watched; a lost one is started again, for ever.
  const keepDatabase = () => {
    database.onEnd(async () => {
      say('The database stopped; starting it again.')
      for (let delay = 200; !isStopping; delay = Math.min(30_000, delay * 2)) {
        try {
          database = await startDatabase(join(home, 'db'))
          if (isStopping) return void database.stop()
          say('The database is back.')
          noteState()
          return keepDatabase()
        } catch (error) {
          console.error(error instanceof Refusal ? error.message : error)
          await sleep(delay)
        }
      }
    })
  }
  keepDatabase()

  supervisor.env = {
    ...env,
    ZAFIRO_HOST: options.host,
    ZAFIRO_PORT: String(port),
    ...(options.tls ? { ZAFIRO_TLS_CERT: options.tls.cert, ZAFIRO_TLS_KEY: options.tls.key } : {}),
  }
  supervisor.start('queue', queue.args, { command: queue.command })
  supervisor.start('web server', [join(root, 'dist/web-server.mjs')])
  if (!options['no-render']) supervisor.start('render worker', [join(root, 'dist/render-worker.mjs')])
  supervisor.start('folder watcher', [join(root, 'dist/watcher.mjs')])
  noteState()
  await stage('web server answers', async () => {
    for (let i = 0; !(await healthy(address)); i++) {
      if (i > 400) throw new Refusal('The web server did not answer within 60 s.')
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
    supervisor.start('stand-in renderer', [join(root, 'dist/stand-in.mjs'), ...args], { isEnding: true })
  }
  if (isOpen(options.host)) await sayHowToEnter(address, options, env)
  if (options.farm) await sayHowToRender(address, options, env)
  say(`\nZafiro is ready: ${address}\nCtrl-C stops it.`)
}

main().catch((error) => {
  console.error(error instanceof Refusal ? `\n${error.message}` : error)
  void undo().finally(() => process.exit(1))
})
