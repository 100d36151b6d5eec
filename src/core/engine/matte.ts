import type { Picture } from '../picture/picture.ts'

/** Every factor-th pixel, from the middle of its block: for data, which must not be averaged. */
export function pickNearest(out: Picture, src: Picture, factor: number): void {
  const { channels } = out
  // By words, so that the bits of IDs stay what they are.
  const words = ({ data }: Picture) => new Uint32Array(data.buffer, data.byteOffset, data.length)
  const [to, from] = [words(out), words(src)]
  for (let y = 0; y < out.height; y++) {
    const sy = Math.min(src.height - 1, y * factor + (factor >> 1))
    for (let x = 0; x < out.width; x++) {
      const sx = Math.min(src.width - 1, x * factor + (factor >> 1))
      for (let c = 0; c < channels; c++)
        to[(y * out.width + x) * channels + c] = from[(sy * src.width + sx) * channels + c]!
    }
  }
}

/** The mean of factor × factor pixels of one channel. */
export function meanReduce(out: Picture, src: Picture, factor: number): void {
  for (let y = 0; y < out.height; y++)
    for (let x = 0; x < out.width; x++) {
      const [bottom, right] = [Math.min(src.height, (y + 1) * factor), Math.min(src.width, (x + 1) * factor)]
      let [sum, count] = [0, 0]
      for (let sy = y * factor; sy < bottom; sy++)
        for (let sx = x * factor; sx < right; sx++, count++) sum += src.data[sy * src.width + sx]!
      out.data[y * out.width + x] = sum / count
    }
}
