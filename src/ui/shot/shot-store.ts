import { temporal } from 'zundo'
import { setSetting, type AtFrame, type SettingRef } from '../../core/comp/settings.ts'
import type { Part } from '../../core/engine/work-area.ts'
import type { DialValue } from '../../core/dials/dials.ts'
import type { TrackTime } from '../../core/tracks/track-at.ts'
import { createStore } from 'zustand/vanilla'
import type { MediaTable } from '../../core/comp/media.ts'
import { placeOfStep } from '../../core/comp/edits.ts'
import { editProblem, withinDials } from '../../core/comp/guard.ts'
import type { Comp, Lane } from '../../core/comp/schema.ts'
import { lanesHere, placedHere } from '../desk/desk-lanes.ts'
import type { Warnings } from '../../core/engine/overlay.ts'
import { firstTiming, refKey, type Ridden, type TimingState } from '../timing/timing-state.ts'
import type { PlayMode } from '../playing/play-order.ts'
import type { ScopeKind, ScopeRegion } from '../../core/kernels/kernels.ts'
import type { PlanProblem } from '../../core/engine/plan/planning.ts'
import type { DisplayOptions } from '../../core/kernels/kernels.ts'
import type { Thumb } from '../../core/engine/session/requests.ts'
import type { SaveState } from './save-state.ts'

/** What is selected on the desk: a lane, one of its steps, or the slot before the step at `slot`. */
export interface Selection {
  readonly lane: string
  readonly step?: string
  readonly slot?: number
}

/** What the picture shows: the finished picture, what it was before the selected step, or that step's light alone. */
export type ViewMode = 'picture' | 'light' | 'before'

/** One side of a comparison: the finished picture, of another frame too, what it was, a point of the desk, a still, or what a render has made. */
export type SideName =
  | 'picture'
  | `frame ${number}`
  | 'before'
  | `lane ${string}`
  | `step ${string} ${string}`
  | `still ${string}`
  | `render ${string}`
  | 'other'

/** A pick from the picture, at a pixel of the full frame. */
export interface Picking {
  /** Who picks. */
  readonly by: string
  readonly words: string
  /** Goes on after a pick, until Escape. */
  readonly isKept?: boolean
  readonly pick: (at: readonly [number, number]) => void
  /** An ID pass whose objects are coloured over the picture meanwhile. */
  readonly over?: { readonly media: string; readonly pass: string }
}

export type DrawTool = 'choose' | 'pen' | 'freehand' | 'ellipse' | 'box'

/** A drawing that is worked on. */
export interface DrawState {
  readonly drawing: string
  readonly tool: DrawTool
  readonly shape?: string | undefined
  /** Points of the shape that are selected; none: all of it is meant. */
  readonly points: readonly number[]
}

/** How the matte of what is selected is looked at. */
export type MatteView = 'overlay' | 'grey' | 'cut-out'

/** Which scopes are open, what they count, and of which part of it in pixels of the full frame. */
export interface Scopes {
  readonly kinds: readonly ScopeKind[]
  readonly of: 'picture' | 'step'
  readonly region?: ScopeRegion | undefined
  /** The next drag on the picture marks the part. */
  readonly isMarking: boolean
}

