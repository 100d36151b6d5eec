// npm test: everything that must hold, from a fresh machine; ends with 'N passed, N failed'.
import { existsSync, mkdirSync, readFileSync, rmSync } from 'node:fs'
import { availableParallelism } from 'node:os'
import { join } from 'node:path'
import { spawn } from 'node:child_process'
import { startDatabase, stopDatabase } from './database.mjs'
import { prepareQueue } from './redis.mjs'
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

const home = join(root, '.zafiro/test')
const total = { passed: 0, failed: 0 }
/** What failed outside of single tests, said again at the end. */
const failed = []
/** The slowest tests of each run. */
const slowest = []

/** A check that either holds or does not, such as lint; counts as one test. */
async function check(what, command, args) {
  try {
    await stage(what, () => run(command, args))
    total.passed++
  } catch (error) {
    total.failed++
    failed.push(`${what}: ${String(error.message).trim().slice(-600)}`)
    console.error(`\n${what} failed\n${error.message}\n`)
  }
}

/** Runs projects of Vitest and adds up their tests; what is run beside another says all at its end. */
async function vitest(projects, env, isBeside = false) {
  const counts = join(home, `${projects.join('-')}.json`)
  rmSync(counts, { force: true })
  const status = await new Promise((done) => {
    const script = join(root, 'node_modules/vitest/vitest.mjs')
    const chosen = projects.flatMap((name) => ['--project', name])
    const args = [script, 'run', ...chosen, ...process.argv.slice(2)]
    const options = { cwd: root, env: { ...process.env, ...env, ZAFIRO_COUNT: counts } }
    if (!isBeside) {
      spawn(process.execPath, args, { ...options, stdio: 'inherit' }).on('exit', done)
      return
    }
    const said = []
    const all = ['--maxWorkers', String(Math.max(2, availableParallelism()))]
    // Files of the database share it, one after the other.
    const workers = projects.includes('database') ? [] : all
    const child = spawn(process.execPath, [...args, ...workers], {
      ...options,
      stdio: ['ignore', 'pipe', 'pipe'],
    })
    for (const output of [child.stdout, child.stderr]) output.on('data', (data) => said.push(data))
    child.on('close', (code) => {
      process.stdout.write(Buffer.concat(said))
      done(code)
    })
  })
  const found = existsSync(counts) ? JSON.parse(readFileSync(counts, 'utf8')) : { passed: 0, failed: 1 }
  total.passed += found.passed
  total.failed += found.failed
  slowest.push(...(found.slowest ?? []))
  for (const name of found.failures ?? []) failed.push(name)
  if (status !== 0 && found.failed === 0) {
    total.failed++
    failed.push(`tests (${projects.join(', ')}): ended with status ${status}`)
  }
}

/** Tests on a database and a queue of their own. */
async function databaseTests() {
  const folder = join(home, 'unit-db')
  const database = await startDatabase(folder)
  const queue = prepareQueue(join(home, 'unit-queue'))
  const redis = spawn(queue.command, queue.args, { stdio: 'ignore' })
  try {
    const env = { ZAFIRO_DB: database.uri, ZAFIRO_QUEUE: queue.uri, ZAFIRO_HOME: home }
    await vitest(['database'], env, true)
  } finally {
    redis.kill()
    await stopDatabase(folder)
  }
}

/** What is read rather than run, and what waits for a database more than it computes. */
async function checks() {
  const bin = (name) => join(root, 'node_modules/.bin', name)
  await check('types', bin('tsc'), ['--noEmit'])
  await check('format', bin('prettier'), ['--check', '--log-level', 'warn', '.'])
  await check('layers and cycles', bin('depcruise'), ['--config', '.dependency-cruiser.cjs', 'src', 'demo'])
  await check('lint', bin('eslint'), ['.'])
  await databaseTests()
}

async function main() {
  checkNode()
  await ensureNodePackages()
  await ensureSystemPackages({
    mariadbd: 'mariadb-server',
    'redis-server': 'redis-server',
    chromium: 'chromium',
    chromedriver: 'chromium-driver',
    exrheader: 'openexr',
    oiiotool: 'openimageio-tools',
    openssl: 'openssl',
    curl: 'curl',
    ffmpeg: 'ffmpeg',
    faketime: 'faketime',
    '/usr/share/doc/python3-pyopencolorio': 'python3-pyopencolorio',
    '/usr/share/color/icc/colord/sRGB.icc': 'colord-data',
  })
  await ensureBundles()
  mkdirSync(home, { recursive: true })
  await Promise.all([checks(), vitest(['core', 'unit'], {}, true)])
  // Those in the browser come last and alone: they have limits of time.
  await ensureWebBuild()
  await vitest(['browser'], { ZAFIRO_TEST_HOME: join(home, 'app') })
}

main()
  .catch((error) => {
    total.failed++
    console.error(error instanceof Refusal ? error.message : error)
  })
  .finally(() => {
    say('')
    if (slowest.length > 0) console.log('The slowest ten:')
    for (const { name, ms } of slowest.sort((a, b) => b.ms - a.ms).slice(0, 10))
      console.log(`  ${(ms / 1000).toFixed(1).padStart(6)} s  ${name}`)
    if (failed.length > 0) console.log('What failed:')
    for (const what of failed) console.log(`  ${what.replaceAll('\n', '\n  ')}`)
    console.log(`${total.passed} passed, ${total.failed} failed`)
    process.exit(total.failed > 0 || total.passed === 0 ? 1 : 0)
  })
