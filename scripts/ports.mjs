// Ports of this machine.
import { createServer } from 'node:net'
import { Refusal } from './prepare.mjs'

/** Whether something listens on, or could not be given, a port of this machine. */
export function isPortFree(port, host = '127.0.0.1') {
  return new Promise((done) => {
    const server = createServer()
    server.once('error', () => done(false))
    server.listen(port, host, () => server.close(() => done(true)))
  })
}

export async function freePort(from, host) {
  for (let port = from; port < from + 200; port++) if (await isPortFree(port, host)) return port
  throw new Refusal(`No free port between ${from} and ${from + 199}.`)
}