export interface ShotState {
  readonly comp: Comp
  /** What the last edit did, as the undo button names it. */
  readonly editName: string
  readonly media: MediaTable
  readonly selection: Selection | undefined
  /** Steps that are opened, each inside the one before it: the lanes of the last are on the desk. */
  readonly opened: readonly string[]
  readonly frame: number
  /** A pass that is looked at in place of the picture. */
  readonly shownPass:
    | {
        readonly media: string
        readonly pass: string
        /** Objects of an ID pass whose matte is shown in its place. */
        readonly objects?: readonly string[]
      }
    | undefined
  /** The frames that play goes through; undefined for all. */
  readonly playRange: { readonly first: number; readonly last: number } | undefined
  readonly isPlaying: boolean
  /** The frame that is shown while it plays. */
  readonly playhead: number | undefined
  /** What happens at the end of what is played. */
  readonly playMode: PlayMode
  /** Each frame is shown when it plays, however long it takes. */
  readonly isEveryFrame: boolean
  /** Memory for frames that are ready to be played, in megabytes. */
  readonly cacheMb: number
  /** Frames that are ready to be played. */
  readonly ready: ReadonlySet<number>
  /** Pixels of the screen for one of the picture. */
  readonly zoom: number
  /** What is seen of the canvas, in its pixels; undefined while that is all of it. */
  readonly seen: Part | undefined
  readonly viewMode: ViewMode
  readonly exposure: number
  readonly channel: DisplayOptions['channel']
  readonly isCheckered: boolean
  readonly thumbs: ReadonlyMap<string, Thumb>
  readonly meters: Readonly<Record<string, number>>
  readonly problems: readonly PlanProblem[]
  /** A change at a frame sets a key there, also for what stood still. */
  readonly autoKey: boolean
  /** Settings that are moved while the shot plays are taken down. */
  readonly isRideArmed: boolean
  /** How far the keys of a ride may be from the hand, as a share of how far it moved. */
  readonly rideTolerance: number
  /** Settings that are moved by hand while the shot plays, by their refs. */
  readonly riding: ReadonlyMap<string, Ridden> | undefined
  readonly timing: TimingState
  /** What is followed and measured, where that is known; a new one whenever more is. */
  readonly read: TrackTime['read']
  readonly isBusy: boolean
  /** The number of the latest picture that was asked for. */
  readonly wanted: number
  readonly failure: string | undefined
  /** How far what is here has been saved. */
  readonly saving: SaveState
  /** What is to become one step. */
  readonly making: { readonly lane: string; readonly step?: string } | undefined
  /** A lane that is to be removed while others take from it. */
  readonly removing: string | undefined
  /** Two sides with a line between them, at a share of the picture's width. */
  readonly compare: { readonly left: SideName; readonly right: SideName; readonly at: number } | undefined
  /** A change that is looked at beside the picture without being made. */
  readonly otherLook: { readonly words: string; readonly change: (comp: Comp) => Comp } | undefined
  readonly matteView: MatteView | undefined
  /** The matte of this is laid over the picture while the pointer is on it. */
  readonly hoveredMatte: Selection | undefined
  readonly draw: DrawState | undefined
  /** Dragged points fall into line with others. */
  readonly isSnapping: boolean
  /** Neighbouring drawings are seen through the one that is worked on. */
  readonly hasOnionSkin: boolean
  /** Scopes beside the picture, while they are open. */
  readonly scopes: Scopes | undefined
  /** What a display hides is marked. */
  readonly hasWarnings: boolean
  readonly warnings: Warnings | undefined
  /** A step whose threshold is being set: what passes it is laid over the picture. */
  readonly catching: string | undefined
  /** What the next click on the picture picks, in words, and where it goes. */
  readonly picking: Picking | undefined
  /** Why the last edit was not made. */
  readonly refusal: string | undefined

  /**
   * Makes an edit that can be undone. Edits in a row with the same gesture are undone together.
   */
  edit(name: string, change: (comp: Comp) => Comp, gesture?: string): void
  /** Sets values at the frame that is looked at, as `edit` does. */
  write(name: string, values: Writes, gesture?: string): void
  set(patch: Partial<ShotState>): void
  /** Selects a step by id, wherever it is. */
  selectStep(id: string): void
}

/** The drawing that is worked on when something is selected: the source of a lane, or what it was while the selection stays. */
function drawingOf({ comp, selection, draw }: ShotState, next: Selection | undefined): DrawState | undefined {
  if (next?.lane === selection?.lane && next?.step === selection?.step && draw) return draw
  const source = next?.step === undefined ? comp.lanes.find((l) => l.id === next?.lane)?.source : undefined
  return source?.type === 'drawing' ? { drawing: source.drawing, tool: 'choose', points: [] } : undefined
}

/** Settings with the values that they are to have. */
export type Writes = readonly (readonly [SettingRef, DialValue])[]

