import { describe, expect, test } from 'vitest'
import { joinBus } from './buses.ts'
import { addLane, addStep, editLane, emptyComp, setFeed } from './edits.ts'
import { duplicateLane, insertSteps, putIn, takeOut } from './fragment.ts'
import { findLoop, linksOf, mapLinks } from './references.ts'
import { allSteps, parseComp, type Comp, type Link } from './schema.ts'

/** Numbers that look random and are the same each time. */
function random(seed: number): (below: number) => number {
  let state = seed * 2654435761
  return (below) => {
    state = (Math.imul(state ^ (state >>> 15), 2246822507) + 0x9e3779b9) | 0
    return ((state ^ (state >>> 13)) >>> 0) % below
  }
}

/** A desk with lanes, buses, drawings and links of every kind between them. */
function randomComp(seed: number): Comp {
  const next = random(seed)
  let comp: Comp = emptyComp(64, 36)
  const drawing = (id: string) => ({ id, name: id, time: 'keyed' as const, shapes: [] })
  comp = { ...comp, drawings: [drawing('drawing1'), drawing('drawing2')] }
  for (let i = 0; i < 6; i++) {
    const earlier = comp.lanes[next(Math.max(1, comp.lanes.length))]
    const after = earlier?.steps[0]?.id
    const sources = [
      { type: 'pass', media: 'm1', pass: 'beauty' },
      { type: 'drawing', drawing: `drawing${1 + next(2)}` },
      ...(earlier ? [{ type: 'tap', lane: earlier.id, ...(after && next(2) ? { after } : {}) }] : []),
    ] as Link[]
    const link = () => sources[next(sources.length)]!
    comp = addLane(comp, `Lane ${i}`, link())
    const lane = comp.lanes.at(-1)!.id
    for (let s = 0; s < 1 + next(3); s++) {
      const [stepped, id] = addStep(comp, lane, 0, ['bloom', 'matte-shade', 'blur'][next(3)]!)
      comp = setFeed(stepped, id, next(2) ? 'matte' : 'light', { from: link(), spread: next(5) })
    }
    if (next(2))
      comp = editLane(comp, lane, (l) => {
        l.join.matte = {
          from: link(),
          also: [
            { from: link(), by: 'subtract' },
            { from: link(), by: 'intersect' },
          ],
        } as never
      })
  }
  const [a, b] = [comp.lanes[1]!.id, comp.lanes[4]!.id]
  comp = joinBus(comp, a, b)[0]
  const bus = comp.lanes.find((l) => l.source.type === 'lanes')!.id
  // Something takes from the bus, and from within it.
  comp = addLane(comp, 'Of the bus', { type: 'tap', lane: bus })
  return addLane(comp, 'From inside', { type: 'tap', lane: a })
}

const ids = (comp: Comp) => new Set([...comp.lanes, ...allSteps(comp), ...comp.drawings].map((x) => x.id))
const text = (value: unknown) => JSON.stringify(value)

