// @ts-nocheck: AssemblyScript, checked by its own compiler
import { leastCover } from './maths'

/** Cube root of what is above 0, to about 1e-6: a third of the exponent, then Newton's steps. */
@inline
function cubeRoot(v: f32): f32 {
  if (!(v > 0)) return 0
  let y = reinterpret<f32>(reinterpret<u32>(v) / 3 + 709921077)
  const third: f32 = 1.0 / 3.0
  y -= (y - v / (y * y)) * third
  y -= (y - v / (y * y)) * third
  y -= (y - v / (y * y)) * third
  return y
}

/** How near pixels are to picked colours, in OKLab; picks as L, a, b and 1 (wanted) or −1 (not). cones: three rows of three, light to what the cube roots are of. */
export function keyColour(
  out: usize, src: usize, picks: usize, count: i32, reach: f32, soft: f32, weight: f32, cones: usize, width: i32, y0: i32, y1: i32,
): void {
  const lr = load<f32>(cones), lg = load<f32>(cones, 4), lb = load<f32>(cones, 8)
  const mr = load<f32>(cones, 12), mg = load<f32>(cones, 16), mb = load<f32>(cones, 20)
  const sr = load<f32>(cones, 24), sg = load<f32>(cones, 28), sb = load<f32>(cones, 32)
  const slope: f32 = soft > 0 ? 1.0 / soft : 1e9
  const end: usize = (y1 * width) as usize
  for (let i: usize = (y0 * width) as usize; i < end; i++) {
    const p = src + (i << 4)
    const alpha = load<f32>(p, 12)
    let key: f32 = 0
    if (alpha > leastCover) {
      const back: f32 = 1.0 / alpha
      const r = load<f32>(p) * back
      const g = load<f32>(p, 4) * back
      const b = load<f32>(p, 8) * back
      const l = cubeRoot(lr * r + lg * g + lb * b)
      const m = cubeRoot(mr * r + mg * g + mb * b)
      const s = cubeRoot(sr * r + sg * g + sb * b)
      const okL = (0.2104542553 as f32) * l + (0.793617785 as f32) * m - (0.0040720468 as f32) * s
      const okA = (1.9779984951 as f32) * l - (2.428592205 as f32) * m + (0.4505937099 as f32) * s
      const okB = (0.0259040371 as f32) * l + (0.7827717662 as f32) * m - (0.808675766 as f32) * s
      let wanted: f32 = 0
      let unwanted: f32 = 0
      for (let k = 0; k < count; k++) {
        const at = picks + ((k as usize) << 4)
        const dl = (okL - load<f32>(at)) * weight
        const da = okA - load<f32>(at, 4)
        const db = okB - load<f32>(at, 8)
        const near = min<f32>(1, max<f32>(0, (1.0 as f32) - (sqrt<f32>(dl * dl + da * da + db * db) - reach) * slope))
        if (load<f32>(at, 12) > 0) wanted = max<f32>(wanted, near)
        else unwanted = max<f32>(unwanted, near)
      }
      key = wanted * ((1.0 as f32) - unwanted) * min<f32>(1, alpha)
    }
    store<f32>(out + (i << 2), key)
  }
}
