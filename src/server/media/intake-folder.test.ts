import { expect, test } from 'vitest'
import { groupFiles } from './intake-folder.ts'

test('files of a folder are told by their sequences, with what lacks; numbers alone by what the folder is called', () => {
  const names = [
    '0003.exr',
    '0001.exr',
    'quay.0007.depth.exr',
    'quay.0009.depth.exr',
    'quay_0012.png',
    'note.png',
  ]
  expect(groupFiles(names, 'plates')).toEqual([
    { name: 'note.png', files: ['note.png'], frames: '' },
    { name: 'plates', files: ['0001.exr', '0003.exr'], frames: 'frames 1 to 3, missing 2' },
    { name: 'quay_0012.png', files: ['quay_0012.png'], frames: '' },
    {
      name: 'quay.depth',
      files: ['quay.0007.depth.exr', 'quay.0009.depth.exr'],
      frames: 'frames 7 to 9, missing 8',
    },
  ])
  expect(groupFiles(['1.png', '2.png'])[0]).toMatchObject({ name: 'frames' })
})
