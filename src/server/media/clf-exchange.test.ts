import { converter } from 'culori'
import { describe, expect, test } from 'vitest'
import { parseClf } from '../../core/formats/clf.ts'
import { throughProcess } from '../../core/colour/process.ts'
import { byOcioFile } from './by-ocio.ts'
import { openMediaFile } from './media-file.ts'

// Process lists mean the same to us and to OpenColorIO's library, node by node and in rows; formulas of our own are used nowhere here.

let state = 11
const random = () => {
  state = (Math.imul(state, 1664525) + 1013904223) | 0
  return (state >>> 0) / 2 ** 32
}
/** Within 0–1, beyond it on both sides, and what is dark. */
const colours = [
  ...Array.from({ length: 160 }, () => [random(), random(), random()].map((v) => v * 1.6 - 0.2)),
  ...Array.from({ length: 20 }, () => [random(), random(), random()].map((v) => v * 0.01)),
  [0, 0, 0],
  [1, 1, 1],
  [0.5, 0.5, 0.5],
  [12, -1, 0.2],
]

const list = (nodes: string, version = '3.0') =>
  `<?xml version="1.0" encoding="UTF-8"?>\n<ProcessList id="x" name="of Grotto" compCLFversion="${version}">\n<Description>Made here</Description>\n${nodes}\n</ProcessList>\n`
const at32 = 'inBitDepth="32f" outBitDepth="32f"'

function ours(text: string, of: readonly (readonly number[])[] = colours): number[][] {
  const { nodes, entries } = parseClf(new TextEncoder().encode(text))
  const data = Float32Array.from(of.flatMap((c) => [...c, 1]))
  throughProcess(
    data,
    data,
    nodes,
    { data: entries, stride: 3 },
    { gain: 1, takesEncoded: false, givesEncoded: false },
  )
  return of.map((_, i) => [...data.subarray(i * 4, i * 4 + 3)])
}

function expectSame(text: string, within = 1e-5, of: readonly (readonly number[])[] = colours): void {
  const [found, wanted] = [ours(text, of), byOcioFile('a.clf', text, of) as (number | null)[][]]
  found.forEach((row, i) => {
    row.forEach((v, c) => {
      const want = wanted[i]![c]
      // Beyond all floats there, held at the most light here.
      if (want === null || want === undefined) {
        expect(Math.abs(v)).toBeGreaterThan(1e29)
        return
      }
      expect(
        Math.abs(v - want),
        `${String(of[i])}, channel ${c}: ${v}, OpenColorIO ${want}`,
      ).toBeLessThanOrEqual(within * Math.max(1, Math.abs(want)))
    })
  })
}

const three = (count: number, of: () => number) =>
  Array.from({ length: count }, () => [of(), of(), of()].map((v) => v.toFixed(6)).join(' ')).join('\n')

