import type { Codes } from '../../core/engine/session/requests.ts'
import type { Reduction } from '../../core/engine/work-area.ts'

interface Kept {
  readonly key: string
  readonly codes: Codes
  /** How much smaller than the full frame it was made. */
  readonly reduction: Reduction
  /** It is known to be what the comp makes now. */
  isSure: boolean
}

/**
 * Frames of a shot as they are seen, ready to be played. After an edit none is sure until its key was asked for again; so an edit drops
 * exactly the frames that it changes. Beyond the budget, what was played longest ago goes first.
 */
export class FrameCache {
  private readonly kept = new Map<number, Kept>()
  private bytes = 0

  constructor(public budgetBytes: number) {}

  /** A frame that is sure. */
  find(frame: number): Codes | undefined {
    const found = this.kept.get(frame)
    return found?.isSure ? found.codes : undefined
  }
  /** What a kept frame depends on, sure or not. */
  keyOf(frame: number): string | undefined {
    return this.kept.get(frame)?.key
  }
  isSure(frame: number): boolean {
    return this.kept.get(frame)?.isSure ?? false
  }
  /** The size that a frame is kept at; undefined where it is not kept. */
  reductionOf(frame: number): Reduction | undefined {
    return this.kept.get(frame)?.reduction
  }
  /** Frames that are sure. */
  get frames(): number[] {
    return [...this.kept].filter(([, k]) => k.isSure).map(([frame]) => frame)
  }
  get usedBytes(): number {
    return this.bytes
  }
  /** Whether one more like those that are kept finds room. */
  get hasRoom(): boolean {
    const [first] = this.kept.values()
    return this.bytes + (first?.codes.pixels.byteLength ?? 0) <= this.budgetBytes
  }

  /** Something changed: nothing is sure. */
  doubt(): void {
    for (const kept of this.kept.values()) kept.isSure = false
  }
  confirm(frame: number): void {
    const kept = this.kept.get(frame)
    if (kept) kept.isSure = true
  }
  /** Keeps a frame; `order` says which are needed soonest, the last of them gives way when room is short. */
  put(
    frame: number,
    key: string,
    codes: Codes,
    reduction: Reduction,
    order: readonly number[],
    isSure = true,
  ): void {
    this.drop(frame)
    this.kept.set(frame, { key, codes, reduction, isSure })
    this.bytes += codes.pixels.byteLength
    const rank = new Map(order.map((f, i) => [f, i]))
    const last = [...this.kept.keys()].sort((a, b) => (rank.get(b) ?? Infinity) - (rank.get(a) ?? Infinity))
    for (const far of last) {
      if (this.bytes <= this.budgetBytes || this.kept.size === 1) return
      this.drop(far)
    }
  }
  clear(): void {
    this.kept.clear()
    this.bytes = 0
  }
  drop(frame: number): void {
    const kept = this.kept.get(frame)
    if (!kept) return
    this.kept.delete(frame)
    this.bytes -= kept.codes.pixels.byteLength
  }
}
