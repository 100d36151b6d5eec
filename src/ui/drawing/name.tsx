'use client'

import { useState } from 'react'
import { cutName } from '../../core/comp/cut-name.ts'

/** A text that becomes a field on double-click. */
export function Name({ text, onName }: { text: string; onName: (name: string) => void }) {
  const [isNaming, setIsNaming] = useState(false)
  const finish = (value: string) => {
    setIsNaming(false)
    const name = cutName(value.trim())
    if (name && name !== text) onName(name)
  }
  if (!isNaming)
    return (
      <span
        title="Double-click to rename"
        onDoubleClick={() => {
          setIsNaming(true)
        }}
      >
        {text}
      </span>
    )
  return (
    <input
      autoFocus
      aria-label="Name"
      className="input input-xs w-full"
      defaultValue={text}
      onBlur={(e) => {
        finish(e.target.value)
      }}
      onKeyDown={(e) => {
        if (e.key === 'Enter') finish(e.currentTarget.value)
        if (e.key === 'Escape') setIsNaming(false)
      }}
    />
  )
}
