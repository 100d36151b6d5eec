import { expect, test } from 'vitest'
import { draftOf, draftProblem, isComplete, settingsOf, usualDraft } from './draft.ts'

test('what is chosen comes back as it was kept, and what is as usual is left out', () => {
  expect(settingsOf(usualDraft)).toEqual({ formats: ['exr', 'png16'], options: {} })
  const draft = {
    ...usualDraft,
    formats: ['exr', 'review'] as const,
    sizeText: 'width',
    width: '640',
    name: 'look_{frame:6}',
    layers: ['lights', 'passes'] as const,
    compression: 'piz' as const,
    space: 'acescg' as const,
    deliver: { root: '/out', folder: 'sh010/final', there: 'replace' as const },
  }
  const kept = settingsOf(draft)
  expect(kept.options).toEqual({
    size: { width: 640 },
    name: 'look_{frame:6}',
    layers: { lights: true, passes: true },
    compression: 'piz',
    space: 'acescg',
    deliver: draft.deliver,
  })
  expect(draftOf(kept)).toEqual(draft)
  // Layers and packing are of EXR alone.
  expect(settingsOf({ ...draft, formats: ['png8'] }).options).not.toHaveProperty('layers')
})

test('a name that was changed beside older files is wished for as it was', () => {
  const deliver = { root: '/out', folder: '', there: 'version' as const }
  const named = (name: string) => draftOf({ formats: ['exr'], options: { name, deliver } }).name
  expect(named('{shot}-v002.{frame}')).toBe('{shot}.{frame}')
  expect(named('a-v013_{frame:6}')).toBe('a_{frame:6}')
  expect(draftOf({ formats: ['exr'], options: { name: '{shot}-v002.{frame}' } }).name).toBe(
    '{shot}-v002.{frame}',
  )
})

test('what is wrong is said, what is not typed yet only waits', () => {
  const width = (text: string) => ({ ...usualDraft, sizeText: 'width', width: text })
  expect([draftProblem(width('')), isComplete(width(''))]).toEqual([undefined, false])
  expect(draftProblem(width('15'))).toMatch(/16 to 16384/)
  expect(isComplete(width('15.5'))).toBe(false)
  expect(isComplete(width('1920'))).toBe(true)
  expect(isComplete({ ...usualDraft, formats: [] })).toBe(false)
  expect(draftProblem({ ...usualDraft, name: 'look' })).toMatch(/\{frame\}/)
})
