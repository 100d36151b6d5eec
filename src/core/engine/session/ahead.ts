import { keyOf } from '../plan/plan-node.ts'
import { plan, planReading, planViewTable } from '../plan/plan.ts'
import { settled } from '../readings.ts'
import { codesOf } from './show.ts'
import type { Handler } from './session-state.ts'

/** A picture made ahead for playing, at the size it is seen. */
export const ahead: Handler<'ahead'> = (session, work, wish, isStale) =>
  session.evaluator.aside(() => made(session, work, wish, isStale))

const made: Handler<'ahead'> = async (session, work, wish, isStale) => {
  const started = performance.now()
  const { evaluator } = session
  const { frame, reduction, target, view, known, isAsked, next } = wish
  const { node, area } = await session.plan(work, frame, reduction, target, isStale)
  const table = planViewTable(work.comp, work.media, frame)
  const key = keyOf(
    `${node.key} ${JSON.stringify([view, work.comp.viewing, work.comp.dither])} ${table?.node.key ?? ''}`,
  )
  if (key === known || isAsked) return { key, tookMs: performance.now() - started }
  await evaluator.load(work.comp, node, isStale)
  if (next !== undefined && next !== frame) {
    const { node: coming, needs } = plan(work.comp, work.media, next, reduction, target, session.readings)
    for (const one of [coming, ...needs.flatMap((n) => [n.node, ...(n.inside ? [n.inside] : [])])])
      evaluator.fetchAhead(work.comp, one)
  }
  const whole = evaluator.evaluate(node, isStale)
  const unpin = evaluator.pin(node)
  try {
    const codes = await codesOf(session, whole, area, view, work, frame)
    return { key, codes, tookMs: performance.now() - started }
  } finally {
    unpin()
  }
}

export const readings: Handler<'readings'> = async (session, { comp, media }, { of, frames }, isStale) => {
  const found: (readonly number[] | undefined)[] = []
  for (const frame of frames) {
    const make = () => planReading(comp, media, frame, of, session.readings)
    found.push((await settled(session.evaluator, session.readings, comp, make, isStale)).reading)
  }
  return found
}
