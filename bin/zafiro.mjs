#!/usr/bin/env node
// The command line. Builds what is missing or stale first, silently.
process.env.ZAFIRO_QUIET = '1'
const { ensureBundles, ensureNodePackages, Refusal } = await import('../scripts/prepare.mjs')
try {
  await ensureNodePackages()
  await ensureBundles()
} catch (error) {
  console.error(`zafiro: ${error instanceof Refusal ? error.message : error}`)
  process.exit(2)
}
const { main } = await import('../dist/cli.mjs')
await main(process.argv.slice(2))
