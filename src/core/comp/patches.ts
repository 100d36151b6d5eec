import { applyPatches, enablePatches, type Patch } from 'immer'

enablePatches()

const isTable = (value: unknown): value is Record<string, unknown> =>
  typeof value === 'object' && value !== null && !Array.isArray(value)

function collect(before: unknown, after: unknown, path: readonly (string | number)[], found: Patch[]): void {
  if (Object.is(before, after)) return
  const at = (key: string | number) => [...path, key]
  if (Array.isArray(before) && Array.isArray(after)) {
    for (let i = 0; i < Math.min(before.length, after.length); i++) collect(before[i], after[i], at(i), found)
    if (after.length < before.length) found.push({ op: 'replace', path: at('length'), value: after.length })
    for (let i = before.length; i < after.length; i++)
      found.push({ op: 'add', path: at(i), value: after[i] as unknown })
  } else if (isTable(before) && isTable(after)) {
    for (const key of Object.keys(before)) if (!(key in after)) found.push({ op: 'remove', path: at(key) })
    for (const [key, value] of Object.entries(after))
      if (key in before) collect(before[key], value, at(key), found)
      else found.push({ op: 'add', path: at(key), value })
  } else found.push({ op: 'replace', path: [...path], value: after })
}

/** What makes one value of another, both as JSON holds them. What both share by reference is not looked into, so that it costs as little as the change. */
export function patchesBetween(before: object, after: object): Patch[] {
  const found: Patch[] = []
  collect(before, after, [], found)
  return found
}

/** The value with patches made to it; what they do not touch is shared with it. */
export function patched<T extends object>(before: T, patches: readonly Patch[]): T {
  return patches.length === 0 ? before : applyPatches(before, patches)
}
