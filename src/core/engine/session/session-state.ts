import type { Workshop } from '../../kernels/pyramid.ts'
import type { Picture } from '../../picture/picture.ts'
import { Evaluator, type LoadPass } from '../evaluator.ts'
import { plan, type Planned } from '../plan/plan.ts'
import { Readings, settled, type ReadingStore } from '../readings.ts'
import type { Target } from '../plan/plan-targets.ts'
import type { Reduction, Seen, WorkArea } from '../work-area.ts'
import type { Answer, Kind, Wish, Work } from './requests.ts'

/** The picture that is looked at, for the probe. */
interface NowShown {
  readonly picture: Picture
  readonly target: Target
  readonly reduction: number
  /** Where the canvas begins in it. */
  readonly left: number
  readonly top: number
  readonly unpin: () => void
  /** How the picture names objects, when it is an ID pass. */
  readonly masks: 'ranked' | 'plain' | undefined
}

/** What is kept from one request to the next. */
export class SessionState {
  readonly evaluator: Evaluator
  shown: NowShown | undefined
  /** Which picture each thumbnail on the page shows, and how bright pictures are, by their keys: neither is made twice. */
  measured: {
    readonly thumbs: ReadonlyMap<string, string>
    readonly means: ReadonlyMap<string, number>
  } = { thumbs: new Map(), means: new Map() }

  /** What settings follow and measure. */
  readonly readings: Readings

  constructor(workshop: Workshop, loadPass: LoadPass, budgetBytes: number, store?: ReadingStore) {
    this.evaluator = new Evaluator(workshop, loadPass, budgetBytes)
    this.readings = new Readings(store)
  }

  /** A plan with everything that it needs read. */
  plan(
    work: Work,
    frame: number,
    reduction: Reduction,
    target: Target,
    isStale: () => boolean,
    seen?: Seen,
  ): Promise<Planned> {
    const { comp, media } = work
    const make = () => plan(comp, media, frame, reduction, target, this.readings, seen)
    return settled(this.evaluator, this.readings, comp, make, isStale)
  }

  /** Lets go of the picture that was looked at before. */
  nowShown(shown: NowShown): void {
    this.shown?.unpin()
    this.shown = shown
  }

  /** The picture of a target, or of what is seen of it; it belongs to the cache. */
  async make(
    work: Work,
    frame: number,
    reduction: Reduction,
    target: Target,
    isStale: () => boolean,
    seen?: Seen,
  ): Promise<{ readonly picture: Picture; readonly area: WorkArea }> {
    const { node, area } = await this.plan(work, frame, reduction, target, isStale, seen)
    await this.evaluator.load(work.comp, node, isStale)
    return { picture: this.evaluator.evaluate(node, isStale), area }
  }
}

/** Answers one kind of request. Throws Cancelled once `isStale`, and whatever keeps it from being answered. */
export type Handler<K extends Kind> = (
  session: SessionState,
  work: Work,
  wish: Wish<K>,
  isStale: () => boolean,
) => Promise<Answer<K>>
