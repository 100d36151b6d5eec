import { defineDialType, type DialBase } from './dial-type.ts'

export interface ChoiceDial<V extends string = string> extends DialBase {
  readonly type: 'choice'
  readonly default: V
  readonly options: Readonly<Record<V, string>>
}

export function choice<const O extends Readonly<Record<string, string>>>(
  spec: DialBase & { readonly options: O; readonly default: NoInfer<keyof O & string> },
): ChoiceDial<keyof O & string> {
  return { type: 'choice', ...spec }
}

export default defineDialType<string, ChoiceDial>({
  type: 'choice',
  wants: ({ options }, value) =>
    typeof value === 'string' && Object.hasOwn(options, value)
      ? undefined
      : `one of ${Object.keys(options).join(', ')}`,
  words: ({ options }) => Object.keys(options).join(', '),
})
