import { resolve } from 'node:path'
import { parseArgs } from 'node:util'
import { ProblemError } from '../core/comp/problem.ts'
import { FormatError } from '../core/formats/format-error.ts'
import { runBench } from './bench.ts'
import { drawEffects } from './effect-pictures.ts'
import { listEffects } from './effects.ts'
import { inspect } from './inspect.ts'
import { runKey } from './key.ts'
import { drawRecipes, recipesReference, writeRecipes } from './recipes.ts'
import { outputFormats } from '../core/formats/write-picture.ts'
import { eventWords, progressWords, renderShotFile, type RenderEvent } from './render.ts'
import { checkStore } from '../server/media/check-store.ts'
import { submit } from './submit.ts'
import { UsageError } from './usage-error.ts'
import { renderInJobs } from './render-jobs.ts'
import { watchFolder } from './watch.ts'
import { countOption, runWorker } from './worker.ts'

const usage = `zafiro: finishes rendered frames

  zafiro inspect FILE [--pixel X,Y …] [--json]
      what a picture file holds, and stored values at pixels (file coordinates, y down)
  zafiro render SHOT.zafiro.json --frames 1-48,60 --out FOLDER [--format ${outputFormats.join('|')}]
                [--scale 1|1/2|1/4|WIDTH] [--name '{shot}.{frame}'] [--skip-existing] [--layers lights,lanes,mattes,passes] [--compression none|zips|zip|piz|dwaa] [--space rec709|p3-d65|rec2020|acescg|aces2065-1] [--movie FILE.mp4|.webm|.mov [--burn-in] [--movie-alpha]] [--threads N] [--jobs N] [--json]
      renders frames of a shot file (1-100x5 is every fifth); media outside its folder only with --allow-outside;
      ends with 0 when all frames are there, 1 when one could not be made, 2 for a wrong call
  zafiro watch FOLDER --shot SHOT.zafiro.json --out FOLDER [--frames LIST] [--format …] [--scale …] [--name …] [--layers …] [--json]
      renders each frame when it has arrived whole, and again when it comes anew; until it is stopped, or all of LIST is made
  zafiro submit ADDRESS SHOT --frames 1-48 [--key KEY] [--format … …] [--scale …] [--name …] [--layers …] [--compression …] [--into FOLDER [--existing replace|skip|version]] [--only missing|changed] [--follow] [--json]
      has a server render frames of one of its shots, named as there or by its id; --follow waits until it is through
  zafiro worker ADDRESS [--key KEY] [--jobs N] [--cache FOLDER] [--cache-limit GIGABYTES]
      renders for a server until it is stopped; ends with 3 when the server turns it away
  zafiro key [list | new [--label TEXT] | withdraw ID] [--home FOLDER]
      keys of an installation that is open to a network
  zafiro store check [--repair] [--home FOLDER]
      holds every stored file against its hash; --repair puts damaged ones aside, to be taken again
  zafiro effects [--json | --markdown | --pictures FOLDER --from FRAME.exr]
      every effect with its dials, or a picture of each on a frame
  zafiro recipes [--markdown | --files FOLDER | --pictures FOLDER --from FRAME.exr]
      the recipes of the drawer, as documents, or a picture of each on a frame
  zafiro bench [--only WORDS] [--json]
      measures this machine against sharp and a plain memory copy; --only: kernels whose name has these words; EXR: reading and writing it`

/** Frames may begin below 0: `--frames -1-10` is one option with its value, not two. */
function withNegatives(args: readonly string[]): string[] {
  return args.flatMap((arg, i) => {
    if (arg === '--frames' && /^-\d/.test(args[i + 1] ?? '')) return [`--frames=${args[i + 1] ?? ''}`]
    return args[i - 1] === '--frames' && /^-\d/.test(arg) ? [] : [arg]
  })
}

/** Whether an argument is one of these options, or the value of one; --json has none. */
function isGiven(args: readonly string[], at: number, names: readonly string[]): boolean {
  const isOne = (arg: string | undefined) => names.some((n) => arg === n || arg?.startsWith(`${n}=`))
  const before = args[at - 1]
  return (
    isOne(args[at]) || (isOne(before) && before !== '--json' && before?.includes('=') === false && at > 0)
  )
}

const usualHome = () => process.env['ZAFIRO_HOME'] ?? '.zafiro'

const say = (line: string) => {
  process.stdout.write(line + '\n')
}

