import { readFileSync } from 'node:fs'

/** Which build this is: the same for the same sources. Programs lie beside the mark that their building left. */
export function buildId(): string {
  try {
    return readFileSync(new URL('./.stamp', import.meta.url), 'utf8')
      .trim()
      .slice(0, 16)
  } catch {
    return 'unbuilt'
  }
}

/** What is said to a worker of another build. */
export const otherBuild = (theirs: string, ours: string): string =>
  `This worker is of another build (${theirs}) than the server (${ours}). Bring both to the same state of the sources, then start the worker again: pictures of two builds may differ.`
