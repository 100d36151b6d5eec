'use client'

import {
  DndContext,
  DragOverlay,
  PointerSensor,
  useSensor,
  useSensors,
  type DragEndEvent,
  type DragStartEvent,
} from '@dnd-kit/core'
import { useEffect, useMemo, useRef, useState } from 'react'
import { Group, Panel, Separator } from 'react-resizable-panels'
import type { OpenShot } from '../../server/shot-service.ts'
import { Desk } from '../desk/desk.tsx'
import { DialsPanel } from '../dials/dials-panel.tsx'
import { EngineClient } from '../engine/engine-client.ts'
import type { Codes, Shown } from '../../core/engine/session/requests.ts'
import { PicturePanel } from '../picture/picture-panel.tsx'
import { filesOf } from '../bring-in.ts'
import { deskCollisions, dropEdge, droppedOf, type Dragged } from '../desk/drop-edge.ts'
import { RemoveLaneDialog } from '../desk/remove-lane.tsx'
import { dropOnDesk } from '../desk/drop-on-desk.ts'
import { BringInButtons, BringInNotes } from '../intake/bring-in-bar.tsx'
import { useBringIn } from '../intake/use-bring-in.ts'
import { PassesPanel } from '../passes/passes-panel.tsx'
import type { Player } from '../playing/player.ts'
import { MakeDialogs } from '../recipes/make-dialog.tsx'
import { RecipesPanel } from '../recipes/recipes-panel.tsx'
import { RendersPanel } from '../renders/renders-panel.tsx'
import { ThroughNotice } from '../renders/through-notice.tsx'
import { followReadings } from '../timing/follow-readings.ts'
import { followRides } from '../timing/ride.ts'
import { TimingPanel } from '../timing/timing-panel.tsx'
import { Autosave } from './autosave.ts'
import { PartsNotice } from './parts-notice.tsx'
import { useShortcut } from '../shortcuts/use-shortcut.ts'
import { RefusedNotice } from './refused-notice.tsx'
import { followMedia } from './follow-media.ts'
import { followPicture, playSlowly } from './follow-picture.ts'
import { ConflictNotice, FailureNotice } from './notices.tsx'
import { ShotContext, type ShotContextValue } from './shot-context.tsx'
import { useDeskKeys } from './desk-keys.ts'
import { createShotStore } from './shot-store.ts'
import { sendThumbnail } from './send-thumbnail.ts'
import { ToastCorner } from './toasts.tsx'
import { TopBar } from './top-bar.tsx'

const tabs = ['desk', 'passes', 'timing', 'recipes', 'renders'] as const
type Tab = (typeof tabs)[number]

/** The desk is low: it scrolls on only under a pointer close to its edge, or it would run away from what is aimed at. */
const atTheEdge = { threshold: { x: 0.04, y: 0.08 }, acceleration: 6 }

