import { readFileSync } from 'node:fs'
import { describe, expect, test } from 'vitest'
import { plan } from '../../engine/plan/plan.ts'
import type { MediaTable } from '../media.ts'
import { ProblemError } from '../problem.ts'
import { linksOf } from '../references.ts'
import { parseComp } from '../schema.ts'
import type { Document, Upgrade } from './document.ts'
import { compVersion, upgraded, upgrades } from './upgrade.ts'

const saved = (version: number): Document =>
  JSON.parse(readFileSync(new URL(`fixtures/version-${version}.json`, import.meta.url), 'utf8')) as Document

describe('saved comps of every version', () => {
  test.each(Array.from({ length: compVersion }, (_, i) => i + 1))(
    'version %d opens and can be planned',
    (n) => {
      const document = saved(n)
      expect(document['version']).toBe(n)
      const comp = parseComp(document)
      expect(comp.version).toBe(compVersion)
      // Opened again after it was saved it is the same.
      expect(parseComp(JSON.parse(JSON.stringify(comp)))).toEqual(comp)
      if (n === compVersion) expect(comp).toEqual(document)
      const media: Record<string, MediaTable[string]> = {}
      for (const { link } of linksOf(comp))
        if (link.type === 'pass') {
          const known = media[link.media]?.passes ?? []
          const pass = {
            name: link.pass,
            kind: 'colour',
            channels: ['R', 'G', 'B', 'A'],
            type: 'half',
          } as const
          if (!known.some((p) => p.name === link.pass))
            media[link.media] = {
              name: link.media,
              frames: { 1: 'a'.repeat(64) },
              passes: [...known, pass],
              encoding: 'linear',
              alpha: 'premultiplied',
            } as MediaTable[string]
        }
      expect(plan(comp, media, 1, 1, { type: 'picture' }).problems).toEqual([])
    },
  )
  test('there is an upgrade to each version after the first', () => {
    expect(upgrades).toHaveLength(compVersion - 1)
  })
})

describe('upgrades', () => {
  const toTwo: Upgrade = ({ old, ...rest }) => ({ ...rest, renamed: old })
  const toThree: Upgrade = (document) => ({ ...document, renamed: [document['renamed']] })
  test('run in turn from the version that a comp has, and leave it as it was', () => {
    const one = Object.freeze({ version: 1, old: 'x', kept: 5 })
    expect(upgraded(one, [toTwo, toThree])).toEqual({ version: 3, renamed: ['x'], kept: 5 })
    expect(upgraded({ version: 2, renamed: 'y' }, [toTwo, toThree])).toEqual({ version: 3, renamed: ['y'] })
    expect(one).toEqual({ version: 1, old: 'x', kept: 5 })
    const three = { version: 3, renamed: [] }
    expect(upgraded(three, [toTwo, toThree])).toBe(three)
  })
  test('a comp of a newer Zafiro is refused with its version; what is no comp is left to the check', () => {
    const newer = () => upgraded({ version: 4 }, [toTwo, toThree])
    expect(newer).toThrow(ProblemError)
    expect(newer).toThrow(/can not be opened/)
    for (const odd of [
      null,
      7,
      'x',
      [],
      {},
      { version: '1' },
      { version: 1.5 },
      { version: 0 },
      { version: -3 },
    ])
      expect(upgraded(odd, [toTwo])).toBe(odd)
  })
})
