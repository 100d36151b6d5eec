import { describe, expect, test } from 'vitest'
import { parseCdl, writeCdl } from '../../core/formats/cdl.ts'
import { parseCube, type CubeTable } from '../../core/formats/cube.ts'
import { createLoneKernels } from '../../core/kernels/wasm-kernels.ts'
import { byOcioFile } from './by-ocio.ts'
import { openMediaFile } from './media-file.ts'

// Tables and decision lists mean the same to us and to OpenColorIO's library (Debian: python3-pyopencolorio).

const { kernels, store } = createLoneKernels(64)

const byOpenColorIo = (name: string, text: string, of: readonly number[][], id = '') =>
  byOcioFile(name, text, of, id, 'INTERP_TETRAHEDRAL')

/** A table as a .cube file. */
function writeCube({ title, isCube: isCubic, size, from, to, values }: CubeTable): string {
  const number = (v: number) => String(Number(v.toPrecision(7)))
  const lines = [
    `TITLE "${title.replaceAll(/["\r\n]/g, ' ')}"`,
    `LUT_${isCubic ? 3 : 1}D_SIZE ${size}`,
    `DOMAIN_MIN ${from.map(number).join(' ')}`,
    `DOMAIN_MAX ${to.map(number).join(' ')}`,
  ]
  for (let i = 0; i < values.length; i += 3)
    lines.push(`${number(values[i]!)} ${number(values[i + 1]!)} ${number(values[i + 2]!)}`)
  return lines.join('\n') + '\n'
}

let state = 7
const random = () => {
  state = (Math.imul(state, 1664525) + 1013904223) | 0
  return (state >>> 0) / 2 ** 32
}
const colours = [
  ...Array.from({ length: 300 }, () => [random(), random(), random()].map((v) => v * 1.6 - 0.2)),
  [0, 0, 0],
  [1, 1, 1],
  [0.5, 0.5, 0.5],
  [3, -1, 0.2],
]
const asPicture = () => {
  const picture = store.allocate(colours.length, 1, 4)
  picture.data.set(colours.flatMap((c) => [...c, 1]))
  return picture
}
const rows = (data: Float32Array) =>
  Array.from({ length: data.length / 4 }, (_, i) => [...data.subarray(i * 4, i * 4 + 3)])
const worst = (a: readonly number[][], b: readonly number[][]) =>
  Math.max(...a.flatMap((row, i) => row.map((v, c) => Math.abs(v - b[i]![c]!))))

describe('.cube', () => {
  const table = (
    isCube: boolean,
    from: [number, number, number],
    to: [number, number, number],
  ): CubeTable => {
    const size = isCube ? 9 : 17
    return {
      title: 'A "look"',
      isCube,
      size,
      from,
      to,
      values: Float32Array.from({ length: 3 * (isCube ? size ** 3 : size) }, random),
    }
  }
  test.each([
    [true, [0, 0, 0], [1, 1, 1]],
    [true, [-0.1, 0, 0.05], [1.2, 1.5, 0.9]],
    [false, [0, 0, 0], [1, 1, 1]],
    [false, [-0.25, -0.25, -0.25], [2, 2, 2]],
  ] as [boolean, [number, number, number], [number, number, number]][])(
    'cube: %s, domain %j to %j: what is written is read alike, and looked up alike',
    (isCube, from, to) => {
      const made = table(isCube, from, to)
      const text = writeCube(made)
      const file = openMediaFile(new TextEncoder().encode(text))
      const detail = file.info.passes[0]!.detail!.table!
      expect(detail).toEqual({ size: made.size, cube: isCube, from, to })
      const block = file.readPass('table')
      const entries = store.allocate(block.width, block.height, 4)
      entries.data.set(block.data)
      const [picture, out] = [asPicture(), store.allocate(colours.length, 1, 4)]
      kernels.lookUp(out, picture, {
        table: entries,
        size: made.size,
        isCube,
        from,
        to,
        gain: 1,
        takesEncoded: false,
        givesEncoded: false,
      })
      expect(worst(rows(out.data), byOpenColorIo('look.cube', text, colours))).toBeLessThan(2e-5)
    },
  )
  test('comments, blank lines and any line ends are taken; the domain may be one range', () => {
    const text =
      '# made by hand\r\nTITLE "x"\r\n\r\nLUT_1D_SIZE 2\r\nLUT_1D_INPUT_RANGE 0 4\r\n0 0 0 \r\n# between\r\n\t1 2 3'
    const { size, to, values } = parseCube(new TextEncoder().encode(text))
    expect([size, ...to, ...values]).toEqual([2, 4, 4, 4, 0, 0, 0, 1, 2, 3])
  })
  test.each([
    ['LUT_3D_SIZE 2\n0 0 0\n1 1 1\n', /holds 2 entries, but its size says 8; it may have been cut short/],
    ['LUT_1D_SIZE 2\n0 0 0\n1 1 1\n2 2 2\n', /line 4: there are more than the 2 entries/],
    ['LUT_1D_SIZE 2\n0 0\n1 1 1\n', /line 2: wants 3 numbers, but holds “0 0”/],
    ['LUT_1D_SIZE 2\n0 0 zero\n1 1 1\n', /line 2: wants 3 numbers/],
    ['LUT_3D_SIZE 1000\n', /line 1: the size 1000 is not a whole number from 2 to 129/],
    ['0 0 0\nLUT_1D_SIZE 2\n', /line 1: entries come before the size/],
    ['LUT_1D_SIZE 2\n0 0 0\n1 1 1\nLUT_3D_SIZE 2', /line 4: a second table begins here/],
    ['LUT_1D_SIZE 2\nDOMAIN_MIN 1 1 1\n0 0 0\n1 1 1', /its domain from 1 1 1 to 1 1 1 is empty/],
  ])('%j is refused with what and where', (text, message) => {
    expect(() => parseCube(new TextEncoder().encode(text))).toThrow(message)
  })
})

