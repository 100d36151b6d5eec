import { addLane, addStep, editLane, emptyComp, setDial } from '../src/core/comp/edits.ts'
import type { Comp } from '../src/core/comp/schema.ts'

/** Media of the demo shot: the id that its comp uses, and the file name before the frame number. */
export const demoMedia = {
  cave: 'grotto',
  line: 'seahorse_line',
  paint: 'seahorse_paint',
  shadow: 'seahorse_shadow',
  plume: 'plume',
} as const

/** The comp that the demo shot opens with: cave over open water, the drawn seahorse in front. */
export function demoComp(width: number, height: number, demoFrames: number): Comp {
  const beauty = (media: keyof typeof demoMedia) => ({ type: 'pass', media, pass: 'beauty' }) as const
  let comp: Comp = { ...emptyComp(width, height), frames: { first: 1, last: demoFrames, rate: 24 } }
  comp = addLane(comp, 'Open water', { type: 'colour', colour: [0.006, 0.046, 0.085], alpha: 1 })
  comp = addLane(comp, 'Cave', beauty('cave'))
  comp = addLane(comp, 'Seahorse paint', beauty('paint'))
  comp = addLane(comp, 'Seahorse line', beauty('line'))
  comp = addLane(comp, 'Plume shape', beauty('plume'))
  const [, cave, paint, , plume] = comp.lanes.map((lane) => lane.id) as [
    string,
    string,
    string,
    string,
    string,
  ]
  const [lifted, lift] = addStep(comp, cave, 0, 'exposure')
  comp = setDial(lifted, lift, 'stops', 0.4)
  // The paint stands in the light of the cave, not on paper.
  const [cooled, cool] = addStep(comp, paint, 0, 'channel-gains')
  comp = setDial(setDial(setDial(cooled, cool, 'red', 0.62), cool, 'green', 0.8), cool, 'value', 0.9)
  // The drawn plume waits for a glow of its own.
  return editLane(comp, plume, (lane) => {
    lane.muted = true
    lane.join.mode = 'plus'
    lane.join.opacity = 0.4
  })
}
