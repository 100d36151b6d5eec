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
const numbers = v.pipe(v.array(finite), v.minLength(2), v.maxLength(4))
/** Lists of numbers, such as picked colours. */
const numberLists = v.pipe(v.array(numbers), v.maxLength(64, 'wants at most 64 parts'))
const constant = v.union([finite, v.string(), v.boolean(), numbers, numberLists])

export const ease = v.union([
  v.picklist(['hold', 'linear', 'smooth']),
  v.pipe(v.strictTuple([unit, finite, unit, finite]), v.readonly()),
])
const key = v.strictObject({ frame: finite, value: constant, ease: v.optional(ease) })
export const animated = v.strictObject({
  keys: v.pipe(
    v.array(key),
    v.minLength(1, 'wants at least one key'),
    v.check((keys) => isRising(keys), 'wants keys by rising frame'),
  ),
})
export const dial = v.union([constant, animated])
export const rgb = v.strictTuple([finite, finite, finite])
export const point = v.strictTuple([finite, finite])

/** Keys must lie by rising frame. */
export const isRising = (keys: readonly { readonly frame: number }[]): boolean =>
  keys.every((k, i) => i === 0 || keys[i - 1]!.frame < k.frame)
