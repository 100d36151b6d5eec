// Kills, restarts, full disks, clock steps and hostile files while people save, bring in and render; at the end everything that was
// acknowledged is compared.  node dist/chaos.mjs --minutes N [--seed N] [--home FOLDER] [--json FILE]
import { execFileSync, spawnSync } from 'node:child_process'
import { existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, statfsSync, writeFileSync } from 'node:fs'
import { createServer } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { setTimeout as sleep } from 'node:timers/promises'
import { parseArgs } from 'node:util'
import { createConnection, type RowDataPacket } from 'mysql2/promise'
import type { Comp } from '../src/core/comp/schema.ts'
import { Client, hashOf, Tally } from './client.ts'
import { childrenOf, Installation } from './installation.ts'
import { Random } from './random.ts'
import { saveNumber, Workload } from './workload.ts'

const { values } = parseArgs({
  options: {
    minutes: { type: 'string', default: '60' },
    seed: { type: 'string', default: '1' },
    json: { type: 'string' },
    /** Room of the disk that the home lies on. */
    megabytes: { type: 'string', default: '3000' },
  },
})
const minutes = Number(values.minutes)
const random = new Random(Number(values.seed))
const say = (line: string) => {
  console.log(`${new Date().toISOString().slice(11, 19)} ${line}`)
}

const base = mkdtempSync(join(tmpdir(), 'zafiro-chaos-'))
/** A small disk of its own, where this machine lets us have one. */
const disk = join(base, 'disk')
mkdirSync(disk)
const hasDisk =
  spawnSync('mount', ['-t', 'tmpfs', '-o', `size=${values.megabytes}m`, 'tmpfs', disk]).status === 0
const home = join(disk, 'home of chaos #1')
mkdirSync(home)

/** A clock that can be set for the installation alone, where the package for it is there. */
const clockLibrary = [
  '/usr/lib/x86_64-linux-gnu/faketime/libfaketimeMT.so.1',
  '/usr/lib/aarch64-linux-gnu/faketime/libfaketimeMT.so.1',
].find(existsSync)
const clockFile = join(base, 'clock')
let clockOffset = 0
const setClock = (seconds: number) => {
  clockOffset = seconds
  writeFileSync(clockFile, `${seconds >= 0 ? '+' : ''}${seconds}\n`)
}
setClock(0)

const freePort = () =>
  new Promise<number>((resolve) => {
    const server = createServer().listen(0, '127.0.0.1', () => {
      const { port } = server.address() as { port: number }
      server.close(() => {
        resolve(port)
      })
    })
  })

const app = new Installation(home, await freePort(), {
  ZAFIRO_DEMO_SIZE: '96x54',
  ZAFIRO_DEMO_FRAMES: '12',
  ...(clockLibrary
    ? {
        LD_PRELOAD: clockLibrary,
        FAKETIME_TIMESTAMP_FILE: clockFile,
        FAKETIME_NO_CACHE: '1',
        DONT_FAKE_MONOTONIC: '1',
      }
    : {}),
})

const kill = (pid: number) => {
  try {
    process.kill(pid, 'SIGKILL')
  } catch {
    /* It is gone. */
  }
}
const killPart = (name: string) => {
  for (const part of app.parts()) if (part.name === name) kill(part.pid)
}

const events = {
  'web server killed': 3,
  'render worker killed': 3,
  'folder watcher killed': 2,
  'database killed': 3,
  'queue killed': 2,
  'decoder killed': 2,
  'start killed': 1,
  'everything killed': 1,
  'stopped and started': 1,
  'disk full': hasDisk ? 1 : 0,
  'clock set': clockLibrary ? 2 : 0,
}
type Happening = keyof typeof events

/** Does something terrible. */
async function happen(what: Happening): Promise<void> {
  switch (what) {
    case 'web server killed':
    case 'render worker killed':
    case 'folder watcher killed':
    case 'database killed':
    case 'queue killed':
      killPart(what.replace(' killed', ''))
      return
    case 'decoder killed':
      for (const part of app.parts())
        if (part.name === 'web server' || part.name === 'folder watcher') childrenOf(part.pid).forEach(kill)
      return
    case 'start killed':
      kill(app.pid)
      return
    case 'everything killed': {
      const pids = app.parts().map((p) => p.pid)
      kill(app.pid)
      pids.forEach(kill)
      return
    }
    case 'stopped and started':
      await app.stop()
      app.begin()
      return
    case 'disk full': {
      const ballast = join(disk, 'ballast')
      mkdirSync(ballast)
      // Room that is given back meanwhile, by an upload that was taken, is filled again.
      for (let i = 0; i < 50 + random.below(50); i++) {
        const { bavail, bsize } = statfsSync(disk)
        if (bavail * bsize > 40_000)
          spawnSync('fallocate', ['-l', String(bavail * bsize - 8192), join(ballast, String(i))])
        await sleep(120)
      }
      rmSync(ballast, { recursive: true })
      return
    }
    case 'clock set':
      setClock(clockOffset + random.pick([-7200, -600, -61, -5, 5, 61, 600, 7200]))
  }
}

