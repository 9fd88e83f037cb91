import { readFile } from 'node:fs/promises'
import { extname, join, sep } from 'node:path'

/** What a page that is served may load: nothing from elsewhere, and no code that is made of text. */
export const PAGE_POLICY =
  "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data: blob:; font-src 'self' data:; frame-ancestors 'none'; base-uri 'none'"

const TYPES: Readonly<Record<string, string>> = {
  '.html': 'text/html; charset=utf-8',
  '.js': 'text/javascript; charset=utf-8',
  '.css': 'text/css; charset=utf-8',
  '.svg': 'image/svg+xml',
  '.woff2': 'font/woff2',
}

/** A file of a built page, with the headers that it is sent with. */
export interface PageFile {
  readonly bytes: Uint8Array<ArrayBuffer>
  readonly headers: { readonly 'content-type': string; readonly 'cache-control': string }
}

/** A file of a built page, by its address; the page itself at `/`. Undefined for anything that is none of its files. */
export async function pageFile(folder: string, address: string): Promise<PageFile | undefined> {
  const path = join(folder, address === '/' ? 'index.html' : address)
  const type = TYPES[extname(path)]
  if (type === undefined || !path.startsWith(folder + sep)) return undefined
  const bytes = await readFile(path).catch(() => undefined)
  // The names of assets change with what is in them.
  const caching = address.startsWith('/assets/') ? 'max-age=31536000, immutable' : 'no-store'
  return bytes && { bytes: new Uint8Array(bytes), headers: { 'content-type': type, 'cache-control': caching } }
}
