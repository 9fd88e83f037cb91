import { ed25519 } from '@noble/curves/ed25519.js'
import { sha256 } from '@noble/hashes/sha2.js'
import { bytesToHex, utf8ToBytes } from '@noble/hashes/utils.js'
import canonicalize from 'canonicalize'
import { decodeBase64, encodeBase64 } from '../values/web.js'

/** What a signature is for: a signature for one purpose is none for another. */
export type Purpose = 'dunelight-approval-1' | 'dunelight-channels-1'

/** The bytes that are signed: the purpose, and the statement as canonical JSON (RFC 8785). */
export function signedBytes(purpose: Purpose, statement: Readonly<Record<string, unknown>>): Uint8Array {
  return utf8ToBytes(`${purpose}\n${canonicalize(statement) ?? ''}`)
}

/** The digest of bytes as editions and statements write it: `sha256:` and 64 hexadecimal digits. */
export function digestOf(bytes: Uint8Array): string {
  return `sha256:${bytesToHex(sha256(bytes))}`
}

/** A digest that has the form of one. */
export function isDigest(value: unknown): value is string {
  return typeof value === 'string' && /^sha256:[\da-f]{64}$/.test(value)
}

/** An Ed25519 public key. */
export interface PublicKey {
  /** The digest of the key in SPKI form. */
  readonly id: string
  readonly bytes: Uint8Array
}

/** How every Ed25519 key in SPKI form begins. */
const SPKI = Uint8Array.of(0x30, 0x2a, 0x30, 0x05, 0x06, 0x03, 0x2b, 0x65, 0x70, 0x03, 0x21, 0x00)
const PEM = /^\s*-----BEGIN PUBLIC KEY-----\s*([A-Za-z0-9+/=\s]+?)\s*-----END PUBLIC KEY-----\s*$/

/** A public key in PEM; a text says why it is none that may be used. */
export function readPublicKey(pem: string): PublicKey | string {
  if (/PRIVATE KEY/.test(pem)) return 'it is a private key; only the public key belongs here'
  const base64 = PEM.exec(pem)?.[1]
  const der = base64 === undefined ? undefined : base64Bytes(base64.replace(/\s/g, ''))
  if (!der) return 'it is not a public key in PEM form'
  if (der.length !== SPKI.length + 32 || SPKI.some((byte, i) => der[i] !== byte)) return 'it is not an Ed25519 key'
  const bytes = der.slice(SPKI.length)
  return isStrong(bytes) ? { id: digestOf(der), bytes } : 'it is not a safe key: anyone could sign for it'
}

/** Points of a small order fit many signatures, and a point that is written in a second way would be a second key. */
function isStrong(bytes: Uint8Array): boolean {
  try {
    const point = ed25519.Point.fromBytes(bytes)
    return !point.isSmallOrder() && point.isTorsionFree()
  } catch {
    return false
  }
}

/** Whether a signature, in Base64, fits the statement. */
export function isSignedBy(
  { bytes }: PublicKey,
  signature: string,
  purpose: Purpose,
  statement: Readonly<Record<string, unknown>>,
): boolean {
  const given = base64Bytes(signature)
  if (given?.length !== 64) return false
  return ed25519.verify(given, signedBytes(purpose, statement), bytes, { zip215: false })
}

/** The bytes of Base64 in its one proper writing; undefined for anything else. */
function base64Bytes(text: string): Uint8Array | undefined {
  const bytes = decodeBase64(text)
  return bytes && encodeBase64(bytes) === text ? bytes : undefined
}