const recoveries = new Map<Happening, number[]>()
const stuck: string[] = []
const tally = new Tally()
const client = new Client(app.address, tally)
const workload = new Workload(client, random)

say(
  `home ${home}${hasDisk ? '' : ' (no disk of its own: it is never full)'}${clockLibrary ? '' : ' (the clock is never set)'}`,
)
app.begin()
if ((await app.untilWhole(240_000)) === undefined) {
  console.error(app.output)
  throw new Error('the installation did not start')
}
const working = workload.run()
const until = performance.now() + minutes * 60_000
await sleep(5000)
while (performance.now() < until) {
  const what = random.weighted(events)
  const isNewStart = what === 'start killed' || what === 'everything killed' || what === 'stopped and started'
  const readies = app.readies + (isNewStart ? 1 : 0)
  await happen(what)
  // Marks of the dead are noted before they are looked for.
  await sleep(60)
  const ms = await app.untilWhole(90_000, readies)
  if (ms === undefined)
    stuck.push(`${what}: not whole again after 90 s; its output ends with ${app.output.slice(-1500)}`)
  else recoveries.set(what, [...(recoveries.get(what) ?? []), ms])
  say(`${what}: ${ms === undefined ? 'STUCK' : `whole after ${(ms / 1000).toFixed(1)} s`}`)
  await sleep(2500 + random.below(6000))
}
workload.isOver = true
await working
say('nobody works any more; everything is compared')
await app.untilWhole(60_000)

// All that was acknowledged is there, and is what was sent.
const lost: string[] = []
const wrong: string[] = []
const get = async (path: string) => {
  for (let tries = 0; tries < 20; tries++) {
    const answer = await client.ask('GET', path)
    if (answer.status === 200 || answer.status === 404) return answer
    await sleep(500)
  }
  return client.ask('GET', path)
}
const { kept } = workload
const { password } = JSON.parse(readFileSync(join(home, 'db/settings.json'), 'utf8')) as { password: string }
// The way to the socket is as the database was told it.
const socketPath = execFileSync(
  'sh',
  [
    '-c',
    'tr "\\0" "\\n" < "/proc/$1/cmdline" | sed -n "s/^--socket=//p"',
    'sh',
    String(app.parts().find((p) => p.name === 'database')?.pid ?? 0),
  ],
  { encoding: 'utf8' },
).trim()
const db = await createConnection({ user: 'zafiro', password, database: 'zafiro', socketPath })

let saves = 0
for (const [shot, byRevision] of kept.saves) {
  const [rows] = await db.query<(RowDataPacket & { revision: number; doc: Comp })[]>(
    'select revision, doc from comp_revisions where shot_id = ?',
    [shot],
  )
  const docs = new Map(rows.map((r) => [r.revision, r.doc]))
  const newest = Math.max(...docs.keys())
  for (const [revision, n] of byRevision) {
    saves++
    // Older revisions are let go of.
    if (revision <= newest - 500) continue
    const doc = docs.get(revision)
    if (!doc) lost.push(`save ${n} of ${shot}, revision ${revision}`)
    else if (saveNumber(doc) !== n)
      wrong.push(`revision ${revision} of ${shot} holds save ${saveNumber(doc)}, not ${n}`)
  }
}
for (const shot of kept.shots) {
  const { status } = await get(`/api/shots/${shot}`)
  if (status !== 200) lost.push(`shot ${shot} answers ${status}`)
}
const [shotRows] = await db.query<(RowDataPacket & { id: string })[]>('select id from shots')
for (const { id } of shotRows)
  if ((await get(`/api/shots/${id}`)).status !== 200) wrong.push(`shot ${id} can not be opened`)
