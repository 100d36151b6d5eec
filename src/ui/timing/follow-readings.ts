import { tracksIn } from '../../core/comp/rider-links.ts'
import type { Comp } from '../../core/comp/schema.ts'
import type { Follow, Measure } from '../../core/tracks/track.ts'
import type { EngineClient } from '../engine/engine-client.ts'
import type { ShotStore } from '../shot/shot-store.ts'

/** After a change nothing is read for so long. */
const restMs = 500
/** Frames that are asked for at a time, so that others are answered between them. */
const atATime = 8

/** What is read, as text: how a measure is mapped to values of its setting changes nothing in that. */
function nameOf(what: object): string {
  return JSON.stringify({
    ...what,
    on: undefined,
    from: undefined,
    to: undefined,
    lag: undefined,
    as: undefined,
  })
}

/** Everything that is followed or measured in a comp, once. */
function readIn(comp: Comp): (Follow['of'] | Measure)[] {
  const riders = tracksIn([comp.lanes, comp.master, comp.drawings]).flatMap((t) => t.riders ?? [])
  const all = riders.flatMap((r): (Follow['of'] | Measure)[] => {
    if (!r.on) return []
    return r.type === 'follow' ? [r.of] : r.type === 'measure' ? [r] : []
  })
  const names = all.map(nameOf)
  return all.filter((_, i) => names.indexOf(names[i]!) === i)
}

/** Keeps what is followed and measured known to the page, for its strips and fields: on the frame that is looked at, and on those that are ready. */
export function followReadings(store: ShotStore, engine: EngineClient): () => void {
  let timer: ReturnType<typeof setTimeout> | undefined
  let round = 0
  /** By what is read and frame. What was read before an edit is shown until it is read anew. */
  const known = new Map<string, Map<number, readonly number[]>>()
  const fresh = new Set<string>()
  const tell = () => {
    const seen = new Map([...known].map(([what, values]) => [what, new Map(values)]))
    // A strip asks hundreds of times for the same: it is found by what it is, not by its text.
    const found = new WeakMap<object, ReadonlyMap<number, readonly number[]>>()
    store.getState().set({
      read: (what, frame) => {
        let values = found.get(what)
        if (!values)
          found.set(what, (values = seen.get(nameOf(what)) ?? new Map<number, readonly number[]>()))
        const reading = values.get(frame)
        return reading && reading.length > 0 ? reading : undefined
      },
    })
  }
  const readAll = async () => {
    const mine = ++round
    const { comp, media, frame, ready } = store.getState()
    const whats = readIn(comp)
    for (const what of whats) {
      const name = nameOf(what)
      const open = [frame, ...ready].filter((f) => !fresh.has(`${f} ${name}`))
      for (let i = 0; i < open.length; i += atATime) {
        const part = open.slice(i, i + atATime)
        const found = await engine.readings({ comp, media }, what, part)
        if (mine !== round) return
        const values = known.get(name) ?? new Map<number, readonly number[]>()
        known.set(name, values)
        found?.forEach((reading, k) => {
          if (reading) values.set(part[k]!, reading)
          fresh.add(`${part[k]!} ${name}`)
        })
        tell()
      }
    }
  }
  const soon = () => {
    clearTimeout(timer)
    timer = setTimeout(() => void readAll(), restMs)
  }
  soon()
  const stop = store.subscribe((now, before) => {
    if (now.comp !== before.comp || now.media !== before.media) fresh.clear()
    else if (now.isPlaying || (now.frame === before.frame && now.ready.size <= before.ready.size)) return
    soon()
  })
  return () => {
    stop()
    round++
    clearTimeout(timer)
  }
}
