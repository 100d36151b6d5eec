'use client'

import { Popover } from '@base-ui/react/popover'
import { ArrowRightToLine, MoveHorizontal, Repeat } from 'lucide-react'
import { ValueField } from '../dials/value-field.tsx'
import { useShot, useShotContext } from '../shot/shot-context.tsx'

const modes = {
  loop: { words: 'Round and round', Icon: Repeat },
  once: { words: 'Once', Icon: ArrowRightToLine },
  swing: { words: 'There and back', Icon: MoveHorizontal },
} as const

/** How the shot is played: its end, its tempo, and memory for frames that are ready. */
export function PlayOptions() {
  const { store, player } = useShotContext()
  const { set } = store.getState()
  const mode = useShot((s) => s.playMode)
  const isEvery = useShot((s) => s.isEveryFrame)
  const cacheMb = useShot((s) => s.cacheMb)
  const ready = useShot((s) => s.ready.size)
  const rate = useShot((s) => s.comp.frames.rate)
  const { Icon } = modes[mode]
  return (
    <Popover.Root>
      <Popover.Trigger
        className="btn btn-ghost btn-xs btn-square text-base-content/70"
        aria-label="How it plays"
        title={`How it plays: ${modes[mode].words.toLowerCase()}`}
      >
        <Icon size={13} aria-hidden />
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Positioner sideOffset={6} align="start" className="z-50">
          <Popover.Popup className="w-84 space-y-2 rounded-lg border border-base-content/20 bg-base-100 p-3 text-sm shadow-xl">
            <Popover.Title className="font-semibold">How it plays</Popover.Title>
            <div role="radiogroup" aria-label="At the end" className="flex gap-1">
              {Object.entries(modes).map(([name, { words }]) => (
                <button
                  key={name}
                  type="button"
                  role="radio"
                  aria-checked={mode === name}
                  className={`btn btn-xs flex-auto whitespace-nowrap px-2 ${mode === name ? 'btn-primary' : ''}`}
                  onClick={() => {
                    set({ playMode: name as keyof typeof modes })
                  }}
                >
                  {words}
                </button>
              ))}
            </div>
            <label className="flex items-center gap-2">
              <input
                type="checkbox"
                className="checkbox checkbox-xs"
                checked={isEvery}
                onChange={(e) => {
                  set({ isEveryFrame: e.target.checked })
                }}
              />
              Show every frame, even when that is slower than {Number(rate.toFixed(3))} a second
            </label>
            <div className="flex items-center gap-2">
              <span className="flex-1">Memory for ready frames</span>
              <span className="w-24">
                <ValueField
                  label="Memory for ready frames"
                  value={cacheMb}
                  unit="MB"
                  hard={[16, 8192]}
                  step={16}
                  onChange={(value) => {
                    set({ cacheMb: value })
                  }}
                />
              </span>
            </div>
            <p className="text-xs text-base-content/65">
              {ready} {ready === 1 ? 'frame is' : 'frames are'} ready, {player?.sharpCount ?? 0} of them as
              sharp as they are seen; {Math.round((player?.cache.usedBytes ?? 0) / 2 ** 20)} MB. They are made
              ahead while nobody works on the picture: small first, so that all can be played soon.
            </p>
            <EngineMemory />
          </Popover.Popup>
        </Popover.Positioner>
      </Popover.Portal>
    </Popover.Root>
  )
}

/** What the engine has taken for the pictures that it works with. */
function EngineMemory() {
  const { engine } = useShotContext()
  if (!engine) return null
  const { bytes, mostBytes } = engine.memoryUse
  const inMb = (n: number) => `${Math.round(n / 2 ** 20)} MB`
  return (
    <div className="space-y-1 text-xs text-base-content/65">
      <p>
        Pictures of steps have taken {inMb(bytes)} of the {inMb(mostBytes)} that this browser allows. What is
        made again quickly, and was not used lately, goes first.
      </p>
      <progress
        className="progress progress-primary h-1 w-full"
        aria-label="Memory of the engine"
        value={bytes}
        max={mostBytes}
      />
    </div>
  )
}
