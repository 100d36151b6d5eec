'use client'

import { RotateCcw } from 'lucide-react'

/** The way back to a default, there where it was left. */
export function ResetButton({
  label,
  isDefault,
  onReset,
}: {
  label: string
  isDefault: boolean
  onReset: () => void
}) {
  return (
    <button
      type="button"
      className={`text-base-content/50 hover:text-base-content ${isDefault ? 'invisible' : ''}`}
      aria-label={`Reset ${label}`}
      title="Back to the default"
      onClick={onReset}
    >
      <RotateCcw size={12} aria-hidden />
    </button>
  )
}
