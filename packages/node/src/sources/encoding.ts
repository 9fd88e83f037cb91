import { isAscii } from 'node:buffer'
import { open, stat } from 'node:fs/promises'
import { ProblemError, type Problem } from 'dunelight'
import { problem } from 'dunelight/host'
import { beginningOf, Encoding } from '@dunelight/tables'
import type { TableFile } from './open-table.js'

/** How much of a file is looked at for a first character beyond ASCII, and how much from there decides its encoding. */
const [LOOKED_AT, SAMPLE] = [1 << 20, 1 << 16]
/** With fewer bytes beyond ASCII, or a smaller certainty of 100, nothing is concluded. */
const [LEAST_BYTES, LEAST_CERTAINTY] = [8, 20]
/** Encodings of the same script: they differ in a few letters. */
const LATIN = /^(?:iso-8859-(?:1|2|3|4|9|10|13|14|15|16)|windows-125(?:0|2|4|7))$/i
/** What @dunelight/tables reads by itself. */
const PLAIN = /^(?:utf-?8|ascii|us-ascii|windows-1252|iso-8859-1|latin-?1)$/i

/**
 * The encoding of a text file that is neither UTF-8 nor UTF-16 with a mark nor Windows-1252: the one that it is said to have, else one that
 * is detected.
 *
 * @throws ProblemError if the encoding is unknown.
 */
export async function otherEncoding({ from, encoding }: TableFile, notice?: (problem: Problem) => void): Promise<string | undefined> {
  if (encoding !== undefined) return PLAIN.test(encoding) && !/1252|8859|latin/i.test(encoding) ? undefined : knownEncoding(encoding)
  const detected = from === '-' ? undefined : await detectedIn(from)
  if (detected !== undefined) notice?.(problem('encoding-guessed', { file: from, encoding: detected }))
  return detected
}

async function detectedIn(path: string): Promise<string | undefined> {
  // A named pipe is read once.
  if (!(await stat(path)).isFile()) return undefined
  const file = await open(path, 'r')
  try {
    const { buffer, bytesRead } = await file.read(Buffer.allocUnsafe(LOOKED_AT), 0, LOOKED_AT, 0)
    const bytes = buffer.subarray(0, bytesRead)
    // A zero byte is no text, or UTF-16: the reader tells them apart, and has the words for it.
    if (isAscii(bytes) || bytes.subarray(0, 512).includes(0) || beginningOf(bytes, path).encoding) return undefined
    const first = bytes.findIndex((byte) => byte >= 0x80)
    const sample = bytes.subarray(first, first + SAMPLE)
    if (new Encoding({ name: path }).of(sample) === 'utf-8') return undefined
    const { default: chardet } = await import('chardet')
    return sample.filter((byte) => byte >= 0x80).length < LEAST_BYTES ? undefined : clearest(chardet.analyse(sample))
  } finally {
    await file.close()
  }
}

/** The most likely encoding, if no other one is nearly as likely. Of Latin ones, Windows-1252 needs least to be likely. */
function clearest([best, ...others]: readonly { readonly name: string; readonly confidence: number }[]): string | undefined {
  if (!best || best.confidence < LEAST_CERTAINTY || PLAIN.test(best.name) || /^UTF/i.test(best.name)) return undefined
  const isLatin = LATIN.test(best.name)
  const rivals = isLatin ? others.filter(({ name }) => PLAIN.test(name)) : others
  return rivals.some(({ confidence }) => confidence >= (isLatin ? 0.7 : 1) * best.confidence) ? undefined : best.name
}

async function knownEncoding(name: string): Promise<string> {
  const { default: iconv } = await import('iconv-lite')
  if (!iconv.encodingExists(name)) throw new ProblemError([problem('encoding-unknown', { name })])
  return name
}

/**
 * The bytes of a table's file as the tables' reader takes them: those of another encoding as UTF-8.
 *
 * @throws ProblemError if the encoding is unknown.
 */
export async function readableBytes(
  file: TableFile,
  bytes: AsyncIterable<Uint8Array>,
  notice?: (problem: Problem) => void,
): Promise<AsyncIterable<Uint8Array>> {
  const encoding = await otherEncoding(file, notice)
  return encoding === undefined ? bytes : asUtf8(bytes, encoding)
}

/** Bytes of another encoding as UTF-8. */
async function* asUtf8(bytes: AsyncIterable<Uint8Array>, encoding: string): AsyncGenerator<Uint8Array> {
  const { default: iconv } = await import('iconv-lite')
  const decoder = iconv.getDecoder(encoding)
  for await (const chunk of bytes) {
    const text = decoder.write(Buffer.from(chunk))
    if (text !== '') yield Buffer.from(text)
  }
  const last = decoder.end()
  if (last !== undefined && last !== '') yield Buffer.from(last)
}
