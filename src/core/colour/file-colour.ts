import { readIcc } from '../formats/icc.ts'
import type { Curve, Encoding } from './curves.ts'
import {
  chromaticitiesProblem,
  iccWhite,
  multiply,
  namedPrimaries,
  toWorking,
  xyzToWorking,
  type Chromaticities,
  type Matrix,
  type PrimariesName,
} from './spaces.ts'

/** What the numbers of a file's colour mean, and how that is known. */
export interface FileColour {
  readonly curve: Curve
  /** Linear light of the file to linear Rec.709. */
  readonly toWorking: Matrix
  /** For people: 'P3 with D65, sRGB curve: its colour profile “…” says so'. */
  readonly words: string
  /** What is not sure, or could not be followed. */
  readonly doubt?: string
}

export const primariesWords: Readonly<Record<PrimariesName, string>> = {
  rec709: 'Rec.709 (sRGB)',
  rec2020: 'Rec.2020',
  'p3-d65': 'P3 with D65',
  acescg: 'ACEScg',
  'aces2065-1': 'ACES2065-1',
  xyz: 'CIE XYZ',
}
export const encodingWords: Readonly<Record<Encoding, string>> = {
  linear: 'linear light',
  srgb: 'sRGB curve',
  'power-2.2': 'gamma 2.2',
  'power-2.4': 'gamma 2.4',
  pq: 'PQ',
  hlg: 'HLG',
  acescct: 'ACEScct',
}

const curveWords = (curve: Curve): string => {
  if (typeof curve === 'string') return encodingWords[curve]
  if ('each' in curve) return 'a curve each for red, green and blue'
  return 'power' in curve ? `gamma ${Number(curve.power.toFixed(3))}` : 'a curve of its own'
}

const say = (primaries: string, curve: Curve, reason: string) =>
  `${primaries}, ${curveWords(curve)}: ${reason}`

/** Colour of named primaries and a curve. */
export function namedColour(
  primaries: PrimariesName,
  curve: Curve,
  reason: string,
  doubt?: string,
): FileColour {
  return {
    curve,
    toWorking: toWorking(primaries),
    words: say(primariesWords[primaries], curve, reason),
    ...(doubt === undefined ? {} : { doubt }),
  }
}

/** Colour of chromaticities that a file gives; where those can not be, Rec.709 with a doubt. */
export function colourOf(found: Chromaticities, curve: Curve, reason: string): FileColour {
  const problem = chromaticitiesProblem(found)
  if (problem)
    return namedColour(
      'rec709',
      curve,
      'taken as that',
      `${reason}, but ${problem}: its colours are taken as Rec.709. Say what they are, if that is wrong`,
    )
  const name = namedPrimaries(found)
  const primaries = name ? primariesWords[name] : 'primaries of its own'
  return { curve, toWorking: toWorking(name ?? found), words: say(primaries, curve, reason) }
}

/** Colour as an embedded profile says; one that can not be followed is named, and colours are taken as sRGB with a doubt. */
export function profileColour(bytes: Uint8Array): FileColour {
  const { name, space, matrix, curve, problem } = readIcc(bytes)
  const called = name === '' ? 'its colour profile' : `its colour profile “${name}”`
  if (problem !== undefined || curve === undefined)
    return namedColour(
      'rec709',
      'srgb',
      'taken as that',
      `${called} ${problem ?? 'has no curve'}: it is not followed, and colours are read as sRGB. Say what they are, if that is wrong`,
    )
  const reason = `${called} says so`
  if (space === 'GRAY' || !matrix) return namedColour('rec709', curve, reason)
  const whole = multiply(xyzToWorking(iccWhite), matrix)
  // Profiles keep three or four digits: what is that near to a known space is that space.
  const near = (['rec709', 'p3-d65', 'rec2020', 'acescg', 'aces2065-1'] as const).find((known) =>
    toWorking(known).every((v, i) => Math.abs(v - whole[i]!) < 2e-3),
  )
  if (near) return namedColour(near, curve, reason)
  return { curve, toWorking: whole, words: say('primaries of its own', curve, reason) }
}

/** Colour as the codes of ITU-T H.273 say; undefined where one of them is not known here. */
export function codedColour(primaries: number, transfer: number, reason: string): FileColour | undefined {
  const curve = ({ 4: 'power-2.2', 8: 'linear', 13: 'srgb', 16: 'pq', 18: 'hlg' } as const)[transfer]
  const named = ({ 1: 'rec709', 9: 'rec2020', 12: 'p3-d65' } as const)[primaries]
  return curve && named ? namedColour(named, curve, reason) : undefined
}
