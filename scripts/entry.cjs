// Every command begins here: says in words what Node itself would only say in a stack.  node scripts/entry.cjs start|test|trial …
'use strict'
const { pathToFileURL } = require('node:url')
const { join } = require('node:path')

const [, , name, ...rest] = process.argv
const stumblesOver = /[\\#?]/.exec(__dirname)
if (stumblesOver) {
  console.error(
    `The path of this folder has a ${stumblesOver[0]} in it, which the programs that build Zafiro take for something else:\n  ${__dirname}\nMove or rename the folder, then start again. The data folder (--home) may lie anywhere.`,
  )
  process.exit(1)
}
const program = join(__dirname, `${name}.mjs`)
process.argv = [process.argv[0], program, ...rest]
import(pathToFileURL(program).href)
