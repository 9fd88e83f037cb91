/**
 * The few globals of the web that Node has too, under the same names: the core is compiled against no platform, so what it takes of one is
 * declared here.
 */
interface Web {
  readonly TextDecoder: new (label: string, options: { fatal: boolean; ignoreBOM: boolean }) => { decode(bytes: Uint8Array): string }
  readonly TextEncoder: new () => { encode(text: string): Uint8Array }
  atob(data: string): string
  btoa(data: string): string
}
const web = globalThis as unknown as Web

/**
 * UTF-8 bytes as text; undefined where they are none.
 *
 * @param keepsMark - Whether a byte order mark stays at the beginning of the text.
 */
export function decodeUtf8(bytes: Uint8Array, keepsMark = false): string | undefined {
  try {
    return new web.TextDecoder('utf-8', { fatal: true, ignoreBOM: keepsMark }).decode(bytes)
  } catch {
    return undefined
  }
}

export function encodeUtf8(text: string): Uint8Array {
  return new web.TextEncoder().encode(text)
}

/** Base64 as bytes; undefined where it is none. */
export function decodeBase64(data: string): Uint8Array | undefined {
  try {
    return Uint8Array.from(web.atob(data), (character) => character.charCodeAt(0))
  } catch {
    return undefined
  }
}

/** As many bytes at once as `String.fromCharCode` takes as arguments everywhere. */
const STRIDE = 0x2000

export function encodeBase64(bytes: Uint8Array): string {
  let characters = ''
  for (let position = 0; position < bytes.length; position += STRIDE)
    characters += String.fromCharCode(...bytes.subarray(position, position + STRIDE))
  return web.btoa(characters)
}
