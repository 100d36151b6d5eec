import { writeFileSync } from 'node:fs'

/** Counts the tests of a run for the closing line; what could not be loaded counts as failed. */
export default class ClosingLine {
  onTestRunEnd(modules, errors) {
    const count = { passed: 0, failed: errors.length, skipped: 0 }
    const times = []
    const failures = errors.map((error) => String(error.message ?? error).slice(0, 300))
    for (const module of modules) {
      const tests = [...module.children.allTests()]
      if (tests.length === 0 && module.state() === 'failed') {
        count.failed++
        failures.push(`${module.moduleId}: could not be loaded`)
      }
      for (const test of tests) {
        const { state, errors: why } = test.result()
        count[state]++
        if (state === 'failed') failures.push(`${test.fullName}: ${String(why?.[0]?.message).slice(0, 300)}`)
        times.push({ name: test.fullName, ms: test.diagnostic()?.duration ?? 0 })
      }
    }
    if (process.env.ZAFIRO_COUNT)
      writeFileSync(
        process.env.ZAFIRO_COUNT,
        JSON.stringify({ ...count, failures, slowest: times.sort((a, b) => b.ms - a.ms).slice(0, 10) }),
      )
  }
}
