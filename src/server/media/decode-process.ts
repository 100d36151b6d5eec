// Decodes for another process: a file that is made to break its decoder breaks this process alone.
import { makeForm, makeObjects, takeStored } from './decode-file.ts'
import type { DecodeJob, DecodeReply } from './decode-pool.ts'

async function work(job: DecodeJob): Promise<unknown> {
  switch (job.type) {
    case 'take':
      return takeStored(job.hash, job.options)
    case 'form':
      return makeForm(job.hash, job.form)
    case 'objects':
      return makeObjects(job.hash, job.pass)
  }
}

// It ends with the process that it decodes for: a signal to all of them must not break off a good file's reading.
for (const signal of ['SIGINT', 'SIGTERM', 'SIGHUP'] as const) process.on(signal, () => undefined)
process.on('disconnect', () => process.exit(0))
process.on('message', (job: DecodeJob) => {
  const say = (reply: DecodeReply) => {
    process.send?.(reply)
  }
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
