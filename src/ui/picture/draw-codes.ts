import type { Screen } from '../../core/comp/schema.ts'

/** The meaning of codes on a canvas: what a browser brings to the screen that is there. Codes for a power of 2.4 go out as they are. */
const spaceOf = (screen: Screen | undefined) => (screen === 'p3' ? 'display-p3' : 'srgb')

/**
 * Draws codes that were made for a screen, at their own size. A canvas keeps the meaning that it was first drawn with: one for another screen has to be
 * another element.
 */
export function drawCodes(
  canvas: HTMLCanvasElement,
  codes: {
    readonly width: number
    readonly height: number
    readonly pixels: Uint8ClampedArray<ArrayBuffer>
  },
  screen: Screen | undefined,
): void {
  const { width, height, pixels } = codes
  const colorSpace = spaceOf(screen)
  if (canvas.width !== width || canvas.height !== height) [canvas.width, canvas.height] = [width, height]
  canvas
    .getContext('2d', { colorSpace })!
    .putImageData(new ImageData(pixels, width, height, { colorSpace }), 0, 0)
}
