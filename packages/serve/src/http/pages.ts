import { readFile } from 'node:fs/promises'
import { existsSync } from 'node:fs'
import { extname, join, sep } from 'node:path'
import { fileURLToPath } from 'node:url'
import { ServiceFault } from '../faults/fault.js'

const TYPES: Readonly<Record<string, string>> = {
  '.html': 'text/html; charset=utf-8',
  '.js': 'text/javascript; charset=utf-8',
  '.css': 'text/css; charset=utf-8',
  '.svg': 'image/svg+xml',
  '.woff2': 'font/woff2',
}

/** Nothing from elsewhere, no code that is made of text. */
const POLICY =
  "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data: blob:; font-src 'self' data:; frame-ancestors 'none'; base-uri 'none'; form-action 'none'"

/** Folders of built pages: they lie beside the built modules, and beside the sources while the package is worked on. */
function builtFolder(name: string): string | undefined {
  return [`./${name}`, `../${name}`, `../../dist/${name}`]
    .map((path) => fileURLToPath(new URL(path, import.meta.url)))
    .find((path) => existsSync(join(path, 'index.html')))
}

/** The pages of the service: the catalogue, and the viewer of the OpenAPI document. */
export class Pages {
  private readonly catalogue = builtFolder('service-pages')
  private readonly viewer = builtFolder('service-viewer')

  /** A file of the catalogue; the page itself for the first address. */
  catalogueFile(path: string): Promise<Response> {
    return fileIn(this.catalogue, path === '/' ? 'index.html' : path)
  }

  viewerFile(path: string): Promise<Response> {
    return fileIn(this.viewer, path === '' ? 'index.html' : path)
  }
}

async function fileIn(folder: string | undefined, path: string): Promise<Response> {
  const nothing = new ServiceFault('not-found', 'there is nothing here')
  if (folder === undefined) throw new ServiceFault('not-found', 'the pages are not built')
  const place = join(folder, path)
  const type = TYPES[extname(place)]
  if (type === undefined || !place.startsWith(folder + sep)) throw nothing
  const bytes = await readFile(place).catch(() => {
    throw nothing
  })
  return new Response(new Uint8Array(bytes), {
    headers: {
      'content-type': type,
      'cache-control': path.startsWith('/assets/') ? 'max-age=31536000, immutable' : 'no-store',
      'content-security-policy': POLICY,
      'x-content-type-options': 'nosniff',
      'referrer-policy': 'no-referrer',
      'cross-origin-resource-policy': 'same-origin',
    },
  })
}
