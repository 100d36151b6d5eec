'use client'

import { useShot } from '../shot/shot-context.tsx'
import { SmallPicture } from '../small-picture.tsx'

/** The live small picture of a point of the desk. */
export function Thumbnail({ of, isDim = false }: { of: string; isDim?: boolean }) {
  const thumb = useShot((s) => s.thumbs.get(of))
  return (
    <SmallPicture
      picture={thumb}
      className={`h-[2.4rem] w-[4.26rem] shrink-0 ${isDim ? 'opacity-40' : ''}`}
    />
  )
}
