import { createHash } from 'node:crypto'
import { readFile } from 'node:fs/promises'
import { join } from 'node:path'
import { Hono } from 'hono'
import { tagsOf } from 'dunelight/editions'
import { CHANNELS_FILE, editionsOf, objectOf, statementsAbout, type EditionsOf, type StoredEdition } from '@dunelight/node/host'
import { mayUse, type Caller } from '../callers/caller.js'
import { ServiceFault } from '../faults/fault.js'
import type { Service } from '../service/service.js'
import type { Admission } from './admission.js'
import { headersOf } from './headers.js'
import { fileReply, reply } from './replies.js'

/**
 * The files of editions as they are stored, for clients that render in their own process. Clients verify what they get: so an edition that was
 * revoked is sent too, with the statement that says so.
 */
export function editionRoutes(service: Service, admission: Admission): Hono {
  const app = new Hono()
  const { root, wordings } = service
  app.get('/channels', async (c) => {
    admission.caller(headersOf(c))
    const bytes = await readFile(join(root, CHANNELS_FILE)).catch(() => undefined)
    if (!bytes) throw new ServiceFault('not-found', 'the library has no channels')
    return tagged(c.req.raw, bytes, 'application/json')
  })
  app.get('/approvers', async (c) => {
    admission.caller(headersOf(c))
    const text = await wordings.approversText()
    if (text === undefined) throw new ServiceFault('not-found', 'the service has no approvers')
    return tagged(c.req.raw, Buffer.from(text), 'application/yaml')
  })
  app.get('/editions/*', async (c) => {
    const caller = admission.caller(headersOf(c))
    const { stored, all } = await editionAt(service, caller, stepsOf(c.req.path))
    const text = await readFile(join(root, stored.path), 'utf8')
    const statements = statementsAbout(all, stored).map(({ statement, signature }) => ({ ...statement, signature }))
    return tagged(c.req.raw, Buffer.from(JSON.stringify({ text, statements })), 'application/json')
  })
  app.get('/objects/*', async (c) => {
    const caller = admission.caller(headersOf(c))
    const steps = stepsOf(c.req.path)
    const digest = `sha256:${steps.pop() ?? ''}`
    const { stored } = await editionAt(service, caller, steps)
    const isOfEdition = Object.values(stored.edition.files).some((file) => file.size !== undefined && file.digest === digest)
    const bytes = isOfEdition ? await objectOf(root, digest) : undefined
    if (!bytes) throw new ServiceFault('not-found', 'there is no such file')
    return fileReply(bytes)
  })
  return app
}

/** The edition that an address names: its prompt, then its number. */
async function editionAt(
  { root, wordings }: Service,
  caller: Caller,
  steps: readonly string[],
): Promise<{ readonly stored: StoredEdition; readonly all: EditionsOf }> {
  const number = Number(steps.at(-1))
  const name = steps.slice(0, -1).join('/')
  const unknown = new ServiceFault('edition-unknown', `"${name}" has no edition ${number}`)
  if (!Number.isSafeInteger(number) || name === '') throw unknown
  const digests = wordings.digestsFor(caller, name)
  const all = await editionsOf(root, name)
  const stored = all.editions.find((edition) => edition.number === number && (caller.editions || digests.includes(edition.digest)))
  if (!stored || !mayUse(caller, { name, tags: tagsOf(stored.edition) })) throw unknown
  return { stored, all }
}

function stepsOf(path: string): string[] {
  try {
    return path.split('/').slice(2).map(decodeURIComponent)
  } catch {
    throw new ServiceFault('request-invalid', 'the address is not valid')
  }
}

function tagged(request: Request, bytes: Uint8Array, mediaType: string): Response {
  const etag = `"${createHash('sha256').update(bytes).digest('base64url')}"`
  if (request.headers.get('if-none-match') === etag) return new Response(null, { status: 304, headers: { etag } })
  return reply(200, new TextDecoder().decode(bytes), mediaType, { etag, 'cache-control': 'no-cache' })
}