const sayJson = (event: RenderEvent) => {
  say(JSON.stringify(event))
}

/** Events as lines; on a terminal the last line says how far it is. */
function showProgress(): (event: RenderEvent) => void {
  const isTerminal = process.stderr.isTTY
  const clear = isTerminal ? '\r\u001b[K' : ''
  return (event) => {
    const words = eventWords(event)
    if (words !== undefined) {
      process.stderr.write(clear)
      if (event.event === 'failed') process.stderr.write(`${words}\n`)
      else say(words)
    }
    const progress = progressWords(event)
    if (isTerminal && progress !== undefined) process.stderr.write(`${clear}${progress}`)
    if (isTerminal && event.event === 'end') process.stderr.write(clear)
  }
}

async function run(args: string[]): Promise<void> {
  const [command, ...rest] = withNegatives(args)
  const json = { type: 'boolean', default: false } as const
  switch (command) {
    case 'inspect': {
      const { values, positionals } = parseArgs({
        args: rest,
        allowPositionals: true,
        options: { json, pixel: { type: 'string', multiple: true, default: [] } },
      })
      if (positionals.length !== 1) throw new UsageError('usage', 'inspect wants one file')
      say(await inspect(positionals[0]!, values.pixel, values.json))
      return
    }
    case 'render': {
      const text = { type: 'string' } as const
      const { values, positionals } = parseArgs({
        args: rest,
        allowPositionals: true,
        options: {
          json,
          frames: text,
          out: text,
          format: { type: 'string', default: 'exr' },
          'allow-outside': json,
          scale: text,
          name: text,
          movie: text,
          layers: text,
          compression: text,
          space: text,
          'burn-in': json,
          'movie-alpha': json,
          threads: text,
          jobs: text,
          'skip-existing': json,
        },
      })
      const { frames, out, format } = values
      if (positionals.length !== 1 || !frames || !out)
        throw new UsageError('usage', 'render wants a shot file, --frames such as 1-48 and --out FOLDER')
      const { scale, name, movie, threads, layers, compression, space } = values
      const jobs = countOption('jobs', values.jobs, 64) ?? 1
      const report = values.json ? sayJson : showProgress()
      if (jobs > 1) {
        if (movie !== undefined)
          throw new UsageError('usage', '--movie wants its frames in order: leave --jobs out')
        const passed = rest.filter((_, i) => !isGiven(rest, i, ['--frames', '--jobs', '--threads', '--json']))
        const failed = await renderInJobs(
          passed,
          frames,
          { jobs, threads: countOption('threads', threads, 64) },
          report,
        )
        if (failed > 0) process.exitCode = 1
        return
      }
      const choice = {
        frames,
        out,
        format,
        scale,
        name,
        movie,
        threads,
        layers,
        compression,
        space,
        burnIn: values['burn-in'],
        movieAlpha: values['movie-alpha'],
        mayLeave: values['allow-outside'],
        skipExisting: values['skip-existing'],
      }
      const failed = await renderShotFile(positionals[0]!, choice, report)
      if (failed > 0) process.exitCode = 1
      return
    }
    case 'watch': {
      const text = { type: 'string' } as const
      const { values, positionals } = parseArgs({
        args: rest,
        allowPositionals: true,
        options: {
          json,
          shot: text,
          frames: text,
          out: text,
          format: { type: 'string', default: 'exr' },
          scale: text,
          name: text,
          layers: text,
          compression: text,
          space: text,
          threads: text,
        },
      })
      const { shot, out } = values
      if (positionals.length !== 1 || !shot || !out)
        throw new UsageError('usage', 'watch wants a folder, --shot FILE and --out FOLDER')
      const stopping = { isAsked: false }
      for (const signal of ['SIGINT', 'SIGTERM'] as const) process.on(signal, () => (stopping.isAsked = true))
      const report = values.json ? sayJson : showProgress()
      const choice = { ...values, out, isOver: () => stopping.isAsked }
      if ((await watchFolder(positionals[0]!, shot, choice, report)) > 0) process.exitCode = 1
      return
    }
    case 'worker': {
      const text = { type: 'string' } as const
      const { values, positionals } = parseArgs({
        args: rest,
        allowPositionals: true,
        options: { key: text, cache: text, 'cache-limit': text, jobs: text },
      })
      if (positionals.length !== 1)
        throw new UsageError('usage', 'worker wants the address of a server, such as 10.0.0.1:4310')
      process.exitCode = await runWorker(positionals[0]!, values)
      return
    }
    case 'submit': {
      const text = { type: 'string' } as const
      const { values, positionals } = parseArgs({
        args: rest,
        allowPositionals: true,
        options: {
          json,
          key: text,
          frames: text,
          format: { type: 'string', multiple: true, default: ['exr'] },
          scale: text,
          name: text,
          layers: text,
          compression: text,
          space: text,
          into: text,
          existing: { type: 'string', default: 'replace' },
          only: { type: 'string', default: 'all' },
          follow: json,
        },
      })
      const [address, shot] = positionals
      if (positionals.length !== 2 || !address || !shot || !values.frames)
        throw new UsageError(
          'usage',
          'submit wants the address of a server, a shot and --frames such as 1-48',
        )
      const failed = await submit(address, shot, { ...values, frames: values.frames }, say)
      if (failed > 0) process.exitCode = 1
      return
    }
    case 'key': {
      const text = { type: 'string' } as const
      const { values, positionals } = parseArgs({
        args: rest,
        allowPositionals: true,
        options: { label: text, address: text, home: text },
      })
      runKey(positionals, { ...values, home: values.home ?? usualHome() }, say)
      return
    }
    case 'store': {
      const { values, positionals } = parseArgs({
        args: rest,
        allowPositionals: true,
        options: { repair: json, json, home: { type: 'string' } },
      })
      if (positionals.length !== 1 || positionals[0] !== 'check')
        throw new UsageError('usage', 'store wants check [--repair]')
      const options = { repair: values.repair }
      const report = await checkStore(
        resolve(values.home ?? usualHome()),
        options,
        values.json ? () => undefined : say,
      )
      if (values.json) say(JSON.stringify(report))
      if (report.damaged.length + report.missing.length > 0) process.exitCode = 1
      return
    }
    case 'effects':
      {
        const text = { type: 'string' } as const
        const { values } = parseArgs({
          args: rest,
          options: { json, markdown: json, pictures: text, from: text },
        })
        if (values.pictures !== undefined) {
          if (values.from === undefined)
            throw new UsageError('usage', '--pictures FOLDER wants --from FRAME.exr too')
          await drawEffects(values.from, values.pictures, say)
          return
        }
        say(listEffects(values.json ? 'json' : values.markdown ? 'markdown' : 'text'))
      }
      return
    case 'recipes': {
      const text = { type: 'string' } as const
      const { values } = parseArgs({
        args: rest,
        options: { markdown: json, pictures: text, from: text, files: text },
      })
      if (values.files !== undefined) await writeRecipes(values.files, say)
      else if (values.pictures === undefined) say(recipesReference().trimEnd())
      else if (values.from === undefined)
        throw new UsageError('usage', '--pictures FOLDER wants --from FRAME.exr too')
      else await drawRecipes(values.from, values.pictures, say)
      return
    }
    case 'bench':
      {
        const { values } = parseArgs({ args: rest, options: { json, only: { type: 'string' } } })
        await runBench(values.json, values.only, say)
      }
      return
    case undefined:
    case 'help':
    case '--help':
      say(usage)
      return
    default:
      throw new UsageError(
        'usage',
        `there is no command '${command}'; try inspect, render, watch, submit, worker, key, store, effects, recipes or bench`,
      )
  }
}

function describe(error: unknown): { code: string; message: string } {
  const message = error instanceof Error ? error.message : String(error)
  if (error instanceof UsageError) return { code: error.code, message }
  if (error instanceof FormatError) return { code: 'unreadable', message }
  if (error instanceof ProblemError) return { code: 'invalid', message }
  const code = error instanceof Error && 'code' in error ? String(error.code) : 'failed'
  if (code === 'ENOSPC')
    return { code: 'disk-full', message: 'The disk is full; make room and run this again' }
  if (code.startsWith('ERR_PARSE_ARGS')) return { code: 'usage', message }
  return { code: code.toLowerCase(), message }
}

/** Runs the command line; failures end with status 2 and one line. */
export async function main(args: string[]): Promise<void> {
  try {
    await run(args)
  } catch (error) {
    const { code, message } = describe(error)
    const line = message.replace(/\s*\n\s*/g, ' ')
    if (args.includes('--json')) say(JSON.stringify({ error: { code, message: line } }))
    else process.stderr.write(`zafiro: ${line}\n`)
    process.exitCode = 2
  }
}
