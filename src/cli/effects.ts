import { dialLabel } from '../core/effects/dials.ts'
import { effects } from '../core/effects/registry.ts'

/** `zafiro effects`: every effect with all its dials, for reading or as JSON. */
export function listEffects(asJson: boolean): string {
  if (asJson) {
    const shown = effects.map(({ id, title, family, kind, purpose, version, feeds, dials }) => {
      const labelled = Object.entries(dials).map(
        ([key, dial]) => [key, { ...dial, label: dialLabel(key, dial) }] as const,
      )
      return { id, title, family, kind, purpose, version, feeds, dials: Object.fromEntries(labelled) }
    })
    return JSON.stringify({ effects: shown }, undefined, 2)
  }
  return effects
    .map(({ id, purpose, dials }) =>
      [
        `${id}: ${purpose}`,
        ...Object.entries(dials).map(
          ([key, d]) => `  ${key.padEnd(14)} ${d.type.padEnd(7)} ${JSON.stringify(d.default)}  ${d.hint}`,
        ),
      ].join('\n'),
    )
    .join('\n\n')
}
