/** 'Höhle – Grotto' → 'hohle-grotto': small letters and digits of a text with a sign between its words; `otherwise` where none is left. */
export function plainWords(text: string, between: '-' | '_', otherwise: string): string {
  const words = text
    .normalize('NFKD')
    // Accents that stood on letters.
    .replace(/\p{M}+/gu, '')
    .toLowerCase()
    .split(/[^a-z0-9]+/)
    .filter(Boolean)
  return words.join(between) || otherwise
}
