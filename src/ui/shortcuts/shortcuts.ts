/** A key, what it does, and where. Keys as react-hotkeys-hook reads them, several apart by a space; `mod` is Ctrl, on some machines Cmd. */
export interface Shortcut {
  readonly keys: string
  readonly does: string
  readonly group: 'Everywhere' | 'On the desk' | 'Picture' | 'Time'
  /** Also while something is typed. */
  readonly whileTyping?: true
  /** By the key's place on the keyboard, for keys that print nothing. */
  readonly byPlace?: true
}

/** Every shortcut of the shot screen: `useShortcut` takes its keys from here, and `?` shows them. */
export const shortcuts = {
  undo: { keys: 'mod+z', does: 'Undo', group: 'Everywhere', whileTyping: true },
  redo: { keys: 'mod+shift+z', does: 'Redo', group: 'Everywhere', whileTyping: true },
  sheet: { keys: 'shift+? ?', does: 'Show all keys', group: 'Everywhere' },
  nextView: { keys: 'v', does: 'The next view: desk, passes, timing, recipes, renders', group: 'Everywhere' },
  lastView: { keys: 'shift+v', does: 'The view before', group: 'Everywhere' },
  addStep: { keys: '/ shift+/', does: 'Add a step after what is selected', group: 'On the desk' },
  back: { keys: 'left', does: 'Select the step before', group: 'On the desk' },
  on: { keys: 'right', does: 'Select the step after', group: 'On the desk' },
  laneAbove: { keys: 'up', does: 'Select the lane in front', group: 'On the desk' },
  laneBelow: { keys: 'down', does: 'Select the lane behind', group: 'On the desk' },
  moveBack: { keys: 'alt+left', does: 'Move the step back along its lane', group: 'On the desk' },
  moveOn: { keys: 'alt+right', does: 'Move the step on along its lane', group: 'On the desk' },
  moveUp: { keys: 'alt+up', does: 'Move the step or lane to the front', group: 'On the desk' },
  moveDown: { keys: 'alt+down', does: 'Move the step or lane to the back', group: 'On the desk' },
  toggle: {
    keys: 'space',
    does: 'Switch the step off and on; mute the lane',
    group: 'On the desk',
    byPlace: true,
  },
  remove: { keys: 'delete backspace', does: 'Remove the step or lane', group: 'On the desk' },
  copy: { keys: 'mod+c', does: 'Copy the step, or all of the lane', group: 'On the desk' },
  cut: { keys: 'mod+x', does: 'Cut the step', group: 'On the desk' },
  paste: { keys: 'mod+v', does: 'Paste after what is selected', group: 'On the desk' },
  openStep: { keys: 'o', does: 'Open the step that is made of others', group: 'On the desk' },
  closeStep: { keys: 'shift+o', does: 'Back from the inside of a step', group: 'On the desk' },
  makeStep: { keys: 'g', does: 'Make one step of the step and its neighbours', group: 'On the desk' },
  dials: { keys: 'd', does: 'Into the dials of what is selected; Escape back', group: 'On the desk' },
  duplicate: { keys: 'mod+d', does: 'Duplicate the step or lane', group: 'On the desk' },
  bus: { keys: 'b', does: 'A bus of this lane and the one behind it', group: 'On the desk' },
  leaveBus: { keys: 'shift+b', does: 'Take the lane out of its bus', group: 'On the desk' },
  before: { keys: '\\', does: 'Hold: the picture before', group: 'Picture' },
  light: { keys: 'l', does: 'Light alone', group: 'Picture' },
  fit: { keys: 'f', does: 'Fit the picture into view', group: 'Picture' },
  fullSize: { keys: '1', does: 'One pixel as one pixel', group: 'Picture' },
  exact: {
    keys: 'x',
    does: 'The exact value, where a smaller picture is shown',
    group: 'Picture',
  },
  wipe: { keys: 'w', does: 'Wipe between two sides', group: 'Picture' },
  matte: { keys: 'm', does: 'Show the matte: over, grey, cut out', group: 'Picture' },
  scopes: { keys: 's', does: 'Scopes', group: 'Picture' },
  play: { keys: 'p', does: 'Play and stop', group: 'Time' },
  autoKey: { keys: 'k', does: 'Auto key: changes set keys', group: 'Time' },
  timing: { keys: 't', does: 'Timing, and back to the desk', group: 'Time' },
  playFrom: { keys: '[', does: 'Play from this frame on; twice: from the first', group: 'Time' },
  playTo: { keys: ']', does: 'Play to this frame; twice: to the last', group: 'Time' },
  frameBack: { keys: ',', does: 'One frame back', group: 'Time' },
  frameOn: { keys: '.', does: 'One frame on', group: 'Time' },
} as const satisfies Readonly<Record<string, Shortcut>>

export type ShortcutName = keyof typeof shortcuts

/** Keys that a drawing takes for itself while it is worked on, for the sheet. */
export const drawingKeys = [
  { keys: 'enter', does: 'Close the outline; twice on the ellipse or the box: one in the middle' },
  { keys: 'escape', does: 'Leave the outline, the points, the tool, the shape, the drawing' },
  { keys: 'delete', does: 'Remove the points or the shape' },
  { keys: 'left', does: 'Arrows nudge by a pixel, with Shift by ten' },
] as const

/** What the strips take from the keyboard, for the sheet of keys. */
export const stripKeys = [
  { keys: 'left', does: 'The key before; → the one after' },
  { keys: 'up', does: 'The strip above; ↓ the one below' },
  { keys: 'shift+left', does: 'Chosen keys a frame earlier; → later; with Alt a tenth' },
  { keys: 'shift+up', does: 'Chosen values up; ↓ down; with Alt a tenth as far' },
  { keys: 'alt+up', does: 'Bend the curve at the chosen keys up; ↓ down; ← → shorter, longer' },
  { keys: 'c', does: 'How the chosen keys go on: straight, curve, hold' },
  { keys: 'a', does: 'What rides on it: arrows from one to the next, Enter opens; Escape back' },
  { keys: 'n', does: 'A key here, or take it away' },
  { keys: 'enter', does: 'Type the value at this frame; Tab goes on to the next strip' },
  { keys: 'mod+a', does: 'Choose all keys of the strip' },
  { keys: 'r', does: 'Reverse the chosen keys' },
  { keys: 'delete', does: 'Remove the chosen keys' },
] as const

const printed: Readonly<Record<string, string>> = {
  mod: 'Ctrl',
  shift: 'Shift',
  alt: 'Alt',
  left: '←',
  right: '→',
  up: '↑',
  down: '↓',
  space: 'Space',
  delete: 'Delete',
  escape: 'Esc',
  enter: 'Enter',
}

/** Keys as they are printed on the keyboard: 'mod+shift+z' → Ctrl Shift Z. The first where there are several. */
export function printedKeys(keys: string): string[] {
  const [first = ''] = keys.split(' ')
  const shown = first === 'shift+?' ? '?' : first
  return shown.split('+').map((key) => printed[key] ?? key.toUpperCase())
}
