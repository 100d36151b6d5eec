// Decodes for another process: a file that is made to break its decoder breaks this process alone.
import { makeForm, makeObjects, makeRows, takeStored } from './decode-file.ts'
import type { DecodeJob, DecodeReply } from './decode-job.ts'
import { noteWhole } from './store.ts'

async function work(job: DecodeJob): Promise<unknown> {
  if (job.isWhole) noteWhole(job.hash)
  switch (job.type) {
    case 'take':
      return takeStored(job.hash, job.options)
    case 'form':
      return makeForm(job.hash, job.form)
    case 'rows':
      return makeRows(job.hash, job.form, job.rows, job.columns)
    case 'objects':
      return makeObjects(job.hash, job.pass)
  }
}

// It ends with the process that it decodes for: a signal to all of them must not break off a good file's reading.
for (const signal of ['SIGINT', 'SIGTERM', 'SIGHUP'] as const) process.on(signal, () => undefined)
process.on('disconnect', () => process.exit(0))
const say = (reply: DecodeReply) => {
  process.send?.(reply)
}
/** A package that fails outside its own promise: the file is told, and the process, in an unknown state, is given up. */
const broken = () => {
  process.send?.(
    { problem: 'It is broken in a way that its decoder does not know', isFull: false } satisfies DecodeReply,
    () => process.exit(0),
  )
}
process.on('uncaughtException', broken)
process.on('unhandledRejection', broken)
process.on('message', (job: DecodeJob) => {
  work(job).then(
    (result) => {
      say({ result })
    },
    (error: unknown) => {
      const isFull = error instanceof Error && 'code' in error && error.code === 'ENOSPC'
      say({ problem: error instanceof Error ? error.message : String(error), isFull })
    },
  )
})
