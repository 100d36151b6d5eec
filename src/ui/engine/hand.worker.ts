import { serveAsHand } from '../../core/kernels/crew.ts'

// From here on this thread waits for work and never returns to its event loop.
self.onmessage = ({ data }: MessageEvent<{ memory: WebAssembly.Memory; control: SharedArrayBuffer }>) => {
  serveAsHand(data.memory, data.control)
}
