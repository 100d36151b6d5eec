import { createHash } from 'node:crypto'
import { Transform } from 'node:stream'

/** A stream that lets all through and knows its SHA-256 when it has ended. */
export function hashing(): { readonly through: Transform; readonly digest: () => string } {
  const hash = createHash('sha256')
  const through = new Transform({
    transform(data: Buffer, _, done) {
      hash.update(data)
      done(undefined, data)
    },
  })
  return { through, digest: () => hash.digest('hex') }
}
