import type { ShotContextValue } from './shot-context.tsx'

/**
 * Asks at once, and again with every picture that has settled, unless it `isPaused`. What is asked is told whether its answer is
 * still wanted. Gives back how to end it, as an effect does.
 */
export function askWhenSettled(
  onPicture: ShotContextValue['onPicture'],
  ask: (isWanted: () => boolean) => void,
  isPaused: () => boolean = () => false,
): () => void {
  let isCurrent = true
  const isWanted = () => isCurrent
  ask(isWanted)
  const stop = onPicture((shown) => {
    if (shown.isSettled && !isPaused()) ask(isWanted)
  })
  return () => {
    isCurrent = false
    stop()
  }
}
