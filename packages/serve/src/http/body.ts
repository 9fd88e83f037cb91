import { ServiceFault } from '../faults/fault.js'

/**
 * The text of a body, at most this many bytes, compressed or not.
 *
 * @throws ServiceFault if it is larger, no UTF-8, or compressed in an unknown way.
 */
export async function bodyText(request: Request, most: number): Promise<string> {
  const { body, headers } = request
  const tooLarge = () => new ServiceFault('body-too-large', `the body may have ${most} bytes`)
  if (Number(headers.get('content-length') ?? 0) > most) throw tooLarge()
  if (!body) return ''
  const chunks: Uint8Array[] = []
  let size = 0
  const reader = decompressed(body, headers.get('content-encoding')).getReader()
  try {
    for (let part = await reader.read(); !part.done; part = await reader.read()) {
      size += part.value.length
      if (size > most) throw tooLarge()
      chunks.push(part.value)
    }
    return new TextDecoder('utf-8', { fatal: true }).decode(chunks.length === 1 ? chunks[0] : Buffer.concat(chunks))
  } catch (fault) {
    await reader.cancel().catch(() => undefined)
    if (fault instanceof ServiceFault) throw fault
    throw new ServiceFault('request-invalid', 'the body cannot be read: it must be UTF-8, and compressed as its header says', {
      cause: fault,
    })
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
