// @ts-nocheck: AssemblyScript, checked by its own compiler
/** Which thread this is; each has rows of its own to work in. */
export let thread: i32 = 0

export function setThread(index: i32): void {
  thread = index
}
