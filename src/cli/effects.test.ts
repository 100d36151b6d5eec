import { readFileSync } from 'node:fs'
import { expect, test } from 'vitest'
import { effects } from '../core/effects/registry.ts'
import { effectsReference, listEffects } from './effects.ts'

test('the reference page is that of the declarations (npx zafiro effects --markdown > docs/effects.md)', () => {
  expect(readFileSync('docs/effects.md', 'utf8')).toBe(effectsReference())
})

test('the JSON list has every effect with every dial', () => {
  const { effects: listed } = JSON.parse(listEffects('json')) as { effects: { id: string; dials: object }[] }
  expect(listed.map((e) => [e.id, Object.keys(e.dials)])).toEqual(
    effects.map((e) => [e.id, Object.keys(e.dials)]),
  )
})
