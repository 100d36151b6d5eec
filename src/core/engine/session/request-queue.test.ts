import { describe, expect, test } from 'vitest'
import { classes, type Class } from './requests.ts'
import { givesWay, RequestQueue } from './request-queue.ts'

const asked = (id: number, of: Class, since = 0) => ({ id, class: of, since })

describe('requests that wait', () => {
  test('are answered by class, and within one in turn', () => {
    const queue = new RequestQueue()
    classes.toReversed().forEach((of, i) => {
      queue.add(asked(i, of))
      queue.add(asked(10 + i, of))
    })
    const order = Array.from({ length: 2 * classes.length }, () => queue.take(0)!)
    expect(order.map((r) => r.class)).toEqual(classes.flatMap((of) => [of, of]))
    expect(order.every((r, i) => i % 2 === 0 || r.id === order[i - 1]!.id + 10)).toBe(true)
    expect(queue.take(0)).toBeUndefined()
  })
  test('do not wait for ever while somebody drags without an end', () => {
    const queue = new RequestQueue()
    queue.add(asked(1, 'thumbnails', 0))
    let dragged = 0
    for (let now = 0; now < 5000; now += 16) {
      queue.add(asked(100 + now, 'drag', now))
      if (queue.take(now)!.id === 1) break
      dragged++
    }
    expect(dragged * 16).toBeGreaterThan(300)
    expect(dragged * 16).toBeLessThan(1000)
  })
  test('only charts, thumbnails and what is made ahead give way to pictures, and not after having waited long', () => {
    expect(classes.filter((of) => givesWay(asked(1, of, 0), 100))).toEqual(['charts', 'thumbnails', 'ahead'])
    expect(classes.some((of) => givesWay(asked(1, of, 0), 700))).toBe(false)
  })
})
