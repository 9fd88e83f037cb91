// Serves the files of a built page on this machine.
import { once } from 'node:events'
import { readFileSync } from 'node:fs'
import { createServer } from 'node:http'
import { extname, join } from 'node:path'

const TYPES = { '.html': 'text/html', '.js': 'text/javascript', '.css': 'text/css' }

/** Serves a folder at a free port; returns its address, and what ends it. */
export async function serveFiles(folder) {
  const server = createServer(({ url = '/' }, response) => {
    const path = url === '/' ? '/index.html' : url
    response.setHeader('content-type', TYPES[extname(path)] ?? 'text/plain')
    response.end(readFileSync(join(folder, path)))
  }).listen(0, '127.0.0.1')
  await once(server, 'listening')
  return { address: `http://127.0.0.1:${server.address().port}`, close: () => server.close() }
}
