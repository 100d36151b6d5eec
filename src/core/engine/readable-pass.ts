import type { PassKind } from '../comp/pass-kind.ts'
import { linearToSrgb } from '../picture/colour.ts'
import type { Picture } from '../picture/picture.ts'

/** A pass made readable for the eye, and the range its values lie in. */
export interface ReadablePass {
  /** Opaque 8-bit RGBA. */
  readonly codes: Uint8Array<ArrayBuffer>
  /** 1st and 99th percentile of the values that are there; both 0 where there are none. */
  readonly low: number
  readonly high: number
}

/** Depth beyond this stands for "nothing was hit". */
const nothingHit = 1e30
/** Shown where nothing was hit, so that it is not taken for far or near. */
const emptyColour = [18, 26, 52] as const

/** What a kind of pass is good for, in one line. */
export const passUses: Readonly<Record<PassKind, string>> = {
  colour: 'The picture itself: the source of a lane.',
  light: 'Light by itself: feeds bloom and rays, so that only what gives light glows.',
  depth: 'Distance from the camera: mist, focus, mattes by distance.',
  normal: 'Which way surfaces face: rims, reflections at grazing angles.',
  position: 'Where surfaces stand in the scene: mist by height, mattes by place.',
  motion: 'How far things move to the next frame: motion blur.',
  ids: 'Which object covers the pixel: mattes of single objects.',
  matte: 'Where something is: limits a step to it.',
  shadow: 'Where light is kept off: darkens, or is a matte for shade.',
  occlusion: 'Where surfaces stand close: grounds things, or is a matte for dirt and shade.',
  table: 'A table of colours: feeds a look table, or the view.',
  other: 'Not recognised; say what it is to use it.',
}

/** Values at two parts (0–1) of the sorted samples of a channel; at most about 20,000 are looked at. */
function percentiles(
  { data, channels }: Picture,
  channel: number,
  of: (v: number) => number | undefined,
): [number, number] {
  const count = data.length / channels
  const stride = Math.max(1, Math.floor(count / 20_000))
  const found: number[] = []
  for (let i = 0; i < count; i += stride) {
    const value = of(data[i * channels + channel]!)
    if (value !== undefined) found.push(value)
  }
  found.sort((a, b) => a - b)
  const at = (part: number) => found[Math.round(part * (found.length - 1))] ?? 0
  return [at(0.01), at(0.99)]
}

const byte = (v: number) => Math.round(255 * Math.min(1, Math.max(0, v)))

/** Hue 0–1 and brightness to 8-bit codes. */
function hueCodes(hue: number, value: number): [number, number, number] {
  const part = (shift: number) =>
    byte(value * Math.min(1, Math.max(0, Math.abs(((hue + shift) % 1) * 6 - 3) - 1)))
  return [part(0), part(2 / 3), part(1 / 3)]
}

/** A colour that stands for an ID, the same for the same bits. */
export function idColour(bits: number, cover: number): [number, number, number] {
  const mixed = Math.imul(bits ^ (bits >>> 15), 0x2c1b3c6d)
  const spread = (mixed ^ (mixed >>> 13)) >>> 0
  return hueCodes((spread % 997) / 997, cover * (0.55 + 0.45 * (((spread >>> 10) % 8) / 7)))
}

/**
 * Draws a pass so that it can be read by its kind: depth from near (dark) to far (bright) between its 1st and 99th percentile,
 * normals and positions as colours, motion as hue (way) and brightness (length), IDs as distinct colours, mattes as
 * grey, colour as on a screen.
 */
export function readablePass(picture: Picture, kind: PassKind): ReadablePass {
  const { width, height, channels, data } = picture
  const codes = new Uint8Array(width * height * 4)
  const each = (draw: (i: number) => readonly [number, number, number]) => {
    for (let p = 0; p < width * height; p++) {
      codes.set(draw(p * channels), p * 4)
      codes[p * 4 + 3] = 255
    }
  }
  const grey = (v: number): [number, number, number] => [v, v, v]
  const [low, high] = percentiles(picture, 0, (v) => (v < nothingHit ? v : undefined))
  const scale = (v: number, from = low, to = high) => (to > from ? (v - from) / (to - from) : 0.5)
  switch (kind) {
    case 'depth':
      each((i) => (data[i]! < nothingHit ? grey(byte(scale(data[i]!))) : emptyColour))
      break
    case 'normal':
      each((i) => [
        byte(data[i]! * 0.5 + 0.5),
        byte(data[i + 1]! * 0.5 + 0.5),
        byte(data[i + 2]! * 0.5 + 0.5),
      ])
      break
    case 'position': {
      const ranges = [0, 1, 2].map((c) => percentiles(picture, Math.min(c, channels - 1), (v) => v))
      each(
        (i) =>
          [0, 1, 2].map((c) => byte(scale(data[i + c]!, ranges[c]![0], ranges[c]![1]))) as [
            number,
            number,
            number,
          ],
      )
      break
    }
    case 'motion': {
      const reach = Math.max(...[0, 1].map((c) => percentiles(picture, c, Math.abs)[1]), 1e-6)
      each((i) => {
        const [x, y] = [data[i]!, data[i + 1]!]
        return hueCodes(Math.atan2(y, x) / (2 * Math.PI) + 1, Math.hypot(x, y) / reach)
      })
      break
    }
    case 'ids': {
      const bits = new Uint32Array(data.buffer, data.byteOffset, data.length)
      // Rank pairs of an ID and its cover where there are four channels; else the value itself is the ID.
      each((i) =>
        data[i] === 0
          ? [0, 0, 0]
          : idColour(bits[i]!, channels === 4 ? Math.min(1, Math.max(0, data[i + 1]!)) : 1),
      )
      break
    }
    case 'matte':
    case 'shadow':
    case 'occlusion':
      each((i) => grey(byte(data[i]!)))
      break
    case 'other':
      each((i) =>
        channels === 1
          ? grey(byte(scale(data[i]!)))
          : [byte(data[i]!), byte(data[i + 1]!), byte(data[i + 2]!)],
      )
      break
    case 'table':
    case 'colour':
    case 'light':
      each(
        (i) =>
          [0, 1, 2].map((c) => byte(linearToSrgb(data[i + Math.min(c, channels - 1)]!))) as [
            number,
            number,
            number,
          ],
      )
  }
  return { codes, low, high }
}
