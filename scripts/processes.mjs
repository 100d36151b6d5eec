// Processes of this installation, told apart from others that were given the same number since.
import { readFileSync } from 'node:fs'
import { setTimeout as sleep } from 'node:timers/promises'

const bootId = () => readFileSync('/proc/sys/kernel/random/boot_id', 'utf8').trim()

/** When a process was started, in ticks since boot, with the boot it counts from; undefined when it is gone. */
export function startMark(pid) {
  try {
    const stat = readFileSync(`/proc/${pid}/stat`, 'utf8')
    // The command's name, in parentheses, may hold anything; what follows it is split by spaces.
    const fields = stat.slice(stat.lastIndexOf(')') + 2).split(' ')
    // A zombie has ended already.
    return fields[0] === 'Z' ? undefined : `${bootId()}:${fields[19]}`
  } catch {
    return undefined
  }
}

/** A process as it is noted in state files. */
export const noteOf = (pid) => ({ pid, mark: startMark(pid) })
export const isNote = (note) => Number.isInteger(note?.pid) && note.pid > 1 && typeof note.mark === 'string'
/** Whether the very process that was noted still runs. */
export const isRunning = (note) => isNote(note) && startMark(note.pid) === note.mark

/** Ends a noted process and its group; by force when it does not listen. */
export async function endProcess(note, patienceMs = 5000) {
  const send = (signal) => {
    if (!isRunning(note)) return
    try {
      process.kill(-note.pid, signal)
    } catch {
      /* It leads no group, or is gone. */
      try {
        process.kill(note.pid, signal)
      } catch {
        /* It is gone. */
      }
    }
  }
  send('SIGTERM')
  for (let i = 0; i < patienceMs / 50 && isRunning(note); i++) await sleep(50)
  send('SIGKILL')
  for (let i = 0; i < 40 && isRunning(note); i++) await sleep(50)
}
