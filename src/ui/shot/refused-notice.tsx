'use client'

import { Download } from 'lucide-react'
import { useShot, useShotContext } from './shot-context.tsx'

/** Says that the server will not take what is here, why, and how it can be kept all the same. */
export function RefusedNotice({ shotName }: { shotName: string }) {
  const { store, saveNow } = useShotContext()
  const saving = useShot((s) => s.saving)
  if (saving.type !== 'refused') return null
  const { message, problems } = saving
  const download = () => {
    const text = JSON.stringify(store.getState().comp, undefined, 2)
    const url = URL.createObjectURL(new Blob([text], { type: 'application/json' }))
    const link = document.createElement('a')
    link.href = url
    link.download = `${shotName}.comp.json`
    link.click()
    setTimeout(() => {
      URL.revokeObjectURL(url)
    }, 10_000)
  }
  return (
    <div role="alert" className="flex items-center gap-3 bg-error/15 px-4 py-1.5 text-xs">
      <div className="min-w-0 flex-1">
        <p>
          Not saved: {message}. Everything is still here; undo or change what is named, and it is saved by
          itself.
        </p>
        {problems.length > 1 && (
          <ul className="max-h-16 overflow-y-auto text-base-content/70">
            {problems.slice(0, 20).map((problem) => (
              <li key={problem} className="truncate font-mono">
                {problem}
              </li>
            ))}
          </ul>
        )}
      </div>
      <button type="button" className="btn btn-xs" onClick={download}>
        <Download size={13} aria-hidden /> Keep as a file
      </button>
      <button type="button" className="btn btn-ghost btn-xs" onClick={() => void saveNow()}>
        Try again
      </button>
    </div>
  )
}
