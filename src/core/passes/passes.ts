import { passRules } from './index.gen.ts'
import type { PassDetail, PassFilter, PassRules } from './pass-kind.ts'

export type PassKind = (typeof passRules)[number]['kind']
export const passKinds = [
  ...passRules.map(({ kind }) => kind).filter((k) => k !== 'other'),
  'other',
] as unknown as [PassKind, ...PassKind[]]

const byKind = new Map<PassKind, PassRules<PassKind>>(passRules.map((rules) => [rules.kind, rules]))

/** The rules of a kind of pass. */
export function rulesOf(kind: PassKind): PassRules<PassKind> {
  return byKind.get(kind)!
}

/** The filter that suits what a pass holds: depth, positions, motion and IDs must not be averaged. */
export function passFilter({
  kind,
  detail,
}: {
  kind: PassKind
  detail?: PassDetail | undefined
}): PassFilter {
  return rulesOf(kind).filter(detail)
}
