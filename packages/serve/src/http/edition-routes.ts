import { createHash } from 'node:crypto'
import { readFile } from 'node:fs/promises'
import { join } from 'node:path'
import { Hono } from 'hono'
import { CHANNELS_FILE, editionsOf, objectOf } from '@dunelight/node/host'
import { ServiceFault } from '../faults/fault.js'
import type { Service } from '../service/service.js'
import type { Admission } from './admission.js'
import { reply } from './replies.js'

/**
 * The files of editions as they are stored, for clients that render in their own process: they verify what they get, and ask again by its
 * ETag. Nothing here can be trusted by the way it came.
 */
export function editionRoutes(service: Service, admission: Admission): Hono {
  const app = new Hono()
  const { root } = service
  const tagged = (request: Request, bytes: Uint8Array, mediaType: string): Response => {
    const etag = `"${createHash('sha256').update(bytes).digest('base64url')}"`
    const isKnown = request.headers.get('if-none-match') === etag
    if (isKnown) return new Response(null, { status: 304, headers: { etag } })
    return reply(200, new TextDecoder().decode(bytes), mediaType, { etag, 'cache-control': 'no-cache' })
  }
  app.get('/channels', async (c) => {
    admission.caller(c.req.raw)
    const bytes = await readFile(join(root, CHANNELS_FILE)).catch(() => undefined)
    if (!bytes) throw new ServiceFault('not-found', 'the library has no channels')
    return tagged(c.req.raw, bytes, 'application/json')
  })
  app.get('/editions/*', async (c) => {
    const caller = admission.caller(c.req.raw)
    const [, , ...steps] = c.req.path.split('/').map(decodeURIComponent)
    const number = Number(steps.pop())
    const name = steps.join('/')
    const wording = await service.wordings.fetchable(caller, name, number)
    const { editions, statements } = await editionsOf(root, name)
    const stored = editions.find(({ digest }) => digest === wording.edition?.digest)
    if (!stored) throw new ServiceFault('edition-unknown', `"${name}" has no edition ${number}`)
    const about = statements.filter(({ path }) => path.startsWith(stored.path.replace(/json$/, ''))).map(({ signed }) => signed)
    const text = await readFile(join(root, stored.path), 'utf8')
    return tagged(c.req.raw, Buffer.from(JSON.stringify({ text, statements: about })), 'application/json')
  })
  app.get('/objects/*', async (c) => {
    const caller = admission.caller(c.req.raw)
    const digest = `sha256:${c.req.path.split('/')[2] ?? ''}`
    if (!/^sha256:[\da-f]{64}$/.test(digest) || !service.wordings.hasObject(caller, digest))
      throw new ServiceFault('not-found', 'there is no such file')
    const bytes = await objectOf(root, digest)
    if (!bytes) throw new ServiceFault('not-found', 'there is no such file')
    return new Response(new Uint8Array(bytes), {
      headers: {
        'content-type': 'application/octet-stream',
        'cache-control': 'max-age=31536000, immutable',
        'x-content-type-options': 'nosniff',
      },
    })
  })
  return app
}
