import type { Comp, Lane, Setting, Step } from '../../comp/schema.ts'
import type { Dial, DialValue } from '../../dials/dials.ts'
import type { Follow, Measure } from '../../tracks/track.ts'
import type { Need, Reading } from '../readings.ts'
import type { MediaTable } from '../../comp/media.ts'
import type { Part, Reduction, WorkArea } from '../work-area.ts'
import type { PlanNode } from './plan-node.ts'

/** Something of the comp that can not be computed; the rest still is. */
export interface PlanProblem {
  readonly laneId: string
  readonly stepId?: string
  readonly message: string
}

/** Who asks for a value, for messages. */
export interface Reader {
  readonly laneId: string
  readonly stepId?: string | undefined
}

/** A step with the picture that comes to it. */
export interface StepInput {
  readonly step: Step
  readonly picture: PlanNode
  readonly laneId: string
}

/** Larger sizes of what is planned, at the same time, the largest first. */
export interface FinerPlanning {
  readonly sizes: readonly Planning[]
  readonly isThere: (key: string) => boolean
  /** How many of their pixels may still be made smaller for this picture. */
  readonly room: { pixels: number }
}

/** One comp that is planned at one frame and size: what all parts of the plan share, and ask each other for. */
export interface Planning {
  readonly comp: Comp
  /** The whole picture's steps as a lane. */
  readonly master: Lane
  readonly media: MediaTable
  readonly frame: number
  /** The frame that media show; another one only where they are held while all else moves. */
  readonly mediaFrame: number
  readonly reduction: Reduction
  readonly area: WorkArea
  /** The area at full size. */
  readonly full: WorkArea
  /** Set where only a part of the frame is made: where it lies, and the same for the whole frame, at full size and smaller, for what a part alone does not tell. */
  readonly part?: { readonly rect: Part; readonly whole: Planning; readonly far: Planning } | undefined
  /** Larger sizes from which what is there is taken; only where a picture moves. */
  readonly finer?: FinerPlanning | undefined
  report(laneId: string, stepId: string | undefined, message: string): void
  /** The same at another time; what is planned there is shared, too. Media show the nearest frame, or the one that is said. */
  at(frame: number, mediaFrame?: number): Planning
  /** A lane's own picture after its source, after a step, or at its end. */
  lanePoint(lane: Lane, after?: string): PlanNode
  /** The same where it is planned already. */
  knownPoint(lane: Lane, after?: string): PlanNode | undefined
  /** Whether a lane is being planned at this frame: what asks for its end then closes a loop. */
  isOpen(laneId: string): boolean
  loopWords(laneId: string): string
  /** Lanes of a bus, or of the picture, joined; at most the first `upTo`. */
  joined(bus?: string, upTo?: number): PlanNode
  /** What the lanes of a step that is made of others give. */
  inside(stepId: string): PlanNode
  stepInput(stepId: string): StepInput | undefined
  /** The value of a setting at this frame, as its dial takes it; `by` whom it is asked for, for messages. */
  value(setting: Setting, dial?: Dial, by?: Reader): DialValue
  /** What is followed or measured, at a frame; undefined while it has to be made first. */
  read(what: Follow['of'] | Measure, frame: number, by: Reader): Reading | undefined
  /** A reading where it is known; else it is noted as needed. */
  need(need: Need): Reading | undefined
}
