import { FormatError } from './format-error.ts'

const utf8 = new TextDecoder()

/** Reads little-endian values in order; a read past the end throws a FormatError that names the place. */
export class ByteReader {
  private readonly view: DataView
  constructor(
    readonly bytes: Uint8Array,
    private readonly format: string,
    public at = 0,
  ) {
    this.view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)
  }

  fail(detail: string, at = this.at): never {
    throw new FormatError(this.format, at, detail)
  }

  private advance(count: number, what: string): number {
    const start = this.at
    if (count < 0 || start + count > this.bytes.length || start < 0)
      this.fail(`it ends inside ${what}`, start)
    this.at = start + count
    return start
  }

  u8(what: string): number {
    return this.view.getUint8(this.advance(1, what))
  }
  i32(what: string): number {
    return this.view.getInt32(this.advance(4, what), true)
  }
  u32(what: string): number {
    return this.view.getUint32(this.advance(4, what), true)
  }
  /** A 64-bit count as a number; −1 where it is beyond what a number holds exactly. */
  u64(what: string): number {
    const value = this.view.getBigUint64(this.advance(8, what), true)
    return value > BigInt(Number.MAX_SAFE_INTEGER) ? -1 : Number(value)
  }
  take(count: number, what: string): Uint8Array {
    const start = this.advance(count, what)
    return this.bytes.subarray(start, start + count)
  }
  /** Text up to a zero byte, of at most `most` bytes. */
  text(most: number, what: string): string {
    const start = this.at
    const end = this.bytes.indexOf(0, start)
    if (end < 0 || end - start > most) this.fail(`${what} does not end`, start)
    this.at = end + 1
    return utf8.decode(this.bytes.subarray(start, end))
  }
}
