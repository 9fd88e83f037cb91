import { isAscii, isUtf8 } from 'node:buffer'
import type { ByteText } from '@dunelight/tables'

/** Text kept as bytes, one character each, until a piece of it is read: decoding a whole table costs more than reading it. */
export const byteText: ByteText = {
  isAscii,
  isUtf8,
  text: (bytes) => asBuffer(bytes).toString('latin1'),
  decodePiece: (piece) => (BEYOND_ASCII.test(piece) ? Buffer.from(piece, 'latin1').toString('utf8') : piece),
}

const BEYOND_ASCII = /[\u0080-\u00ff]/

function asBuffer(bytes: Uint8Array): Buffer {
  return Buffer.isBuffer(bytes) ? bytes : Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength)
}