describe('.cdl and .ccc', () => {
  const correction = {
    id: 'grotto & "deep"',
    slope: [1.2, 1, 0.9],
    offset: [0.05, 0, -0.02],
    power: [1.1, 2, 0.5],
    saturation: 0.6,
  } as const
  test.each(['cdl', 'ccc'] as const)(
    'a written .%s means the same to OpenColorIO, and is read back',
    (as) => {
      const text = writeCdl(correction, as)
      expect(parseCdl(text)).toEqual([{ ...correction, missing: [] }])
      const [picture, out] = [asPicture(), store.allocate(colours.length, 1, 4)]
      kernels.decisionList(out, picture, { ...correction, isHeld: false })
      expect(worst(rows(out.data), byOpenColorIo(`grade.${as}`, text, colours, '0'))).toBeLessThan(2e-5)
    },
  )
  test('what is left out does nothing and is listed; several corrections are all read', () => {
    const text = `<ColorCorrectionCollection><ColorCorrection id="a"><SOPNode><Slope>2 2 2</Slope></SOPNode></ColorCorrection>
      <ColorCorrection id="b"><SatNode><Saturation>0</Saturation></SatNode></ColorCorrection></ColorCorrectionCollection>`
    const [a, b] = parseCdl(text)
    expect(a).toEqual({
      id: 'a',
      slope: [2, 2, 2],
      offset: [0, 0, 0],
      power: [1, 1, 1],
      saturation: 1,
      missing: ['Offset', 'Power', 'Saturation'],
    })
    expect([b!.saturation, b!.missing]).toEqual([0, ['Slope', 'Offset', 'Power']])
  })
  test.each([
    ['<ColorDecisionList></ColorDecisionList>', /holds no ColorCorrection/],
    [
      '<ColorCorrection><SOPNode><Slope>1 2</Slope></SOPNode></ColorCorrection>',
      /Slope of correction 1 wants 3 numbers, but holds “1 2”/,
    ],
    [
      '<ColorCorrection id="x"><SOPNode><Power>1 0 1</Power></SOPNode></ColorCorrection>',
      /Power of x is 1 0 1; it must be above 0/,
    ],
    ['<ColorCorrection><SOPNode>', /it is no XML/],
    ['<!DOCTYPE a [<!ENTITY b "c">]><ColorCorrection/>', /declares a document type/],
    ['not xml at all', /no XML|no ColorCorrection/],
  ])('%j is refused', (text, message) => {
    expect(() => parseCdl(text)).toThrow(message)
  })
})
