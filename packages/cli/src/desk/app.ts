import { createReadStream } from 'node:fs'
import { readdir, realpath, stat } from 'node:fs/promises'
import { basename, join, relative, sep } from 'node:path'
import { Readable } from 'node:stream'
import { Hono, type Context } from 'hono'
import { bodyLimit } from 'hono/body-limit'
import { ProblemError, problemRecord, type FileValue } from 'dunelight'
import { TABLE_FORMATS } from 'dunelight/host'
import { openLibrary, readTable } from '@dunelight/node'
import {
  filesThatItSets,
  formatOf,
  markOfText,
  pageFile,
  readLibraryFolder,
  readLibraryTexts,
  saveText,
  textFormatOf,
  foldersOf,
  readableBytes,
  readDocument,
} from '@dunelight/node/host'
import { askRoutes } from './ask-routes.js'
import { committedTexts } from './committed.js'
import { faultOf, ownHost, ownPage, withoutSecrets, type GuardOptions } from './guards.js'
import { isLibraryFile } from './library-files.js'
import { DeskProduction } from './desk-production.js'
import { productionRoutes } from './production-routes.js'
import { runRoutes } from './run-routes.js'
import type { DeskRuns } from './desk-runs.js'
import { DeskReview } from './desk-review.js'
import type { Session } from './session.js'

export interface DeskOptions extends GuardOptions {
  /** The library's folder, links resolved. */
  readonly root: string
  /** What the page may send to models. */
  readonly session: Session
  readonly runs: DeskRuns
  /** The folder of the built pages. */
  readonly pages: string
}

/** A text to be saved. */
const MOST_BYTES = 8 * 1024 * 1024

/**
 * The server of the desk: the library's files, its tables, and saving a file. It answers to its own address alone, so that no
 * other host name leads here, and only to requests with the key; it reads and writes nothing outside the library's folder.
 */
export function deskApp({ root, pages, session, runs, ...guards }: DeskOptions): Hono {
  const app = new Hono()
  app.use(ownHost(guards))
  app.use('/api/*', ownPage(guards), withoutSecrets)
  app.onError((fault, c) => {
    return c.json(faultOf(fault), fault instanceof ProblemError ? 422 : 500)
  })

  // A page that is fetched asks for the library next: it is read while the page is on its way.
  let ahead: ReturnType<typeof libraryData> | undefined
  app.get('/api/library', async (c) => {
    const data = ahead ?? libraryData(root)
    ahead = undefined
    return c.json(await data)
  })
  app.get('/api/committed', async (c) => c.json((await committedTexts(root)) ?? null))
  app.get('/api/marks', async (c) => c.json(marksOf((await readLibraryTexts(root)).files)))
  app.get('/api/table', (c) => sendTable(c, root))
  app.get('/api/values', async (c) => c.json(await valuesSetBy(root, c.req.query('batch') ?? '')))
  app.post('/api/documents', bodyLimit({ maxSize: MOST_BYTES }), async (c) => {
    const { table, paths } = await c.req.json<{ table: unknown; paths: unknown }>()
    if (typeof table !== 'string' || !isTexts(paths)) return c.json({ problems: [{ message: 'documents need a table and paths' }] }, 400)
    return c.json(await documentsAt(root, table, paths))
  })
  app.put('/api/file', bodyLimit({ maxSize: MOST_BYTES }), async (c) => {
    const { path, text, was } = await c.req.json<{ path: unknown; text: unknown; was: unknown }>()
    if (typeof path !== 'string' || typeof text !== 'string' || (was !== null && typeof was !== 'string'))
      return c.json({ problems: [{ message: 'a saving needs path, text and was' }] }, 400)
    if (!isLibraryFile(path)) return c.json({ problems: [{ message: `"${path}" is not a file of a library` }] }, 422)
    // That someone else wrote the file meanwhile is an answer, no fault.
    return c.json(await saveText(root, path, text, was))
  })
  app.route('/api', askRoutes(root, session))
  app.route('/api', productionRoutes(new DeskProduction(root)))
  app.route('/api', runRoutes(runs, new DeskReview(root, runs, session)))
  app.get('*', (c) => {
    if (c.req.path === '/') {
      ahead = libraryData(root)
      ahead.catch(() => undefined)
    }
    return sendPage(c, pages)
  })
  return app
}

async function libraryData(root: string) {
  const { files, problems, attachments, tables } = await readLibraryFolder(root, { mayBeEmpty: true })
  return {
    folder: basename(root),
    root,
    files,
    marks: marksOf(files),
    attachments: Object.fromEntries(
      Object.entries(attachments).map(([path, attachment]) => [path, typeof attachment === 'string' ? attachment : asData(attachment)]),
    ),
    tables,
    problems: problems.map(problemRecord),
    data: await tablesIn(root),
  }
}

