/** One line of a bench: a work set against a reference of the same run. */
export interface Result {
  readonly name: string
  readonly size: string
  readonly threads: number
  readonly medianMs: number
  readonly reference: string
  readonly referenceMs: number
  /** medianMs / referenceMs. */
  readonly ratio: number
  readonly target: number | null
}

export type Work = () => unknown

/** Which rows are measured: all, or those whose name has these words. */
export type Wanted = (name: string) => boolean

const median = (times: number[]) => times.toSorted((a, b) => a - b)[Math.floor(times.length / 2)]!

/** Median times of works that take turns, so that a slow moment of the machine meets all of them. */
export async function alternate(works: readonly Work[], rounds: number): Promise<number[]> {
  const times = works.map((): number[] => [])
  for (let round = -1; round < rounds; round++)
    for (const [i, work] of works.entries()) {
      const started = performance.now()
      await work()
      if (round >= 0) times[i]!.push(performance.now() - started)
    }
  return times.map(median)
}
