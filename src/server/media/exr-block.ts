import type { Pass, ReadAs } from '../../core/comp/media.ts'
import { colourOf, namedColour, type FileColour } from '../../core/colour/file-colour.ts'
import {
  isIdentity,
  multiply,
  throughMatrix,
  toWorking,
  type Chromaticities,
  type Matrix,
} from '../../core/colour/spaces.ts'
import { workingSpace } from '../../core/colour/working.ts'
import { windowSize, type ExrPart } from '../../core/formats/exr-header.ts'
import type { ExrPlane } from '../../core/formats/exr-read.ts'
import { atFullSize, chromaToRgb, sampleOf } from '../../core/formats/exr-subsampled.ts'
import { interleavePlanes } from '../../core/codec/interleave.ts'
import type { PassBlock } from '../../core/formats/pass-block.ts'
import { samplesToLinear, type Samples } from '../../core/formats/samples.ts'
import { rulesOf } from '../../core/passes/passes.ts'
import { halfTable } from '../../core/picture/half.ts'

// Planes of an EXR as a pass for an engine.

/** The planes of a luminance/chroma pass in the order Y, RY, BY and then alpha, where it is one. */
function chromaPlanes(planes: readonly ExrPlane[]): ExrPlane[] | undefined {
  const find = (name: string) => planes.find((p) => p.channel.name.split('.').at(-1)!.toUpperCase() === name)
  const [y, ry, by, a] = ['Y', 'RY', 'BY', 'A'].map(find)
  return y && ry && by ? [y, ry, by, ...(a ? [a] : [])] : undefined
}

/** Channels of a pass side by side; all half stays half, anything else, and what is subsampled, becomes float. */
function interleave(planes: readonly ExrPlane[], part: ExrPart): PassBlock {
  const { width, height } = windowSize(part.dataWindow)
  const origin = {
    x: part.dataWindow[0] - part.displayWindow[0],
    y: part.dataWindow[1] - part.displayWindow[1],
  }
  // Whole numbers may be IDs of 32 bits, which no float holds: their bits travel as they are.
  if (
    planes.every((p) => p.values instanceof Uint32Array && p.channel.xSampling * p.channel.ySampling === 1)
  ) {
    const words = new Uint32Array(width * height * planes.length)
    for (const [c, { values }] of planes.entries())
      for (let i = 0; i < width * height; i++) words[i * planes.length + c] = values[i]!
    return { width, height, ...origin, channels: planes.length, data: new Float32Array(words.buffer) }
  }
  const chroma = chromaPlanes(planes)
  const isSubsampled = planes.some(({ channel }) => channel.xSampling > 1 || channel.ySampling > 1)
  if (chroma || isSubsampled) {
    const full = (chroma ?? planes).map((plane) => atFullSize(plane, part.dataWindow))
    if (chroma) chromaToRgb(full[0]!, full[1]!, full[2]!)
    const channels = full.length
    const data = new Float32Array(width * height * channels)
    for (const [c, values] of full.entries())
      for (let i = 0; i < values.length; i++) data[i * channels + c] = values[i]!
    return { width, height, ...origin, channels, data }
  }
  const channels = planes.length
  const isHalf = planes.every((p) => p.values instanceof Uint16Array)
  const data = isHalf
    ? new Uint16Array(width * height * channels)
    : new Float32Array(width * height * channels)
  if (isHalf || planes.every((p) => p.values instanceof Float32Array))
    interleavePlanes(
      data,
      planes.map((p) => p.values),
    )
  else
    for (const [c, plane] of planes.entries())
      for (let i = 0; i < width * height; i++) data[i * channels + c] = sampleOf(plane, i)
  return { width, height, ...origin, channels, data }
}

/** What the chromaticities of a part mean: as its header says, else Rec.709 (OpenEXR: "Standard Attributes"). */
export function partColour({ attributes }: ExrPart): FileColour {
  const given = attributes.get('chromaticities')
  const container = attributes.get('acesImageContainerFlag')
  const view = (bytes: Uint8Array) => new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)
  if (given?.type === 'chromaticities' && given.value.length >= 32) {
    const at = (i: number): readonly [number, number] => [
      view(given.value).getFloat32(i * 8, true),
      view(given.value).getFloat32(i * 8 + 4, true),
    ]
    const found: Chromaticities = { red: at(0), green: at(1), blue: at(2), white: at(3) }
    return colourOf(found, 'linear', 'its chromaticities say so')
  }
  if (container?.value.length === 4 && view(container.value).getInt32(0, true) === 1)
    return namedColour('aces2065-1', 'linear', 'it is marked as an ACES container')
  return namedColour('rec709', 'linear', 'as is usual for EXR')
}

