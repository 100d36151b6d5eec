import { byte } from './draw.ts'
import { definePassKind } from './pass-kind.ts'

export default definePassKind({
  kind: 'normal',
  use: 'Which way surfaces face: rims, reflections at grazing angles.',
  named: {
    rank: 4,
    by: [/normals?|^n$|^nn$|^nrm$|^norm$|(^|_)(cam|camera|world|shading|bump|geo|smooth|view)_?n(rm|orm)?$/],
  },
  isData: true,
  isForMattes: true,
  detail: (name, stats) => ({
    range: stats && stats.channels.slice(0, 3).every((c) => c.low >= 0) ? 'packed' : 'signed',
    space: /cam|view|eye|screen/.test(name) ? 'camera' : 'world',
  }),
  filter: (detail) => (detail?.range === 'packed' ? 'packed' : 'normal'),
  // Vectors from 0 … 1 to −1 … 1; black, where no surface was, is no direction.
  settle({ data, channels }, detail) {
    if (detail?.range !== 'packed' || channels !== 4) return 0
    for (let i = 0; i < data.length; i += 4) {
      if (data[i] === 0 && data[i + 1] === 0 && data[i + 2] === 0) continue
      for (let c = 0; c < 3; c++) data[i + c] = data[i + c]! * 2 - 1
    }
    return 0
  },
  draw: ({ data }) => {
    const code = (v: number) => byte(v * 0.5 + 0.5)
    return (i) => [code(data[i]!), code(data[i + 1]!), code(data[i + 2]!)]
  },
})
