import { describe, expect, test } from 'vitest'
import { cutName } from '../core/comp/cut-name.ts'
import { addLane, addStep, emptyComp } from '../core/comp/edits.ts'
import { parseComp } from '../core/comp/schema.ts'
import { acceptComp } from './shot-service.ts'

const comp = () =>
  addStep(
    addLane(emptyComp(64, 36), 'Back', { type: 'colour', colour: [0, 0.5, 1], alpha: 1 }),
    'lane1',
    0,
    'bloom',
  )[0]
/** The comp as text, changed, and read as a server reads it. */
const sent = (change: (text: string) => string): unknown => JSON.parse(change(JSON.stringify(comp())))

describe('a comp that is taken can be opened', () => {
  test('one that fits is taken as it is, and what is written is what is read', () => {
    const taken = acceptComp(sent((t) => t))
    expect(parseComp(JSON.parse(JSON.stringify(taken)))).toEqual(taken)
  })
  test.each([
    ['infinity in a colour', (t: string) => t.replace('[0,0.5,1]', '[0,1e999,1]')],
    ['infinity in a margin', (t: string) => t.replace(/"margin":[\d.]+/, '"margin":-1e999')],
    ['half an emoji in a name', (t: string) => t.replace('"Back"', '"Back \\ud83d"')],
    ['a name every table has as an id', (t: string) => t.replaceAll('"lane1"', '"constructor"')],
    ['another such name', (t: string) => t.replaceAll('"lane1"', '"__proto__"')],
    [
      'media of such a name',
      (t: string) =>
        t.replace(/"source":\{[^}]*\}/, '"source":{"type":"pass","media":"constructor","pass":"beauty"}'),
    ],
    ['a dial of such a name', (t: string) => t.replace('"dials":{', '"dials":{"toString":1,')],
    ['more frames than can be drawn', (t: string) => t.replace(/"last":\d+/, '"last":99999999')],
    [
      'frames that end before they begin',
      (t: string) => t.replace(/"first":\d+/, '"first":50').replace(/"last":\d+/, '"last":2'),
    ],
  ])('%s is refused with its place', (_, change) => {
    expect(JSON.stringify(sent(change))).not.toBe(JSON.stringify(comp()))
    expect(() => acceptComp(sent(change))).toThrow(/can not be/)
  })
})

test('a name is cut without cutting a character in half', () => {
  const name = cutName(`${'x'.repeat(119)}🧀 of the cave`)
  expect([name.length, name.isWellFormed()]).toEqual([119, true])
  expect(cutName('\ud83d lone')).toBe('\ufffd lone')
})
