import { workerData } from 'node:worker_threads'
import { serveAsHand } from '../../core/kernels/crew.ts'

const { memory, control } = workerData as { memory: WebAssembly.Memory; control: SharedArrayBuffer }
serveAsHand(memory, control)