describe('nodes', () => {
  test.each([
    ['a matrix', `<Matrix ${at32}><Array dim="3 3">0.9 0.2 -0.1 0.05 1.1 0 0 -0.2 0.8</Array></Matrix>`],
    [
      'a matrix with offsets',
      `<Matrix ${at32}><Array dim="3 4">0.9 0.2 -0.1 0.01 0.05 1.1 0 -0.02 0 -0.2 0.8 0.1</Array></Matrix>`,
    ],
    [
      'a matrix from 10 to 12 bits',
      `<Matrix inBitDepth="10i" outBitDepth="12i"><Array dim="3 4">4 0 0 100 0 4.2 0 0 0.5 0 3 -40</Array></Matrix>`,
    ],
    [
      'a range that clamps',
      `<Range ${at32}><minInValue>0.1</minInValue><maxInValue>0.8</maxInValue><minOutValue>0</minOutValue><maxOutValue>1.5</maxOutValue></Range>`,
    ],
    [
      'a range that does not',
      `<Range style="noClamp" ${at32}><minInValue>0.1</minInValue><maxInValue>0.8</maxInValue><minOutValue>-0.2</minOutValue><maxOutValue>1.5</maxOutValue></Range>`,
    ],
    [
      'a range from below alone',
      `<Range ${at32}><minInValue>0.2</minInValue><minOutValue>0.2</minOutValue></Range>`,
    ],
    [
      'a range from above alone',
      `<Range ${at32}><maxInValue>0.7</maxInValue><maxOutValue>0.7</maxOutValue></Range>`,
    ],
    [
      'a range between bit depths',
      `<Range inBitDepth="10i" outBitDepth="32f"><minInValue>64</minInValue><maxInValue>940</maxInValue><minOutValue>0</minOutValue><maxOutValue>1</maxOutValue></Range>`,
    ],
    ['lines', `<LUT1D ${at32}><Array dim="17 3">${three(17, random)}</Array></LUT1D>`],
    [
      'one line for all',
      `<LUT1D ${at32}><Array dim="9 1">0 0.3 0.4 0.5 0.55 0.7 0.9 0.95 1.4</Array></LUT1D>`,
    ],
    [
      'lines in 16 bits',
      `<LUT1D inBitDepth="8i" outBitDepth="16i"><Array dim="5 3">${three(5, () => random() * 65535)}</Array></LUT1D>`,
    ],
    ['a cube', `<LUT3D ${at32}><Array dim="5 5 5 3">${three(125, random)}</Array></LUT3D>`],
    [
      'a cube by tetrahedra',
      `<LUT3D interpolation="tetrahedral" ${at32}><Array dim="4 4 4 3">${three(64, random)}</Array></LUT3D>`,
    ],
    [
      'a decision list',
      `<ASC_CDL style="Fwd" ${at32}><SOPNode><Slope>1.2 1 0.9</Slope><Offset>0.05 0 -0.1</Offset><Power>1.1 2 0.5</Power></SOPNode><SatNode><Saturation>0.6</Saturation></SatNode></ASC_CDL>`,
    ],
    [
      'a decision list without a clamp',
      `<ASC_CDL style="FwdNoClamp" ${at32}><SOPNode><Slope>1.2 1 0.9</Slope><Offset>0.05 0 -0.1</Offset><Power>1.1 2 0.5</Power></SOPNode><SatNode><Saturation>1.3</Saturation></SatNode></ASC_CDL>`,
    ],
    [
      'a decision list back',
      `<ASC_CDL style="Rev" ${at32}><SOPNode><Slope>1.2 1 0.9</Slope><Offset>0.05 0 -0.1</Offset><Power>1.1 2 0.5</Power></SOPNode><SatNode><Saturation>0.6</Saturation></SatNode></ASC_CDL>`,
    ],
    [
      'a decision list back without a clamp',
      `<ASC_CDL style="RevNoClamp" ${at32}><SOPNode><Slope>1.2 1 0.9</Slope><Offset>0.05 0 -0.1</Offset><Power>1.1 2 0.5</Power></SOPNode><SatNode><Saturation>1.3</Saturation></SatNode></ASC_CDL>`,
    ],
  ])('%s', (_, node) => {
    expectSame(list(node))
  })
  test.each([
    'basicFwd',
    'basicRev',
    'basicMirrorFwd',
    'basicMirrorRev',
    'basicPassThruFwd',
    'basicPassThruRev',
  ])('an exponent, %s', (style) => {
    expectSame(
      list(
        `<Exponent style="${style}" ${at32}><ExponentParams exponent="2.2" channel="R"/><ExponentParams exponent="1.3" channel="G"/><ExponentParams exponent="3" channel="B"/></Exponent>`,
      ),
      2e-5,
    )
  })
  test.each(['monCurveFwd', 'monCurveRev', 'monCurveMirrorFwd', 'monCurveMirrorRev'])(
    'a curve with a straight part, %s',
    (style) => {
      expectSame(
        list(`<Exponent style="${style}" ${at32}><ExponentParams exponent="2.4" offset="0.055"/></Exponent>`),
        2e-5,
      )
    },
  )
  test.each(['log10', 'log2', 'antiLog10', 'antiLog2'])('a logarithm, %s', (style) => {
    // 10 to the power of 12 is beyond what float arithmetic has five digits of.
    expectSame(list(`<Log style="${style}" ${at32}></Log>`), 3e-5)
  })
  test.each(['linToLog', 'logToLin', 'cameraLinToLog', 'cameraLogToLin'])(
    'a logarithm with parameters, %s',
    (style) => {
      const own = style.startsWith('camera') ? ' linSideBreak="0.011"' : ''
      const params = (channel: string, slope: number) =>
        `<LogParams base="10" logSideSlope="${slope}" logSideOffset="0.38" linSideSlope="5.5" linSideOffset="0.05"${own} channel="${channel}"/>`
      expectSame(
        list(
          `<Log style="${style}" ${at32}>${params('R', 0.247)}${params('G', 0.3)}${params('B', 0.25)}</Log>`,
        ),
        3e-5,
      )
      const steep = (channel: string, slope: number) =>
        params(channel, slope).replace('/>', ' linearSlope="4.2"/>')
      if (own)
        expectSame(
          list(
            `<Log style="${style}" ${at32}>${steep('R', 0.247)}${steep('G', 0.3)}${steep('B', 0.25)}</Log>`,
          ),
          3e-5,
        )
    },
  )
  test('lines over half floats, of numbers and of codes', () => {
    // Twice a square root of every code; codes of no number are 0.
    const half = (code: number) => {
      const [e, f] = [(code >> 10) & 31, code & 1023]
      return e === 31 ? 0 : (code & 0x8000 ? -1 : 1) * (e ? 2 ** (e - 15) * (1 + f / 1024) : f * 2 ** -24)
    }
    const values = Array.from({ length: 65_536 }, (_, code) =>
      (Math.sign(half(code)) * 2 * Math.sqrt(Math.abs(half(code)))).toPrecision(9),
    ).join('\n')
    expectSame(list(`<LUT1D halfDomain="true" ${at32}><Array dim="65536 1">${values}</Array></LUT1D>`))
  })
})

