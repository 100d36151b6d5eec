'use client'

import { createContext, useContext } from 'react'
import { useStore } from 'zustand'
import { assert } from '../../core/assert.ts'
import type { EngineClient } from '../engine/engine-client.ts'
import type { Player } from '../playing/player.ts'
import type { Codes, Shown } from '../../core/engine/session/requests.ts'
import type { ShotState, ShotStore } from './shot-store.ts'

/** What the parts of the shot screen share. */
export interface ShotContextValue {
  readonly id: string
  readonly store: ShotStore
  /** Undefined until the page runs in a browser. */
  readonly engine: EngineClient | undefined
  /** Calls back with every picture that is to be shown. */
  readonly onPicture: (listener: (shown: Shown, serial: number) => void) => () => void
  /** Calls back with every frame that was kept ready and is to be shown at once. */
  readonly onFrame: (draw: (codes: Codes, frame: number) => void) => () => void
  /** Undefined until the page runs in a browser. */
  readonly player: Player | undefined
  /** Makes sure that what is on the desk is saved; false when it could not be. */
  readonly saveNow: () => Promise<boolean>
}

export const ShotContext = createContext<ShotContextValue | undefined>(undefined)

export function useShotContext(): ShotContextValue {
  const value = useContext(ShotContext)
  assert(value, 'a part of the shot screen stands outside of it')
  return value
}

/** A piece of the shot's state; the component follows it. */
export function useShot<T>(select: (state: ShotState) => T): T {
  return useStore(useShotContext().store, select)
}
