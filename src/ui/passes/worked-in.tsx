'use client'

import { workingNames, workingWords, type WorkingName } from '../../core/colour/working.ts'
import { changeSpace } from '../../core/comp/change-space.ts'
import { useShot, useShotContext } from '../shot/shot-context.tsx'

/** The space that the shot is worked in: what comes in is brought into it, and colours that were set keep their look. */
export function WorkedIn() {
  const { store } = useShotContext()
  const space = useShot((s) => s.comp.space ?? 'rec709')
  return (
    <label
      className="flex items-center gap-1.5"
      title="Colour passes are brought into it as their files say; effects, mattes and luminance work in it. Colours that were set keep their look when it is changed; curves and amounts stay as they are."
    >
      <span className="text-base-content/60">worked in</span>
      <select
        aria-label="Working space"
        className={`rounded bg-base-300 px-1.5 py-0.5 ${space === 'rec709' ? '' : 'text-accent'}`}
        value={space}
        onChange={(e) => {
          const to = e.target.value as WorkingName
          store.getState().edit(`Work in ${workingWords[to]}`, (comp) => changeSpace(comp, to))
        }}
      >
        {workingNames.map((name) => (
          <option key={name} value={name}>
            {workingWords[name]}
          </option>
        ))}
      </select>
    </label>
  )
}
