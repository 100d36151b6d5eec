/** What this process knows of the queue; Next.js has a copy of its own of this module, so that it is kept beside all of them. */
const shared = globalThis as { zafiroQueueProblem?: string | null }

/** Why frames are not handed out now; null where they are. */
export const queueProblem = (): string | null => shared.zafiroQueueProblem ?? null
export function noteQueueProblem(problem: string | null): void {
  shared.zafiroQueueProblem = problem
}
