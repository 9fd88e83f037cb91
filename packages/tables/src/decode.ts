import { problem, ProblemError, type Problem } from 'dunelight'

/** Bytes of a source, a chunk at a time: what Node's streams and the browser's are. */
export type Bytes = AsyncIterable<Uint8Array> | ReadableStream<Uint8Array>

/** A stretch of a source's text. Where `mend` is there, the text is UTF-8 with one sign a byte, and pieces cut of it are mended by it. */
export interface Stretch {
  readonly text: string
  /** Whether nothing in it is to be mended: it is all ASCII. */
  readonly plain: boolean
  readonly mend: ((piece: string) => string) | undefined
  readonly bytesRead: number
}

/** What a platform knows of bytes beside `TextDecoder`. With it a text stays bytes until somebody looks at a piece. */
export interface Narrow {
  isAscii(bytes: Uint8Array): boolean
  isUtf8(bytes: Uint8Array): boolean
  /** One sign for each byte. */
  text(bytes: Uint8Array): string
  /** The text that such signs stand for. */
  readonly mend: (piece: string) => string
}

export interface DecodeOptions {
  /** What the source is called, for faults. */
  readonly name: string
  readonly narrow?: Narrow
  readonly notice?: (found: Problem) => void
}

/**
 * Bytes as text, a stretch at a time: UTF-8, UTF-16 where a mark says so, else Windows-1252, which is said. What began as UTF-8 and breaks
 * off is refused: no other encoding would be right for all of it.
 *
 * @throws ProblemError where the bytes are no text.
 */
export async function* decoded(source: Bytes, options: DecodeOptions): AsyncGenerator<Stretch> {
  const decoder = new Decoder(options)
  let bytesRead = 0
  for await (const chunk of iterable(source)) {
    bytesRead += chunk.length
    const stretch = decoder.decode(chunk, bytesRead)
    if (stretch.text !== '') yield stretch
  }
  const last = decoder.end(bytesRead)
  if (last.text !== '') yield last
}

const FALLBACK = 'windows-1252'

class Decoder {
  private rest: Uint8Array = new Uint8Array(0)
  private begun = false
  /** Whether a character beyond ASCII has been read as UTF-8. */
  private proven = false
  /** Set where the source is in another encoding than UTF-8. */
  private other: TextDecoder | undefined
  private readonly strict = new TextDecoder('utf-8', { fatal: true, ignoreBOM: true })

  constructor(private readonly options: DecodeOptions) {}

  decode(chunk: Uint8Array, bytesRead: number): Stretch {
    let bytes = joined(this.rest, chunk)
    if (!this.begun) {
      this.rest = new Uint8Array(bytes)
      if (bytes.length < 3) return { text: '', plain: true, mend: undefined, bytesRead }
      bytes = this.begin(bytes)
    }
    if (this.other) {
      this.rest = NOTHING
      return { text: this.other.decode(bytes, { stream: true }), plain: false, mend: undefined, bytesRead }
    }
    const end = wholeCharacters(bytes)
    // A copy: the bytes are the caller's, who may read the next ones into them.
    this.rest = new Uint8Array(bytes.subarray(end))
    return this.stretch(bytes.subarray(0, end), bytesRead)
  }

  end(bytesRead: number): Stretch {
    const bytes = this.begun ? this.rest : this.begin(this.rest)
    if (this.other) return { text: this.other.decode(bytes), plain: false, mend: undefined, bytesRead }
    return this.stretch(bytes, bytesRead)
  }

  /** Reads the mark at the beginning, and takes it off. */
  private begin(bytes: Uint8Array): Uint8Array {
    this.begun = true
    this.rest = NOTHING
    const [one, two, three] = bytes
    if (one === 0xef && two === 0xbb && three === 0xbf) return bytes.subarray(3)
    const wide = one === 0xff && two === 0xfe ? 'utf-16le' : one === 0xfe && two === 0xff ? 'utf-16be' : undefined
    if (wide) this.other = new TextDecoder(wide)
    else if (bytes.subarray(0, 512).includes(0)) throw new ProblemError([problem('not-text', { file: this.options.name })])
    return bytes
  }

  private stretch(bytes: Uint8Array, bytesRead: number): Stretch {
    const { narrow } = this.options
    if (narrow?.isAscii(bytes)) return { text: narrow.text(bytes), plain: true, mend: narrow.mend, bytesRead }
    if (narrow?.isUtf8(bytes)) {
      this.proven = true
      return { text: narrow.text(bytes), plain: false, mend: narrow.mend, bytesRead }
    }
    try {
      const text = this.strict.decode(bytes)
      this.proven ||= text.length < bytes.length
      return { text, plain: false, mend: undefined, bytesRead }
    } catch {
      return this.inOther(bytes, bytesRead)
    }
  }

  private inOther(bytes: Uint8Array, bytesRead: number): Stretch {
    const { name, notice } = this.options
    if (this.proven) throw new ProblemError([problem('not-text', { file: name })])
    notice?.(problem('encoding-guessed', { file: name }))
    this.other = new TextDecoder(FALLBACK)
    const rest = this.rest
    this.rest = NOTHING
    return { text: this.other.decode(joined(bytes, rest), { stream: true }), plain: false, mend: undefined, bytesRead }
  }
}

const NOTHING = new Uint8Array(0)

function joined(one: Uint8Array, other: Uint8Array): Uint8Array {
  if (one.length === 0) return other
  if (other.length === 0) return one
  const both = new Uint8Array(one.length + other.length)
  both.set(one)
  both.set(other, one.length)
  return both
}

/** The length without the beginning of a character that goes on in the next chunk. */
export function wholeCharacters(bytes: Uint8Array): number {
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

/** The browser's streams are gone through by a reader: not all of them are iterable. */
async function* iterable(source: Bytes): AsyncGenerator<Uint8Array> {
  if (!('getReader' in source)) {
    yield* source
    return
  }
  const reader = source.getReader()
  try {
    for (;;) {
      const { done, value } = await reader.read()
      if (done) return
      yield value
    }
  } finally {
    await reader.cancel()
  }
}
