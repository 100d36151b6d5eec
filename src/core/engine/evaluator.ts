import { Cancelled } from '../cancelled.ts'
import type { PassBlock } from '../formats/pass-block.ts'
import type { Workshop } from '../kernels/pyramid.ts'
import { passFilter } from '../passes/passes.ts'
import { OutOfMemoryError, type Picture, type PictureStore } from '../picture/picture.ts'
import { placeObjects, placePass } from './place-pass.ts'
import type { PassRef, PlanNode } from './plan/plan-node.ts'
import { withSmallSizes, type StoredPassRef } from './small-passes.ts'
import { isHuge, partArea, workArea, type Part } from './work-area.ts'
import type { Comp } from '../comp/schema.ts'

/** The entries of a table as they are, whatever the frame is. */
function tablePicture({ width, height, channels, data }: PassBlock, { kernels, store }: Workshop): Picture {
  const picture = store.allocate(width, height, 4)
  for (let i = 0; i < width * height; i++)
    for (let c = 0; c < 4; c++) picture.data[i * 4 + c] = c < channels ? data[i * channels + c]! : 1
  kernels.sanitise(picture)
  return picture
}

export type LoadPass = (ref: StoredPassRef, signal?: AbortSignal) => Promise<PassBlock>

/** Remembers what was taken within one step of work, so that nothing leaks when it is broken off. */
class ScopedStore implements PictureStore {
  private readonly live = new Set<Picture>()
  constructor(private readonly inner: PictureStore) {}
  allocate(width: number, height: number, channels: 1 | 4): Picture {
    const picture = this.inner.allocate(width, height, channels)
    this.live.add(picture)
    return picture
  }
  release(picture: Picture): void {
    if (this.live.delete(picture)) this.inner.release(picture)
  }
  giveAllBut(kept?: Picture): void {
    for (const picture of this.live) if (picture !== kept) this.inner.release(picture)
  }
}

/** Which part of which file a pass is, whatever is made of it. */
const blockName = ({ hash, pass, as, reduction, part, filter, isTable }: PassRef): string =>
  JSON.stringify([
    hash,
    pass.inFile ?? pass.name,
    as,
    reduction,
    part,
    filter ?? passFilter(pass),
    isTable ?? false,
  ])

/** Rows and columns of the canvas in a part, and two around them: plain IDs find their edges among their neighbours. */
function windowOf(comp: Comp, part: Part): Pick<PassRef, 'rows' | 'columns'> {
  const { left, top, width, height } = partArea(comp, part)
  return { rows: [-top - 2, height - top + 2], columns: [-left - 2, width - left + 2] }
}

/** A picture is small if so many fill the memory for pictures, all of which have at most so large a share of it while there are others. */
const [smallParts, smallShare] = [64, 0.25]

/** Passes that are fetched ahead at a time. */
const mostComing = 32
/** While passes come, it is looked so often whether they are still wanted. */
const lookMs = 8

/** A pass that is on its way, or is there and was not used yet. */
interface Coming {
  readonly block: Promise<PassBlock>
  readonly fetching: AbortController
  /** It was asked for by what gives way to all that somebody works with. */
  readonly isAside: boolean
  /** Who waited for it has given up. */
  isLeft: boolean
}

interface Kept {
  /** Of a pass in halves only while it is in use. */
  picture: Picture | undefined
  /** Lays such a pass anew, out of its halves. */
  lay?: (() => Picture) | undefined
  bytes: number
  pins: number
  /** Who uses the picture now, of those that hold it. */
  users: number
  /** Milliseconds to make it again out of what it is made of. */
  readonly costMs: number
  /** What has least goes first: the level when it was used last, and what a byte of it costs. */
  worth: number
  /** It was made ahead, and is dropped before all that somebody works with. */
  isAside: boolean
}

