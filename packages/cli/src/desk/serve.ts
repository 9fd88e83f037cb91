import { randomBytes } from 'node:crypto'
import { existsSync } from 'node:fs'
import { fileURLToPath } from 'node:url'
import { serve, type ServerType } from '@hono/node-server'
import openAddress from 'open'
import { readLibraryFolder } from '@dunelight/node/host'
import { colorsFor, EXIT, WrongUse, type CommandContext } from '../ui/context.js'
import { interrupted, listenAt } from '../ui/serving.js'
import { deskApp } from './app.js'
import { DeskRuns } from './desk-runs.js'
import { Session } from './session.js'

export interface OpenFlags {
  readonly port?: number
  /** How many requests the page may send to models. */
  readonly requests?: number
  /** False if no browser should be started. */
  readonly browser?: boolean
}

/** The built pages stand beside the command. */
const PAGES = ['./pages', '../pages']
  .map((path) => fileURLToPath(new URL(path, import.meta.url)))
  .find((path) => existsSync(`${path}/index.html`))

/** Serves the desk for a library, on this machine alone, until it is interrupted. */
export async function serveDesk(context: CommandContext, folder: string, flags: OpenFlags): Promise<number> {
  const { root, artefacts } = await readLibraryFolder(folder, { mayBeEmpty: true })
  if (!PAGES) throw new WrongUse('the pages of the desk are not built', 'npm run build')
  const key = randomBytes(18).toString('base64url')
  let place = 0
  const session = new Session(flags.requests ?? USUAL_REQUESTS)
  const runs = new DeskRuns(root, session)
  const app = deskApp({ root, key, session, runs, host: () => `127.0.0.1:${place}`, pages: PAGES })
  const server = await listenAt(flags.port, USUAL_PORT, (port) => listening(app.fetch, port))
  place = (server.address() as { port: number }).port
  const c = colorsFor(context.stderr, context.env)
  // The key stands behind the #: browsers do not send that part, and no log keeps it.
  context.stdout.write(`http://127.0.0.1:${place}/#${key}\n`)
  // A program that reads the address from a pipe opens it itself.
  if (flags.browser !== false && context.stdout.isTTY) await inBrowser(`http://127.0.0.1:${place}/#${key}`)
  context.stderr.write(c.dim(`desk for ${artefacts.library.title ?? folder}; Ctrl+C stops it\n`))
  await interrupted(context)
  await runs.close()
  await new Promise<void>((resolve) => {
    server.close(() => resolve())
    if ('closeAllConnections' in server) server.closeAllConnections()
  })
  return EXIT.done
}

/** Without a browser the address is there to be copied. */
async function inBrowser(address: string): Promise<void> {
  try {
    const started = await openAddress(address)
    started.on('error', () => undefined)
  } catch {
    // No message is needed: the address is printed above.
  }
}

const USUAL_PORT = 7118
const USUAL_REQUESTS = 200

function listening(fetch: Parameters<typeof serve>[0]['fetch'], port: number): Promise<ServerType> {
  return new Promise((resolve, reject) => {
    const server = serve({ fetch, port, hostname: '127.0.0.1' }, () => resolve(server))
    server.once('error', reject)
  })
}
