// The drawn layers of the demo shot as vector drawings for a canvas of 960 × 540; other sizes are scaled.

interface Drawing {
  readonly name: string
  readonly svg: string
}

function sheet(width: number, height: number, body: string): string {
  return `<svg xmlns="http://www.w3.org/2000/svg" width="${width}" height="${height}" viewBox="0 0 960 540">${body}</svg>`
}

// The seahorse faces left; drawn in a box of 150 × 260 whose tail tip is at the origin.
const body =
  'M -6 -232 C 14 -258 52 -254 60 -226 C 66 -204 52 -190 46 -176 C 42 -160 66 -146 70 -116 C 74 -84 48 -66 34 -48 ' +
  'C 20 -30 22 -8 40 -6 C 54 -4 60 -20 50 -28 C 46 -31 40 -29 40 -24 C 36 -34 46 -42 56 -38 C 76 -30 72 8 40 8 ' +
  'C 4 8 -6 -28 8 -54 C 18 -74 24 -84 16 -98 C 6 -114 -10 -122 -8 -148 C -6 -164 4 -176 6 -190 C 0 -196 -18 -196 -40 -190 ' +
  'C -50 -188 -54 -200 -44 -204 C -30 -208 -14 -214 -6 -232 Z'
const fin =
  'M 66 -140 C 92 -152 108 -138 106 -116 C 98 -122 94 -116 98 -106 C 88 -110 82 -104 84 -94 C 76 -98 72 -100 71 -110 Z'
const crest = 'M 6 -244 L 2 -268 L 18 -254 L 26 -276 L 36 -254 L 52 -270 L 50 -244 Z'
const ridges = [
  'M 10 -168 C 22 -162 36 -164 44 -170', 'M -4 -150 C 14 -142 40 -146 54 -154', 'M -2 -132 C 18 -122 48 -128 64 -136',
  'M 10 -112 C 28 -102 52 -108 70 -116', 'M 18 -92 C 34 -84 54 -90 68 -98', 'M 16 -74 C 30 -66 46 -70 60 -80',
  'M 8 -54 C 20 -48 32 -50 44 -60', 'M 4 -36 C 12 -32 20 -34 30 -42', 'M 4 -18 C 12 -18 18 -20 24 -26',
] // prettier-ignore
const shade =
  'M 50 -238 C 66 -216 52 -190 46 -176 C 42 -160 66 -146 70 -116 C 74 -84 48 -66 34 -48 C 24 -34 22 -16 30 -8 ' +
  'C 16 -16 14 -40 26 -58 C 40 -76 56 -88 50 -114 C 46 -136 26 -150 30 -176 C 34 -192 48 -206 50 -238 Z'

/** Where the tail tip of the seahorse is in one of its drawings, how far it is turned, in degrees, and its size. */
export function pose(drawing: number): {
  readonly x: number
  readonly y: number
  readonly turn: number
  readonly scale: number
} {
  const round = (v: number) => Math.round(v * 100) / 100
  const turn = 4 * Math.sin((drawing / 12) * 2 * Math.PI)
  const bob = 5 * Math.sin((drawing / 12) * 2 * Math.PI + 1)
  return { x: 505, y: round(508 + bob), turn: round(turn), scale: 0.64 }
}
/** The drawing that a frame shows: a new one every second frame, round and round. */
export const drawingOf = (frame: number): number => Math.floor((frame - 1) / 2) % 12

/** The drawn layers of a frame: seahorse line, paint and shadow shape (a new drawing every second frame), and the plume. */
export function drawings(frame: number, width: number, height: number): Drawing[] {
  const { x, y: foot, turn, scale } = pose(drawingOf(frame))
  const posed = `translate(${x} ${foot}) rotate(${turn}) scale(${scale})`
  const inPose = (inner: string) => sheet(width, height, `<g transform="${posed}">${inner}</g>`)
  const stroke = 'fill="none" stroke="#2a1230" stroke-linecap="round" stroke-linejoin="round"'
  const t = frame * 0.13
  const left: string[] = []
  const right: string[] = []
  for (let i = 0; i <= 12; i++) {
    const up = i / 12
    const sway = 16 * up * Math.sin(3.2 * up - t) + 10 * up * Math.sin(7 * up - 1.7 * t)
    const wide = 9 + 30 * up ** 1.4
    const y = (394 - 285 * up).toFixed(1)
    left.push(`${(681 + sway - wide).toFixed(1)} ${y}`)
    right.unshift(`${(681 + sway + wide * (1 + 0.25 * Math.sin(9 * up - t))).toFixed(1)} ${y}`)
  }
  return [
    {
      name: 'seahorse_line',
      svg: inPose(
        `<path d="${body}" ${stroke} stroke-width="3.4"/><path d="${fin}" ${stroke} stroke-width="2.6"/>` +
          `<path d="${crest}" ${stroke} stroke-width="2.6"/><path d="${ridges.join(' ')}" ${stroke} stroke-width="1.8"/>` +
          '<circle cx="16" cy="-222" r="7" fill="#2a1230"/><circle cx="13.5" cy="-224.5" r="2.2" fill="#fff3d6"/>',
      ),
    },
    {
      name: 'seahorse_paint',
      svg: inPose(
        `<path d="${fin}" fill="#f7a072"/><path d="${crest}" fill="#e86a58"/><path d="${body}" fill="#f2b04e"/>` +
          '<path d="M -4 -150 C -2 -120 14 -110 18 -92 C 20 -80 14 -66 8 -54 C 24 -66 34 -84 30 -100 C 26 -120 10 -130 14 -160 Z" fill="#fbdc9a"/>' +
          '<circle cx="15" cy="-222" r="11" fill="#fff3d6"/>',
      ),
    },
    { name: 'seahorse_shadow', svg: inPose(`<path d="${shade}" fill="#fff"/>`) },
    {
      name: 'plume',
      svg: sheet(width, height, `<path d="M ${left.join(' L ')} L ${right.join(' L ')} Z" fill="#fff"/>`),
    },
  ]
}
