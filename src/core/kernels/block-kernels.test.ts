import { describe, expect, test } from 'vitest'
import { numberToHalf } from '../picture/half.ts'
import { plainPicture, type Picture } from '../picture/picture.ts'
import type { Samples } from './kernels.ts'
import { plainKernels } from './plain-kernels.ts'
import { fast, random, store } from './try-kernels.ts'

/** Of samples laid into pictures, by bits. */
const bitsOf = ({ data }: Picture) => Array.from(new Uint32Array(data.buffer, data.byteOffset, data.length))

function samples(width: number, height: number, channels: number, isHalf: boolean): Samples {
  const next = random(width * 31 + height * 7 + channels)
  const values = Float32Array.from({ length: width * height * channels }, next)
  return { width, height, channels, data: isHalf ? Uint16Array.from(values, numberToHalf) : values }
}

describe.each([1, 2, 3, 4, 6])('samples of %i channels', (own) => {
  test.each([
    [0, 0],
    [-3, 2],
    [4, -1],
    [40, 3],
    [-40, 0],
    [2, 30],
  ] as const)('begin at %i, %i of a picture, wherever it is', (left, top) => {
    for (const channels of [1, 4] as const)
      for (const isHalf of [false, true])
        for (const [w, h] of [
          [17, 9],
          [1, 1],
          [5, 20],
          [16, 9],
        ] as const) {
          const block = samples(w, h, own, isHalf)
          const [plain, shared] = [plainPicture(16, 9, channels), store.allocate(16, 9, channels)]
          shared.data.fill(NaN)
          plainKernels.layBlock(plain, block, [left, top], 7.5)
          fast.layBlock(shared, block, [left, top], 7.5)
          expect(bitsOf(shared)).toEqual(bitsOf(plain))
          store.release(shared)
        }
  })
})

test('bits that are no number stay what they are', () => {
  const data = new Float32Array(2 * 2 * 3)
  const bits = new Uint32Array(data.buffer).fill(0x7fa00001)
  const out = store.allocate(2, 2, 4)
  fast.layBlock(out, { width: 2, height: 2, channels: 3, data }, [0, 0], 0)
  expect(bitsOf(out).filter((_, i) => i % 4 !== 3)).toEqual(Array.from(bits))
})

test.each([2, 4, 6, 7])(
  'cover of objects out of %i channels is the sum of what bears their names',
  (channels) => {
    // Names as renderers make them: any bits but those that are no number.
    const names = [0x00000001, 0x3f8ccccd, 0xbe12f00d, 0x7f000001, 0x9abcdef0]
    const [w, h] = [19, 11]
    const data = new Float32Array(w * h * channels)
    const bits = new Uint32Array(data.buffer)
    const next = random(channels)
    for (let i = 0; i + 1 < data.length; i++)
      if ((i % channels) % 2 === 1) data[i] = Math.max(0, next()) / 6
      else bits[i] = names[Math.floor(Math.abs(next()) * 1.3) % names.length]!
    for (const chosen of [[], [names[2]!], [names[4]!, names[0]!], names]) {
      const wanted = plainPicture(23, 10, 1)
      const ids = Uint32Array.from(chosen).sort()
      for (let y = 0; y < 10; y++)
        for (let x = 0; x < 23; x++) {
          const [sx, sy] = [x - 2, y + 1]
          let sum = 0
          if (sx >= 0 && sx < w && sy < h)
            for (let k = 0; 2 * k + 1 < channels; k++) {
              const at = (sy * w + sx) * channels + 2 * k
              if (chosen.includes(bits[at]!)) sum += data[at + 1]!
            }
          wanted.data[y * 23 + x] = Math.min(1, sum)
        }
      const out = store.allocate(23, 10, 1)
      fast.objectCover(out, { width: w, height: h, channels, data }, [2, -1], ids)
      out.data.forEach((v, i) => {
        expect(v).toBeCloseTo(wanted.data[i]!, 6)
      })
      const twin = plainPicture(23, 10, 1)
      plainKernels.objectCover(twin, { width: w, height: h, channels, data }, [2, -1], ids)
      twin.data.forEach((v, i) => {
        expect(v).toBeCloseTo(wanted.data[i]!, 6)
      })
      store.release(out)
    }
  },
)
