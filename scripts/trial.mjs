// npm run chaos, npm run fuzz: long trials of reliability; see docs/reliability.md.
import { spawn } from 'node:child_process'
import { join } from 'node:path'
import {
  ensureBundles,
  ensureNodePackages,
  ensureSystemPackages,
  ensureWebBuild,
  Refusal,
  root,
} from './prepare.mjs'

const [name, ...args] = process.argv.slice(2)

async function main() {
  await ensureNodePackages()
  await ensureSystemPackages(
    name === 'chaos'
      ? { mariadbd: 'mariadb-server', faketime: 'faketime' }
      : { exrheader: 'openexr', oiiotool: 'openimageio-tools' },
  )
  await ensureBundles()
  if (name === 'chaos') await ensureWebBuild()
  const child = spawn(process.execPath, [join(root, 'dist', `${name}.mjs`), ...args], {
    cwd: root,
    stdio: 'inherit',
  })
  for (const signal of ['SIGINT', 'SIGTERM']) process.on(signal, () => child.kill(signal))
  child.on('exit', (code) => process.exit(code ?? 1))
}

main().catch((error) => {
  console.error(error instanceof Refusal ? error.message : error)
  process.exit(1)
})
