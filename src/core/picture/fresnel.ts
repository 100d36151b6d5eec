/** Share of light that a smooth surface reflects straight on. Source: Fresnel's equations at normal incidence; Schlick 1994. */
export function reflectanceAtNormal(index: number): number {
  return ((index - 1) / (index + 1)) ** 2
}

/**
 * Share of unpolarised light that the surface of a medium of refractive index `index` (≥ 1) reflects, from the cosine of the angle
 * to its normal (0–1). Source: Fresnel's equations, mean of both polarisations.
 */
export function fresnel(cosine: number, index: number): number {
  const c = Math.min(1, Math.max(0, cosine))
  const sine2 = (1 - c * c) / (index * index)
  if (sine2 >= 1) return 1
  const t = Math.sqrt(1 - sine2)
  const s = (c - index * t) / (c + index * t)
  const p = (t - index * c) / (t + index * c)
  return (s * s + p * p) / 2
}
