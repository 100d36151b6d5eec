import { writeFileSync } from 'node:fs'

/** Counts the tests of a run for the closing line; what could not be loaded counts as failed. */
export default class ClosingLine {
  onTestRunEnd(modules, errors) {
    const count = { passed: 0, failed: errors.length, skipped: 0 }
    for (const module of modules) {
      const tests = [...module.children.allTests()]
      if (tests.length === 0 && module.state() === 'failed') count.failed++
      for (const test of tests) count[test.result().state]++
    }
    if (process.env.ZAFIRO_COUNT) writeFileSync(process.env.ZAFIRO_COUNT, JSON.stringify(count))
  }
}
