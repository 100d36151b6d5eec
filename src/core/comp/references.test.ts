import { describe, expect, test } from 'vitest'
import { addLane, addStep, editLane, emptyComp, setFeed } from './edits.ts'
import { cutLinksTo, dependentsOf, findLoop, linked, redirectLinks, tappedPoints } from './references.ts'
import { busesAround, dropLane, joinBus, leaveBus, placeLane } from './buses.ts'
import { duplicateLane, insertSteps } from './fragment.ts'
import { parseComp, type Comp } from './schema.ts'

const flat = { type: 'colour', colour: [1, 0, 0], alpha: 1 } as const
const tap = (lane: string, after?: string) => ({ type: 'tap', lane, ...(after ? { after } : {}) }) as const
const names = (comp: Comp) => comp.lanes.map((l) => (l.in === undefined ? l.name : `${l.name}<${l.in}`))
const withLanes = (...list: string[]) =>
  list.reduce((comp, name) => addLane(comp, name, { ...flat, colour: [...flat.colour] }), emptyComp(8, 8))

describe('loops', () => {
  test('are found through taps, feeds, mattes and buses, and name their lanes', () => {
    let comp = withLanes('Back', 'Front')
    expect(findLoop(comp)).toBeUndefined()
    const [a, b] = comp.lanes.map((l) => l.id) as [string, string]
    comp = editLane(comp, a, (l) => {
      l.source = tap(b)
    })
    expect(findLoop(comp)).toBeUndefined()
    const [lit, id] = addStep(comp, b, 0, 'bloom')
    expect(findLoop(setFeed(lit, id, 'light', { from: tap(a) }))).toEqual(['Back', 'Front', 'Back'])
    expect(findLoop(setFeed(lit, id, 'matte', { from: tap(a) }))).toBeDefined()
    const also = { from: tap('nothing'), also: [{ by: 'union', from: tap(a) }] } as never
    expect(findLoop(setFeed(lit, id, 'matte', also))).toBeDefined()
  })
  test('an earlier point of one’s own lane is no loop, a later one is', () => {
    let comp = withLanes('Cave')
    const lane = comp.lanes[0]!.id
    let [first, second] = ['', '']
    ;[comp, first] = addStep(comp, lane, 0, 'exposure')
    ;[comp, second] = addStep(comp, lane, 1, 'bloom')
    expect(findLoop(setFeed(comp, second, 'light', { from: tap(lane, first) }))).toBeUndefined()
    expect(findLoop(setFeed(comp, second, 'light', { from: tap(lane, 'source') }))).toBeUndefined()
    expect(findLoop(setFeed(comp, second, 'light', { from: tap(lane) }))).toEqual(['Cave', 'Cave'])
  })
  test('a bus that is fed to something in it', () => {
    const [comp, bus] = joinBus(withLanes('Bell', 'Jelly'), 'lane2', 'lane1')
    const looped = editLane(comp, 'lane1', (l) => {
      l.source = tap(bus)
    })
    expect(findLoop(looped)).toEqual(expect.arrayContaining(['Bell', 'Bell bus']))
  })
})

test('links to a lane can lead elsewhere instead, each by the point that it tapped', () => {
  let comp = withLanes('Plume', 'Copy')
  const [plume, copy] = comp.lanes.map((l) => l.id) as [string, string]
  let [own, other] = ['', '']
  ;[comp, own] = addStep(comp, plume, 0, 'blur')
  ;[comp, other] = addStep(comp, copy, 0, 'bloom')
  comp = editLane(comp, copy, (l) => {
    l.source = tap(plume)
  })
  comp = setFeed(comp, other, 'light', { from: tap(plume, own) })
  comp = setFeed(comp, other, 'matte', {
    from: tap(copy, 'source'),
    also: [{ by: 'union', from: tap(plume, 'source') }],
  } as never)
  expect(tappedPoints(comp, plume)).toEqual([undefined, own, 'source'])
  const still = redirectLinks(comp, plume, (after) => ({ type: 'pass', media: 'm1', pass: after ?? 'end' }))
  expect(tappedPoints(still, plume)).toEqual([])
  expect(still.lanes[1]!.source).toEqual({ type: 'pass', media: 'm1', pass: 'end' })
  const step = still.lanes[1]!.steps[0]!
  expect(step.feeds['light']).toEqual({ from: { type: 'pass', media: 'm1', pass: own } })
  expect(step.matte?.from).toEqual(tap(copy, 'source'))
  expect(step.matte?.also).toEqual([{ by: 'union', from: { type: 'pass', media: 'm1', pass: 'source' } }])
})

