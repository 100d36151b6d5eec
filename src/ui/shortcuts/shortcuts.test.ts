import { expect, test } from 'vitest'
import { printedKeys, shortcuts, type Shortcut } from './shortcuts.ts'

const all = Object.values<Shortcut>(shortcuts)

test('no two shortcuts take the same keys', () => {
  const taken = all.flatMap(({ keys }) => keys.split(' '))
  expect(taken.filter((keys, i) => taken.indexOf(keys) !== i)).toEqual([])
})

test('each says what it does once, as a sentence begins', () => {
  const words = all.map(({ does }) => does)
  expect(new Set(words).size).toBe(words.length)
  for (const does of words) expect(does).toMatch(/^[A-Z].{2,60}[^.]$/)
})

test('keys are shown as they are printed', () => {
  expect(printedKeys('mod+shift+z')).toEqual(['Ctrl', 'Shift', 'Z'])
  expect(printedKeys('/ shift+/')).toEqual(['/'])
  expect(printedKeys(shortcuts.sheet.keys)).toEqual(['?'])
  expect(printedKeys('alt+left')).toEqual(['Alt', '←'])
  expect(printedKeys('space')).toEqual(['Space'])
})
