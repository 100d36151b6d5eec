import { closeSync, fstatSync, openSync, readSync } from 'node:fs'

/** Bytes that are read at a time at the least: a page of memory, which what is not read does not take. */
const page = 4096

/** A file in memory of which only what was asked for is read; all else is 0. */
export interface SparseFile {
  readonly bytes: Uint8Array
  /** Reads what is not there yet, from one byte to before another. Throws where the file has become shorter. */
  need(from: number, to: number): void
  close(): void
}

/** Opens a file without reading it. Throws what the disk says. */
export function openSparse(path: string): SparseFile {
  const file = openSync(path, 'r')
  const bytes = new Uint8Array(fstatSync(file).size)
  const there = new Uint8Array(Math.ceil(bytes.length / page))
  const read = (from: number, to: number) => {
    for (let at = from; at < to;) {
      const count = readSync(file, bytes, at, Math.min(2 ** 28, to - at), at)
      if (count === 0)
        throw new Error('The file became shorter while it was read. Bring it in when it is complete.')
      at += count
    }
  }
  return {
    bytes,
    need(from, to) {
      const last = Math.min(there.length, Math.ceil(to / page))
      for (let at = Math.max(0, Math.floor(from / page)); at < last; at++) {
        if (there[at]) continue
        let end = at + 1
        while (end < last && !there[end]) end++
        read(at * page, Math.min(bytes.length, end * page))
        there.fill(1, at, end)
        at = end
      }
    },
    close() {
      closeSync(file)
    },
  }
}
