import { writeFileSync } from 'node:fs'

/** Counts the tests of a run for the closing line; what could not be loaded counts as failed. */
export default class ClosingLine {
  onTestRunEnd(modules, errors) {
    const count = { passed: 0, failed: errors.length, skipped: 0 }
    const times = []
    for (const module of modules) {
      const tests = [...module.children.allTests()]
      if (tests.length === 0 && module.state() === 'failed') count.failed++
      for (const test of tests) {
        count[test.result().state]++
        times.push({ name: test.fullName, ms: test.diagnostic()?.duration ?? 0 })
      }
    }
    if (process.env.ZAFIRO_COUNT)
      writeFileSync(
        process.env.ZAFIRO_COUNT,
        JSON.stringify({ ...count, slowest: times.sort((a, b) => b.ms - a.ms).slice(0, 10) }),
      )
  }
}
