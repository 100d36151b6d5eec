/** Names in a comp are at most this long. */
export const longestName = 120

/** A name that a comp can hold: no longer than names are, and no character cut in half. */
export function cutName(text: string): string {
  const cut = text.slice(0, longestName)
  return cut
    .replace(/[\uD800-\uDBFF]$/, '')
    .toWellFormed()
    .trim()
}
