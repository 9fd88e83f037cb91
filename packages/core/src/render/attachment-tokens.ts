import type { FilePart } from './parts.js'

/** What services that count such parts charge, roughly: pixels and bytes of one token, tokens of one page. */
const [PIXELS, BYTES, PAGE] = [750, 4, 1_500]
/** A picture is made smaller than this before it is read. */
const MOST_PIXELS = 1_600 * 1_600

/** An estimate of the tokens of a document or picture: by pages, by pixels, else by bytes. Each service counts in its own way. */
export function attachmentTokens({ mediaType, bytes }: Pick<FilePart, 'mediaType' | 'bytes'>): number {
  if (mediaType === 'application/pdf') return PAGE * pagesOf(bytes)
  const pixels = mediaType.startsWith('image/') ? pixelsOf(bytes) : undefined
  return Math.ceil(pixels === undefined ? bytes.length / BYTES : Math.min(pixels, MOST_PIXELS) / PIXELS)
}

const [PIECE, OVERLAP] = [8_192, 16]
const PAGE_OBJECT = /\/Type\s{0,2}\/Page(?![a-z])/g

/** The pages of a PDF by its page objects; those of compressed ones are counted by its size. */
function pagesOf(bytes: Uint8Array): number {
  let pages = 0
  // A match that begins in the overlap belongs to the next piece.
  for (let start = 0; start < bytes.length; start += PIECE) {
    const text = String.fromCharCode(...bytes.subarray(start, start + PIECE + OVERLAP))
    for (const { index } of text.matchAll(PAGE_OBJECT)) if (index < PIECE) pages++
  }
  return pages > 0 ? pages : Math.max(1, Math.round(bytes.length / 50_000))
}

function pixelsOf(bytes: Uint8Array): number | undefined {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength)
  if (bytes.length < 26) return undefined
  if (bytes[0] === 0x89 && bytes[1] === 0x50) return view.getUint32(16) * view.getUint32(20)
  if (bytes[0] === 0x47 && bytes[1] === 0x49) return view.getUint16(6, true) * view.getUint16(8, true)
  if (bytes[0] !== 0xff || bytes[1] !== 0xd8) return undefined
  // JPEG: segments up to the one that begins a frame.
  for (let position = 2; position + 9 < bytes.length;) {
    const [mark, kind = 0] = [bytes[position], bytes[position + 1]]
    if (mark !== 0xff) return undefined
    if (kind >= 0xc0 && kind <= 0xcf && kind !== 0xc4 && kind !== 0xc8 && kind !== 0xcc)
      return view.getUint16(position + 5) * view.getUint16(position + 7)
    position += 2 + view.getUint16(position + 2)
  }
  return undefined
}
