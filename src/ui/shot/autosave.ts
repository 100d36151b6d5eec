import type { Comp } from '../../core/comp/schema.ts'
import * as v from 'valibot'
import { conflictDetails, revisionAnswer } from '../../contracts/answers.ts'
import { AnswerError, requestJson } from '../request-json.ts'
import type { SaveState } from './save-state.ts'
import type { ShotStore } from './shot-store.ts'

/** Answers that are about what was sent, and not about the server's state. */
const isRefusal = (status: number) => [400, 404, 413, 415, 422].includes(status)

/** Places that do not fit, each with its reason. */
function problemsOf({ details }: AnswerError): string[] {
  const { problems } = details as { problems?: readonly { path: string; message: string }[] }
  return (problems ?? []).map(({ path, message }) => (path ? `${path} ${message}` : message))
}

const restMs = 600
const retryMs = 4000

/** Saves the comp a moment after it changes, each time on top of the revision it was made from. */
export class Autosave {
  private timer: ReturnType<typeof setTimeout> | undefined
  private saving: Promise<boolean> | undefined
  private savedComp: Comp

  constructor(
    private readonly shotId: string,
    private readonly store: ShotStore,
    private revision: number,
  ) {
    this.savedComp = store.getState().comp
  }

  private get state(): SaveState {
    return this.store.getState().saving
  }

  /** Begins to follow the comp; gives back a function that stops. */
  start(): () => void {
    const stopFollowing = this.store.subscribe((now, before) => {
      if (now.comp !== before.comp) this.schedule(restMs)
    })
    const check = () => {
      if (document.visibilityState === 'visible') void this.lookForOthers()
    }
    const leave = (event: BeforeUnloadEvent) => {
      if (this.isUnsaved) event.preventDefault()
    }
    document.addEventListener('visibilitychange', check)
    window.addEventListener('focus', check)
    window.addEventListener('beforeunload', leave)
    return () => {
      stopFollowing()
      clearTimeout(this.timer)
      document.removeEventListener('visibilitychange', check)
      window.removeEventListener('focus', check)
      window.removeEventListener('beforeunload', leave)
    }
  }

  private get isUnsaved(): boolean {
    return this.store.getState().comp !== this.savedComp
  }

  private schedule(delayMs: number): void {
    clearTimeout(this.timer)
    if (this.state.type === 'conflict') return
    // Said once, and not with each move of a drag.
    const isTold = this.state.type === 'failed' || this.state.type === 'refused'
    if (!isTold && this.state.type !== 'waiting') this.change({ type: 'waiting' })
    this.timer = setTimeout(() => void this.saveNow(), delayMs)
  }

  private change(saving: SaveState): void {
    this.store.getState().set({ saving })
  }

  /** Saves what is not saved yet; true when everything is. */
  async saveNow(): Promise<boolean> {
    clearTimeout(this.timer)
    await this.saving
    if (this.state.type === 'conflict') return false
    if (!this.isUnsaved) {
      if (this.state.type !== 'saved') this.change({ type: 'saved', at: Date.now() })
      return true
    }
    this.saving = this.save()
    return this.saving
  }

  private async save(): Promise<boolean> {
    const { comp } = this.store.getState()
    this.change({ type: 'saving' })
    try {
      const answer = await requestJson(revisionAnswer, `/api/shots/${this.shotId}/comp`, 'PUT', {
        base: this.revision,
        comp,
      })
      this.revision = answer.revision
      this.savedComp = comp
      this.change({ type: 'saved', at: Date.now() })
      if (this.isUnsaved) this.schedule(restMs)
      return true
    } catch (error) {
      if (error instanceof AnswerError && error.status === 409) {
        const { revision, savedAt } = v.parse(conflictDetails, error.details)
        this.change({ type: 'conflict', revision, savedAt })
      } else if (error instanceof AnswerError && isRefusal(error.status)) {
        // What was refused stays refused until it changes.
        this.change({ type: 'refused', message: error.message, problems: problemsOf(error) })
      } else {
        this.change({ type: 'failed', message: error instanceof Error ? error.message : String(error) })
        // What could not be reached is tried again.
        this.timer = setTimeout(() => void this.saveNow(), retryMs)
      }
      return false
    }
  }

  private async lookForOthers(): Promise<void> {
    if (this.state.type === 'conflict' || this.state.type === 'saving') return
    const answer = await requestJson(revisionAnswer, `/api/shots/${this.shotId}/comp`).catch(() => undefined)
    if (answer && answer.revision > this.revision)
      this.change({ type: 'conflict', revision: answer.revision, savedAt: new Date().toISOString() })
  }

  /** Ends a conflict by saving what is here as the newest revision; theirs stays in the history. */
  async keepMine(): Promise<void> {
    if (this.state.type !== 'conflict') return
    this.revision = this.state.revision
    this.savedComp = {} as Comp
    this.change({ type: 'waiting' })
    await this.saveNow()
  }
}
