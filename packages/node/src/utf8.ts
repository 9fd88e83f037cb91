import { isUtf8 } from 'node:buffer'
import { problem, ProblemError } from 'dunelight'

/**
 * Decodes chunks of bytes as UTF-8 without cutting a character in two, and refuses what is no UTF-8: a table saved in another encoding would
 * otherwise be rendered with its accents lost.
 */
export class Utf8Chunks {
  private rest: Buffer = Buffer.alloc(0)
  private begun = false

  constructor(private readonly file: string) {}

  decode(chunk: Buffer): string {
    const bytes = this.rest.length > 0 ? Buffer.concat([this.rest, chunk]) : chunk
    const end = wholeCharacters(bytes)
    this.rest = end < bytes.length ? bytes.subarray(end) : Buffer.alloc(0)
    return this.text(bytes.subarray(0, end))
  }

  end(): string {
    return this.text(this.rest)
  }

  private text(bytes: Buffer): string {
    if (!isUtf8(bytes)) throw new ProblemError([problem('not-text', { file: this.file })])
    const text = bytes.toString('utf8')
    const marked = !this.begun && text.startsWith('\uFEFF')
    this.begun ||= text !== ''
    return marked ? text.slice(1) : text
  }
}

/** The length without the beginning of a character that goes on in the next chunk. */
function wholeCharacters(bytes: Buffer): number {
  for (let back = 1; back <= Math.min(3, bytes.length); back++) {
    const byte = bytes[bytes.length - back]!
    if (byte < 0x80) return bytes.length
    if (byte >= 0xc0) {
      const needed = byte >= 0xf0 ? 4 : byte >= 0xe0 ? 3 : 2
      return needed > back ? bytes.length - back : bytes.length
    }
  }
  return bytes.length
}
