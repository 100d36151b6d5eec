import { serveAsPoolWorker } from '../../core/kernels/thread-pool.ts'

// From here on this thread waits for work and never returns to its event loop.
self.onmessage = ({ data }: MessageEvent<{ memory: WebAssembly.Memory; control: SharedArrayBuffer }>) => {
  serveAsPoolWorker(data.memory, data.control)
}