test('a row of nodes between bit depths, and what a file says of itself', () => {
  const text = list(
    [
      `<Matrix inBitDepth="16f" outBitDepth="16f"><Array dim="3 3">0.6131 0.3395 0.0474 0.0702 0.9164 0.0134 0.0206 0.1096 0.8698</Array></Matrix>`,
      `<Log style="cameraLinToLog" inBitDepth="16f" outBitDepth="16f"><LogParams base="2" logSideSlope="0.0570776" logSideOffset="0.554795" linSideSlope="1" linSideOffset="0" linSideBreak="0.0078125"/></Log>`,
      `<LUT1D inBitDepth="16f" outBitDepth="12i"><Array dim="33 1">${Array.from({ length: 33 }, (_, i) => Math.round(4095 * (i / 32) ** 1.4)).join(' ')}</Array></LUT1D>`,
      `<LUT3D inBitDepth="12i" outBitDepth="10i" interpolation="tetrahedral"><Array dim="3 3 3 3">${three(27, () => random() * 1023)}</Array></LUT3D>`,
      `<Range inBitDepth="10i" outBitDepth="32f"><minInValue>0</minInValue><maxInValue>1023</maxInValue><minOutValue>0</minOutValue><maxOutValue>1</maxOutValue></Range>`,
    ].join('\n'),
    '3.0',
  )
  expectSame(text, 1e-4)
  const file = openMediaFile(new TextEncoder().encode(text))
  const [pass] = file.info.passes
  expect(file.info.format).toBe('clf')
  expect(pass).toMatchObject({
    kind: 'table',
    reason: 'a process list “of Grotto”: matrix, log, lines, cube, range',
  })
  expect(file.readPass('table').data.length).toBe((33 + 27) * 4)
})

test('colour is straight for it: half covered it is the same colour, half as much; light without cover is taken as it is', () => {
  const { nodes, entries } = parseClf(
    new TextEncoder().encode(
      list(`<Exponent style="basicFwd" ${at32}><ExponentParams exponent="2"/></Exponent>`),
    ),
  )
  const data = Float32Array.from([0.3, 0.2, 0.1, 0.5, 0.3, 0.2, 0.1, 0, -1, 2, NaN, 1])
  throughProcess(
    data,
    data,
    nodes,
    { data: entries, stride: 3 },
    { gain: 2, takesEncoded: false, givesEncoded: false },
  )
  const wanted = [0.72, 0.32, 0.08, 0.5, 0.36, 0.16, 0.04, 0, 0, 16, 0, 1]
  data.forEach((v, i) => {
    expect(v).toBeCloseTo(wanted[i]!, 6)
  })
})

