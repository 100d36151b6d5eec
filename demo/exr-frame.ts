import { cryptomatteHeader, hashName, hashToFloat } from '../src/core/formats/cryptomatte.ts'
import type { Zlib } from '../src/core/formats/exr-codecs.ts'
import { textAttribute, writeExr, type ExrChannelData } from '../src/core/formats/exr-write.ts'
import { numbersToHalves } from '../src/core/picture/half.ts'
import type { FrameRows } from './frame.ts'
import { objects } from './scene.ts'

const idLayer = 'objects'
const idOf = objects.map((name) => hashToFloat(hashName(name)))

/** One channel out of interleaved data, rounded to whole steps: what is finer than anybody needs does not pack. */
function channel(
  name: string,
  type: 'half' | 'float',
  data: Float32Array,
  stride: number,
  at: number,
  stepsPerUnit = 0,
): ExrChannelData {
  const count = data.length / stride
  const values = new Float32Array(count)
  const most = type === 'half' ? 65504 : Infinity
  // A number this large leaves whole steps only, which is quicker than rounding; what is larger has none that are finer.
  const whole = stepsPerUnit > 0 ? (1.5 * 2 ** 52) / stepsPerUnit : 0
  for (let i = 0, from = at; i < count; i++, from += stride) {
    const value = data[from]!
    values[i] = value > most ? most : value < -most ? -most : value + whole - whole
  }
  return type === 'float' ? { name, type, values } : { name, type, values: numbersToHalves(values) }
}

/** All passes of a frame as one EXR with layers: distances to 2 mm, movement to 1/128 pixel; object masks as Cryptomatte of two levels (four ranks). */
export function encodeFrame(rows: FrameRows, width: number, height: number, zlib: Zlib): Uint8Array {
  const layer = (name: string, letters: string, type: 'half' | 'float', data: Float32Array, steps: number) =>
    Array.from(letters, (letter, i) => channel(`${name}${letter}`, type, data, letters.length, i, steps))
  const ids = new Float32Array(rows.ids.length)
  for (let i = 0; i < ids.length; i += 2) {
    if (rows.ids[i] === 0) continue
    ids[i] = idOf[rows.ids[i]! - 1]!
    ids[i + 1] = rows.ids[i + 1]!
  }
  const ranks = ['00.R', '00.G', '00.B', '00.A', '01.R', '01.G', '01.B', '01.A']
  return writeExr(
    {
      dataWindow: [0, 0, width - 1, height - 1],
      displayWindow: [0, 0, width - 1, height - 1],
      compression: 'zip',
      channels: [
        ...layer('', 'RGBA', 'half', rows.beauty, 4096),
        ...layer('depth.', 'Z', 'float', rows.depth, 512),
        ...layer('normal.', 'XYZ', 'half', rows.normal, 256),
        ...layer('position.', 'XYZ', 'float', rows.position, 512),
        ...layer('emission.', 'RGB', 'half', rows.emission, 512),
        ...layer('reflection.', 'RGB', 'half', rows.reflection, 256),
        ...layer('motion.', 'XY', 'half', rows.motion, 128),
        ...ranks.map((rank, i) => channel(`${idLayer}${rank}`, 'float', ids, 8, i)),
      ],
      attributes: cryptomatteHeader(idLayer, objects).map(([name, text]) => textAttribute(name, text)),
    },
    zlib,
  )
}
