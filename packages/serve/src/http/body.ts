import type { Context } from 'hono'
import { ServiceFault } from '../faults/fault.js'
import { headersOf } from './headers.js'

/**
 * The text of a body, at most this many bytes, compressed or not.
 *
 * @throws ServiceFault if it is larger, no UTF-8, or compressed in an unknown way.
 */
export async function bodyText(c: Context, most: number): Promise<string> {
  const headers = headersOf(c)
  const request = c.req.raw
  const tooLarge = () => new ServiceFault('body-too-large', `the body may have ${most} bytes`)
  const [length, encoding] = [headers.get('content-length'), headers.get('content-encoding')]
  if (Number(length ?? 0) > most) throw tooLarge()
  try {
    // A length that is known is kept by the parser of the protocol: such a body is read at once.
    const bytes = length === null || encoding !== null ? await limitedBytes(request, encoding, most) : await request.arrayBuffer()
    if (bytes.byteLength > most) throw tooLarge()
    return utf8.decode(bytes)
  } catch (fault) {
    if (fault instanceof ServiceFault) throw fault
    throw new ServiceFault('request-invalid', 'the body cannot be read: it must be UTF-8, and compressed as its header says', {
      cause: fault,
    })
  }
}

const utf8 = new TextDecoder('utf-8', { fatal: true })

/** The bytes of a body, as they come, until there are too many. */
async function limitedBytes({ body }: Request, encoding: string | null, most: number): Promise<Uint8Array> {
  if (!body) return new Uint8Array()
  const chunks: Uint8Array[] = []
  let size = 0
  const reader = decompressed(body, encoding).getReader()
  try {
    for (let part = await reader.read(); !part.done && size <= most; part = await reader.read()) {
      size += part.value.length
      chunks.push(part.value)
    }
    return Buffer.concat(chunks)
  } finally {
    await reader.cancel().catch(() => undefined)
  }
}

/** As the platform has it: its types differ between Node and browsers. */
interface Decompression {
  readonly readable: ReadableStream<Uint8Array>
  readonly writable: WritableStream<Uint8Array>
}

function decompressed(body: ReadableStream<Uint8Array>, encoding: string | null): ReadableStream<Uint8Array> {
  const name = (encoding ?? 'identity').trim().toLowerCase()
  if (name === 'identity') return body
  if (name === 'gzip' || name === 'deflate') return body.pipeThrough(new DecompressionStream(name) as unknown as Decompression)
  throw new ServiceFault('content-type', `a body cannot be compressed as "${name.slice(0, 30)}"; gzip and deflate are known`)
}