/** Waits for work, but no longer than it is wanted: then rejects with Cancelled. */
async function untilStale(work: Promise<unknown>, isStale: () => boolean): Promise<void> {
  let looking: ReturnType<typeof setInterval> | undefined
  const stale = new Promise<never>((_, reject) => {
    looking = setInterval(() => {
      if (isStale()) reject(new Cancelled())
    }, lookMs)
  })
  // Of two that fail the second is not waited for.
  for (const one of [work, stale]) one.catch(() => undefined)
  try {
    await Promise.race([work, stale])
  } finally {
    clearInterval(looking)
  }
}

/**
 * Computes planned pictures and keeps them by what they depend on: after a change, only what follows it is computed
 * again. Beyond the budget, of large pictures first, that is dropped whose bytes are made again most quickly and that has not been used for
 * long: each drop raises the level that what is used from then on begins with (GreedyDual-Size, Cao & Irani 1997).
 */
export class Evaluator {
  private readonly loadPass: (ref: PassRef, signal?: AbortSignal) => Promise<PassBlock>
  private readonly kept = new Map<string, Kept>()
  private keptBytes = 0
  private level = 0
  /** Passes in halves that are there as a picture. */
  private readonly laid = new Set<Kept>()
  /** What the plan that was loaded last builds on. */
  private held: Kept[] = []
  /** Passes that are on their way, or were asked for ahead of their use. */
  private readonly coming = new Map<string, Coming>()
  private readonly replacedIn = new Map<string, number>()
  /** How often a picture was computed rather than found. */
  computed = 0
  /** What is made is made ahead. */
  private isAside = false

  constructor(
    readonly workshop: Workshop,
    loadPass: LoadPass,
    private readonly budgetBytes: number,
    private readonly now = () => performance.now(),
  ) {
    this.loadPass = withSmallSizes(loadPass)
  }

  /**
   * Loads the passes a plan needs and does not have yet. What the plan builds on is held until the next call, so that
   * a small budget can not take it away before it is used. Rejects with what the loading says, and with Cancelled as soon as `isStale`. What
   * others waited for in vain, and what was fetched ahead of something that gives way to this, is not fetched any more.
   */
  async load(comp: Comp, node: PlanNode, isStale: () => boolean = () => false): Promise<void> {
    for (const entry of this.held) entry.pins--
    this.held = []
    this.putAway()
    const hold = (entry: Kept) => {
      entry.pins++
      this.held.push(entry)
    }
    const missing = new Map<string, PlanNode>()
    const seen = new Set<PlanNode>()
    const visit = (n: PlanNode) => {
      if (seen.has(n)) return
      seen.add(n)
      const entry = this.kept.get(n.key)
      if (entry) {
        if (!this.isAside) entry.isAside = false
        hold(entry)
      } else if (n.load && !n.inputs.some((i) => this.kept.has(i.key))) missing.set(n.key, n)
      else n.inputs.forEach(visit)
    }
    visit(node)
    const names = new Set([...missing.values()].map((n) => blockName(n.load!)))
    for (const [name, one] of this.coming)
      if (!names.has(name) && (one.isLeft || (one.isAside && !this.isAside))) this.giveUp(name, one)
    let isOver = false
    const all = Promise.all(
      [...missing.values()].map(async (n) => {
        const ref = n.load!
        const began = this.now()
        const block = await this.blockOf(comp, ref)
        if (isOver) return
        const { canvas } = comp
        const area = ref.part ? partArea(comp, ref.part) : workArea(comp, ref.reduction)
        const place = () =>
          this.withRoom(() => {
            if (ref.pass.kind === 'table' && ref.isTable)
              return { picture: tablePicture(block, this.workshop), replaced: 0 }
            if (!ref.objects) return placePass(block, area, ref.pass, this.workshop, canvas)
            const ids = new Set(ref.objects.map((id) => Number.parseInt(id, 16)))
            const masks = ref.pass.detail?.masks ?? 'plain'
            return { picture: placeObjects(block, area, masks, ids, this.workshop), replaced: 0 }
          })
        const { picture, replaced } = place()
        if (replaced > 0) this.replacedIn.set(`${ref.pass.name} (${ref.hash.slice(0, 8)})`, replaced)
        const { byteLength: bytes } = block.data
        // Small ones are asked for again and again, and cost little room.
        const staysHalf = 2 * bytes <= picture.data.byteLength && !this.isSmall(picture.data.byteLength)
        hold(
          this.keep(
            n.key,
            picture,
            this.now() - began,
            staysHalf ? { bytes, lay: () => place().picture } : {},
          ),
        )
      }),
    )
    try {
      await untilStale(all, isStale)
    } catch (error) {
      isOver = true
      if (error instanceof Cancelled)
        for (const [name, one] of this.coming)
          if (names.has(name) || (this.isAside && one.isAside)) one.isLeft = true
      throw error
    }
    for (const name of names) this.coming.delete(name)
  }