const tables = new Map<string, Record<string, { frames: Record<number, string> }>>()
for (const { shot, file, frame, hash } of kept.imports) {
  const table =
    tables.get(shot) ??
    (
      (await get(`/api/shots/${shot}/media`)).data as {
        media: Record<string, { frames: Record<number, string> }>
      }
    ).media
  tables.set(shot, table)
  if (!Object.values(table).some((m) => m.frames[frame] === hash)) lost.push(`frame ${file} of ${shot}`)
  const path = join(home, 'store', hash.slice(0, 2), hash)
  if (!existsSync(path)) lost.push(`stored file of ${file}`)
  else if (hashOf(readFileSync(path)) !== hash) wrong.push(`stored file of ${file}`)
}
for (const { shot, id, hash } of kept.stills) {
  const { status, data } = await get(`/api/shots/${shot}/stills/${id}`)
  if (status !== 200) lost.push(`still ${id}`)
  else if (hashOf(data as Uint8Array) !== hash) wrong.push(`still ${id}`)
}
for (const [shot, hash] of kept.thumbnails) {
  const { status, data } = await get(`/api/shots/${shot}/thumbnail`)
  if (status !== 200) lost.push(`thumbnail of ${shot}`)
  else if (hashOf(data as Uint8Array) !== hash) wrong.push(`thumbnail of ${shot}`)
}
interface Frame {
  readonly frame: number
  readonly state: string
  readonly problem: string | null
  readonly files: readonly string[]
}
let rendered = 0
const pictures = new Map<number, string>()
const renderUntil = performance.now() + 180_000
for (const id of kept.renders) {
  for (;;) {
    const answer = await get(`/api/renders/${id}`)
    const frames = (answer.data as { frames?: Frame[] } | undefined)?.frames
    if (!frames) {
      lost.push(`render ${id}`)
      break
    }
    const isOpen = frames.some((f) => f.state === 'waiting' || f.state === 'working')
    if (isOpen && performance.now() < renderUntil) {
      await sleep(500)
      continue
    }
    if (isOpen) stuck.push(`render ${id}: ${JSON.stringify(frames)}`)
    for (const { frame, state, problem, files } of frames) {
      if (state !== 'done') {
        wrong.push(`frame ${frame} of render ${id} is ${state}: ${problem ?? ''}`)
        continue
      }
      rendered++
      for (const file of files) {
        const made = await get(`/api/renders/${id}/files/${file}`)
        const hash = made.status === 200 ? hashOf(made.data as Uint8Array) : 'absent'
        if ((pictures.get(frame) ?? hash) !== hash)
          wrong.push(`${file} of render ${id} differs from the others`)
        pictures.set(frame, hash)
      }
    }
    break
  }
}
interface DemoMedia {
  readonly media: Record<string, { name: string; frames: Record<number, string> }>
}
for (let i = 0; i < 240; i++) {
  const { media } = (await get('/api/shots/grottodemo01/media')).data as DemoMedia
  if (Object.values(media).every((m) => Object.keys(m.frames).length === 12)) break
  if (i === 239)
    stuck.push(
      `the demo has ${Object.values(media)
        .map((m) => `${m.name} ${Object.keys(m.frames).length}`)
        .join(', ')} of 12 frames`,
    )
  await sleep(500)
}
await db.end()
await app.stop()

const figures = [...recoveries].map(([what, ms]) => {
  const sorted = ms.toSorted((a, b) => a - b)
  return {
    what,
    times: ms.length,
    medianMs: Math.round(sorted[Math.floor(ms.length / 2)]!),
    worstMs: Math.round(sorted.at(-1)!),
  }
})
const report = {
  minutes,
  acknowledged: {
    saves,
    shots: kept.shots.length,
    imports: kept.imports.length,
    stills: kept.stills.length,
    thumbnails: kept.thumbnails.size,
    renders: kept.renders.length,
    renderedFrames: rendered,
  },
  answers: Object.fromEntries([...tally.statuses].sort((a, b) => a[0] - b[0])),
  lost: lost.length,
  wrong: wrong.length + tally.wrong.length,
  stuck: stuck.length,
  hung: tally.hung,
  crashed: app.ownEnds,
  recovery: figures,
}
console.log(JSON.stringify(report, undefined, 2))
for (const line of [
  ...lost.map((l) => `LOST ${l}`),
  ...wrong.map((w) => `WRONG ${w}`),
  ...tally.wrong.map((w) => `WRONG ANSWER ${w}`),
  ...stuck.map((s) => `STUCK ${s}`),
].slice(0, 60))
  console.log(line)
if (values.json) writeFileSync(values.json, JSON.stringify(report))
if (hasDisk) spawnSync('umount', ['-l', disk])
rmSync(base, { recursive: true, force: true })
const slow = figures.filter(
  ({ what, worstMs }) =>
    worstMs >
      (what === 'everything killed' || what === 'start killed' || what === 'stopped and started'
        ? 15_000
        : 5000) && what !== 'disk full',
)
for (const { what, worstMs } of slow) console.log(`SLOW ${what}: ${worstMs} ms`)
const isClean = report.lost + report.wrong + report.stuck + report.hung + report.crashed === 0
process.exit(isClean ? 0 : 1)
