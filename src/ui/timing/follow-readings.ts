import { tracksIn } from '../../core/comp/rider-links.ts'
import type { Comp } from '../../core/comp/schema.ts'
import type { Follow, Measure } from '../../core/tracks/track.ts'
import type { EngineClient } from '../engine/engine-client.ts'
import type { ShotStore } from '../shot/shot-store.ts'

/** After a change nothing is read for so long. */
const restMs = 500
/** Frames that are asked for at a time, so that others are answered between them. */
const atATime = 8

/** Everything that is followed or measured in a comp, once. */
function readIn(comp: Comp): (Follow['of'] | Measure)[] {
  const riders = tracksIn([comp.lanes, comp.master, comp.drawings]).flatMap((t) => t.riders ?? [])
  const all = riders.flatMap((r): (Follow['of'] | Measure)[] => {
    if (!r.on) return []
    return r.type === 'follow' ? [r.of] : r.type === 'measure' ? [r] : []
  })
  const texts = all.map((one) => JSON.stringify(one))
  return all.filter((_, i) => texts.indexOf(texts[i]!) === i)
}

/** Keeps what is followed and measured known to the page, for its strips and fields: from the frame that is looked at on. */
export function followReadings(store: ShotStore, engine: EngineClient): () => void {
  let timer: ReturnType<typeof setTimeout> | undefined
  let round = 0
  let known = new Map<string, Map<number, readonly number[]>>()
  const tell = () => {
    const seen = known
    store.getState().set({
      read: (what, frame) => {
        const found = seen.get(JSON.stringify(what))?.get(frame)
        return found && found.length > 0 ? found : undefined
      },
    })
  }
  const readAll = async () => {
    const mine = ++round
    const { comp, media, frame } = store.getState()
    const whats = readIn(comp)
    if (whats.length === 0) {
      if (known.size > 0) {
        known = new Map()
        store.getState().set({ read: undefined })
      }
      return
    }
    const { first, last } = comp.frames
    const frames = Array.from(
      { length: last - first + 1 },
      (_, i) => first + ((frame - first + i) % (last - first + 1)),
    )
    const next = new Map<string, Map<number, readonly number[]>>()
    for (const what of whats) {
      const values = new Map<number, readonly number[]>()
      next.set(JSON.stringify(what), values)
      for (let i = 0; i < frames.length; i += atATime) {
        const part = frames.slice(i, i + atATime)
        const found = await engine.readings({ comp, media }, what, part)
        if (mine !== round) return
        found?.forEach((reading, k) => {
          if (reading) values.set(part[k]!, reading)
        })
        known = new Map([...known, ...next])
        tell()
      }
    }
    known = next
    tell()
  }
  const soon = () => {
    clearTimeout(timer)
    timer = setTimeout(() => void readAll(), restMs)
  }
  soon()
  const stop = store.subscribe((now, before) => {
    if (now.comp !== before.comp || now.media !== before.media) soon()
  })
  return () => {
    stop()
    round++
    clearTimeout(timer)
  }
}
