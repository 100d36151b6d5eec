'use client'

import { cutName } from '../../core/comp/cut-name.ts'
import { FileDown, FileUp } from 'lucide-react'
import { useRef, useState } from 'react'
import { editStep } from '../../core/comp/edits.ts'
import { parseCdl, writeCdl, type ColourCorrection } from '../../core/formats/cdl.ts'
import { useShotContext } from '../shot/shot-context.tsx'
import { saveFile } from '../save-file.ts'

const channels = ['Red', 'Green', 'Blue'] as const
const parts = ['slope', 'offset', 'power'] as const

/** The dials of a CDL grade from a file and into one. */
export function DecisionFile({
  stepId,
  title,
  value,
}: {
  stepId: string
  title: string
  value: (key: string) => unknown
}) {
  const { store } = useShotContext()
  const input = useRef<HTMLInputElement>(null)
  const [failure, setFailure] = useState<string>()
  const [note, setNote] = useState<string>()
  const [found, setFound] = useState<readonly ColourCorrection[]>([])
  const take = (correction: ColourCorrection) => {
    store.getState().edit(cutName(`${title} from ${correction.id}`), (c) =>
      editStep(c, stepId, (step) => {
        for (const part of parts)
          for (const [i, channel] of channels.entries())
            step.dials[`${part}${channel}`] = correction[part][i]!
        step.dials['saturation'] = correction.saturation
      }),
    )
    setNote(
      correction.missing.length > 0
        ? `${correction.id} has no ${correction.missing.join(', no ')}: that does nothing.`
        : undefined,
    )
  }
  const load = async (file: File) => {
    setFailure(undefined)
    setNote(undefined)
    setFound([])
    try {
      const corrections = parseCdl(await file.text())
      if (corrections.length === 1) take(corrections[0]!)
      else setFound(corrections)
    } catch (error) {
      setFailure(`${file.name}: ${error instanceof Error ? error.message : String(error)}`)
    }
  }
  const save = (as: 'cdl' | 'ccc') => {
    const three = (part: string) =>
      channels.map((channel) => value(`${part}${channel}`) as number) as [number, number, number]
    const text = writeCdl(
      {
        id: title,
        slope: three('slope'),
        offset: three('offset'),
        power: three('power'),
        saturation: value('saturation') as number,
      },
      as,
    )
    saveFile(`${title}.${as}`, text, 'application/xml')
  }
  return (
    <div className="shrink-0 space-y-1">
      <div className="flex flex-wrap gap-1">
        <input
          ref={input}
          type="file"
          accept=".cdl,.ccc,.cc,.xml"
          aria-label="Decision list file"
          className="hidden"
          onChange={(e) => {
            const file = e.target.files?.[0]
            if (file) void load(file)
            e.target.value = ''
          }}
        />
        <button
          type="button"
          className="btn btn-xs"
          title="Sets these dials from a .cdl, .ccc or .cc file"
          onClick={() => input.current?.click()}
        >
          <FileUp size={12} aria-hidden /> Load a list
        </button>
        {(['ccc', 'cdl'] as const).map((as) => (
          <button
            key={as}
            type="button"
            className="btn btn-ghost btn-xs"
            title={as === 'ccc' ? 'As a collection of corrections' : 'As a decision list'}
            onClick={() => {
              save(as)
            }}
          >
            <FileDown size={12} aria-hidden /> .{as}
          </button>
        ))}
      </div>
      {found.length > 0 && (
        <select
          aria-label="Correction of the file"
          className="select select-xs w-full"
          defaultValue=""
          onChange={(e) => {
            const correction = found[Number(e.target.value)]
            if (correction) take(correction)
          }}
        >
          <option value="" disabled>
            {found.length} corrections: choose one
          </option>
          {found.map((one, i) => (
            <option key={i} value={i}>
              {one.id}
            </option>
          ))}
        </select>
      )}
      {note && <p className="text-xs text-base-content/70">{note}</p>}
      {failure && (
        <p role="alert" className="rounded bg-error/15 px-2 py-1 text-xs text-error">
          {failure}
        </p>
      )}
    </div>
  )
}