/** The main screen: picture, dials and desk of one shot. */
export function ShotScreen({ shot }: { shot: OpenShot }) {
  const [store] = useState(() => createShotStore(shot))
  const [engine, setEngine] = useState<EngineClient>()
  const [player, setPlayer] = useState<Player>()
  const [autosave] = useState(() => new Autosave(shot.id, store, shot.revision))
  const [tab, setTab] = useState<Tab>('desk')
  const listeners = useRef(new Set<(shown: Shown, serial: number) => void>())
  const frames = useRef(new Set<(codes: Codes, frame: number) => void>())

  useEffect(() => autosave.start(), [autosave])
  useEffect(() => followMedia(shot.id, store), [shot.id, store])
  useEffect(() => followRides(store), [store])
  const view = useRef<HTMLDivElement>(null)
  const goTo = (name: Tab) => {
    setTab(name)
    if (name !== 'passes') store.getState().set({ shownPass: undefined })
  }
  const isTurned = useRef(false)
  const turnView = (by: number) => {
    isTurned.current = true
    setTab((now) => tabs[(tabs.indexOf(now) + by + tabs.length) % tabs.length]!)
  }
  useEffect(() => {
    if (!isTurned.current) return
    isTurned.current = false
    if (tab !== 'passes') store.getState().set({ shownPass: undefined })
    // Tab goes on within it; the desk has its own keys.
    if (tab === 'desk') (document.activeElement as HTMLElement | null)?.blur()
    else view.current?.focus()
  }, [tab, store])
  useShortcut('nextView', () => {
    turnView(1)
  })
  useShortcut('lastView', () => {
    turnView(-1)
  })
  useShortcut('timing', () => {
    setTab((now) => (now === 'timing' ? 'desk' : 'timing'))
  })

  useEffect(() => {
    if (!window.crossOriginIsolated) {
      store.getState().set({
        failure:
          'This page is not isolated, so the engine can not start. Open Zafiro by the address that npm start printed.',
      })
      return
    }
    const client = new EngineClient({
      onShown: (shown, serial) => {
        for (const listener of listeners.current) listener(shown, serial)
        const { problems, warnings, failure, set } = store.getState()
        const isSame =
          JSON.stringify([problems, warnings]) === JSON.stringify([shown.problems, shown.warnings])
        if (!isSame || failure !== undefined)
          set({ problems: shown.problems, warnings: shown.warnings, failure: undefined })
      },
      onThumbs: (thumbs, meters) => {
        const all = new Map(store.getState().thumbs)
        for (const thumb of thumbs) all.set(thumb.key, thumb)
        store.getState().set({ thumbs: all, meters })
      },
      onBusy: (isBusy, wanted) => {
        store.getState().set({ isBusy, wanted })
      },
      onFailed: (failure) => {
        store.getState().set({ failure })
      },
    })
    const followed = followPicture(store, client, (codes, frame) => {
      for (const draw of frames.current) draw(codes, frame)
    })
    const stopReadings = followReadings(store, client)
    const stopSlow = playSlowly(store, (listener) => {
      listeners.current.add(listener)
      return () => listeners.current.delete(listener)
    })
    setEngine(client)
    setPlayer(followed.player)
    return () => {
      stopSlow()
      stopReadings()
      followed.stop()
      client.close()
    }
  }, [store])

  const context = useMemo<ShotContextValue>(
    () => ({
      id: shot.id,
      store,
      engine,
      onPicture: (listener) => {
        listeners.current.add(listener)
        return () => listeners.current.delete(listener)
      },
      onFrame: (draw) => {
        frames.current.add(draw)
        return () => frames.current.delete(draw)
      },
      player,
      saveNow: () => autosave.saveNow(),
    }),
    [shot.id, store, engine, player, autosave],
  )
  useDeskKeys(store)
  const bringIn = useBringIn(shot.id, store)
  const [dragged, setDragged] = useState<Dragged>()
  const sensors = useSensors(useSensor(PointerSensor, { activationConstraint: { distance: 5 } }))
  const beginDrag = ({ active }: DragStartEvent) => {
    const what = active.data.current as Dragged
    setDragged(what)
    // A pass has its place on the desk, so the desk comes up under it.
    if (what.type === 'pass') setTab('desk')
  }
  const endDrag = (event: DragEndEvent) => {
    const { over, activatorEvent } = event
    setDragged(undefined)
    // The card of a pass is gone with the contact sheet, and what it carried with the card.
    if (!dragged) return
    if (!over) {
      if (dragged.type === 'pass') setTab('passes')
      return
    }
    const isCopy = activatorEvent instanceof PointerEvent && activatorEvent.altKey
    dropOnDesk(store, dragged, droppedOf(over), dropEdge(event, dragged.type === 'lane'), isCopy)
  }
  useEffect(() => sendThumbnail(shot.id, store, context.onPicture), [shot.id, store, context])

  return (
    <ShotContext value={context}>
      <DndContext
        sensors={sensors}
        collisionDetection={deskCollisions}
        autoScroll={atTheEdge}
        onDragStart={beginDrag}
        onDragEnd={endDrag}
        onDragCancel={() => {
          setDragged(undefined)
          setTab('passes')
        }}
      >
        <div
          className="flex h-screen flex-col overflow-hidden bg-base-200"
          onDragOver={(event) => {
            event.preventDefault()
          }}
          onDrop={(event) => {
            event.preventDefault()
            void filesOf(event.dataTransfer).then(bringIn.start)
          }}
        >
          <TopBar
            shotId={shot.id}
            shotName={shot.name}
            onRender={() => {
              setTab('renders')
            }}
          />
          <RefusedNotice shotName={shot.name} />
          <PartsNotice />
          <ThroughNotice />
          <ConflictNotice onKeepMine={() => void autosave.keepMine()} />
          <FailureNotice notes={shot.notes} />
          <BringInNotes bringIn={bringIn} />
          <Group orientation="vertical" className="min-h-0 flex-1">
            <Panel defaultSize="60%" minSize="30%">
              <Group orientation="horizontal">
                <Panel defaultSize="73%" minSize="40%">
                  <PicturePanel />
                </Panel>
                <Separator className="w-1 bg-base-300 hover:bg-primary" />
                <Panel defaultSize="27%" minSize="300px">
                  <DialsPanel />
                </Panel>
              </Group>
            </Panel>
            <Separator className="h-1 bg-base-300 hover:bg-primary" />
            <Panel defaultSize="40%" minSize="15%">
              <div ref={view} tabIndex={-1} className="h-full outline-none">
                {tab === 'desk' ? (
                  <Desk buttons={<BringInButtons bringIn={bringIn} />} />
                ) : tab === 'passes' ? (
                  <PassesPanel buttons={<BringInButtons bringIn={bringIn} />} />
                ) : tab === 'timing' ? (
                  <TimingPanel />
                ) : tab === 'recipes' ? (
                  <RecipesPanel />
                ) : (
                  <RendersPanel shotName={shot.name} />
                )}
              </div>
            </Panel>
          </Group>
          <nav
            className="flex h-7 shrink-0 items-stretch gap-1 border-t border-base-100 bg-base-300 px-3"
            aria-label="Views"
          >
            {tabs.map((name) => (
              <button
                key={name}
                type="button"
                aria-pressed={tab === name}
                className={`border-t-2 px-3 capitalize ${tab === name ? 'border-accent text-base-content' : 'border-transparent text-base-content/60 hover:text-base-content'}`}
                onClick={() => {
                  goTo(name)
                }}
              >
                {name}
              </button>
            ))}
            <span className="ml-auto self-center text-xs text-base-content/50">
              / add a step · hold \ for before · L light alone · F fit · 1 full size · ? all keys
            </span>
          </nav>
        </div>
        <ToastCorner />
        <RemoveLaneDialog />
        <MakeDialogs />
        <DragOverlay dropAnimation={null}>
          {dragged && (
            <span className="gem inline-block whitespace-nowrap bg-primary px-3 py-1 font-semibold text-primary-content">
              {dragged.type === 'pass' ? dragged.pass : dragged.title}
            </span>
          )}
        </DragOverlay>
      </DndContext>
    </ShotContext>
  )
}
