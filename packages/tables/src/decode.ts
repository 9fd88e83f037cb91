import { ProblemError, type Problem } from 'dunelight'
import { problem, defined } from 'dunelight/host'

/** Bytes of a source, a chunk at a time: what Node's streams and the browser's are. */
export type Bytes = AsyncIterable<Uint8Array> | ReadableStream<Uint8Array>

/** A part of a source's text. With `decodePiece`, the text is UTF-8 with one character per byte, and `decodePiece` decodes pieces that are cut from it. */
export interface TextChunk {
  readonly text: string
  /** Whether it needs no decoding: it is all ASCII. */
  readonly plain: boolean
  readonly decodePiece: ((piece: string) => string) | undefined
  readonly bytesRead: number
}

/** What a platform offers for bytes beyond `TextDecoder`. With it a text stays bytes until a piece of it is read. */
export interface ByteText {
  isAscii(bytes: Uint8Array): boolean
  isUtf8(bytes: Uint8Array): boolean
  /** One character for each byte. */
  text(bytes: Uint8Array): string
  /** The text that such characters stand for. */
  readonly decodePiece: (piece: string) => string
}

export interface DecodeOptions {
  /** What the source is called, for faults. */
  readonly name: string
  readonly byteText?: ByteText
  readonly notice?: (problem: Problem) => void
}

/**
 * Bytes as text, a part at a time: UTF-8, UTF-16 if it has that byte order mark, else Windows-1252, with a notice. The first character beyond ASCII
 * decides, so that the same bytes are read in the same way however they are cut.
 *
 * @throws ProblemError if the bytes are no text, or begin as UTF-8 and go on as something else.
 */
export async function* decoded(source: Bytes, options: DecodeOptions): AsyncGenerator<TextChunk> {
  const decoder = new Decoder(options)
  let bytesRead = 0
  for await (const bytes of iterable(source)) {
    bytesRead += bytes.length
    const chunk = decoder.decode(bytes, bytesRead)
    if (chunk.text !== '') yield chunk
    if (decoder.problem) throw new ProblemError([decoder.problem])
  }
  const last = decoder.end(bytesRead)
  if (last.text !== '') yield last
  if (decoder.problem) throw new ProblemError([decoder.problem])
}

/** How the text of a source begins: the length of its byte order mark, and the encoding of that mark. */
export interface Beginning {
  readonly mark: number
  readonly encoding: 'utf-16le' | 'utf-16be' | undefined
}

/**
 * Inspects the first bytes of a source, three or more unless it is shorter.
 *
 * @throws ProblemError if they are no text.
 */
export function beginningOf(bytes: Uint8Array, name: string): Beginning {
  const [number, two, three] = bytes
  if (number === 0xef && two === 0xbb && three === 0xbf) return { mark: 3, encoding: undefined }
  if (number === 0xff && two === 0xfe) return { mark: 2, encoding: 'utf-16le' }
  if (number === 0xfe && two === 0xff) return { mark: 2, encoding: 'utf-16be' }
  if (bytes.subarray(0, LOOKED_AT).includes(0)) throw new ProblemError([problem('not-text', { file: name })])
  return { mark: 0, encoding: undefined }
}

/** The first bytes: a zero among them means that the source is not text. */
const LOOKED_AT = 512

/** The encoding of a source without a mark, once its first character beyond ASCII is known. */
export class Encoding {
  private encoding: 'utf-8' | 'windows-1252' | undefined
  private readonly strict = new TextDecoder('utf-8', { fatal: true, ignoreBOM: true })

  constructor(private readonly options: DecodeOptions) {}

  /** @param bytes The next bytes: whole characters, if they are UTF-8. */
  of(bytes: Uint8Array): 'ascii' | 'utf-8' | 'windows-1252' {
    if (this.encoding) return this.encoding
    if (this.options.byteText?.isAscii(bytes)) return 'ascii'
    const first = bytes.findIndex((byte) => byte >= 0x80)
    if (first < 0) return 'ascii'
    this.encoding = this.isCharacter(bytes.subarray(first, first + lengthOf(bytes[first] ?? 0))) ? 'utf-8' : 'windows-1252'
    if (this.encoding === 'windows-1252')
      this.options.notice?.(problem('encoding-guessed', { file: this.options.name, encoding: 'Windows-1252' }))
    return this.encoding
  }

