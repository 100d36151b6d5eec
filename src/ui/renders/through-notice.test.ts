import { expect, test } from 'vitest'
import { throughWords } from './through-notice.tsx'

type Frames = Parameters<typeof throughWords>[0]['frames']
const frame = (state: Frames[number]['state'], problem: string | null = null) => ({
  frame: 1,
  state,
  progress: 1,
  problem,
  files: [],
  small: null,
  finishedAt: null,
})

test('what is told of a render that is through is never plainly done where something was missing', () => {
  const words = (...frames: Frames) => throughWords({ version: 3, frames })
  expect(words(frame('done'))).toBe('Render 3 is through: 1 frame.')
  expect(words(frame('done'), frame('done', 'It lacks its depth.'), frame('failed', 'broken'))).toBe(
    'Render 3 is through: 2 frames, 1 of them not whole, 1 failed.',
  )
})
