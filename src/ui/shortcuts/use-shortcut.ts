import { useHotkeys } from 'react-hotkeys-hook'
import { shortcuts, type Shortcut, type ShortcutName } from './shortcuts.ts'

/** Whether keys belong to a field or a dialog. */
export function isTyping(target: EventTarget | null): boolean {
  return (
    target instanceof HTMLElement &&
    (target.matches('input:not([type=range]), textarea, select') ||
      target.closest('dialog, [role=dialog]') !== null ||
      // Nothing in an open dialog has the keys: they are not for what lies under it.
      (target === document.body && document.querySelector('dialog:modal') !== null))
  )
}

/** Whether keys belong to the desk: nothing else has them. */
export function isOnDesk(target: EventTarget | null): boolean {
  return target instanceof HTMLElement && (target.closest('[data-desk]') !== null || target === document.body)
}

/** Runs something when its keys are pressed (and `released` when they are let go). What it does keeps the browser from its own, unless it gives back false. */
export function useShortcut(
  name: ShortcutName,
  run: (event: KeyboardEvent) => unknown,
  released?: () => void,
): void {
  const { keys, whileTyping, byPlace }: Shortcut = shortcuts[name]
  useHotkeys(
    keys,
    (event) => {
      if (event.type === 'keyup') released?.()
      else if (run(event) !== false) event.preventDefault()
    },
    {
      useKey: !byPlace,
      delimiter: ' ',
      enableOnFormTags: true,
      keydown: true,
      keyup: released !== undefined,
      ignoreEventWhen: (event) => !whileTyping && isTyping(event.target),
    },
  )
}
