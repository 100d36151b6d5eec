'use client'

import { useEffect, useRef, useState } from 'react'
import type { Comp } from '../../core/comp/schema.ts'
import { SmallPicture, type SmallPixels } from '../small-picture.tsx'
import { useShot, useShotContext } from '../shot/shot-context.tsx'

const width = 160
/** Made pictures by comp: of one that has changed none is kept. */
const kept = new WeakMap<Comp, Map<string, SmallPixels>>()
/** A picture that gave way to the one that is worked on is asked for again. */
const [againMs, mostTries] = [700, 6]

/** The shot's picture as it would be with a change, made when it is seen; `name` says which change it is. */
export function OwnPicture({
  name,
  change,
  className,
  isStill = false,
}: {
  name: string
  change: (comp: Comp) => Comp
  className: string
  /** What was there stays until the next is made. */
  isStill?: boolean
}) {
  const { engine, store } = useShotContext()
  const comp = useShot((s) => s.comp)
  const frame = useShot((s) => s.frame)
  const place = useRef<HTMLDivElement>(null)
  const [isSeen, setIsSeen] = useState(false)
  const key = `${frame} ${name}`
  const [made, setMade] = useState<{
    readonly of: Comp
    readonly key: string
    readonly picture: SmallPixels
  }>()
  const change_ = useRef(change)
  useEffect(() => {
    change_.current = change
  })
  useEffect(() => {
    const observer = new IntersectionObserver((entries) => {
      if (entries.some((e) => e.isIntersecting)) setIsSeen(true)
    })
    if (place.current) observer.observe(place.current)
    return () => {
      observer.disconnect()
    }
  }, [])
  useEffect(() => {
    if (!isSeen || !engine) return
    let isGone = false
    let timer: ReturnType<typeof setTimeout> | undefined
    const ask = async (tries: number) => {
      const known = kept.get(comp)?.get(key)
      let with_: Comp
      try {
        with_ = change_.current(comp)
      } catch {
        // It can not stand there: no picture of it.
        return
      }
      const { media } = store.getState()
      const [picture] = known
        ? [known]
        : ((await engine.previews({ comp, media, frame }, [with_], { type: 'picture' }, width)) ?? [])
      if (isGone) return
      if (picture) {
        const all = kept.get(comp) ?? new Map<string, SmallPixels>()
        kept.set(comp, all.set(key, picture))
        setMade({ of: comp, key, picture })
      } else if (tries < mostTries) timer = setTimeout(() => void ask(tries + 1), againMs)
    }
    void ask(0)
    return () => {
      isGone = true
      clearTimeout(timer)
    }
  }, [isSeen, engine, store, comp, frame, key])
  return (
    <div ref={place} className={className}>
      <SmallPicture
        picture={isStill || made?.key === key ? made?.picture : undefined}
        className="h-full w-full rounded-sm"
      />
    </div>
  )
}