/**
 * Premultiplied light of three or four planes, all half or all float, through a matrix; opaque where there is no alpha. Out of the planes in one loop,
 * so that frames of 4K cost little more than without; undefined where planes are otherwise.
 */
function lightThrough(planes: readonly ExrPlane[], part: ExrPart, matrix: Matrix): PassBlock | undefined {
  const isPlain = planes.every(({ channel }) => channel.xSampling * channel.ySampling === 1)
  if (!isPlain || planes.length < 3 || planes.length > 4 || chromaPlanes(planes)) return undefined
  const [a, b, c, d, e, f, g, h, i] = matrix as [
    number,
    number,
    number,
    number,
    number,
    number,
    number,
    number,
    number,
  ]
  const values = planes.map((plane) => plane.values)
  const [x, y, z] = [values[0]!, values[1]!, values[2]!]
  const alpha = values[3]
  const { width, height } = windowSize(part.dataWindow)
  const out = new Float32Array(width * height * 4)
  if (values.every((v) => v instanceof Uint16Array)) {
    const halves = halfTable()
    for (let p = 0, o = 0; o < out.length; p++, o += 4) {
      const red = halves[x[p]!]!
      const green = halves[y[p]!]!
      const blue = halves[z[p]!]!
      out[o] = a * red + b * green + c * blue
      out[o + 1] = d * red + e * green + f * blue
      out[o + 2] = g * red + h * green + i * blue
      out[o + 3] = alpha ? halves[alpha[p]!]! : 1
    }
  } else if (values.every((v) => v instanceof Float32Array))
    for (let p = 0, o = 0; o < out.length; p++, o += 4) {
      const [red, green, blue] = [x[p]!, y[p]!, z[p]!]
      out[o] = a * red + b * green + c * blue
      out[o + 1] = d * red + e * green + f * blue
      out[o + 2] = g * red + h * green + i * blue
      out[o + 3] = alpha ? alpha[p]! : 1
    }
  else return undefined
  const [x0, y0] = part.dataWindow
  return {
    width,
    height,
    x: x0 - part.displayWindow[0],
    y: y0 - part.displayWindow[1],
    channels: 4,
    data: out,
  }
}

/** Stored light into the space that is asked for. */
export function matrixOf(as: ReadAs | undefined, own: FileColour): Matrix {
  const toRec709 = as?.primaries ? toWorking(as.primaries) : own.toWorking
  const { fromRec709 } = workingSpace(as?.into)
  return as?.into === undefined ? toRec709 : multiply(fromRec709, toRec709)
}

/** Stored colour of an EXR as light in the working space: as its header says, or otherwise by hand. */
function reread(block: PassBlock, as: ReadAs, own: FileColour): PassBlock {
  const { width, height, channels, data } = block
  if (channels < 3 || channels > 4) return block
  const matrix = matrixOf(as, own)
  const halves = data instanceof Uint16Array ? halfTable() : undefined
  const stored = halves ? Float32Array.from(data, (code) => halves[code]!) : (data as Float32Array)
  const samples: Samples = {
    width,
    height,
    channels: ['R', 'G', 'B', 'A'].slice(0, channels),
    data: stored,
    most: 1,
  }
  const light = samplesToLinear(samples, as.encoding ?? 'linear', as.alpha ?? 'premultiplied')
  throughMatrix(light, matrix)
  return { ...block, channels: 4, data: light }
}

/** A pass out of planes of a part, or of as many rows of them: as it is read. */
export function blockOf(
  { kind, channels }: Pass,
  part: ExrPart,
  planes: ReadonlyMap<string, ExrPlane>,
  as: ReadAs | undefined,
): PassBlock {
  const own = channels.map((c) => planes.get(c)!)
  const isLight = as ? !as.isData : rulesOf(kind).isLight
  if (!isLight) return interleave(own, part)
  const colour = partColour(part)
  const isLinear = (as?.encoding ?? 'linear') === 'linear'
  const isPlain = isLinear && (as?.alpha ?? 'premultiplied') === 'premultiplied'
  const matrix = matrixOf(as, colour)
  if (isPlain && isIdentity(matrix)) return interleave(own, part)
  const moved = isPlain ? lightThrough(own, part, matrix) : undefined
  return moved ?? reread(interleave(own, part), as ?? { isData: false }, colour)
}
