import { byte, percentiles, place } from './draw.ts'
import { definePassKind } from './pass-kind.ts'

export default definePassKind({
  kind: 'position',
  use: 'Where surfaces stand in the scene: mist by height, mattes by place.',
  named: {
    rank: 5,
    by: [
      /positions?|^p$|^pos$|^wpp$|^world_?p(os|oint|oints)?$|^point_?world|^points?$|^p_?(world|cam|camera|ref)$|world_?coord/,
    ],
  },
  isData: true,
  isForMattes: true,
  detail: (name) => ({ space: /cam|view|eye/.test(name) ? 'camera' : 'world', unit: 'scene units' }),
  filter: () => 'pick',
  draw(picture) {
    const { data, channels } = picture
    const ranges = [0, 1, 2].map((c) => percentiles(picture, Math.min(c, channels - 1), (v) => v))
    const code = (i: number, c: number) => byte(place(data[i + c]!, ranges[c]![0], ranges[c]![1]))
    return (i) => [code(i, 0), code(i, 1), code(i, 2)]
  },
})
