import { classes, type Class } from './requests.ts'

export interface Waiting {
  readonly id: number
  readonly class: Class
  /** When it was asked for, in milliseconds. */
  readonly since: number
}

/** Milliseconds of waiting that count as one class, so that nothing waits for ever. */
const classMs = 120

const rank = ({ class: one, since }: Waiting, now: number) => classes.indexOf(one) - (now - since) / classMs

/** Requests that wait: the most urgent class first, within it the oldest; what has waited long comes before what is more urgent. */
export class RequestQueue<R extends Waiting> {
  private waiting: R[] = []

  get length(): number {
    return this.waiting.length
  }

  add(request: R): void {
    this.waiting.push(request)
  }

  take(now: number): R | undefined {
    let first: R | undefined
    for (const one of this.waiting) if (!first || rank(one, now) < rank(first, now)) first = one
    this.waiting = this.waiting.filter((one) => one !== first)
    return first
  }
}

/** Whether a request breaks off when a picture is asked for: charts and thumbnails do, until they have waited long. */
export function givesWay(request: Waiting, now: number): boolean {
  return classes.indexOf(request.class) > classes.indexOf('measures') && now - request.since < 5 * classMs
}
