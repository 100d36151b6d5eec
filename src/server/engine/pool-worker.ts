import { workerData } from 'node:worker_threads'
import { serveAsPoolWorker } from '../../core/kernels/thread-pool.ts'

const { memory, control } = workerData as { memory: WebAssembly.Memory; control: SharedArrayBuffer }
serveAsPoolWorker(memory, control)
