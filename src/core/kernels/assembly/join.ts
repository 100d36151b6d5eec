// @ts-nocheck: AssemblyScript, checked by its own compiler
@inline
function alphaOf(p: v128): v128 {
  return v128.shuffle<f32>(p, p, 3, 3, 3, 3)
}

@inline
function weightAt(matte: usize, i: usize, amount: f32): v128 {
  return f32x4.splat(matte ? amount * load<f32>(matte + (i << 2)) : amount)
}

export function joinOver(out: usize, below: usize, top: usize, matte: usize, opacity: f32, width: i32, y0: i32, y1: i32): void {
  const one = f32x4.splat(1)
  const end: usize = (y1 * width) as usize
  for (let i: usize = (y0 * width) as usize; i < end; i++) {
    const s = f32x4.mul(v128.load(top + (i << 4)), weightAt(matte, i, opacity))
    const b = v128.load(below + (i << 4))
    v128.store(out + (i << 4), f32x4.add(s, f32x4.mul(b, f32x4.sub(one, alphaOf(s)))))
  }
}

export function joinPlus(out: usize, below: usize, top: usize, matte: usize, opacity: f32, width: i32, y0: i32, y1: i32): void {
  const limit = f32x4.replace_lane(f32x4.splat(f32.MAX_VALUE), 3, 1)
  const end: usize = (y1 * width) as usize
  for (let i: usize = (y0 * width) as usize; i < end; i++) {
    const s = f32x4.mul(v128.load(top + (i << 4)), weightAt(matte, i, opacity))
    v128.store(out + (i << 4), f32x4.pmin(f32x4.add(v128.load(below + (i << 4)), s), limit))
  }
}

@inline
function screen(s: v128, b: v128, one: v128): v128 {
  const soft = f32x4.sub(f32x4.add(s, b), f32x4.mul(s, b))
  const bright = v128.or(f32x4.gt(s, one), f32x4.gt(b, one))
  return v128.bitselect(f32x4.pmax(s, b), soft, bright)
}

export function joinScreen(out: usize, below: usize, top: usize, matte: usize, opacity: f32, width: i32, y0: i32, y1: i32): void {
  const one = f32x4.splat(1)
  const end: usize = (y1 * width) as usize
  for (let i: usize = (y0 * width) as usize; i < end; i++) {
    const s = f32x4.mul(v128.load(top + (i << 4)), weightAt(matte, i, opacity))
    v128.store(out + (i << 4), screen(s, v128.load(below + (i << 4)), one))
  }
}

export function mix(out: usize, src: usize, effect: usize, matte: usize, amount: f32, width: i32, y0: i32, y1: i32): void {
  const end: usize = (y1 * width) as usize
  for (let i: usize = (y0 * width) as usize; i < end; i++) {
    const a = v128.load(src + (i << 4))
    const d = f32x4.sub(v128.load(effect + (i << 4)), a)
    v128.store(out + (i << 4), f32x4.add(a, f32x4.mul(d, weightAt(matte, i, amount))))
  }
}

export function addLight(out: usize, src: usize, light: usize, asScreen: i32, intoAlpha: i32, width: i32, y0: i32, y1: i32): void {
  const one = f32x4.splat(1)
  const end: usize = (y1 * width) as usize
  for (let i: usize = (y0 * width) as usize; i < end; i++) {
    const b = v128.load(src + (i << 4))
    const l = v128.load(light + (i << 4))
    const sum = asScreen ? screen(l, b, one) : f32x4.add(b, l)
    let alpha = f32x4.extract_lane(b, 3)
    if (intoAlpha) {
      const y: f32 =
        f32x4.extract_lane(l, 0) * 0.2126 + f32x4.extract_lane(l, 1) * 0.7152 + f32x4.extract_lane(l, 2) * 0.0722
      alpha = min<f32>(1, alpha + max<f32>(y, 0))
    }
    v128.store(out + (i << 4), f32x4.replace_lane(sum, 3, alpha))
  }
}
