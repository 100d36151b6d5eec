import { afterEach, beforeEach, describe, expect, test, vi } from 'vitest'
import { emptyComp } from '../../core/comp/edits.ts'
import type { Answer, Codes, Wish } from '../../core/engine/session/requests.ts'
import { FrameCache } from './frame-cache.ts'
import { playedOn, playOrder, type PlayPlace } from './play-order.ts'
import { Player, type PlayerState } from './player.ts'

const codes = (bytes = 400): Codes => ({ width: 10, height: 10, pixels: new Uint8ClampedArray(bytes) })
const range = { first: 1, last: 5 }

describe('the order of playing', () => {
  const walk = (mode: 'loop' | 'once' | 'swing', by: number, count: number) => {
    const frames: (number | undefined)[] = []
    for (let place: PlayPlace | undefined = { frame: 3, by: 1 }, i = 0; place && i < count; i++) {
      place = playedOn(place, by, range, mode)
      frames.push(place?.frame)
    }
    return frames
  }
  test('round and round, once, there and back; by one or more at a time it is the same way', () => {
    expect(walk('loop', 1, 8)).toEqual([4, 5, 1, 2, 3, 4, 5, 1])
    expect(walk('loop', 3, 4)).toEqual([1, 4, 2, 5])
    expect(walk('once', 1, 5)).toEqual([4, 5, undefined])
    expect(walk('swing', 1, 10)).toEqual([4, 5, 4, 3, 2, 1, 2, 3, 4, 5])
    const single = walk('swing', 1, 30)
    expect(walk('swing', 3, 10)).toEqual(single.filter((_, i) => i % 3 === 2))
  })
  test('frames are made in the order in which they will be played', () => {
    expect(playOrder({ frame: 4, by: 1 }, range, 'loop')).toEqual([4, 5, 1, 2, 3])
    expect(playOrder({ frame: 3, by: -1 }, range, 'swing')).toEqual([2, 1, 3, 4, 5])
    expect(playOrder({ frame: 99, by: 1 }, range, 'once')).toEqual([5, 1, 2, 3, 4])
  })
})

describe('frames that are kept', () => {
  test('are none of them sure after an edit, and sure again by their key', () => {
    const cache = new FrameCache(1e6)
    for (const f of [1, 2, 3]) cache.put(f, `k${f}`, codes(), 1, [1, 2, 3])
    cache.doubt()
    expect([cache.frames, cache.find(2), cache.keyOf(2)]).toEqual([[], undefined, 'k2'])
    cache.confirm(2)
    expect(cache.frames).toEqual([2])
  })
  test('stay within the budget: what is played last goes', () => {
    const cache = new FrameCache(1000)
    for (const f of [1, 2, 3, 4]) cache.put(f, 'k', codes(), 1, [3, 4, 1, 2])
    expect(cache.frames.sort()).toEqual([3, 4])
    expect(cache.usedBytes).toBe(800)
    cache.put(5, 'k', codes(4000), 1, [5])
    expect(cache.frames).toEqual([5])
  })
})