const writing = (values: Writes, at: AtFrame) => (comp: Comp) =>
  values.reduce((c, [ref, value]) => setSetting(c, ref, value, at), comp)

/** Changes that can be undone. */
export const mostUndone = 300

type Tracked = Pick<ShotState, 'comp' | 'editName'>

/** The state of an opened shot. Only the comp can be undone; looking and selecting can not. */
export function createShotStore(initial: { comp: Comp; media: MediaTable; savedAt?: string }) {
  let lastGesture: string | undefined
  // The lane with the most passes behind it is the one that work begins on.
  const passes = ({ source }: Lane) =>
    source.type === 'pass' ? (initial.media[source.media]?.passes.length ?? 0) : 0
  const first = lanesHere(initial.comp, [])
    .filter((l) => l.kind === 'picture')
    .toSorted((a, b) => passes(b) - passes(a))[0]
  const store = createStore<ShotState>()(
    temporal(
      (set, get) => ({
        ...initial,
        editName: '',
        selection: first && { lane: first.id },
        opened: [],
        frame: initial.comp.frames.first,
        viewMode: 'picture',
        shownPass: undefined,
        playRange: undefined,
        isPlaying: false,
        playhead: undefined,
        playMode: 'loop',
        isEveryFrame: false,
        cacheMb: 512,
        ready: new Set(),
        zoom: 1,
        seen: undefined,
        exposure: 0,
        channel: 'colour',
        isCheckered: false,
        thumbs: new Map(),
        meters: {},
        problems: [],
        autoKey: false,
        read: undefined,
        isRideArmed: false,
        rideTolerance: 0.02,
        riding: undefined,
        timing: firstTiming,
        isBusy: true,
        wanted: 0,
        failure: undefined,
        saving: { type: 'saved', at: initial.savedAt ? new Date(initial.savedAt).getTime() : 0 },
        compare: undefined,
        otherLook: undefined,
        matteView: undefined,
        hoveredMatte: undefined,
        draw: undefined,
        isSnapping: false,
        hasOnionSkin: true,
        scopes: undefined,
        hasWarnings: false,
        warnings: undefined,
        catching: undefined,
        picking: undefined,
        refusal: undefined,
        making: undefined,
        removing: undefined,
        edit(name, change, gesture) {
          const comp = withinDials(get().comp, placedHere(get().comp, change(get().comp), get().opened))
          if (comp === get().comp) return
          const refusal = editProblem(get().comp, comp)
          if (refusal !== undefined) {
            set({ refusal })
            return
          }
          const isContinued = gesture !== undefined && gesture === lastGesture
          const history = store.temporal.getState()
          if (isContinued) history.pause()
          set({ comp, editName: name, refusal })
          if (isContinued) history.resume()
          lastGesture = gesture
        },
        write(name, values, gesture) {
          const { frame, autoKey, read, isRideArmed, isPlaying } = get()
          if (isRideArmed && isPlaying) {
            const shown = get().playhead ?? frame
            const riding = new Map(get().riding)
            for (const [ref, value] of values) {
              const key = refKey(ref)
              const before = riding.get(key)?.samples ?? []
              const samples = [...before.filter((s) => s.frame !== shown), { frame: shown, value }]
              riding.set(key, { ref, name, value, samples })
            }
            set({ riding })
            return
          }
          get().edit(name, writing(values, { frame, autoKey, ...(read && { read }) }), gesture)
        },
        set(patch) {
          const draw =
            'selection' in patch && !('draw' in patch) ? { draw: drawingOf(get(), patch.selection) } : {}
          set({ ...patch, ...draw })
        },
        selectStep(id) {
          const place = placeOfStep(get().comp, id)
          if (place) get().set({ selection: { lane: place.laneId, step: id } })
        },
      }),
      {
        partialize: ({ comp, editName }): Tracked => ({ comp, editName }),
        equality: (a, b) => a.comp === b.comp,
        limit: mostUndone,
      },
    ),
  )
  return store
}
export type ShotStore = ReturnType<typeof createShotStore>