  private giveUp(name: string, { fetching }: Coming): void {
    this.coming.delete(name)
    fetching.abort()
  }

  /** A pass out of its file; several pictures that are made of one, such as mattes of objects, share it. */
  private blockOf(comp: Comp, ref: PassRef): Promise<PassBlock> {
    const name = blockName(ref)
    const known = this.coming.get(name)
    if (known) {
      known.isLeft = false
      return known.block
    }
    const fetching = new AbortController()
    const block = this.loadPass(
      {
        ...ref,
        ...(ref.part && windowOf(comp, ref.part)),
        ...(isHuge(comp) && { isHuge: true }),
      },
      fetching.signal,
    )
    const own: Coming = { block, fetching, isAside: this.isAside, isLeft: false }
    this.coming.set(name, own)
    // What fails once is asked for again.
    block.catch(() => {
      if (this.coming.get(name) === own) this.coming.delete(name)
    })
    return block
  }

  /** Runs work whose pictures are dropped first when room is short, so that what somebody works with stays. */
  async aside<T>(work: () => Promise<T>): Promise<T> {
    this.isAside = true
    try {
      return await work()
    } finally {
      this.isAside = false
    }
  }

  /** Begins to fetch what a plan will load, without waiting; `load` then finds it on its way. */
  fetchAhead(comp: Comp, node: PlanNode): void {
    const seen = new Set<PlanNode>()
    const visit = (n: PlanNode) => {
      if (seen.has(n)) return
      seen.add(n)
      if (this.kept.has(n.key)) return
      if (!n.load || n.inputs.some((i) => this.kept.has(i.key))) {
        n.inputs.forEach(visit)
        return
      }
      if (this.coming.size < mostComing) void this.blockOf(comp, n.load)
    }
    visit(node)
  }

  /** Values that were not numbers and became 0, by pass. */
  get replaced(): ReadonlyMap<string, number> {
    return this.replacedIn
  }

  /**
   * The picture of a node; `isStale` is asked between steps and between bands of a step, and stops the work with Cancelled.
   * It belongs to the cache: use it before the next call, or pin it.
   */
  evaluate(node: PlanNode, isStale: () => boolean = () => false): Picture {
    const picture = this.evaluated(node, isStale)
    const entry = this.kept.get(node.key)
    if (entry?.lay) this.stay(entry, picture)
    return picture
  }

  /** A pass in halves that is looked at by itself is a picture from then on. */
  private stay(entry: Kept, picture: Picture): void {
    this.laid.delete(entry)
    this.keptBytes += picture.data.byteLength - entry.bytes
    entry.bytes = picture.data.byteLength
    entry.lay = undefined
  }

  private evaluated(node: PlanNode, isStale: () => boolean): Picture {
    const found = this.kept.get(node.key)
    if (found) {
      if (!this.isAside) found.isAside = false
      found.worth = this.worthOf(found)
      return this.pictureOf(found)
    }
    const inputs: Picture[] = []
    const pinned: Kept[] = []
    try {
      for (const input of node.inputs) {
        inputs.push(this.evaluated(input, isStale))
        const entry = this.kept.get(input.key)!
        entry.pins++
        entry.users++
        pinned.push(entry)
      }
      if (isStale()) throw new Cancelled()
      const began = this.now()
      const picture = this.withRoom(() => this.make(node, inputs, isStale))
      this.computed++
      this.keep(node.key, picture, this.now() - began)
      return picture
    } finally {
      for (const entry of pinned) {
        entry.pins--
        entry.users--
      }
      this.putAway()
    }
  }