describe.each([1, 2, 3, 4, 5, 6, 7, 8])('a piece of a random desk (%d)', (seed) => {
  const comp = randomComp(seed)
  const bus = comp.lanes.find((l) => l.source.type === 'lanes')!.id
  const before = text(comp)

  test('every link of the document is walked once', () => {
    // The document as text, looked through for links by another way.
    const found: string[] = []
    JSON.parse(text(comp), (_, value: unknown) => {
      const type = typeof value === 'object' && value !== null && 'type' in value ? value.type : ''
      if (type === 'pass' || type === 'tap' || type === 'drawing') found.push(text(value))
      return value
    })
    expect(
      linksOf(comp)
        .map(({ link }) => text(link))
        .sort(),
    ).toEqual(found.sort())
    expect(mapLinks(comp, (link) => link)).toBe(comp)
    expect(linksOf(mapLinks(comp, () => undefined))).toEqual([])
    expect(parseComp(JSON.parse(text(mapLinks(comp, () => undefined))))).toBeTruthy()
  })
  test('put back beside itself it is the same under other ids, and the rest is untouched', () => {
    const piece = takeOut(comp, { lanes: [bus] })
    const [next, fresh] = putIn(comp, piece, { inFrontOf: bus })
    expect(text(comp)).toBe(before)
    expect(parseComp(JSON.parse(text(next)))).toEqual(next)
    expect(findLoop(next)).toBeUndefined()
    for (const lane of comp.lanes) expect(next.lanes).toContain(lane)
    expect(ids(next).size).toBe(ids(comp).size + fresh.size)
    // Back to the old ids, as text.
    const old = new Map([...fresh].map(([from, to]) => [to, from]))
    const copies = next.lanes.filter((l) => old.has(l.id))
    const renamed = text(copies).replaceAll(/"([A-Za-z]+\d+)"/g, (all, id: string) => text(old.get(id) ?? id))
    const wanted = piece.lanes.map((l) => (l.id === bus ? { ...l, in: undefined } : l))
    const byId = (list: { id: string }[]) => [...list].sort((x, y) => (x.id < y.id ? -1 : 1))
    expect(byId(JSON.parse(renamed) as { id: string }[])).toEqual(
      byId(JSON.parse(text(wanted)) as { id: string }[]),
    )
  })
  test('its inputs are what it takes from outside; cut, nothing of it leaves it', () => {
    const piece = takeOut(comp, { lanes: [bus], withDrawings: true })
    const inside = new Set(piece.lanes.map((l) => l.id))
    for (const input of piece.inputs) {
      expect(input.type).not.toBe('drawing')
      if (input.type === 'tap') expect(inside.has(input.lane)).toBe(false)
    }
    const elsewhere = emptyComp(64, 36)
    const [alone, fresh] = putIn(elsewhere, piece, {}, () => undefined)
    const known = ids(alone)
    for (const { link } of linksOf(alone)) {
      expect(link.type).not.toBe('pass')
      if (link.type === 'tap') expect(known.has(link.lane) && known.has(link.after ?? link.lane)).toBe(true)
      if (link.type === 'drawing') expect(known.has(link.drawing)).toBe(true)
    }
    expect(parseComp(JSON.parse(text(alone)))).toEqual(alone)
    expect([...fresh.values()].every((id) => known.has(id))).toBe(true)
    // What stands for an input is what is named for it.
    const stand: Link = { type: 'pass', media: 'other', pass: 'stand-in' }
    const [fed] = putIn(elsewhere, piece, {}, () => stand)
    const outer = linksOf(fed).filter(({ link }) => text(link) === text(stand)).length
    const leaving = linksOf({ ...comp, lanes: [...piece.lanes], master: [] }).filter(({ link }) =>
      piece.inputs.some((i) => text(i) === text(link)),
    ).length
    expect(outer).toBe(leaving)
  })
  test('a lane that is duplicated is in front of it, in the same bus', () => {
    for (const { id, in: around } of comp.lanes) {
      const [next, copy] = duplicateLane(comp, id)
      const made = next.lanes.find((l) => l.id === copy)!
      expect(made.in).toBe(around)
      expect(next.lanes.findIndex((l) => l.id === copy)).toBeGreaterThan(
        next.lanes.findIndex((l) => l.id === id),
      )
    }
  })
})

test('steps that are pasted together take from each other what they took; the same one twice stays by itself', () => {
  let comp = addLane(emptyComp(8, 8), 'A', { type: 'colour', colour: [1, 1, 1], alpha: 1 })
  comp = addLane(comp, 'B', { type: 'colour', colour: [1, 1, 1], alpha: 1 })
  const [one, blur] = addStep(comp, 'lane1', 0, 'blur')
  const [two, bloom] = addStep(one, 'lane1', 1, 'bloom')
  const fed = setFeed(two, bloom, 'light', { from: { type: 'tap', lane: 'lane1', after: blur } })
  const steps = fed.lanes[0]!.steps
  const [pasted, made] = insertSteps(fed, 'lane2', 0, steps)
  expect(pasted.lanes[1]!.steps[1]!.feeds['light']!.from).toEqual({
    type: 'tap',
    lane: 'lane2',
    after: made[0],
  })
  const [twice, both] = insertSteps(fed, 'master', 0, [steps[1]!, steps[1]!])
  expect(new Set(both).size).toBe(2)
  expect(twice.master.map((s) => s.id)).toEqual(both)
  expect(twice.master[1]!.feeds['light']!.from).toEqual({ type: 'tap', lane: 'lane1', after: blur })
})
