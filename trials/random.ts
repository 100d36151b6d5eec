/** Random numbers that a seed gives again: mulberry32, a common 32-bit generator. */
export class Random {
  constructor(private state: number) {}
  /** 0 ≤ x < 1. */
  next(): number {
    this.state = (this.state + 0x6d2b79f5) | 0
    let t = Math.imul(this.state ^ (this.state >>> 15), 1 | this.state)
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296
  }
  /** A whole number from 0 to n − 1. */
  below(n: number): number {
    return Math.floor(this.next() * n)
  }
  pick<T>(list: readonly T[]): T {
    return list[this.below(list.length)]!
  }
  /** One of several, each as often as its weight says. */
  weighted<T extends string>(weights: Readonly<Record<T, number>>): T {
    const entries = Object.entries(weights) as [T, number][]
    let left = this.next() * entries.reduce((sum, [, w]) => sum + w, 0)
    return (entries.find(([, w]) => (left -= w) < 0) ?? entries[0]!)[0]
  }
}