test('copies of a bus take from each other what the originals took from each other, and from others what those took', () => {
  let comp = withLanes('Line', 'Paint', 'Cave')
  const [line, paint, cave] = comp.lanes.map((l) => l.id) as [string, string, string]
  let [own, glow] = ['', '']
  ;[comp, own] = addStep(comp, line, 0, 'blur')
  ;[comp, glow] = addStep(comp, paint, 0, 'bloom')
  comp = setFeed(comp, glow, 'light', { from: tap(line, own) })
  comp = setFeed(comp, glow, 'matte', {
    from: tap(cave),
    also: [{ by: 'union', from: tap(line, 'source') }],
  } as never)
  const [bussed, bus] = joinBus(comp, line, paint)
  const [next] = duplicateLane(bussed, bus)
  const fresh = next.lanes.filter((l) => !bussed.lanes.some((o) => o.id === l.id))
  expect(fresh).toHaveLength(3)
  const copyOfLine = fresh.find((l) => l.name === 'Line')!
  const step = fresh.find((l) => l.name === 'Paint')!.steps[0]!
  expect(step.feeds['light']!.from).toEqual(tap(copyOfLine.id, copyOfLine.steps[0]!.id))
  expect(step.matte!.from).toEqual(tap(cave))
  expect(step.matte!.also![0]!.from).toEqual(tap(copyOfLine.id, 'source'))
  // The originals are as they were.
  expect(next.lanes.find((l) => l.id === paint)).toEqual(bussed.lanes.find((l) => l.id === paint))
})

test('who uses a lane is known, and the links can be cut', () => {
  let comp = withLanes('Plume', 'Copy', 'Cave')
  const [plume, copy, cave] = comp.lanes.map((l) => l.id) as [string, string, string]
  comp = editLane(comp, copy, (l) => {
    l.source = tap(plume)
  })
  let id = ''
  ;[comp, id] = addStep(comp, cave, 0, 'bloom')
  comp = setFeed(comp, id, 'light', { from: tap(plume) })
  comp = setFeed(comp, id, 'matte', {
    from: tap(plume),
    also: [{ by: 'subtract', from: tap(copy) }],
  } as never)
  expect(dependentsOf(comp, plume)).toEqual([{ laneId: copy }, { laneId: cave, stepId: id }])
  expect([...linked(comp, plume)]).toEqual([copy, id])
  expect([...linked(comp, cave, id)].sort()).toEqual([plume, copy].sort())
  const cut = dropLane(cutLinksTo(comp, plume), plume)
  expect(dependentsOf(cut, plume)).toEqual([])
  expect(cut.lanes[1]!.steps[0]!.matte?.from).toEqual(tap(copy))
  expect(parseComp(JSON.parse(JSON.stringify(cut)))).toEqual(cut)
})

describe('buses', () => {
  test('dropping a lane on another makes one of both, in its place; what is in it stays behind it', () => {
    const comp = withLanes('Water', 'Bell', 'Sand', 'Jelly')
    const [bused, bus] = joinBus(comp, 'lane4', 'lane2')
    expect(names(bused)).toEqual(['Water', `Bell<${bus}`, `Jelly<${bus}`, 'Bell bus', 'Sand'])
    expect(busesAround(bused, 'lane4')).toEqual([bus])
    const more = joinBus(bused, 'lane3', bus)[0]
    expect(names(more)).toEqual(['Water', `Bell<${bus}`, `Jelly<${bus}`, `Sand<${bus}`, 'Bell bus'])
    // A bus moves with all that is in it, and not into itself.
    expect(names(placeLane(more, bus, 'back', 'lane1'))).toEqual([
      `Bell<${bus}`,
      `Jelly<${bus}`,
      `Sand<${bus}`,
      'Bell bus',
      'Water',
    ])
    expect(placeLane(more, bus, 'front', 'lane2')).toBe(more)
    expect(joinBus(more, bus, 'lane2')[0]).toBe(more)
    parseComp(JSON.parse(JSON.stringify(more)))
  })
  test('leaving puts a lane in front of the bus; the last one out takes the bus away', () => {
    const [comp, bus] = joinBus(withLanes('Bell', 'Jelly'), 'lane2', 'lane1')
    const one = leaveBus(comp, 'lane2')
    expect(names(one)).toEqual([`Bell<${bus}`, 'Bell bus', 'Jelly'])
    expect(names(leaveBus(one, 'lane1'))).toEqual(['Bell', 'Jelly'])
    expect(names(dropLane(comp, bus))).toEqual(['Bell', 'Jelly'])
  })
  test('a copy of a bus has copies of all that is in it, with ids of their own', () => {
    let [comp, bus] = joinBus(withLanes('Bell', 'Jelly'), 'lane2', 'lane1')
    ;[comp] = addStep(comp, 'lane1', 0, 'bloom')
    const [copied, id] = duplicateLane(comp, bus)
    expect(copied.lanes).toHaveLength(6)
    expect(copied.lanes.filter((l) => l.in === id).map((l) => l.name)).toEqual(['Bell', 'Jelly'])
    parseComp(JSON.parse(JSON.stringify(copied)))
    bus = id
  })
  test('a lane in a bus that is not there is refused with its path', () => {
    const comp = JSON.parse(JSON.stringify(withLanes('Bell'))) as { lanes: { in?: string }[] }
    comp.lanes[0]!.in = 'nowhere'
    expect(() => parseComp(comp)).toThrow(
      expect.objectContaining({ problems: [expect.objectContaining({ path: 'lanes.0.in' })] }) as never,
    )
  })
})

test('steps are copied anywhere, each with an id of its own', () => {
  let comp = withLanes('Cave', 'Bell')
  let id = ''
  ;[comp, id] = addStep(comp, 'lane1', 0, 'bloom')
  const step = comp.lanes[0]!.steps[0]!
  const [next, ids] = insertSteps(comp, 'lane2', 0, [step, step])
  expect(new Set([id, ...ids]).size).toBe(3)
  expect(insertSteps(next, 'master', 0, [step])[0].master).toHaveLength(1)
})