describe('playing', () => {
  let now = 0
  let ticks: (() => void)[] = []
  beforeEach(() => {
    vi.useFakeTimers()
    ;[now, ticks] = [0, []]
  })
  afterEach(() => {
    vi.useRealTimers()
  })
  /** A player with a clock of its own; `keys` is what each frame depends on. */
  function begin(more: Partial<PlayerState> = {}) {
    const shown: number[] = []
    const asked: string[] = []
    let ended = 0
    const keys: Record<number, string> = {}
    const state: PlayerState = {
      frame: 1,
      range,
      mode: 'loop',
      rate: 10,
      isEvery: false,
      isRiding: false,
      isBusy: false,
      played: {
        work: { comp: emptyComp(960, 540), media: {} },
        wish: { target: { type: 'picture' }, reduction: 1, view: {} as never },
      },
      ...more,
    }
    const ahead = (at: { frame: number }, wish: Omit<Wish<'ahead'>, 'frame'>): Promise<Answer<'ahead'>> => {
      asked.push(`${at.frame}${wish.isAsked ? '?' : ['', '', ' small'][wish.reduction]!}`)
      const key = `${keys[at.frame] ?? `k${at.frame}`} ${wish.reduction}`
      return Promise.resolve(wish.isAsked ? { key, tookMs: 1 } : { key, codes: codes(), tookMs: 1 })
    }
    const listener = {
      state: () => state,
      present: (_: Codes, frame: number) => shown.push(frame),
      pass: () => undefined,
      onReady: () => undefined,
      onEnded: () => ended++,
    }
    const player = new Player(
      { ahead, stopAhead: () => undefined },
      listener,
      1e6,
      () => now,
      (run) => ticks.push(run),
    )
    const run = (...at: number[]) => {
      for (const t of at) {
        now = t
        for (const tick of ticks.splice(0)) tick()
      }
    }
    const fill = async () => {
      now += 1000
      await vi.advanceTimersByTimeAsync(1000)
    }
    return { player, shown, asked, keys, run, fill, state, ended: () => ended }
  }
  test('shows frames in time; late ones are dropped and counted, not the tempo', async () => {
    const { player, shown, run, fill } = begin()
    player.changed()
    await fill()
    now = 0
    player.play()
    run(10, 100, 190, 205, 330, 410, 800)
    // At 10 frames a second; at 800 ms it is at the eighth step, three were missed.
    expect(shown).toEqual([2, 3, 4, 5, 4])
    expect(player.count).toEqual({ shown: 5, late: 3 })
  })
  test.each([
    [960, 1, [2, 1]],
    [1920, 2, [4, 2]],
    [3840, 4, [8, 4]],
    [8192, 8, [16, 8]],
    // No smaller one can be made.
    [960, 4, [4]],
  ] as const)(
    'frames of %i pixels that are seen at 1/%i are made at %j of their size',
    async (width, seen, sizes) => {
      const { player, fill } = begin({
        played: {
          work: { comp: emptyComp(width, Math.round((width * 9) / 16)), media: {} },
          wish: { target: { type: 'picture' }, reduction: seen, view: {} as never },
        },
      })
      const made = new Set<number | undefined>()
      const put = player.cache.put.bind(player.cache)
      player.cache.put = (frame, key, kept, reduction, order, isSure) => {
        made.add(reduction)
        put(frame, key, kept, reduction, order, isSure)
      }
      player.changed()
      await fill()
      expect([...made]).toEqual(sizes)
    },
  )
  test('shows every frame where that is wished, however long it takes', async () => {
    const { player, shown, run, fill } = begin({ isEvery: true })
    player.changed()
    await fill()
    now = 0
    player.play()
    run(100, 800, 801, 900, 1000)
    expect(shown).toEqual([2, 3, 4, 5])
    expect(player.count.late).toBe(0)
  })
  test('what is given up for somebody’s hand is gone on with, however late the engine says so', async () => {
    const { asked, state } = begin()
    let giveUp: (() => void) | undefined
    let count = 0
    const ahead = ({ frame }: { frame: number }): Promise<Answer<'ahead'> | undefined> => {
      asked.push(`${frame}`)
      if (++count === 1)
        return new Promise(
          (resolve) =>
            (giveUp = () => {
              resolve(undefined)
            }),
        )
      return Promise.resolve({ key: `k${frame}`, codes: codes(), tookMs: 1 })
    }
    const player = new Player(
      { ahead, stopAhead: () => undefined },
      {
        state: () => state,
        present: () => 0,
        pass: () => undefined,
        onReady: () => undefined,
        onEnded: () => 0,
      },
      1e6,
      () => now,
    )
    player.changed()
    now += 1000
    await vi.advanceTimersByTimeAsync(1000)
    player.touched()
    // Long after somebody rests.
    now += 5000
    await vi.advanceTimersByTimeAsync(5000)
    giveUp!()
    now += 1000
    await vi.advanceTimersByTimeAsync(1000)
    expect(player.cache.frames.toSorted()).toEqual([1, 2, 3, 4, 5])
  })
  test('what is only made finer gives way when it plays, and is gone on with after', async () => {
    const { state } = begin()
    let giveUp: (() => void) | undefined
    let isPatient = false
    const ahead = (
      { frame }: { frame: number },
      { reduction }: { reduction: number },
    ): Promise<Answer<'ahead'> | undefined> => {
      if (reduction === 1 && !isPatient)
        return new Promise(
          (resolve) =>
            (giveUp = () => {
              resolve(undefined)
            }),
        )
      return Promise.resolve({ key: `k${frame}`, codes: codes(), tookMs: 1 })
    }
    const player = new Player(
      { ahead: ahead, stopAhead: () => giveUp?.() },
      {
        state: () => state,
        present: () => 0,
        pass: () => undefined,
        onReady: () => undefined,
        onEnded: () => 0,
      },
      1e6,
      () => now,
      (run) => ticks.push(run),
    )
    player.changed()
    now += 1000
    await vi.advanceTimersByTimeAsync(1000)
    // All are there small, and the first is on its way at the size that it is seen.
    expect(player.cache.frames).toHaveLength(5)
    expect([player.cache.reductionOf(1), giveUp !== undefined, player.sharpCount]).toEqual([2, true, 0])
    giveUp = vi.fn(giveUp)
    player.play()
    expect(giveUp).toHaveBeenCalledOnce()
    await vi.advanceTimersByTimeAsync(500)
    expect(player.cache.reductionOf(1)).toBe(2)
    player.stop()
    isPatient = true
    player.rested()
    now += 1000
    await vi.advanceTimersByTimeAsync(1000)
    expect([1, 2, 3, 4, 5].map((f) => player.cache.reductionOf(f))).toEqual([1, 1, 1, 1, 1])
    expect(player.sharpCount).toBe(5)
  })
  test('a timer that comes a moment too early, while time goes on, loses nothing', async () => {
    const { state } = begin()
    const ahead = ({ frame }: { frame: number }): Promise<Answer<'ahead'>> =>
      Promise.resolve({ key: `k${frame}`, codes: codes(), tookMs: 1 })
    // After an edit nothing is made for 350 ms: each look at the clock of 0.4 ms is one on which that may end.
    for (let early = 1; early < 14; early++) {
      let looks = 0
      now = 0
      let isRun = false
      const player = new Player(
        { ahead, stopAhead: () => undefined },
        {
          state: () => state,
          present: () => 0,
          pass: () => undefined,
          onReady: () => undefined,
          onEnded: () => 0,
        },
        1e6,
        () => now + (isRun ? 0.4 * looks++ : 0),
      )
      player.changed()
      ;[now, isRun] = [350 - 0.4 * early, true]
      await vi.advanceTimersByTimeAsync(350)
      now += 400
      await vi.advanceTimersByTimeAsync(400)
      expect(player.cache.frames.toSorted(), `${early} looks too early`).toEqual([1, 2, 3, 4, 5])
      player.close()
    }
  })
  test('what is given up for a picture is gone on with; what can not be made is left after some tries', async () => {
    const { asked, state } = begin()
    let isBroken = false
    let missed = 0
    const ahead = ({ frame }: { frame: number }): Promise<Answer<'ahead'> | undefined> => {
      asked.push(`${frame}`)
      if (isBroken || (frame === 3 && missed++ < 2)) return Promise.resolve(undefined)
      return Promise.resolve({ key: `k${frame}`, codes: codes(), tookMs: 1 })
    }
    const player = new Player(
      { ahead, stopAhead: () => undefined },
      {
        state: () => state,
        present: () => 0,
        pass: () => undefined,
        onReady: () => undefined,
        onEnded: () => 0,
      },
      1e6,
      () => now,
    )
    const wait = async () => {
      now += 2000
      await vi.advanceTimersByTimeAsync(2000)
    }
    player.changed()
    await wait()
    expect(player.cache.frames.toSorted()).toEqual([1, 2, 3, 4, 5])
    isBroken = true
    player.cache.clear()
    player.changed()
    asked.length = 0
    await wait()
    await wait()
    expect(asked.length).toBeLessThan(8)
  })
  test('waits before a frame that is not ready, and goes on from there', async () => {
    const { player, shown, run, fill } = begin()
    player.play()
    run(100, 500, 900)
    expect(shown).toEqual([])
    await fill()
    // Its last look was at 900.
    run(950, 1001, 1101)
    expect(shown).toEqual([2, 3])
    expect(player.count.late).toBe(0)
  })
  test('ends at the end when played once', async () => {
    const { player, run, fill, ended } = begin({ mode: 'once', frame: 4 })
    player.changed()
    await fill()
    now = 0
    player.play()
    run(100, 200, 300)
    expect(ended()).toBe(1)
  })
  test('an edit drops exactly the frames that it changes; the others are asked for, not made', async () => {
    const { player, asked, keys, fill } = begin({ frame: 3 })
    player.changed()
    await fill()
    expect(asked).toEqual([3, 4, 5, 1, 2].map((f) => `${f} small`).concat(['3', '4', '5', '1', '2']))
    asked.splice(0)
    const before = player.cache.find(5)
    keys[4] = 'other'
    player.changed()
    expect(player.cache.frames).toEqual([])
    await fill()
    expect(player.cache.frames.sort()).toEqual([1, 2, 3, 4, 5])
    expect(player.cache.find(5)).toBe(before)
    expect(player.cache.keyOf(4)).toBe('other 1')
    expect(asked).toEqual(['3?', '4?', '5?', '1?', '2?', '4 small', '4'])
  })
  test('while files come one after the other nothing is made ahead, but when it plays; files that come at once hold nothing up', async () => {
    const { player, asked, fill, run } = begin()
    player.changed(false)
    player.changed(false)
    await fill()
    expect(asked).not.toEqual([])
    await fill()
    asked.length = 0
    now += 20_000
    player.changed(false)
    await fill()
    expect(asked).toEqual([])
    run(now + 10)
    player.play()
    await fill()
    expect(asked).not.toEqual([])
    player.stop()
    await fill()
    asked.length = 0
    now += 20_000
    player.changed(false)
    now += 44_000
    await vi.advanceTimersByTimeAsync(44_000)
    expect(asked).toEqual([])
    now += 2_000
    await vi.advanceTimersByTimeAsync(2_000)
    expect(asked).not.toEqual([])
  })
  test('nothing is made ahead while somebody works', async () => {
    const { player, asked, fill } = begin({ isBusy: true })
    player.changed()
    await fill()
    expect(asked).toEqual([])
  })
})
