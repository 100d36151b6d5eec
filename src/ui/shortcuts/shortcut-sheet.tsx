'use client'

import { Dialog } from '@base-ui/react/dialog'
import { Keyboard } from 'lucide-react'
import { useState } from 'react'
import { drawingKeys, printedKeys, shortcuts, stripKeys, type Shortcut } from './shortcuts.ts'
import { useShortcut } from './use-shortcut.ts'

const all: readonly Shortcut[] = Object.values(shortcuts)
const groups = [
  ...(['On the desk', 'Everywhere', 'Picture', 'Time'] as const).map(
    (group) => [group, all.filter((one) => one.group === group)] as const,
  ),
  ['Drawing', drawingKeys] as const,
  ['Timing', stripKeys] as const,
]

/** All keys of the shot screen, on `?` or by its button. */
export function ShortcutSheet() {
  const [isOpen, setIsOpen] = useState(false)
  useShortcut('sheet', () => {
    setIsOpen(true)
  })
  return (
    <Dialog.Root open={isOpen} onOpenChange={setIsOpen}>
      <Dialog.Trigger className="btn btn-ghost btn-sm btn-square" aria-label="All keys" title="All keys (?)">
        <Keyboard size={16} aria-hidden />
      </Dialog.Trigger>
      <Dialog.Portal>
        <Dialog.Backdrop className="fixed inset-0 z-40 bg-black/60" />
        <Dialog.Popup className="fixed left-1/2 top-1/2 z-50 max-h-[88vh] w-[min(66rem,94vw)] -translate-x-1/2 -translate-y-1/2 overflow-y-auto rounded-lg border border-base-content/15 bg-base-100 p-5 text-sm outline-none">
          <div className="mb-3 flex items-center justify-between">
            <Dialog.Title className="text-base font-semibold">Keys</Dialog.Title>
            <Dialog.Close className="btn btn-sm">Close</Dialog.Close>
          </div>
          <div className="columns-2 gap-8 min-[1180px]:columns-3">
            {groups.map(([group, keysOf]) => (
              <section key={group} className="mb-4 break-inside-avoid">
                <h3 className="mb-1 text-xs text-base-content/60">{group}</h3>
                <dl className="grid grid-cols-[8.1rem_minmax(0,1fr)] items-center gap-y-1">
                  {keysOf.map(({ keys, does }) => (
                    <div key={does} className="contents">
                      <dt className="flex gap-1">
                        {printedKeys(keys).map((key) => (
                          <kbd key={key} className="kbd kbd-sm">
                            {key}
                          </kbd>
                        ))}
                      </dt>
                      <dd className="text-base-content/85">{does}</dd>
                    </div>
                  ))}
                </dl>
              </section>
            ))}
          </div>
        </Dialog.Popup>
      </Dialog.Portal>
    </Dialog.Root>
  )
}
