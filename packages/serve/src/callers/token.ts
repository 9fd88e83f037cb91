import { randomBytes, timingSafeEqual } from 'node:crypto'
import { sha256, textBytes } from '@dunelight/node/host'

/** `dl_`, the id of the caller, 32 random bytes. */
const TOKEN = /^dl_([a-z0-9]{8})_([A-Za-z0-9_-]{43})$/
const ID_CHARACTERS = 'abcdefghijkmnpqrstuvwxyz23456789'

/** A new id of a caller. */
export function newCallerId(): string {
  return [...randomBytes(8)].map((byte) => ID_CHARACTERS[byte % ID_CHARACTERS.length]).join('')
}

/** A new token of a caller, and the digest that is kept of it. */
export function newToken(id: string): { readonly token: string; readonly digest: string } {
  const token = `dl_${id}_${randomBytes(32).toString('base64url')}`
  return { token, digest: digestOfToken(token) }
}

/** The id in a token; undefined for what has not the form of one. */
export function callerIdIn(token: string): string | undefined {
  return TOKEN.exec(token)?.[1]
}

export function digestOfToken(token: string): string {
  return `sha256:${sha256(textBytes(token))}`
}

/** Whether a digest is one of several. All are compared, in constant time. */
export function isOneOf(digest: string, known: readonly string[]): boolean {
  const own = Buffer.from(digest)
  let equal = false
  for (const other of known) {
    const bytes = Buffer.from(other)
    // The length of a digest is no secret.
    if (bytes.length === own.length && timingSafeEqual(bytes, own)) equal = true
  }
  return equal
}
