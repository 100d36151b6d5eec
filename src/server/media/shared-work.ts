/** Pieces of work that threads take one by one: which is next, how many are done, and whether one has failed. */
export type SharedWork = SharedArrayBuffer

const [next, done, failed] = [0, 1, 2]

export const shareWork = (): SharedWork => new SharedArrayBuffer(12)

/** Another thread could not do its part. */
export class ShareFailed extends Error {
  override name = 'ShareFailed'
}

/**
 * Does pieces of the work until none is left, and waits until the other threads have done theirs. Throws what a piece throws; ShareFailed where
 * another thread has failed, or has done nothing for so long, as one that was ended can not say so.
 */
export function doShare(
  work: SharedWork,
  count: number,
  piece: (index: number) => void,
  patienceMs = 30_000,
): void {
  const words = new Int32Array(work)
  try {
    for (;;) {
      const index = Atomics.add(words, next, 1)
      if (index >= count) break
      piece(index)
      Atomics.add(words, done, 1)
      Atomics.notify(words, done)
    }
  } catch (error) {
    Atomics.store(words, failed, 1)
    Atomics.store(words, next, count)
    Atomics.notify(words, done)
    throw error
  }
  let [known, since] = [-1, 0]
  for (;;) {
    const soFar = Atomics.load(words, done)
    if (soFar !== known) [known, since] = [soFar, performance.now()]
    const isLost = soFar < count && performance.now() - since > patienceMs
    if (isLost || Atomics.load(words, failed) === 1)
      throw new ShareFailed('Another thread could not unpack its part')
    if (soFar >= count) return
    // Now and then it is looked at, as what failed counts nothing up.
    Atomics.wait(words, done, soFar, 50)
  }
}
