import { expect, test } from 'vitest'
import { placeLabels } from './place-labels.ts'

const size = { width: 400, height: 300 }

test('labels of points that lie on each other, beside each other and in a corner lie on nothing and inside the view', () => {
  const sets = [
    [
      [200, 150],
      [200, 150],
      [200, 150],
    ],
    [
      [200, 150],
      [210, 140],
      [190, 160],
    ],
    [
      [2, 2],
      [398, 298],
      [398, 2],
    ],
  ] as const
  const texts = ['Pivot', 'Move', 'Turn, scale']
  for (const points of sets) {
    const boxes = placeLabels(points, texts, size).map(
      ({ x, y }, i) => [x, y, x + texts[i]!.length * 6, y + 14] as const,
    )
    boxes.forEach((a, i) => {
      expect(a[0] >= 0 && a[1] >= 0 && a[2] <= size.width && a[3] <= size.height).toBe(true)
      for (const b of boxes.slice(i + 1))
        expect(a[2] <= b[0] || b[2] <= a[0] || a[3] <= b[1] || b[3] <= a[1]).toBe(true)
    })
  }
})

test('a point alone has its label above to the right', () => {
  const [label] = placeLabels([[100, 100]], ['Origin'], size)
  expect(label!.x).toBeGreaterThan(100)
  expect(label!.y).toBeLessThan(100)
})