  private pictureOf(entry: Kept): Picture {
    if (entry.picture) return entry.picture
    entry.picture = entry.lay!()
    this.laid.add(entry)
    return entry.picture
  }

  /** Gives back the pictures of passes in halves that nobody uses now. */
  private putAway(): void {
    for (const entry of this.laid) {
      if (entry.users > 0 || !entry.picture) continue
      this.workshop.store.release(entry.picture)
      entry.picture = undefined
      this.laid.delete(entry)
    }
  }

  /** Whether the picture of a node with this key is there. */
  has(key: string): boolean {
    return this.kept.has(key)
  }

  /** Keeps a picture from being dropped until it is unpinned. */
  pin(node: PlanNode): () => void {
    const entry = this.kept.get(node.key)
    if (!entry) return () => undefined
    entry.pins++
    return () => {
      entry.pins--
    }
  }

  private make(node: PlanNode, inputs: readonly Picture[], isStale: () => boolean): Picture {
    const { kernels, store } = this.workshop
    const scoped = new ScopedStore(store)
    let result: Picture | undefined
    kernels.watch(isStale)
    try {
      result = node.make(inputs, { kernels, store: scoped })
      return result
    } finally {
      kernels.watch(() => false)
      scoped.giveAllBut(result)
    }
  }

  /** Runs work that takes memory; when there is none, drops everything that is not in use and tries once more. */
  private withRoom<T>(work: () => T): T {
    try {
      return work()
    } catch (error) {
      if (!(error instanceof OutOfMemoryError)) throw error
      this.putAway()
      this.trim(0)
      return work()
    }
  }

  private worthOf({ costMs, bytes }: Pick<Kept, 'costMs' | 'bytes'>): number {
    return this.level + costMs / bytes
  }

  private keep(
    key: string,
    picture: Picture,
    costMs: number,
    { bytes = picture.data.byteLength, lay }: Partial<Pick<Kept, 'bytes' | 'lay'>> = {},
  ): Kept {
    // Pinned for the moment: a budget smaller than one picture must not drop what is being returned.
    const worth = this.worthOf({ costMs, bytes })
    const newest: Kept = {
      picture,
      bytes,
      pins: 1,
      users: 0,
      costMs,
      worth,
      isAside: this.isAside,
      ...(lay && { lay }),
    }
    if (lay) this.laid.add(newest)
    this.kept.set(key, newest)
    this.keptBytes += bytes
    this.trim(this.budgetBytes)
    newest.pins--
    return newest
  }

  private isSmall(bytes: number): boolean {
    return bytes * smallParts <= this.budgetBytes
  }

  private trim(budget: number): void {
    this.drop(budget, (entry) => entry.isAside)
    // Proxies and parts take little room and are asked for again and again: they stay while whole frames go, but have no more than a share.
    const isSmall = ({ bytes }: Kept) => this.isSmall(bytes)
    let small = 0
    for (const entry of this.kept.values()) if (isSmall(entry)) small += entry.bytes
    this.drop(this.keptBytes - Math.max(0, small - smallShare * budget), isSmall)
    this.drop(budget, (entry) => !isSmall(entry))
    this.drop(budget, () => true)
  }

  private drop(budget: number, mayGo: (entry: Kept) => boolean): void {
    if (this.keptBytes <= budget) return
    // Of those alike the oldest: sorting leaves them in their order.
    const going = [...this.kept].filter(([, entry]) => entry.pins === 0 && mayGo(entry))
    for (const [key, entry] of going.sort(([, a], [, b]) => a.worth - b.worth)) {
      if (this.keptBytes <= budget) return
      this.kept.delete(key)
      this.keptBytes -= entry.bytes
      this.level = Math.max(this.level, entry.worth)
      this.laid.delete(entry)
      if (entry.picture) this.workshop.store.release(entry.picture)
    }
  }
}
