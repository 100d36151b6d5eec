'use client'

import { useShot } from '../shot/shot-context.tsx'
import { SmallPicture } from '../small-picture.tsx'

/** The live small picture of a point of the desk. */
export function Thumbnail({
  of,
  isDim = false,
  isSmall = false,
}: {
  of: string
  isDim?: boolean
  isSmall?: boolean
}) {
  const thumb = useShot((s) => s.thumbs.get(of))
  return (
    <SmallPicture
      picture={thumb}
      className={`${isSmall ? 'h-[1.5rem] w-[2.66rem] rounded-xs outline outline-base-content/30' : 'h-[2.4rem] w-[4.26rem]'} shrink-0 ${isDim ? 'opacity-40' : ''}`}
    />
  )
}
