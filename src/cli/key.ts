import { readKeys, keysFile, makeKey, startLabel, withdrawKey } from '../server/web/keys.ts'
import { UsageError } from './usage-error.ts'

/** `zafiro key`: lists the keys of an installation that is open to a network, makes one, or withdraws one. */
export function runKey(
  args: readonly string[],
  { home, label, address }: { home: string; label?: string | undefined; address?: string | undefined },
  say: (line: string) => void,
): void {
  const file = keysFile(home)
  const [action = 'list', id] = args
  switch (action) {
    case 'list': {
      const keys = readKeys(file)
      if (keys.length === 0) say('There are no keys. A start with --host other than this machine makes one.')
      for (const key of keys)
        say(
          `${key.id}  made ${key.madeAt.slice(0, 16)}  ${key.usedAt ? `used ${key.usedAt.slice(0, 16)}` : 'never used'}  ${key.label}`,
        )
      return
    }
    case 'new': {
      const made = makeKey(file, label ?? 'made by hand')
      say(`${made.id}  ${made.key}`)
      return
    }
    case 'link':
      say(`${address ?? ''}/enter#${makeKey(file, startLabel).key}`)
      return
    case 'withdraw':
      if (id === undefined || !withdrawKey(file, id))
        throw new UsageError('usage', `there is no key ${id ?? ''}; zafiro key list shows them`)
      say(`${id} is withdrawn; who came in with it is asked for another.`)
      return
    default:
      throw new UsageError('usage', `key wants list, new [--label TEXT] or withdraw ID, but met ${action}`)
  }
}
