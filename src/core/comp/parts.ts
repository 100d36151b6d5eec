import * as v from 'valibot'

// Pieces that the schemas of a comp are made of.

export const id = v.pipe(
  v.string(),
  v.regex(/^[A-Za-z0-9_-]{1,40}$/, 'wants 1–40 letters, digits, - or _'),
  // Tables are looked up by id, and these names are found in every one.
  v.check((text) => !(text in Object.prototype), 'is a name that every table has already; choose another'),
)
/** JSON can write 1e999, which is read as infinity and can not be written again. */
export const finite = v.pipe(v.number(), v.finite('wants a finite number'))
export const name = v.pipe(
  v.string(),
  v.trim(),
  v.minLength(1, 'wants a name'),
  v.maxLength(120, 'wants at most 120 characters'),
)
export const whole = v.pipe(finite, v.integer('wants a whole number'))
export const unit = v.pipe(finite, v.minValue(0, 'wants 0 to 1'), v.maxValue(1, 'wants 0 to 1'))
export const ease = v.union([
  v.picklist(['hold', 'linear', 'smooth']),
  v.pipe(v.strictTuple([unit, finite, unit, finite]), v.readonly()),
])
export type Ease = v.InferOutput<typeof ease>
export const rgb = v.strictTuple([finite, finite, finite])
export const point = v.strictTuple([finite, finite])

/** Keys must lie by rising frame. */
export const isRising = (keys: readonly { readonly frame: number }[]): boolean =>
  keys.every((k, i) => i === 0 || keys[i - 1]!.frame < k.frame)
