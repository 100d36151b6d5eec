// What must be there before anything runs: node packages, system packages, generated sources, bundles, the web build.
// Plain Node without packages, so that it runs on a fresh machine.
import { spawn, spawnSync } from 'node:child_process'
import { createHash } from 'node:crypto'
import { existsSync, mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { dirname, join, relative, resolve } from 'node:path'
import { setTimeout as sleep } from 'node:timers/promises'
import { fileURLToPath } from 'node:url'

export const root = resolve(dirname(fileURLToPath(import.meta.url)), '..')
const at = (...parts) => join(root, ...parts)

/** A failure to be told in one sentence, without a stack. */
export class Refusal extends Error {}

const isQuiet = () => process.env.ZAFIRO_QUIET === '1'
export const say = (line) => {
  if (!isQuiet()) console.log(line)
}

/** Runs a stage of the work and says how long it took. */
export async function stage(what, work) {
  const started = performance.now()
  const result = await work()
  if (result !== false) say(`  ${what} (${((performance.now() - started) / 1000).toFixed(1)} s)`)
  return result
}

/** Runs a command to its end; its output is shown only when it fails. */
export function run(command, args, options = {}) {
  return new Promise((done, fail) => {
    const child = spawn(command, args, { cwd: root, stdio: ['ignore', 'pipe', 'pipe'], ...options })
    let output = ''
    const keep = (data) => {
      output = (output + data).slice(-20000)
    }
    child.stdout?.on('data', keep)
    child.stderr?.on('data', keep)
    child.on('error', (error) => fail(new Refusal(`${command} could not be started: ${error.message}`)))
    child.on('exit', (code) =>
      code === 0
        ? done(output)
        : fail(new Refusal(`${command} ${args.slice(0, 3).join(' ')} failed:\n${output.trim()}`)),
    )
  })
}

function hashOf(files) {
  const hash = createHash('sha256')
  // Relative names: the same sources give the same hash wherever they lie.
  for (const file of files) hash.update(relative(root, file)).update(readFileSync(file))
  return hash.digest('hex')
}

function filesBelow(folder, wanted = () => true) {
  return readdirSync(folder, { withFileTypes: true })
    .sort((a, b) => (a.name < b.name ? -1 : 1))
    .flatMap((entry) => {
      const path = join(folder, entry.name)
      if (entry.isDirectory()) return filesBelow(path, wanted)
      return wanted(entry.name) ? [path] : []
    })
}

/** Does work when the files it depends on have changed since it was last done. */
async function whenStale(stampFile, files, result, work) {
  const stamp = hashOf(files)
  if (
    result.every((f) => existsSync(f)) &&
    existsSync(stampFile) &&
    readFileSync(stampFile, 'utf8') === stamp
  )
    return false
  rmSync(stampFile, { force: true })
  await work()
  mkdirSync(dirname(stampFile), { recursive: true })
  writeFileSync(stampFile, stamp)
  return true
}

export function checkNode() {
  const [major, minor] = process.versions.node.split('.').map(Number)
  if (major < 20 || (major === 20 && minor < 9))
    throw new Refusal(`Zafiro needs Node 20.9 or newer; this is ${process.versions.node}.`)
}

export function ensureNodePackages() {
  return stage('node packages installed', () =>
    whenStale(
      at('node_modules/.zafiro-stamp'),
      [at('package.json'), at('package-lock.json')],
      [at('node_modules/next')],
      () => run('npm', ['install', '--no-audit', '--no-fund']),
    ),
  )
}

function find(command) {
  if (command.startsWith('/')) return existsSync(command) ? command : undefined
  const folders = [...(process.env.PATH ?? '').split(':'), '/usr/sbin', '/usr/bin', '/usr/local/sbin']
  return folders.map((f) => join(f, command)).find((f) => existsSync(f))
}

/** Installs Debian packages whose command (or file, by its whole path) is missing: { mariadbd: 'mariadb-server' }. */
export async function ensureSystemPackages(wanted) {
  const missing = Object.entries(wanted)
    .filter(([command]) => !find(command))
    .map(([, name]) => name)
  if (find('dpkg-query')) for (const name of Object.values(wanted)) await whenSetUp(name)
  if (missing.length === 0) return
  const command = `apt-get install -y --no-install-recommends ${missing.join(' ')}`
  if (process.getuid?.() !== 0 || !find('apt-get'))
    throw new Refusal(
      `These system packages are missing: ${missing.join(', ')}.\nInstall them with:\n  sudo ${command}`,
    )
  await stage(`system packages installed: ${missing.join(', ')}`, async () => {
    const env = { ...process.env, DEBIAN_FRONTEND: 'noninteractive' }
    // Someone else's installation, such as that of another start, is waited for.
    const patience = ['-o', 'DPkg::Lock::Timeout=600', '-o', 'APT::Get::Assume-Yes=true']
    await run('apt-get', ['update', ...patience], { env })
    await run('apt-get', [...command.split(' ').slice(1), ...patience], { env })
  })
}

/** Waits while Debian's own programs are still setting a package up: its commands may be there before its files are. */
async function whenSetUp(name) {
  const state = () =>
    spawnSync('dpkg-query', ['-W', '-f', '${Status}', name], { encoding: 'utf8' }).stdout?.trim() ?? ''
  for (let i = 0; /(?:half|unpacked|triggers|reinstreq)/.test(state()); i++) {
    if (i === 0) say(`  ${name} is still being installed by another program; waiting for it …`)
    if (i > 600)
      throw new Refusal(
        `${name} has been half installed for ten minutes. Finish it with:\n  sudo dpkg --configure -a`,
      )
    await sleep(1000)
  }
}

/** Kernels, effect registry, and the programs of the server side as single files in dist/. */
export async function ensureBundles() {
  const isSource = (name) => /\.(ts|tsx|sql)$/.test(name) && !/\.(gen|test)\.ts$/.test(name)
  const files = [
    ...filesBelow(at('src'), isSource),
    ...filesBelow(at('demo'), isSource),
    ...filesBelow(at('e2e'), isSource),
    ...filesBelow(at('trials'), isSource),
    at('scripts/prepare.mjs'),
    at('scripts/generate.mjs'),
  ]
  return stage('kernels and programs built', () =>
    whenStale(
      at('dist/.stamp'),
      files,
      [at('dist/cli.mjs'), at('src/core/effects/index.gen.ts')],
      async () => {
        await run(process.execPath, [at('scripts/generate.mjs')])
        const { build } = await import('esbuild')
        await build({
          entryPoints: {
            cli: at('src/cli/main.ts'),
            'pool-worker': at('src/server/engine/pool-worker.ts'),
            'file-thread': at('src/cli/file-thread.ts'),
            'decode-process': at('src/server/media/decode-process.ts'),
            'decode-helper': at('src/server/media/decode-helper.ts'),
            'web-server': at('src/server/web/web-server.ts'),
            'render-thread': at('src/server/render/render-thread.ts'),
            'render-worker': at('src/server/render/render-worker.ts'),
            watcher: at('src/server/media/watch-main.ts'),
            migrate: at('src/server/db/migrate-main.ts'),
            'stand-in': at('demo/stand-in.ts'),
            'load-demo': at('demo/load-demo.ts'),
            'draw-look': at('demo/draw-look.ts'),
            chaos: at('trials/chaos.ts'),
            fuzz: at('trials/fuzz.ts'),
            'measure-dial': at('e2e/measure-dial.ts'),
            'measure-timing': at('e2e/measure-timing.ts'),
            'measure-sizes': at('e2e/measure-sizes.ts'),
          },
          outdir: at('dist'),
          outExtension: { '.js': '.mjs' },
          bundle: true,
          platform: 'node',
          format: 'esm',
          target: 'node20',
          packages: 'external',
          sourcemap: true,
          logLevel: 'warning',
        })
      },
    ),
  )
}

/** The web application, built for production. */
export async function ensureWebBuild() {
  const isSource = (name) => /\.(ts|tsx|css)$/.test(name) && !/\.(gen|test)\.ts$/.test(name)
  const files = [
    ...filesBelow(at('src'), isSource),
    ...['package-lock.json', 'next.config.ts', 'postcss.config.mjs'].map((f) => at(f)),
  ]
  return stage('web application built', () =>
    whenStale(at('.next/.zafiro-stamp'), files, [at('.next/BUILD_ID')], () =>
      run(process.execPath, [at('node_modules/next/dist/bin/next'), 'build'], {
        env: { ...process.env, NEXT_TELEMETRY_DISABLED: '1', NODE_ENV: 'production' },
      }),
    ),
  )
}
