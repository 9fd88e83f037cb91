import { hash } from 'node:crypto'

/** A text's UTF-8, one character for each byte. */
export function textBytes(text: string): string {
  return Buffer.from(text, 'utf8').toString('latin1')
}

/** The text whose UTF-8 these bytes are, one character for each. */
export function bytesText(bytes: string): string {
  return Buffer.from(bytes, 'latin1').toString('utf8')
}

/** SHA-256 of bytes, one character for each, in hexadecimal digits. */
export function sha256(bytes: string): string {
  return hash('sha256', Buffer.from(bytes, 'latin1'))
}
