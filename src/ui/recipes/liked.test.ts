import { expect, test } from 'vitest'
import { likedFirst } from './liked.ts'

test('favourites come first, then what was used last, then all others in their order', () => {
  const all = ['a', 'b', 'c', 'd', 'e'].map((id) => ({ id }))
  const order = (favourites: string[], lately: string[]) =>
    likedFirst(all, { favourites, lately })
      .map(({ id }) => id)
      .join('')
  expect(order([], [])).toBe('abcde')
  expect(order(['d'], ['e', 'b', 'gone'])).toBe('debac')
  // One that is both stands once, among the favourites, which keep their order.
  expect(order(['e', 'b'], ['b', 'c'])).toBe('becad')
})
