import { ahead, readings } from './ahead.ts'
import { exr, histogram, passes, previews, scope, values } from './charts.ts'
import { probe } from './probe.ts'
import type { Answer, Kind, Wish, Work } from './requests.ts'
import { SessionState, type Handler } from './session-state.ts'
import { show, side } from './show.ts'
import { thumbs } from './thumbs.ts'

const handlers: { readonly [K in Kind]: Handler<K> } = {
  show,
  side,
  thumbs,
  histogram,
  values,
  scope,
  exr,
  passes,
  previews,
  probe,
  ahead,
  readings,
}

/** Somebody's work on a shot. Requests are answered one at a time. */
export class Session extends SessionState {
  answer<K extends Kind>(
    kind: K,
    work: Work,
    wish: Wish<K>,
    isStale: () => boolean = () => false,
  ): Promise<Answer<K>> {
    const handler: Handler<K> = handlers[kind]
    return handler(this, work, wish, isStale)
  }
}
