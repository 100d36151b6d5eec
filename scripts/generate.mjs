// Writes what is derived from sources and not kept in git: the kernels as WebAssembly and the effect registry.
import { execFileSync } from 'node:child_process'
import { existsSync, mkdirSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs'
import { dirname, join, resolve } from 'node:path'
import { fileURLToPath } from 'node:url'

const root = resolve(dirname(fileURLToPath(import.meta.url)), '..')
const at = (...parts) => join(root, ...parts)

function writeIfChanged(file, text) {
  if (existsSync(file) && readFileSync(file, 'utf8') === text) return
  writeFileSync(file, text)
}

function newest(folder) {
  return Math.max(...readdirSync(folder).map((name) => statSync(join(folder, name)).mtimeMs))
}

/** Compiles AssemblyScript to a base64 string inside a module, so that browser and server load it the same way. */
function compile(folder, name, options) {
  const target = join(folder, `${name}.gen.ts`)
  const sources = join(folder, 'assembly')
  if (existsSync(target) && statSync(target).mtimeMs > newest(sources)) return
  mkdirSync(at('dist'), { recursive: true })
  const wasm = at('dist', `${name}.wasm`)
  const common = '-O3 --noAssert --runtime stub'
  execFileSync(
    process.execPath,
    [
      at('node_modules/assemblyscript/bin/asc.js'),
      join(sources, 'index.ts'),
      ...`${common} ${options}`.split(' '),
      '-o',
      wasm,
    ],
    { stdio: 'inherit' },
  )
  const base64 = readFileSync(wasm).toString('base64')
  writeFileSync(target, `${exportedTypes(sources)}export const ${name}Wasm =\n  '${base64}'\n`)
}

/** What TypeScript has to know of the functions in AssemblyScript: their arguments, and which of them work on rows that threads share. */
function exportedTypes(folder) {
  const index = readFileSync(join(folder, 'index.ts'), 'utf8')
  const files = ['./index', ...[...index.matchAll(/export (?:\*|\{[^}]*\}) from '(.+)'/g)].map((m) => m[1])]
  const functions = files.flatMap((file) => {
    const text = readFileSync(join(folder, `${file}.ts`), 'utf8')
    return [...text.matchAll(/^export function (\w+)\(([^)]*)\)\s*:\s*(\w+)/gm)].map(
      ([, name, list, result]) => ({
        name,
        args: list.split(',').flatMap((one) => one.trim().split(':')[0].trim() || []),
        result: result === 'void' ? 'void' : 'number',
      }),
    )
  })
  const rows = functions.filter(({ args }) => /^[yn]0,[yn]1$/.test(args.slice(-2).join()))
  const line = ({ name, args, result }) =>
    `  ${name}(${args.map((arg) => `${arg}: number`).join(', ')}): ${result}\n`
  return (
    `export interface Exports {\n${functions.map(line).join('')}}\n` +
    `/** Those that work on rows from one to before another, their last two arguments. */\n` +
    `export const rowFunctions = [${rows.map(({ name }) => `'${name}'`).join(', ')}] as const\n`
  )
}

/** The pixel kernels, on a memory that threads share; and the stand-in renderer, whose threads have each their own. */
export function generateKernels() {
  const shared =
    '--enable simd,threads --sharedMemory --importMemory --initialMemory 16 --maximumMemory 65536'
  compile(at('src/core/kernels'), 'kernels', shared)
  compile(at('demo'), 'tracer', '--enable simd --initialMemory 896')
  compile(at('src/core/codec'), 'codec', '--enable simd --initialMemory 4')
}

/** Lists every effect file in a registry module. */
export function generateEffects() {
  const folder = at('src/core/effects')
  const isEffect = (name) =>
    /^[a-z0-9-]+\.ts$/.test(name) &&
    readFileSync(join(folder, name), 'utf8').includes('export default defineEffect(')
  const ids = readdirSync(folder)
    .filter(isEffect)
    .map((name) => name.slice(0, -3))
    .sort()
  const variable = (id) => id.replace(/-(.)/g, (_, c) => c.toUpperCase())
  writeIfChanged(
    join(folder, 'index.gen.ts'),
    ids.map((id) => `import ${variable(id)} from './${id}.ts'\n`).join('') +
      `\nexport const effectList = [${ids.map(variable).join(', ')}] as const\n`,
  )
}

/** Lists every type of dial: its rules, and the types of their declarations as one. */
export function generateDialTypes() {
  const folder = at('src/core/dials')
  const names = readdirSync(folder)
    .filter((name) => /^[a-z]+\.ts$/.test(name))
    .filter((name) => readFileSync(join(folder, name), 'utf8').includes('export default defineDialType'))
    .map((name) => name.slice(0, -3))
    .filter((name) => name !== 'dials')
    .sort()
  const declared = (name) => `${name[0].toUpperCase()}${name.slice(1)}Dial`
  writeIfChanged(
    join(folder, 'index.gen.ts'),
    names
      .map((name) => `import ${name}Type, { type ${declared(name)} } from './${name}.ts'\n`)
      .concat(names.map((name) => `export * from './${name}.ts'\n`))
      .join('') +
      `\nexport const dialTypes = { ${names.map((name) => `${name}: ${name}Type`).join(', ')} } as const\n` +
      `export type Dial = ${names.map(declared).join(' | ')}\n`,
  )
}

/** Lists every kind of pass. */
export function generatePassKinds() {
  const folder = at('src/core/passes')
  const names = readdirSync(folder)
    .filter((name) => readFileSync(join(folder, name), 'utf8').includes('export default definePassKind('))
    .map((name) => name.slice(0, -3))
    .sort()
  writeIfChanged(
    join(folder, 'index.gen.ts'),
    names.map((name) => `import ${name} from './${name}.ts'\n`).join('') +
      `\nexport const passRules = [${names.join(', ')}] as const\n`,
  )
}

export function generate() {
  generatePassKinds()
  generateDialTypes()
  generateKernels()
  generateEffects()
}

if (process.argv[1] === fileURLToPath(import.meta.url)) generate()
