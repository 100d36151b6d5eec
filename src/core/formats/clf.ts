import { XMLParser } from 'fast-xml-parser'
import { SyntaxValidator } from 'fast-xml-validator'
import {
  cdlStyles,
  exponentStyles,
  logStyles,
  type ExponentParams,
  type LogParams,
  type ProcessNode,
} from '../colour/process.ts'
import { halfToNumber } from '../picture/half.ts'
import { FormatError } from './format-error.ts'

/** A process list: what it is called, what it does, and the entries of its tables, three values each. */
export interface ColourProcess {
  readonly name: string
  readonly nodes: readonly ProcessNode[]
  readonly entries: Float32Array
}

const mostBytes = 100e6
const [mostNodes, mostCube, mostLine] = [64, 129, 65_536]

/** Whether a file begins as a process list may. */
export function isClf(bytes: Uint8Array): boolean {
  const head = new TextDecoder('latin1').decode(bytes.subarray(0, 16_384))
  return !head.includes('\0') && /<(\w+:)?ProcessList[\s>]/.test(head)
}

/** What the highest code of a bit depth stands for. */
const scales: Readonly<Record<string, number>> = {
  '8i': 255,
  '10i': 1023,
  '12i': 4095,
  '16i': 65_535,
  '16f': 1,
  '32f': 1,
}

/** An element as the parser gives it when it keeps the order. */
type Element = Readonly<Record<string, unknown>>
const nameOf = (element: Element) => Object.keys(element).find((key) => key !== ':@') ?? ''
const childrenOf = (element: Element): Element[] => (element[nameOf(element)] as Element[] | undefined) ?? []
const attribute = (element: Element, name: string): string | undefined =>
  (element[':@'] as Record<string, string> | undefined)?.[`@${name}`]
const child = (element: Element, name: string) => childrenOf(element).find((one) => nameOf(one) === name)
const textOf = (element: Element | undefined): string =>
  element
    ? childrenOf(element)
        .map((one) => (nameOf(one) === '#text' ? String(one['#text']) : ''))
        .join(' ')
    : ''

const notNodes = new Set(['Description', 'InputDescriptor', 'OutputDescriptor', 'Info', '#text'])

/**
 * Reads a Common LUT Format file: matrices, ranges, lines and cubes of entries, logarithms, exponents and decision lists, in the order of the
 * file. Throws FormatError that names the node and what is wrong in it. Sources: Academy S-2014-006, Common LUT Format 3.0; SMPTE ST 2136-1.
 */
