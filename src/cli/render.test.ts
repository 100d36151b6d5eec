import { mkdirSync, mkdtempSync, rmSync, symlinkSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, expect, test, vi } from 'vitest'
import { emptyComp } from '../core/comp/edits.ts'
import { renderShotFile } from './render.ts'

const folder = mkdtempSync(join(tmpdir(), 'zafiro-outside-'))
const inside = join(folder, 'shot')
mkdirSync(inside)
writeFileSync(join(folder, 'secret.exr'), 'not a picture')
symlinkSync(join(folder, 'secret.exr'), join(inside, 'link.exr'))
afterAll(() => {
  rmSync(folder, { recursive: true })
})

const render = (file: string, mayLeave: boolean) => {
  const media = { m1: { name: 'cave', files: { 1: file } } }
  const path = join(inside, 'grotto.zafiro.json')
  writeFileSync(
    path,
    JSON.stringify({ format: 'zafiro-shot', version: 1, name: 'Grotto', comp: emptyComp(4, 3), media }),
  )
  const options = { frames: '1', out: join(folder, 'out'), format: 'exr', mayLeave }
  return renderShotFile(path, options, () => undefined)
}

test('frames may begin below 0', async () => {
  const { main } = await import('./main.ts')
  const said: string[] = []
  const write = vi.spyOn(process.stderr, 'write').mockImplementation((text) => said.push(String(text)) > 0)
  await main(['render', join(folder, 'absent.json'), '--frames', '-1-10', '--out', folder])
  write.mockRestore()
  process.exitCode = 0
  // It got as far as the file.
  expect(said.join('')).toMatch(/absent\.json/)
})

test.each(['../secret.exr', 'sub/../../secret.exr', '/etc/hostname', join(folder, 'secret.exr'), 'link.exr'])(
  'a shot file may come from anyone: %s is read only where that is allowed',
  async (file) => {
    await expect(render(file, false)).rejects.toThrow(/outside the folder of the shot file/)
    // Allowed, it is read, and found to be no picture.
    await expect(render(file, true)).rejects.toThrow(/unreadable|Not a readable|no such file/i)
  },
)
