import { readFile, stat } from 'node:fs/promises'
import { isUtf8 } from 'node:buffer'
import { basename } from 'node:path'
import { ProblemError, type FileValue } from 'dunelight'
import { DEFAULT_LIMITS, problem, defined } from 'dunelight/host'
import { reason } from '../output/reason.js'

/** How a file is read as a value. */
export interface FileOptions {
  /** The largest size in bytes. Default: 20 MiB. */
  readonly limit?: number
}

/**
 * Reads a document or a picture as the value of a `file` variable. The media type follows from the file's ending.
 * A text file has `text`; a PDF has `bytes` and the `text` found in it.
 *
 * @param path - The file.
 * @param options - `limit`: the largest size in bytes. Default: 20 MB.
 * @returns The value.
 * @throws ProblemError if the file cannot be read or is too large.
 * @example
 * const guide = await readFileValue('demo/marram-house/data/handling-guide.md')
 * guide.mediaType // => 'text/markdown'
 */
export async function readFileValue(path: string, { limit = DEFAULT_LIMITS.attachmentBytes }: FileOptions = {}): Promise<FileValue> {
  const name = basename(path)
  const unreadable = (fault: unknown): never => {
    throw new ProblemError([problem('file-unreadable', { file: path, why: reason(fault) })])
  }
  const stats = await stat(path).catch(unreadable)
  if (!stats.isFile()) unreadable('it is a folder')
  if (stats.size > limit) throw new ProblemError([problem('attachment-over-limit', { name, size: stats.size, limit })])
  return fileValueOf(name, new Uint8Array(await readFile(path).catch(unreadable)))
}

/** The value of a file's bytes: its media type follows from the name. */
export async function fileValueOf(name: string, bytes: Uint8Array): Promise<FileValue> {
  // A package of the older module kind: bundled, it has its default alone.
  const { default: mime } = await import('mime-types')
  const mediaType = defined((mime.contentType(name) || 'application/octet-stream').split(';')[0])
  const text = mediaType === 'application/pdf' ? await textOfPdf(bytes) : isText(mediaType, bytes) ? decode(bytes) : undefined
  return { name, mediaType, bytes, ...(text !== undefined && text !== '' && { text }) }
}

/** Pictures are never text, whatever their bytes spell. */
function isText(mediaType: string, bytes: Uint8Array): boolean {
  return !/^(?:image(?!\/svg)|audio|video|font)\//.test(mediaType) && !bytes.includes(0) && isUtf8(bytes)
}

function decode(bytes: Uint8Array): string {
  return new TextDecoder().decode(bytes)
}

/** The text of a PDF's pages, an empty line between them; undefined if it has none, like a scan, or cannot be read. */
async function textOfPdf(bytes: Uint8Array): Promise<string | undefined> {
  // Loaded when it is first needed: it is larger than all the rest.
  const { extractText, getDocumentProxy } = await import('unpdf')
  try {
    // The reader takes its bytes away from their owner.
    const { text } = await extractText(await getDocumentProxy(bytes.slice(), { verbosity: 0 }), { mergePages: false })
    return text.join('\n\n').trim()
  } catch {
    return undefined
  }
}