export function parseClf(bytes: Uint8Array): ColourProcess {
  const fail = (message: string): never => {
    throw new FormatError('clf', -1, message)
  }
  if (bytes.length > mostBytes) fail('it is larger than 100 MB')
  const text = new TextDecoder().decode(bytes)
  // Nothing is read from elsewhere, whatever the document says.
  if (/<!(DOCTYPE|ENTITY)/i.test(text)) fail('it declares a document type; remove that')
  try {
    SyntaxValidator.validate(text)
  } catch (error) {
    fail(`it is no XML: ${error instanceof Error ? error.message : String(error)}`)
  }
  const parser = new XMLParser({
    preserveOrder: true,
    ignoreAttributes: false,
    attributeNamePrefix: '@',
    removeNSPrefix: true,
    parseTagValue: false,
    processEntities: true,
  })
  const list =
    (parser.parse(text) as Element[]).find((one) => nameOf(one) === 'ProcessList') ??
    fail('it holds no ProcessList')
  const version = Number(attribute(list, 'compCLFversion') ?? attribute(list, 'version') ?? NaN)
  if (!(version < 4))
    fail(`its version ${attribute(list, 'compCLFversion') ?? '(none)'} is not known; 1 to 3 are read`)
  const elements = childrenOf(list).filter((one) => !notNodes.has(nameOf(one)))
  if (elements.length === 0) fail('it holds no node, so it would do nothing')
  if (elements.length > mostNodes)
    fail(`it holds ${elements.length} nodes, but at most ${mostNodes} are read`)

  const parts: Float32Array[] = []
  let filled = 0
  let depth: string | undefined
  const nodes = elements.map((element, index): ProcessNode => {
    const kind = nameOf(element)
    const where = `node ${index + 1} (${kind})`
    const bad = (message: string): never => fail(`${where}: ${message}`)
    const scaleOf = (key: 'inBitDepth' | 'outBitDepth') => {
      const said = attribute(element, key)
      return (
        scales[said ?? ''] ??
        bad(`its ${key} is ${said ?? 'left out'}, but must be one of ${Object.keys(scales).join(', ')}`)
      )
    }
    const [into, out] = [scaleOf('inBitDepth'), scaleOf('outBitDepth')]
    if (depth !== undefined && depth !== attribute(element, 'inBitDepth'))
      bad(`it takes ${attribute(element, 'inBitDepth')!}, but the node before it gives ${depth}`)
    depth = attribute(element, 'outBitDepth')
    const one = (said: string | undefined, what: string): number => {
      const value = Number(said?.trim() === '' ? NaN : said)
      return Number.isFinite(value)
        ? value
        : bad(`${what} wants a number, but is “${(said ?? '').slice(0, 40)}”`)
    }
    const numbers = (said: string, count: number, what: string): number[] => {
      const words = said.trim() === '' ? [] : said.trim().split(/[\s,]+/)
      if (words.length !== count) bad(`${what} holds ${words.length} numbers, but ${count} are wanted`)
      const found = words.map(Number)
      const wrong = found.findIndex((v) => !Number.isFinite(v))
      if (wrong >= 0) bad(`number ${wrong + 1} of ${what} is “${words[wrong]!.slice(0, 40)}”`)
      return found
    }
    const style = <S extends string>(known: readonly S[], usual?: S): S => {
      const said = attribute(element, 'style') ?? usual
      return (
        known.find((s) => s === said) ??
        bad(`its style is ${said ?? 'left out'}, but must be one of ${known.join(', ')}`)
      )
    }
    /** An array of numbers, and its dimensions. */
    const array = (): { readonly dim: number[]; readonly values: (count: number) => number[] } => {
      const found = child(element, 'Array') ?? bad('it has no Array')
      const dim = (attribute(found, 'dim') ?? '').trim().split(/\s+/).map(Number)
      if (!dim.every((d) => Number.isInteger(d) && d > 0))
        bad(`the dim of its Array is “${attribute(found, 'dim') ?? ''}”`)
      return { dim, values: (count) => numbers(textOf(found), count, 'its Array') }
    }
    const put = (values: Float32Array): number => {
      const at = filled
      parts.push(values)
      filled += values.length / 3
      return at
    }
    /** Parameters of red, green and blue: of one that says no channel, or of one for each. */
    const byChannel = <P>(name: string, read: (params: Element) => P): [P, P, P] => {
      const all = childrenOf(element).filter((e) => nameOf(e) === name)
      const shared = all.find((e) => attribute(e, 'channel') === undefined)
      return (['R', 'G', 'B'] as const).map((letter) =>
        read(
          all.find((e) => attribute(e, 'channel') === letter) ??
            shared ??
            bad(`it has no ${name}${all.length > 0 ? ` for ${letter}` : ''}`),
        ),
      ) as [P, P, P]
    }
    switch (kind) {
      case 'Matrix': {
        const { dim, values } = array()
        const [rows, columns] = dim as [number, number]
        if (rows !== 3 || (columns !== 3 && columns !== 4))
          bad(`its Array is ${dim.join(' × ')}, but 3 × 3 and 3 × 4 are read`)
        const all = values(rows * columns)
        const cell = (r: number, c: number) => (all[r * columns + c]! * into) / out
        return {
          type: 'matrix',
          matrix: [0, 1, 2].flatMap((r) => [cell(r, 0), cell(r, 1), cell(r, 2)]),
          offset: [0, 1, 2].map((r) => (columns === 4 ? all[r * columns + 3]! / out : 0)) as [
            number,
            number,
            number,
          ],
        }
      }
      case 'Range': {
        const value = (name: string) => {
          const found = child(element, name)
          return found ? one(textOf(found), name) : undefined
        }
        const [minIn, maxIn, minOut, maxOut] = ['minInValue', 'maxInValue', 'minOutValue', 'maxOutValue'].map(
          value,
        )
        if (
          (minIn === undefined) !== (minOut === undefined) ||
          (maxIn === undefined) !== (maxOut === undefined)
        )
          bad('minInValue goes with minOutValue, and maxInValue with maxOutValue')
        if (minIn === undefined && maxIn === undefined) bad('it has neither a lower nor an upper end')
        const isHeld = style(['Clamp', 'noClamp'], 'Clamp') === 'Clamp'
        const hasBoth = minIn !== undefined && maxIn !== undefined
        if (hasBoth && !(minIn < maxIn)) bad(`it goes from ${minIn} to ${maxIn}, which holds nothing`)
        if (!isHeld && !hasBoth) bad('without a clamp it wants both ends')
        const scale = hasBoth ? (maxOut! - minOut!) / out / ((maxIn - minIn) / into) : 1
        const offset =
          minIn === undefined ? maxOut! / out - maxIn! / into : minOut! / out - (minIn / into) * scale
        return {
          type: 'range',
          scale,
          offset,
          ...(isHeld && minOut !== undefined ? { low: minOut / out } : {}),
          ...(isHeld && maxOut !== undefined ? { high: maxOut / out } : {}),
        }
      }
      case 'LUT1D': {
        if (child(element, 'IndexMap')) bad('its IndexMap is not read; write the table without one')
        const isHalf = attribute(element, 'halfDomain') === 'true'
        const isRaw = attribute(element, 'rawHalfs') === 'true'
        const { dim, values } = array()
        const [count, channels] = dim as [number, number]
        if (dim.length !== 2 || (channels !== 1 && channels !== 3))
          bad(`its Array is ${dim.join(' × ')}, but so many × 1 or × 3 are read`)
        if (count < 2 || count > mostLine) bad(`it has ${count} entries, but 2 to ${mostLine} are read`)
        if (isHalf && count !== 65_536) bad(`a table over half floats has 65536 entries, not ${count}`)
        const all = values(count * channels)
        const value = (v: number) => (isRaw ? halfToNumber(v & 0xffff) : v / out)
        const filledIn = Float32Array.from({ length: count * 3 }, (_, i) => {
          const v = value(all[channels === 1 ? Math.floor(i / 3) : i]!)
          return Number.isFinite(v) ? v : 0
        })
        return { type: 'lines', at: put(filledIn), size: count, isHalf }
      }
      case 'LUT3D': {
        if (child(element, 'IndexMap')) bad('its IndexMap is not read; write the table without one')
        const { dim, values } = array()
        const [n, g, b, c] = dim as [number, number, number, number]
        if (dim.length !== 4 || n !== g || n !== b || c !== 3)
          bad(`its Array is ${dim.join(' × ')}, but a cube of three values is wanted`)
        if (n < 2 || n > mostCube) bad(`its side is ${n}, but 2 to ${mostCube} are read`)
        const said = attribute(element, 'interpolation') ?? 'trilinear'
        if (said !== 'trilinear' && said !== 'tetrahedral')
          bad(`its interpolation is ${said}, but must be trilinear or tetrahedral`)
        return {
          type: 'cube',
          at: put(Float32Array.from(values(n ** 3 * 3), (v) => v / out)),
          size: n,
          isTetrahedral: said === 'tetrahedral',
        }
      }
      case 'Log': {
        const own = style(logStyles)
        const plain = own.startsWith('log1') || own.startsWith('log2') || own.startsWith('anti')
        const params = (element_: Element): LogParams => {
          const value = (name: string, usual: number) => {
            const said = attribute(element_, name)
            return said === undefined ? usual : one(said, name)
          }
          const optional = (name: string, key: string) =>
            attribute(element_, name) === undefined ? {} : { [key]: value(name, 0) }
          const found: LogParams = {
            base: value('base', 2),
            logSlope: value('logSideSlope', 1),
            logOffset: value('logSideOffset', 0),
            linSlope: value('linSideSlope', 1),
            linOffset: value('linSideOffset', 0),
            ...optional('linSideBreak', 'linBreak'),
            ...optional('linearSlope', 'linearSlope'),
          }
          if (!(found.base > 0) || found.base === 1) bad(`its base is ${found.base}`)
          if (found.logSlope === 0 || found.linSlope === 0) bad('a slope of 0 has no way back')
          if (own.startsWith('camera') && found.linBreak === undefined) bad('its style wants a linSideBreak')
          if (own.startsWith('camera') && !(found.linSlope * found.linBreak! + found.linOffset > 0))
            bad('its curve is not there at the linSideBreak')
          return found
        }
        const usual: LogParams = { base: 2, logSlope: 1, logOffset: 0, linSlope: 1, linOffset: 0 }
        return {
          type: 'log',
          style: own,
          params: plain ? [usual, usual, usual] : byChannel('LogParams', params),
        }
      }
      case 'Exponent': {
        const own = style(exponentStyles)
        const isCurve = own.startsWith('monCurve')
        const params = (element_: Element): ExponentParams => {
          const exponent = one(attribute(element_, 'exponent'), 'exponent')
          const offset = isCurve ? one(attribute(element_, 'offset'), 'offset') : 0
          if (!(exponent >= 0.01 && exponent <= 100))
            bad(`its exponent is ${exponent}, but 0.01 to 100 are read`)
          if (isCurve && (exponent < 1 || offset < 0 || offset > 0.9))
            bad(
              `a curve with a straight part wants an exponent of 1 and more and an offset of 0 to 0.9, not ${exponent} and ${offset}`,
            )
          return { exponent, offset }
        }
        return {
          type: 'exponent',
          style: own,
          params: byChannel(child(element, 'ExponentParams') ? 'ExponentParams' : 'GammaParams', params),
        }
      }
      case 'ASC_CDL': {
        const sop = child(element, 'SOPNode')
        const three = (name: string, usual: number): [number, number, number] => {
          const found = sop && child(sop, name)
          return (found ? numbers(textOf(found), 3, name) : [usual, usual, usual]) as [number, number, number]
        }
        const sat = child(element, 'SatNode')
        const said = sat && child(sat, 'Saturation')
        const [slope, offset, power] = [three('Slope', 1), three('Offset', 0), three('Power', 1)]
        const saturation = said ? one(textOf(said), 'Saturation') : 1
        const own = style(cdlStyles, 'Fwd')
        if (slope.some((v) => v < 0) || power.some((v) => !(v > 0)) || saturation < 0)
          bad('slope and saturation can not be below 0, nor power 0 and below')
        if (own.startsWith('Rev') && (slope.some((v) => v === 0) || saturation === 0))
          bad('what a slope or a saturation of 0 took away can not come back')
        return { type: 'cdl', style: own, slope, offset, power, saturation }
      }
      default:
        return bad(
          'this kind of node is not known; Matrix, Range, LUT1D, LUT3D, Log, Exponent and ASC_CDL are',
        )
    }
  })
  const entries = new Float32Array(Math.max(1, filled) * 3)
  parts.reduce((at, part) => (entries.set(part, at), at + part.length), 0)
  const name = attribute(list, 'name') ?? textOf(child(list, 'Description')).trim().slice(0, 80)
  return { name, nodes, entries }
}
