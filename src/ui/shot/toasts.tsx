'use client'

import { Toast } from '@base-ui/react/toast'
import { X } from 'lucide-react'
import { useEffect } from 'react'
import { useShot, useShotContext } from './shot-context.tsx'

/** What is said in passing lies over the picture, so that nothing under the pointer moves. It stays until it is dismissed: people are not always looking. */
export const toasts = Toast.createToastManager()

const refused = 'refused'

/** Says what was not done and why, until the next edit or until it is dismissed. */
function useRefusals(): void {
  const { store } = useShotContext()
  const refusal = useShot((s) => s.refusal)
  useEffect(() => {
    if (refusal === undefined) toasts.close(refused)
    else
      toasts.add({
        id: refused,
        type: 'warning',
        description: refusal,
        priority: 'high',
        timeout: 0,
        onClose: () => {
          store.getState().set({ refusal: undefined })
        },
      })
  }, [refusal, store])
}

function Toasts() {
  useRefusals()
  const { toasts: shown } = Toast.useToastManager()
  return (
    <Toast.Viewport className="pointer-events-none fixed top-24 left-[36%] z-40 flex w-[34rem] max-w-[60vw] -translate-x-1/2 flex-col gap-1.5">
      {shown.map((toast) => (
        <Toast.Root
          key={toast.id}
          toast={toast}
          swipeDirection="up"
          data-testid="toast"
          className={`pointer-events-auto rounded shadow-lg ${toast.type === 'warning' ? 'bg-warning text-warning-content' : 'bg-primary text-primary-content'}`}
        >
          <Toast.Content className="flex items-center gap-3 py-1.5 pr-1.5 pl-3">
            <Toast.Description className="min-w-0 flex-1" />
            <Toast.Close aria-label="Dismiss" className="btn btn-ghost btn-xs text-current">
              <X size={14} aria-hidden />
            </Toast.Close>
          </Toast.Content>
        </Toast.Root>
      ))}
    </Toast.Viewport>
  )
}

/** Where toasts come up; there is one on a screen. */
export function ToastCorner() {
  return (
    <Toast.Provider toastManager={toasts} limit={4}>
      <Toasts />
    </Toast.Provider>
  )
}
