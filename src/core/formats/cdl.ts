import { XMLParser } from 'fast-xml-parser'
import { SyntaxValidator } from 'fast-xml-validator'
import type { Rgb } from '../picture/picture.ts'
import { FormatError } from './format-error.ts'

/** One correction of a decision list. */
export interface ColourCorrection {
  readonly id: string
  readonly slope: Rgb
  readonly offset: Rgb
  readonly power: Rgb
  readonly saturation: number
  /** Parts that the file leaves out, which then do nothing. */
  readonly missing: readonly string[]
}

const mostBytes = 4e6
const mostCorrections = 2000

type Node = Readonly<Record<string, unknown>>
/** The text of an element: itself, or beside its attributes. */
const textOf = (part: unknown): string => {
  if (isNode(part)) return textOf(part['#text'])
  return typeof part === 'string' ? part : ''
}
const isNode = (value: unknown): value is Node => typeof value === 'object' && value !== null

/** Every element of a name, wherever it lies. */
function findAll(node: unknown, name: string): Node[] {
  if (Array.isArray(node)) return node.flatMap((one) => findAll(one, name))
  if (!isNode(node)) return []
  return Object.entries(node).flatMap(([key, value]) => {
    if (key !== name) return findAll(value, name)
    return (Array.isArray(value) ? (value as unknown[]) : [value]).filter(isNode)
  })
}

/**
 * Reads .cdl, .ccc and .cc files: corrections with slope, offset, power and saturation; what is left out does nothing and is listed. Throws
 * FormatError that names the correction and its part.
 * Source: ASC CDL 1.2 (XML of ColorDecisionList, ColorCorrectionCollection and ColorCorrection).
 */
export function parseCdl(text: string): ColourCorrection[] {
  const fail = (message: string): never => {
    throw new FormatError('cdl', -1, message)
  }
  if (text.length > mostBytes) fail('it is larger than 4 MB')
  // Nothing is read from elsewhere, whatever the document says.
  if (/<!(DOCTYPE|ENTITY)/i.test(text)) fail('it declares a document type; remove that')
  try {
    SyntaxValidator.validate(text)
  } catch (error) {
    fail(`it is no XML: ${error instanceof Error ? error.message : String(error)}`)
  }
  const parser = new XMLParser({
    ignoreAttributes: false,
    attributeNamePrefix: '@',
    removeNSPrefix: true,
    parseTagValue: false,
    processEntities: true,
  })
  const corrections = findAll(parser.parse(text), 'ColorCorrection')
  if (corrections.length === 0) fail('it holds no ColorCorrection')
  if (corrections.length > mostCorrections) fail(`it holds more than ${mostCorrections} corrections`)
  return corrections.map((correction, i) => {
    const id = typeof correction['@id'] === 'string' ? correction['@id'] : `correction ${i + 1}`
    const missing: string[] = []
    const numbers = (name: string, count: number): number[] | undefined => {
      const part = [...['SOPNode', 'SATNode', 'SatNode'].flatMap((n) => correction[n] ?? [])].find(
        (n): n is Node => isNode(n) && n[name] !== undefined,
      )?.[name]
      if (part === undefined) {
        missing.push(name)
        return undefined
      }
      const words = textOf(part)
        .trim()
        .split(/[\s,]+/)
      const found = words.map(Number)
      if (found.length !== count || !found.every(Number.isFinite))
        fail(
          `${name} of ${id} wants ${count === 1 ? 'a number' : `${count} numbers`}, but holds “${textOf(part).slice(0, 60)}”`,
        )
      return found
    }
    const slope = numbers('Slope', 3) ?? [1, 1, 1]
    const offset = numbers('Offset', 3) ?? [0, 0, 0]
    const power = numbers('Power', 3) ?? [1, 1, 1]
    const saturation = numbers('Saturation', 1)?.[0] ?? 1
    if (slope.some((v) => v < 0)) fail(`Slope of ${id} is ${slope.join(' ')}; it can not be below 0`)
    if (power.some((v) => !(v > 0))) fail(`Power of ${id} is ${power.join(' ')}; it must be above 0`)
    if (saturation < 0) fail(`Saturation of ${id} is ${saturation}; it can not be below 0`)
    return {
      id,
      slope: slope as unknown as Rgb,
      offset: offset as unknown as Rgb,
      power: power as unknown as Rgb,
      saturation,
      missing,
    }
  })
}

const escaped = (text: string) =>
  text.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;').replaceAll('"', '&quot;')

/** Writes a correction: as a collection (.ccc) or as a decision list (.cdl). */
export function writeCdl(
  { id, slope, offset, power, saturation }: Omit<ColourCorrection, 'missing'>,
  as: 'ccc' | 'cdl',
): string {
  const three = (v: Rgb) => v.map((n) => String(Number(n.toPrecision(9)))).join(' ')
  const correction = [
    `<ColorCorrection id="${escaped(id)}">`,
    '  <SOPNode>',
    `    <Slope>${three(slope)}</Slope>`,
    `    <Offset>${three(offset)}</Offset>`,
    `    <Power>${three(power)}</Power>`,
    '  </SOPNode>',
    '  <SATNode>',
    `    <Saturation>${String(Number(saturation.toPrecision(9)))}</Saturation>`,
    '  </SATNode>',
    '</ColorCorrection>',
  ]
  const inside = (names: readonly string[]): string[] =>
    names.length === 0
      ? correction
      : [
          `<${names[0]!}>`,
          ...inside(names.slice(1)).map((line) => `  ${line}`),
          `</${names[0]!.split(' ')[0]}>`,
        ]
  const space = 'xmlns="urn:ASC:CDL:v1.2"'
  const whole =
    as === 'ccc'
      ? inside([`ColorCorrectionCollection ${space}`])
      : inside([`ColorDecisionList ${space}`, 'ColorDecision'])
  return ['<?xml version="1.0" encoding="UTF-8"?>', ...whole, ''].join('\n')
}