function marksOf(files: Readonly<Record<string, string>>): Record<string, string> {
  return Object.fromEntries(Object.entries(files).map(([path, text]) => [path, markOfText(text)]))
}

function asData({ bytes, ...rest }: FileValue) {
  return { ...rest, ...(bytes && { base64: Buffer.from(bytes).toString('base64') }) }
}

/** The tables below the library's folder, those in its `data` first. */
async function tablesIn(root: string): Promise<{ path: string; bytes: number }[]> {
  const tables: { path: string; bytes: number }[] = []
  const look = async (folder: string, depth: number): Promise<void> => {
    for (const entry of await readdir(folder, { withFileTypes: true }).catch(() => [])) {
      const path = join(folder, entry.name)
      if (entry.name.startsWith('.')) continue
      if (entry.isDirectory() && depth < 3) await look(path, depth + 1)
      else if (entry.isFile() && isTable(entry.name))
        tables.push({ path: relative(root, path).split(sep).join('/'), bytes: (await stat(path)).size })
    }
  }
  await look(join(root, 'data'), 0)
  await look(join(root, 'out'), 0)
  return tables.sort((a, b) => (a.path < b.path ? -1 : 1))
}

function isTable(name: string): boolean {
  const format = formatOf({ from: name })
  return format !== undefined && (TABLE_FORMATS as readonly string[]).includes(format)
}

/** The documents that a batch gives to all of its records. */
async function valuesSetBy(root: string, name: string): Promise<Record<string, unknown>> {
  const library = await openLibrary(root, { countTokens: () => 0 })
  const model = library.artefacts.batches.get(name)
  if (!model?.prompt) return {}
  const fileValues = await filesThatItSets(library.inputOf(model.prompt.name), model, root, library.limits.attachmentBytes)
  return Object.fromEntries(Object.entries(fileValues).map(([key, value]) => [key, asData(value as FileValue)]))
}

/** Documents that cells of a table name, by their paths; a text says why one cannot be read. */
async function documentsAt(root: string, table: string, paths: readonly string[]): Promise<Record<string, unknown>> {
  const { limits } = await openLibrary(root, { countTokens: () => 0 })
  const place = await realpath(join(root, table)).catch(() => root)
  const folders = foldersOf(root, place.startsWith(root + sep) && isTable(place) ? place : '-')
  const read = async (path: string): Promise<unknown> => {
    try {
      return asData(await readDocument(path, folders, limits.attachmentBytes))
    } catch (fault) {
      if (fault instanceof ProblemError) return fault.problems.map(({ message }) => message).join('; ')
      throw fault
    }
  }
  const documents: [string, unknown][] = []
  for (const path of paths) documents.push([path, await read(path)])
  return Object.fromEntries(documents)
}

function isTexts(value: unknown): value is readonly string[] {
  return Array.isArray(value) && value.every((item) => typeof item === 'string')
}

/** A text as it is; a table of any other kind as JSON Lines. */
async function sendTable(c: Context, root: string): Promise<Response> {
  const path = c.req.query('path') ?? ''
  const place = await realpath(join(root, path)).catch(() => undefined)
  const hidden = path.split('/').some((step) => step.startsWith('.'))
  if (place === undefined) return c.json({ problems: [{ message: `unknown table ${path}` }] }, 404)
  if (!place.startsWith(root + sep) || hidden || !isTable(place))
    return c.json({ problems: [{ message: `"${path}" is not a table of this library` }] }, 422)
  const format = textFormatOf(place)
  const sheet = c.req.query('sheet')
  const query = c.req.query('query')
  c.header('x-table-format', format ?? 'jsonl')
  c.header('content-type', 'application/octet-stream')
  if (format !== undefined) {
    const bytes = await readableBytes({ from: place }, createReadStream(place))
    return c.body(Readable.toWeb(Readable.from(bytes, { objectMode: false })) as ReadableStream)
  }
  const source = { from: place, ...(sheet !== undefined && { sheet }), ...(query !== undefined && { query }) }
  return c.body(Readable.toWeb(Readable.from(linesOf(source))) as ReadableStream)
}

async function* linesOf(source: Parameters<typeof readTable>[0]): AsyncGenerator<Buffer> {
  for await (const { headings, rows } of readTable(source)) {
    const lines = rows.map((cells) =>
      'problem' in cells ? '' : JSON.stringify(Object.fromEntries(headings.map((heading, i) => [heading, cells[i] ?? null]))),
    )
    yield Buffer.from(
      lines
        .filter((line) => line !== '')
        .map((line) => `${line}\n`)
        .join(''),
    )
  }
}

async function sendPage(c: Context, pages: string): Promise<Response> {
  const file = await pageFile(pages, c.req.path)
  return file ? c.body(file.bytes, 200, file.headers) : c.text('there is nothing here', 404)
}
