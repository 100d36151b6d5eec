// @ts-nocheck: AssemblyScript, checked by its own compiler

/** Numbers of a lamp: place (3), colour times power (3), what the distance counts as at least, size. */
const lampFloats = 8

/** See LampKernels.castLight. */
export function castLight(
  out: usize, position: usize, normal: usize, surface: usize, lamps: usize, count: i32, width: i32, y0: i32, y1: i32,
): void {
  const end = (y1 * width) as usize
  for (let i = (y0 * width) as usize; i < end; i++) {
    const at = i << 4
    const nx = load<f32>(normal + at), ny = load<f32>(normal + at, 4), nz = load<f32>(normal + at, 8)
    const length = sqrt<f32>(nx * nx + ny * ny + nz * nz)
    const px = load<f32>(position + at), py = load<f32>(position + at, 4), pz = load<f32>(position + at, 8)
    const isThere = length > 1e-6 && (px != 0 || py != 0 || pz != 0)
    let light = f32x4.splat(0)
    if (isThere) {
      for (let k = 0; k < count; k++) {
        const lamp = lamps + ((k * lampFloats) as usize) * 4
        const dx = load<f32>(lamp) - px, dy = load<f32>(lamp, 4) - py, dz = load<f32>(lamp, 8) - pz
        const d2 = dx * dx + dy * dy + dz * dz
        const d = sqrt<f32>(d2)
        const size = load<f32>(lamp, 28)
        const cosine: f32 = d > 0 ? (nx * dx + ny * dy + nz * dz) / (length * d) : 1
        // A large lamp is seen round the bend of a surface.
        const wrap: f32 = size > 0 ? size / (size + d) : 0
        const facing = max<f32>(0, (cosine + wrap) / (1 + wrap))
        const limit = load<f32>(lamp, 24)
        const fall = facing / max<f32>(d2, limit * limit)
        light = f32x4.add(light, f32x4.mul(v128.load(lamp, 12), f32x4.splat(fall)))
      }
      light = f32x4.mul(light, v128.load(surface + at))
    }
    v128.store(out + at, f32x4.replace_lane(light, 3, 0))
  }
}
