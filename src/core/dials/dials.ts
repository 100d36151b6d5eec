import { dialTypes, type Dial } from './index.gen.ts'
import type { Canvas, DialType, Reduced } from './dial-type.ts'

export * from './index.gen.ts'

/** What a dial may hold; choices by their exact names. */
export type ValueOf<D extends { readonly default: unknown }> = D['default'] extends number
  ? number
  : D['default'] extends boolean
    ? boolean
    : D['default']
export type Values<D extends Readonly<Record<string, Dial>>> = { readonly [K in keyof D]: ValueOf<D[K]> }
export type DialValue = number | string | boolean | readonly number[] | readonly (readonly number[])[]

type AnyType = DialType<Dial & { readonly default: DialValue }, DialValue>

/** The rules of a dial's type. The dial says which they are, so they take it and its values. */
function rulesOf(dial: Pick<Dial, 'type'>): AnyType {
  return dialTypes[dial.type]
}

/** Whether a dial counts while the others have their values. */
export function counts({ when }: Dial, valueOf: (dial: string) => unknown): boolean {
  return when === undefined || [when.is].flat().includes(String(valueOf(when.dial)))
}

/** 'lightAlpha' → 'Light alpha', unless the dial has a label of its own. */
export function dialLabel(key: string, dial: Pick<Dial, 'label'>): string {
  const words = key.replace(/([a-z])([A-Z])/g, '$1 $2').toLowerCase()
  return dial.label ?? words.charAt(0).toUpperCase() + words.slice(1)
}

/** What is wrong with a value for a dial, in words; undefined when it may be used. */
export function dialProblem(dial: Dial, value: unknown): string | undefined {
  const wanted = rulesOf(dial).wants(dial, value)
  return wanted && `wants ${wanted}, but holds ${value === undefined ? 'nothing' : JSON.stringify(value)}`
}

/** What a dial takes, for the reference. */
export function dialWords(dial: Dial): string {
  return rulesOf(dial).words?.(dial) ?? dial.type
}

/** The default of a dial on a canvas. */
export function defaultOn(dial: Dial, canvas: Canvas): DialValue {
  return rulesOf(dial).defaultOn?.(dial, canvas) ?? dial.default
}

/** A value of a dial for a smaller picture. */
export function scaledDial(dial: Dial, value: DialValue, size: Reduced): DialValue {
  return rulesOf(dial).scaled?.(dial, value, size) ?? value
}

/** The nearest value to one that a dial does not take; undefined where none is near. */
export function nearestFit(dial: Dial, value: unknown): DialValue | undefined {
  return rulesOf(dial).nearest?.(dial, value)
}

/** A value moved as far as from one to another; undefined where such values can not be moved. */
export function shiftedDial(
  dial: Dial,
  value: DialValue,
  from: DialValue,
  to: DialValue,
): DialValue | undefined {
  return rulesOf(dial).shifted?.(dial, value, from, to)
}
