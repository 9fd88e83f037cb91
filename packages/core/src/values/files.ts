import { defined } from '../invariant.js'
import { decodeBase64, decodeUtf8 } from './web.js'

/** A document or picture as a value: its text where it has one, its bytes, or both (a PDF with the text taken out of it). */
export interface FileValue {
  readonly name: string
  readonly mediaType: string
  readonly text?: string | undefined
  readonly bytes?: Uint8Array | undefined
}

const TEXT_MEDIA = /^(?:text\/|application\/(?:json|xml|yaml|toml|x-ndjson|[\w.-]+\+(?:json|xml|yaml))$)/

/** Whether documents of a media type are text to read as they stand. */
export function isTextMedia(mediaType: string): boolean {
  return TEXT_MEDIA.test(bareMedia(mediaType))
}

/** Whether a media type is one of those allowed; `image/*` allows all pictures. */
export function mediaFits(mediaType: string, allowed: readonly string[]): boolean {
  const bare = bareMedia(mediaType)
  return allowed.some((text) => text === bare || (text.endsWith('/*') && bare.startsWith(text.slice(0, -1))))
}

/** Without parameters such as a charset. */
function bareMedia(mediaType: string): string {
  return defined(mediaType.split(';')[0]).trim().toLowerCase()
}

const DATA_URI = /^data:([^;,]*)((?:;[^;,]*)*),([^]*)$/

/**
 * Reads a `data:` URI (RFC 2397) as a file.
 *
 * @param uri - The URI.
 * @returns The file, or undefined if the URI is invalid.
 * @example
 * readDataUri('data:text/plain,Sand%20and%20salt').text // => 'Sand and salt'
 */
export function readDataUri(uri: string): FileValue | undefined {
  const [, media = '', parameters = '', data = ''] = DATA_URI.exec(uri) ?? []
  if (!uri.startsWith('data:') || !uri.includes(',')) return undefined
  const mediaType = media === '' ? 'text/plain' : media
  const bytes = /;base64$/i.test(parameters) ? decodeBase64(data) : percentBytes(data)
  if (!bytes) return undefined
  const text = isTextMedia(mediaType) ? decodeUtf8(bytes) : undefined
  return { name: /;name=([^;]*)/i.exec(parameters)?.[1] ?? 'data', mediaType, bytes, ...(text !== undefined && { text }) }
}

function percentBytes(data: string): Uint8Array | undefined {
  const bytes: number[] = []
  for (let i = 0; i < data.length; i++) {
    const code = data.charCodeAt(i)
    if (code > 127) return undefined
    if (data[i] !== '%') bytes.push(code)
    else {
      const hex = data.slice(i + 1, i + 3)
      if (!/^[\da-f]{2}$/i.test(hex)) return undefined
      bytes.push(parseInt(hex, 16))
      i += 2
    }
  }
  return Uint8Array.from(bytes)
}
