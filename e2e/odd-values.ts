import type * as v from 'valibot'
import { Random } from '../trials/random.ts'

// Values that fit a contract, and values that do not, made from the contract itself.

interface AnySchema {
  readonly type: string
  readonly wrapped?: AnySchema
  readonly entries?: Readonly<Record<string, AnySchema>>
  readonly item?: AnySchema
  readonly items?: readonly AnySchema[]
  readonly options?: readonly unknown[]
  readonly literal?: unknown
  readonly pipe?: readonly AnySchema[]
  readonly requirement?: unknown
}

/** What JSON can hold and nobody expects, as text. */
const oddTexts = [
  'null', '1e999', '-1e999', '-0', '9007199254740993', '2147483648', '-2147483649', '0.1', '""', '"\\u0000"', '"\\ud83d"', '"💡"', '[]', '{}',
  '[[[[[]]]]]', '{"__proto__":{"a":1}}', '{"constructor":1}', 'true', '"../../etc/passwd"', '"\' or 1=1 --"', `"${'x'.repeat(3000)}"`, '[1,2,3]',
] as const // prettier-ignore

/** JSON text of a value for a schema: mostly one that fits, here and there one that does not. */
export function someJson(schema: v.GenericSchema | undefined, random: Random, oddness = 0.15): string {
  return make(schema, random, oddness)
}

function make(schema: AnySchema | undefined, random: Random, oddness: number): string {
  if (!schema || random.next() < oddness) return random.pick(oddTexts)
  const inner = (s: AnySchema | undefined) => make(s, random, oddness)
  switch (schema.type) {
    case 'optional':
    case 'nullable':
      return inner(schema.wrapped)
    case 'object':
    case 'strict_object': {
      const parts = Object.entries(schema.entries ?? {}).flatMap(([key, entry]) =>
        entry.type === 'optional' && random.below(2) === 0 ? [] : [`${JSON.stringify(key)}:${inner(entry)}`],
      )
      return `{${parts.join(',')}}`
    }
    case 'array':
      return `[${Array.from({ length: random.below(4) }, () => inner(schema.item)).join(',')}]`
    case 'strict_tuple':
    case 'tuple':
      return `[${(schema.items ?? []).map(inner).join(',')}]`
    case 'union':
    case 'variant':
      return inner(random.pick(schema.options as readonly AnySchema[]))
    case 'picklist':
      return JSON.stringify(random.pick(schema.options ?? []))
    case 'literal':
      return JSON.stringify(schema.literal)
    case 'number':
      return String(random.pick([0, 1, 7, 48, -3, 1e9, 999_999_999]))
    case 'boolean':
      return String(random.below(2) === 1)
    case 'string':
      return JSON.stringify(random.pick(['m1', 'beauty', 'Grotto descent', '1', 'take.0001.exr', '2']))
    default:
      return random.pick(oddTexts)
  }
}

/** A query text for an object schema. */
export function someQuery(schema: v.GenericSchema | undefined, random: Random): string {
  const entries = Object.keys((schema as unknown as AnySchema | undefined)?.entries ?? {})
  const odd = [
    '',
    '1',
    '2',
    '-1',
    '1e99',
    '%00',
    '%F0%9F%92%A1',
    'a%25b',
    '..%2F..%2Fetc',
    'NaN',
    'm1',
    'beauty',
    'x'.repeat(5000),
  ]
  const parts = entries.flatMap((key) => (random.below(4) === 0 ? [] : [`${key}=${random.pick(odd)}`]))
  return parts.length > 0 ? `?${parts.join('&')}` : ''
}