test('it takes and gives encoded values on wish: a list that changes nothing gives light back, one of codes changes codes', () => {
  const identity = parseClf(
    new TextEncoder().encode(list(`<Matrix ${at32}><Array dim="3 3">1 0 0 0 1 0 0 0 1</Array></Matrix>`)),
  )
  const half = parseClf(
    new TextEncoder().encode(
      list(`<Matrix ${at32}><Array dim="3 3">0.5 0 0 0 0.5 0 0 0 0.5</Array></Matrix>`),
    ),
  )
  // IEC 61966-2-1 by culori, from 1e-9 to 200 and below 0.
  const [toCode, toLight] = [converter('rgb'), converter('lrgb')]
  const values = Array.from({ length: 600 }, (_, i) => (i % 2 ? 1 : -1) * 10 ** (-9 + (11.3 * i) / 600))
  const through = ({ nodes, entries }: typeof half) => {
    const data = Float32Array.from(values.flatMap((v) => [v, v, v, 1]))
    throughProcess(
      data,
      data,
      nodes,
      { data: entries, stride: 3 },
      { gain: 1, takesEncoded: true, givesEncoded: true },
    )
    return data
  }
  const [same, halved] = [through(identity), through(half)]
  values.forEach((v, i) => {
    expect(Math.abs(same[i * 4]! - v) / Math.max(1e-3, Math.abs(v))).toBeLessThan(1e-5)
    const code = toCode({ mode: 'lrgb', r: v, g: v, b: v }).r / 2
    const wanted = toLight({ mode: 'rgb', r: code, g: code, b: code }).r
    expect(Math.abs(halved[i * 4]! - wanted) / Math.max(1e-3, Math.abs(wanted))).toBeLessThan(1e-5)
  })
})

test.each([
  ['', /it is no XML|holds no ProcessList/],
  [list('').replace('<Description>Made here</Description>', ''), /it holds no node/],
  [
    list(`<Matrix ${at32}><Array dim="3 3">1 0 0 0 1</Array></Matrix>`),
    /node 1 \(Matrix\): its Array holds 5 numbers, but 9 are wanted/,
  ],
  [
    list(`<Matrix ${at32}><Array dim="4 4">1</Array></Matrix>`),
    /its Array is 4 × 4, but 3 × 3 and 3 × 4 are read/,
  ],
  [
    list(`<Matrix ${at32}><Array dim="3 3">1 0 0 0 one 0 0 0 1</Array></Matrix>`),
    /number 5 of its Array is “one”/,
  ],
  [
    list(`<Matrix inBitDepth="32f"><Array dim="3 3">1 0 0 0 1 0 0 0 1</Array></Matrix>`),
    /its outBitDepth is left out/,
  ],
  [
    list(
      `<Matrix inBitDepth="32f" outBitDepth="10i"><Array dim="3 3">1 0 0 0 1 0 0 0 1</Array></Matrix><Log style="log2" ${at32}/>`,
    ),
    /node 2 \(Log\): it takes 32f, but the node before it gives 10i/,
  ],
  [list(`<Swirl ${at32}/>`), /node 1 \(Swirl\): this kind of node is not known; Matrix, Range/],
  [list(`<LUT3D ${at32}><Array dim="2 2 3 3">1</Array></LUT3D>`), /a cube of three values is wanted/],
  [
    list(`<LUT3D ${at32}><Array dim="500 500 500 3">1</Array></LUT3D>`),
    /its side is 500, but 2 to 129 are read/,
  ],
  [
    list(`<LUT1D halfDomain="true" ${at32}><Array dim="17 1">1</Array></LUT1D>`),
    /a table over half floats has 65536 entries, not 17/,
  ],
  [
    list(`<LUT1D ${at32}><IndexMap dim="2">0@0 1@1</IndexMap><Array dim="2 1">0 1</Array></LUT1D>`),
    /its IndexMap is not read/,
  ],
  [list(`<Range ${at32}><minInValue>0</minInValue></Range>`), /minInValue goes with minOutValue/],
  [
    list(
      `<Range ${at32}><minInValue>1</minInValue><maxInValue>1</maxInValue><minOutValue>0</minOutValue><maxOutValue>1</maxOutValue></Range>`,
    ),
    /goes from 1 to 1, which holds nothing/,
  ],
  [
    list(`<Exponent style="monCurveFwd" ${at32}><ExponentParams exponent="0.5" offset="2"/></Exponent>`),
    /exponent of 1 and more and an offset of 0 to 0.9/,
  ],
  [
    list(`<Log style="cameraLinToLog" ${at32}><LogParams base="10"/></Log>`),
    /its style wants a linSideBreak/,
  ],
  [list(`<Log style="upwards" ${at32}/>`), /its style is upwards, but must be one of log10/],
  [list(`<Log style="log2" ${at32}/>`, '9'), /its version 9 is not known/],
  [`<!DOCTYPE x [<!ENTITY a "b">]>${list(`<Log style="log2" ${at32}/>`)}`, /it declares a document type/],
])('%# what is wrong is refused, with the node and what to do', (text, message) => {
  expect(() => parseClf(new TextEncoder().encode(text))).toThrow(message)
})
