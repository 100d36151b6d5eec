import * as v from 'valibot'
import { mattesOf, linksOf } from '../comp/references.ts'
import { masterId } from '../comp/edits.ts'
import type { MediaTable, Pass } from '../comp/media.ts'
import type { Comp, Step } from '../comp/schema.ts'
import type { Target } from '../engine/plan/plan-targets.ts'
import { plainWords } from '../plain-words.ts'
import { rulesOf } from '../passes/passes.ts'
import { effectOf } from '../recipes/effect-of.ts'

/** What goes into an EXR beside the finished picture, each as a layer of its own. */
export const exrLayers = v.object({
  /** The light that each step gives, alone. */
  lights: v.optional(v.boolean()),
  /** Each lane's own picture. */
  lanes: v.optional(v.boolean()),
  mattes: v.optional(v.boolean()),
  /** Data passes that the comp uses, as they came. */
  passes: v.optional(v.boolean()),
})
export type ExrLayers = v.InferOutput<typeof exrLayers>
export const layerKinds = [
  'lights',
  'lanes',
  'mattes',
  'passes',
] as const satisfies readonly (keyof ExrLayers)[]

/** A layer of a file: what is computed for it, and how it is called. */
export interface MadeLayer {
  /** Letters, digits and _; each once. */
  readonly name: string
  readonly target: Target
  /** Its numbers are not made smaller, and not rounded to half floats. */
  readonly isData: boolean
}

/** IDs of a pass, handed through to the bit under the names that they came by, which say what they mean. */
export interface HandedLayer {
  readonly media: string
  readonly pass: Pass
}

export type Layer = MadeLayer | HandedLayer

const slug = (text: string) => plainWords(text, '_', 'layer').slice(0, 60)

/** The layers that a comp has of the kinds that are wanted, in the order of the desk: 'light_bloom', 'lane_cave', 'matte_cave', 'pass_depth'. */
export function layersOf(comp: Comp, media: MediaTable, wanted: ExrLayers): Layer[] {
  const names = new Set<string>()
  const layer = (kind: string, text: string, target: Target, isData = false): MadeLayer => {
    const base = `${kind}_${slug(text)}`
    let name = base
    for (let n = 2; names.has(name); n++) name = `${base}_${n}`
    names.add(name)
    return { name, target, isData }
  }
  const title = (step: Step) => step.name ?? effectOf(step)?.title ?? step.effect
  const desk = comp.lanes.filter((l) => l.in === undefined || comp.lanes.some((b) => b.id === l.in))
  const lists = [...desk, { id: masterId, name: 'whole picture', steps: comp.master }]
  const found: Layer[] = []
  if (wanted.lights)
    for (const { steps } of lists)
      for (const step of steps)
        if (step.recipe ?? effectOf(step)?.kind === 'light')
          found.push(layer('light', title(step), { type: 'light', step: step.id }))
  if (wanted.lanes)
    for (const lane of desk) found.push(layer('lane', lane.name, { type: 'lane', lane: lane.id }))
  if (wanted.mattes)
    for (const { lane, step } of mattesOf(comp)) {
      const list = lists.find((l) => l.id === lane)
      const of = list?.steps.find((s) => s.id === step)
      if (list)
        found.push(
          layer('matte', of ? `${list.name} ${title(of)}` : list.name, {
            type: 'matte',
            lane,
            ...(step === undefined ? {} : { step }),
          }),
        )
    }
  if (wanted.passes) {
    const used = new Set(linksOf(comp).flatMap(({ link }) => (link.type === 'pass' ? [link.media] : [])))
    for (const [ref, { passes }] of Object.entries(media))
      if (used.has(ref))
        for (const pass of passes) {
          const { name, kind } = pass
          // Of two media with IDs of one name the first is handed on: names of channels are there once.
          const isNew = !found.some(
            (l) => 'media' in l && l.pass.channels.some((c) => pass.channels.includes(c)),
          )
          if (kind === 'ids') {
            if (isNew) found.push({ media: ref, pass })
          } else if (rulesOf(kind).isData && kind !== 'table')
            found.push(layer('pass', name, { type: 'pass', media: ref, pass: name }, true))
        }
  }
  return found
}
