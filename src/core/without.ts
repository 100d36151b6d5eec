/** A copy without some of its fields. */
export function without<T extends object, K extends keyof T>(object: T, ...keys: readonly K[]): Omit<T, K> {
  return Object.fromEntries(
    Object.entries(object).filter(([key]) => !(keys as readonly unknown[]).includes(key)),
  ) as Omit<T, K>
}
