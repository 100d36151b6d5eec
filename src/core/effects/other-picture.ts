import { defineEffect } from './effect.ts'

export default defineEffect({
  id: 'other-picture',
  title: 'Another picture',
  family: 'finish',
  kind: 'filter',
  purpose: 'Shows another picture in place of this one: all over, in a matte, or part of the way.',
  search:
    'swap switch replace substitute instead exchange other dissolve crossfade fade between blend two versions lane',
  law: `RGBA′ = the fed picture, as it is. With an amount a and a matte m: RGBA + a · m · (RGBA′ − RGBA).`,
  belongs: {
    after: [],
    before: ['light', 'finish'],
    reason: 'What is shown instead is still to be lit and finished.',
  },
  feeds: {
    with: {
      kind: 'light',
      required: true,
      hint: 'The picture that is shown instead: a lane, a point of one, or a pass.',
    },
  },
  reach: () => 0,
  dials: {},
  instead: 'with',
  apply({ out, picture, feeds }) {
    out.data.set((feeds.with ?? picture).data)
  },
})
