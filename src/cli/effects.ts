import { dialLabel, dialWords, type Dial } from '../core/dials/dials.ts'
import type { Effect } from '../core/effects/effect.ts'
import { effects } from '../core/effects/registry.ts'

/** The reference has a picture of it: what works from a file of the user's own has none. */
export const isPictured = ({ feeds }: Pick<Effect, 'feeds'>): boolean =>
  !Object.values(feeds).some(({ kind, required }) => kind === 'table' && required)

/** The reference page of all effects, from their declarations. */
export function effectsReference(): string {
  const pages = effects.map(({ id, title, purpose, law, family, kind, belongs, feeds, dials, starts }) =>
    [
      `## ${title} (\`${id}\`)`,
      `${purpose} Family: ${family}; kind: ${kind}.`,
      ...(isPictured({ feeds }) ? [`![Left without ${title}, right with it](effects/${id}.webp)`] : []),
      `Where it belongs: ${belongs.reason}`,
      ...(law === undefined ? [] : [`What it computes: ${law}`]),
      ...Object.entries(feeds).map(
        ([key, feed]) => `- feed \`${key}\`${feed.required ? ' (required)' : ''}: ${feed.hint}`,
      ),
      '| dial | default | useful range (hard range) | what it does |\n|---|---|---|---|\n' +
        Object.entries<Dial>(dials)
          .map(
            ([key, dial]) =>
              `| \`${key}\` ${dialLabel(key, dial)} | ${JSON.stringify(dial.default)} | ${dialWords(dial)} | ${dial.hint} |`,
          )
          .join('\n'),
      ...(starts.length > 0 ? [`Starting points: ${starts.map((s) => s.name).join(', ')}.`] : []),
    ].join('\n\n'),
  )
  return `# Effects\n\nWritten by \`npx zafiro effects --markdown\` from the declarations in \`src/core/effects/\`.\n\n${pages.join('\n\n')}\n`
}

/** `zafiro effects`: every effect with all its dials, for reading or as JSON. */
export function listEffects(form: 'text' | 'json' | 'markdown'): string {
  if (form === 'markdown') return effectsReference().trimEnd()
  if (form === 'json') {
    const shown = effects.map(({ id, title, family, kind, purpose, version, feeds, dials }) => {
      const labelled = Object.entries(dials).map(
        ([key, dial]) => [key, { ...dial, label: dialLabel(key, dial) }] as const,
      )
      return { id, title, family, kind, purpose, version, feeds, dials: Object.fromEntries(labelled) }
    })
    return JSON.stringify({ effects: shown }, undefined, 2)
  }
  const line = ([key, d]: [string, Dial]) =>
    `  ${key.padEnd(14)} ${d.type.padEnd(7)} ${JSON.stringify(d.default)}  ${d.hint}`
  return effects
    .map(({ id, purpose, dials }) => [`${id}: ${purpose}`, ...Object.entries(dials).map(line)].join('\n'))
    .join('\n\n')
}