  /** How many of the bytes are UTF-8. */
  validLength(bytes: Uint8Array): number {
    if (this.options.byteText?.isUtf8(bytes)) return bytes.length
    let position = 0
    while (position < bytes.length) {
      const first = bytes[position] ?? 0
      const length = first < 0x80 ? 1 : lengthOf(first)
      if (first >= 0x80 && !this.isCharacter(bytes.subarray(position, position + length))) return position
      position += length
    }
    return bytes.length
  }

  private isCharacter(bytes: Uint8Array): boolean {
    try {
      return this.strict.decode(bytes) !== ''
    } catch {
      return false
    }
  }
}

class Decoder {
  private rest: Uint8Array = new Uint8Array(0)
  private begun = false
  /** Set if the source is in another encoding than UTF-8. */
  private other: TextDecoder | undefined
  /** What began as UTF-8 goes on as something else. */
  problem: Problem | undefined
  private readonly encoding: Encoding
  private readonly utf8 = new TextDecoder('utf-8', { ignoreBOM: true })

  constructor(private readonly options: DecodeOptions) {
    this.encoding = new Encoding(options)
  }

  decode(chunk: Uint8Array, bytesRead: number): TextChunk {
    let bytes = joined(this.rest, chunk)
    if (!this.begun) {
      this.rest = new Uint8Array(bytes)
      if (bytes.length < LOOKED_AT) return { text: '', plain: true, decodePiece: undefined, bytesRead }
      bytes = this.begin(bytes)
    }
    this.rest = NOTHING
    if (this.other) return this.inOther(this.other, bytes, true, bytesRead)
    const end = wholeCharacters(bytes)
    // A copy: the bytes are the caller's, who may read the next ones into them.
    this.rest = new Uint8Array(bytes.subarray(end))
    return this.chunk(bytes.subarray(0, end), bytesRead)
  }

  end(bytesRead: number): TextChunk {
    const bytes = this.begun ? this.rest : this.begin(this.rest)
    this.rest = NOTHING
    return this.other ? this.inOther(this.other, bytes, false, bytesRead) : this.chunk(bytes, bytesRead)
  }

  /** Reads the mark at the beginning, and takes it off. */
  private begin(bytes: Uint8Array): Uint8Array {
    this.begun = true
    const { mark, encoding } = beginningOf(bytes, this.options.name)
    if (encoding) this.other = new TextDecoder(encoding)
    return bytes.subarray(mark)
  }

  private chunk(bytes: Uint8Array, bytesRead: number): TextChunk {
    const { byteText } = this.options
    const encoding = this.encoding.of(bytes)
    if (encoding === 'windows-1252') {
      this.other = new TextDecoder(encoding)
      const { rest } = this
      this.rest = NOTHING
      return this.inOther(this.other, joined(bytes, rest), true, bytesRead)
    }
    const plain = encoding === 'ascii' || (byteText?.isAscii(bytes) ?? false)
    const valid = plain ? bytes : bytes.subarray(0, this.encoding.validLength(bytes))
    if (valid.length < bytes.length) this.problem = problem('not-text', { file: this.options.name })
    if (byteText) return { text: byteText.text(valid), plain, decodePiece: byteText.decodePiece, bytesRead }
    return { text: this.utf8.decode(valid), plain: false, decodePiece: undefined, bytesRead }
  }

  private inOther(decoder: TextDecoder, bytes: Uint8Array, stream: boolean, bytesRead: number): TextChunk {
    return { text: decoder.decode(bytes, { stream }), plain: false, decodePiece: undefined, bytesRead }
  }
}

const NOTHING = new Uint8Array(0)

function joined(bytes: Uint8Array, other: Uint8Array): Uint8Array {
  if (bytes.length === 0) return other
  if (other.length === 0) return bytes
  const both = new Uint8Array(bytes.length + other.length)
  both.set(bytes)
  both.set(other, bytes.length)
  return both
}

/** How many bytes a character of UTF-8 has, by its first. */
function lengthOf(first: number): number {
  return first >= 0xf0 ? 4 : first >= 0xe0 ? 3 : 2
}

/** The length without the beginning of a character that goes on in the next chunk. */
export function wholeCharacters(bytes: Uint8Array): number {
  for (let back = 1; back <= Math.min(3, bytes.length); back++) {
    const byte = defined(bytes[bytes.length - back])
    if (byte < 0x80) return bytes.length
    if (byte >= 0xc0) {
      return lengthOf(byte) > back ? bytes.length - back : bytes.length
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
