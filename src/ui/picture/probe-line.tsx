'use client'

import { isMiss } from '../../core/picture/depth-miss.ts'
import { useEffect, useRef, useState } from 'react'
import { apply } from '../../core/colour/spaces.ts'
import { workingSpace } from '../../core/colour/working.ts'
import { linearToSrgb, stopsFromGrey } from '../../core/picture/colour.ts'
import { isHuge } from '../../core/engine/work-area.ts'
import type { Probed } from '../../core/engine/session/requests.ts'
import { objectName, useObjects } from '../passes/object-list.tsx'
import { useShortcut } from '../shortcuts/use-shortcut.ts'
import { seenReduction } from '../shot/follow-picture.ts'
import { useShot, useShotContext } from '../shot/shot-context.tsx'

const code = (v: number) => Math.round(255 * Math.min(1, Math.max(0, linearToSrgb(v))))
/** Four decimals, unless the value is too large to be read that way. */
const shortValue = (v: number) => (Math.abs(v) < 1e5 ? v.toFixed(4) : v.toPrecision(4))
const signed = (v: number) => `${v > 0 ? '+' : ''}${v.toFixed(1)}`

/** The object under the pointer, by name. */
function ProbedObject({ media, pass, id }: { media: string; pass: string; id: string }) {
  const objects = useObjects(media, pass)
  const found = objects?.find((o) => o.id === id)
  return <span className="font-semibold text-accent">{objectName(found ?? { id })}</span>
}

/** Values under the pointer: linear light, 8-bit codes, luminance, stops about 18 % grey, and raw depth. */
export function ProbeLine({ point }: { point: readonly [number, number] | undefined }) {
  const { engine, store, onPicture } = useShotContext()
  const [probed, setProbed] = useState<Probed>()
  const isBusy = useShot((s) => s.isBusy)
  const shown = useShot((s) => s.shownPass)
  const [isSlow, setIsSlow] = useState(false)
  // The last place stays under the probe when the pointer leaves, so that a dial's effect there can be watched.
  const [place, setPlace] = useState<readonly [number, number]>()
  if (point && point !== place) setPlace(point)
  const asking = useRef(false)
  const again = useRef(false)
  const exact = useRef(false)
  const askNow = useRef(() => {})
  const [isExacting, setIsExacting] = useState(false)

  useEffect(() => {
    if (!engine || !place) return
    const ask = () => {
      if (asking.current) {
        again.current = true
        return
      }
      asking.current = true
      const { comp, media, frame } = store.getState()
      // What has been asked for exactly is asked for the shown picture again as soon as that or the place is another.
      const isExact = exact.current
      exact.current = false
      setIsExacting(isExact)
      void engine.probe({ comp, media, frame }, place[0], place[1], { isExact }).then((result) => {
        asking.current = false
        setIsExacting(false)
        setProbed(result)
        if (again.current) {
          again.current = false
          ask()
        }
      })
    }
    ask()
    askNow.current = ask
    return onPicture(ask)
  }, [engine, store, place, onPicture])
  const askExactly = () => {
    exact.current = true
    askNow.current()
  }
  useShortcut('exact', () => {
    if (probed && probed.reduction > 1) askExactly()
  })

  useEffect(() => {
    const timer = setTimeout(
      () => {
        setIsSlow(isBusy)
      },
      isBusy ? 150 : 0,
    )
    return () => {
      clearTimeout(timer)
    }
  }, [isBusy])

  const [r, g, b, a] = probed?.rgba ?? [0, 0, 0, 0]
  const space = useShot((s) => workingSpace(s.comp.space))
  const isPartOnly = useShot((s) => isHuge(s.comp) && seenReduction(s) === 1)
  const y = space.luminance(r, g, b)
  const onScreen = apply(space.toRec709, [r, g, b])
  return (
    <div
      className="flex h-7 shrink-0 items-center gap-4 overflow-hidden whitespace-nowrap px-3 text-xs text-base-content/70"
      data-testid="probe"
    >
      {place && probed ? (
        <>
          <span className="w-16">
            {place[0]}, {place[1]}
          </span>
          {probed.object !== undefined && shown && (
            <ProbedObject media={shown.media} pass={shown.pass} id={probed.object} />
          )}
          {probed.object === undefined ? (
            <>
              <span className="text-base-content" data-testid="probe-values">
                R {shortValue(r)} G {shortValue(g)} B {shortValue(b)} α {a.toFixed(3)}
              </span>
              <span>code {onScreen.map(code).join(' ')}</span>
              <span data-testid="probe-luminance">
                Y {shortValue(y)}
                {y > 0 && ` · ${signed(stopsFromGrey(y))} stops`}
              </span>
            </>
          ) : (
            <span data-testid="probe-values">ID {probed.object}</span>
          )}
          {probed.reduction > 1 && (
            <button
              type="button"
              className="text-accent hover:underline"
              title="These values are of a smaller picture, as large as it is looked at. X makes the whole one for the exact value here."
              disabled={isExacting}
              onClick={askExactly}
            >
              {isExacting
                ? 'making it at full size …'
                : `mean of ${probed.reduction} × ${probed.reduction} · exact (X)`}
            </button>
          )}
          {probed.data.map(({ name, value }) => (
            <span key={name}>
              {name}{' '}
              {isMiss(value)
                ? 'nothing hit'
                : Math.abs(value) >= 1e6
                  ? value.toExponential(2)
                  : value.toFixed(2)}
            </span>
          ))}
        </>
      ) : (
        <span>Point at the picture for its values</span>
      )}
      {isPartOnly && !isSlow && (
        <span
          className="ml-auto"
          title="Canvases of more than 16 million pixels are not made whole to be looked at: they would fill the memory. Renders are whole."
          data-testid="part-only"
        >
          only what is seen is made
        </span>
      )}
      {isSlow && (
        <span className="ml-auto text-accent" role="status">
          settling …
        </span>
      )}
    </div>
  )
}
