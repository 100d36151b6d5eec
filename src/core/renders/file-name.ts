import type { OutputSpace } from '../colour/spaces.ts'
import { plainWords } from '../plain-words.ts'

// How the files of a render are named.

export const usualName = '{shot}.{frame}'

/** What stands in a name for what: the shot's name in small letters, the number of the frame, which render of the shot it is, and what its colours are. */
export const nameParts = ['{shot}', '{frame}', '{frame:6}', '{version}', '{space}'] as const

/** 'Grotto descent' → 'grotto-descent', 'Höhle_v002' → 'hohle_v002': safe in a file name anywhere. */
export function fileStem(name: string): string {
  const parts = name.split('_').map((part) => plainWords(part, '-', ''))
  return parts.join('_').replace(/^[-_]+|[-_]+$/g, '') || 'shot'
}

/** What is wrong with a pattern for names, in words; undefined when it may be used. */
export function nameProblem(pattern: string): string | undefined {
  if (pattern.trim() === '') return `A name is wanted, such as ${usualName}.`
  if (pattern.length > 120) return 'The name is longer than 120 letters.'
  if (/[/\\]/.test(pattern)) return 'A name may have no slashes: all files of a render lie in one folder.'

  if (/[\u0000-\u001f<>:"|?*]/.test(pattern.replaceAll(/\{[^}]*\}/g, '')))
    return 'A name may not have any of < > : " | ? *, which not every disk takes.'
  const unknown = [...pattern.matchAll(/\{([^}]*)\}?/g)].find(
    ([whole]) => !/^\{(shot|version|space|frame(:\d{1,2})?)\}$/.test(whole),
  )
  if (unknown) return `${unknown[0]} stands for nothing. There are ${nameParts.join(', ')}.`
  if (!/\{frame(:\d+)?\}/.test(pattern)) return 'Without {frame} all frames would have one name.'
  if (/^[.\s]|[.\s]$/.test(pattern)) return 'A name may not begin or end with a dot or a space.'
  return undefined
}

/** A pattern for the files of a further one: 'v002' before the number of the frame; as it is for the first. */
export function versionedName(pattern: string, version: number): string {
  if (version === 1) return pattern
  return pattern.replace(/([._-]?)(\{frame)/, `-v${String(version).padStart(3, '0')}$1$2`)
}

/** A name, without its ending, for a frame. */
export function filledName(
  pattern: string,
  {
    shot,
    frame,
    version,
    space = 'rec709',
  }: {
    readonly shot: string
    readonly frame: number
    readonly version: number
    readonly space?: OutputSpace | undefined
  },
): string {
  const padded = (digits: number) => `${frame < 0 ? '-' : ''}${String(Math.abs(frame)).padStart(digits, '0')}`
  return pattern
    .replaceAll('{shot}', shot)
    .replaceAll('{space}', space)
    .replaceAll('{version}', `v${String(version).padStart(3, '0')}`)
    .replaceAll(/\{frame(?::(\d+))?\}/g, (_, digits: string | undefined) => padded(Number(digits ?? 4)))
}
