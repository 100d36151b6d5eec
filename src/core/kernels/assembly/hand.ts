// @ts-nocheck: AssemblyScript, checked by its own compiler
/** Which thread this is; each has rows of its own to work in. */
export let hand: i32 = 0

export function setHand(index: i32): void {
  hand = index
}
