import { resolve } from 'node:path'
import { parseArgs } from 'node:util'
import { ProblemError } from '../core/comp/problem.ts'
import { FormatError } from '../core/formats/format-error.ts'
import { runBench } from './bench.ts'
import { drawEffects } from './effect-pictures.ts'
import { listEffects } from './effects.ts'
import { inspect } from './inspect.ts'
import { runKey } from './key.ts'
import { renderShotFile } from './render.ts'
import { checkStore } from '../server/media/check-store.ts'
import { UsageError } from './usage-error.ts'

const usage = `zafiro: finishes rendered frames

  zafiro inspect FILE [--pixel X,Y …] [--json]
      what a picture file holds, and stored values at pixels (file coordinates, y down)
  zafiro render SHOT.zafiro.json --frames A-B --out FOLDER --format exr|png16|png8|exr-straight|png16-premultiplied|png8-premultiplied
      renders frames of a shot file; media outside its folder only with --allow-outside
  zafiro key [list | new [--label TEXT] | withdraw ID] [--home FOLDER]
      keys of an installation that is open to a network
  zafiro store check [--repair] [--home FOLDER]
      holds every stored file against its hash; --repair puts damaged ones aside, to be taken again
  zafiro effects [--json | --markdown | --pictures FOLDER --from FRAME.exr]
      every effect with its dials, or a picture of each on a frame
  zafiro bench [--json]
      measures this machine against sharp and a plain memory copy`

/** Frames may begin below 0: `--frames -1-10` is one option with its value, not two. */
function withNegatives(args: readonly string[]): string[] {
  return args.flatMap((arg, i) => {
    if (arg === '--frames' && /^-\d/.test(args[i + 1] ?? '')) return [`--frames=${args[i + 1] ?? ''}`]
    return args[i - 1] === '--frames' && /^-\d/.test(arg) ? [] : [arg]
  })
}

const usualHome = () => process.env['ZAFIRO_HOME'] ?? '.zafiro'

const say = (line: string) => {
  process.stdout.write(line + '\n')
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
        },
      })
      const { frames, out, format } = values
      if (positionals.length !== 1 || !frames || !out)
        throw new UsageError('usage', 'render wants a shot file, --frames A-B and --out FOLDER')
      await renderShotFile(positionals[0]!, { frames, out, format, mayLeave: values['allow-outside'] }, say)
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
    case 'bench':
      await runBench(parseArgs({ args: rest, options: { json } }).values.json, say)
      return
    case undefined:
    case 'help':
    case '--help':
      say(usage)
      return
    default:
      throw new UsageError(
        'usage',
        `there is no command '${command}'; try inspect, render, key, store, effects or bench`,
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
