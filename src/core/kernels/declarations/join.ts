import type { WorkingSpace } from '../../colour/working.ts'
import type { Picture } from '../../picture/picture.ts'
import { type JoinMode, blends, isOperator, operators, blendColour } from '../join-modes.ts'
import { leastCover } from '../../picture/colour.ts'
import { screen, eachValue } from '../twin-maths.ts'
import type { KernelCalls } from '../kernel-calls.ts'

type Rgba = [number, number, number, number]

/** Two premultiplied pixels by a mode at full opacity. */
function joinPixel(mode: JoinMode, b: Rgba, s: Rgba): Rgba {
  const [ba, sa] = [b[3], s[3]]
  if (mode === 'screen') return b.map((v, c) => screen(s[c]!, v)) as Rgba
  if (isOperator(mode)) {
    const { a0, a1, b0, b1 } = operators[mode]
    return b.map((v, c) => s[c]! * (a0 + a1 * ba) + v * (b0 + b1 * sa)) as Rgba
  }
  const straight = (v: Rgba, alpha: number) =>
    v.slice(0, 3).map((x) => (alpha > leastCover ? x / alpha : x)) as [number, number, number]
  const mixed = blendColour(mode, straight(b, ba), straight(s, sa))
  const colour = mixed.map((v, c) => s[c]! * (1 - ba) + sa * ba * v + b[c]! * (1 - sa))
  return [...colour, sa + ba * (1 - sa)] as Rgba
}

export interface JoinKernels {
  /**
   * Joins `top` with `below`: out = below + opacity · matte · (mode(top, below) − below), so that an opacity of 0 is as if
   * the lane were not there. Operators and blend modes as in join-modes.ts, on premultiplied colour; plus holds alpha at 1; screen
   * works on premultiplied values, so that light without cover is joined too.
   */
  join(
    out: Picture,
    below: Picture,
    top: Picture,
    matte: Picture | undefined,
    mode: JoinMode,
    opacity: number,
  ): void
  /** out = src + amount · matte · (effect − src): how far a step acts. */
  mix(out: Picture, src: Picture, effect: Picture, matte: Picture | undefined, amount: number): void
  /**
   * Adds light (alpha ignored) by addition or by screen; alpha is kept, or becomes min(1, α + luminance of the light).
   * The alpha rule is common practice, so that a glow over an empty background does not vanish.
   */
  addLight(out: Picture, src: Picture, light: Picture, mode: 'add' | 'screen', intoAlpha: boolean): void
}

/** The plain twins. */
export const plainJoin = ({ luminance }: WorkingSpace): JoinKernels => ({
  join(out, below, top, matte, mode, opacity) {
    for (let p = 0; p < out.width * out.height; p++) {
      const weight = opacity * (matte ? matte.data[p]! : 1)
      const at = (picture: Picture) => [0, 1, 2, 3].map((c) => picture.data[p * 4 + c]!) as Rgba
      const b = at(below)
      const joined = joinPixel(mode, b, at(top))
      for (let c = 0; c < 4; c++) {
        const whole = mode === 'plus' && c === 3 ? Math.min(1, joined[c]) : joined[c]!
        out.data[p * 4 + c] = b[c]! + weight * (whole - b[c]!)
      }
    }
  },
  mix(out, src, effect, matte, amount) {
    eachValue(
      out,
      (i, _, p) => src.data[i]! + amount * (matte ? matte.data[p]! : 1) * (effect.data[i]! - src.data[i]!),
    )
  },
  addLight(out, src, light, mode, intoAlpha) {
    eachValue(out, (i, c) => {
      if (c < 3)
        return mode === 'screen' ? screen(light.data[i]!, src.data[i]!) : src.data[i]! + light.data[i]!
      if (!intoAlpha) return src.data[i]!
      const y = luminance(light.data[i - 3]!, light.data[i - 2]!, light.data[i - 1]!)
      return Math.min(1, src.data[i]! + Math.max(0, y))
    })
  },
})

export const fastJoin = ({ run, weighAt }: KernelCalls): JoinKernels => ({
  join: (out, below, top, matte, mode, opacity) => {
    const sources = [out.at, below.at, top.at, matte?.at ?? 0, opacity] as const
    if (mode === 'over') run('joinOver', out, ...sources, out.width)
    else if (mode === 'screen') run('joinScreen', out, ...sources, out.width)
    else if (isOperator(mode)) {
      const { a0, a1, b0, b1 } = operators[mode]
      run('joinOperator', out, ...sources, a0, a1, b0, b1, out.width)
    } else run('joinBlend', out, ...sources, blends.indexOf(mode), out.width)
  },
  mix: (out, src, effect, matte, amount) => {
    run('mix', out, out.at, src.at, effect.at, matte?.at ?? 0, amount, out.width)
  },
  addLight: (out, src, light, mode, intoAlpha) => {
    const how = [Number(mode === 'screen'), Number(intoAlpha), weighAt] as const
    run('addLight', out, out.at, src.at, light.at, ...how, out.width)
  },
})
