import { Hono } from 'hono'
import { bodyLimit } from 'hono/body-limit'
import { DeskReview, DOCUMENT_TYPES, EXPORTS, isDecision, type ExportFormat } from './desk-review.js'
import type { DeskRuns, Wanted } from './desk-runs.js'
import { refuse } from './guards.js'

/** A decision about many records, or a text by hand. */
const limit = bodyLimit({ maxSize: 8 * 1024 * 1024 })

/** Runs of the library: begun, watched, paused and resumed here, and their answers reviewed. */
export function runRoutes(runs: DeskRuns, review: DeskReview): Hono {
  const app = new Hono()
  app.get('/runs', async (c) => c.json(await runs.list()))
  app.post('/runs/estimate', limit, async (c) => {
    const wanted: unknown = await c.req.json()
    return isWanted(wanted) ? c.json(await runs.estimate(wanted)) : refuse(c, UNCLEAR, 400)
  })
  app.post('/runs', limit, async (c) => {
    const wanted: unknown = await c.req.json()
    return isWanted(wanted) ? c.json({ run: await runs.begin(wanted) }) : refuse(c, UNCLEAR, 400)
  })
  app.post('/runs/:run/pause', (c) => {
    runs.pause(c.req.param('run'))
    return c.json({})
  })
  app.post('/runs/:run/resume', async (c) => c.json({ run: await runs.resume(c.req.param('run')) }))
  app.get('/runs/:run', async (c) => {
    const record = c.req.query('record')
    return c.json(record === undefined ? await review.open(c.req.param('run')) : await review.assembled(c.req.param('run'), record))
  })
  app.get('/runs/:run/document', async (c) => {
    const { record, as = 'md', outOfDate } = c.req.query()
    if (record === undefined || !isDocument(as))
      return refuse(c, `a document is exported as ${Object.keys(DOCUMENT_TYPES).join(', ')}`, 400)
    const content = await review.document(c.req.param('run'), record, as, outOfDate === 'allow')
    c.header('content-type', DOCUMENT_TYPES[as])
    return c.body(typeof content === 'string' ? content : new Uint8Array(content))
  })
  app.post('/runs/:run/decide', limit, async (c) => {
    const decision: unknown = await c.req.json()
    return isDecision(decision)
      ? c.json(await review.decide(c.req.param('run'), decision))
      : refuse(c, 'a decision names what it does and the records', 400)
  })
  app.post('/runs/:run/cases', limit, async (c) => {
    const { set, allowMock } = await c.req.json<{ set: unknown; allowMock: unknown }>()
    if (typeof set !== 'string') return refuse(c, 'cases need an example set', 400)
    return c.json({ words: await review.addCases(c.req.param('run'), set, allowMock === true) })
  })
  app.get('/runs/:run/export', async (c) => {
    const format = c.req.query('as') ?? 'csv'
    if (!isFormat(format)) return refuse(c, `a run is exported as ${Object.keys(EXPORTS).join(', ')}`, 400)
    const content = await review.export(c.req.param('run'), format)
    c.header('content-type', EXPORTS[format])
    return c.body(typeof content === 'string' ? content : new Uint8Array(content))
  })
  return app
}

const UNCLEAR = 'a run needs a prompt, and a batch or a table'

function isFormat(text: string): text is ExportFormat {
  return Object.hasOwn(EXPORTS, text)
}

function isDocument(text: string): text is keyof typeof DOCUMENT_TYPES {
  return Object.hasOwn(DOCUMENT_TYPES, text)
}

function isWanted(body: unknown): body is Wanted {
  if (typeof body !== 'object' || body === null) return false
  const { prompt, batch, table, model, take } = body as Record<string, unknown>
  const isText = (value: unknown) => value === undefined || typeof value === 'string'
  const isPath = typeof table !== 'string' || !table.split('/').some((step) => step === '..' || step === '')
  return (
    typeof prompt === 'string' &&
    [batch, table, model].every(isText) &&
    isPath &&
    (batch !== undefined || table !== undefined) &&
    (take === undefined || (Number.isInteger(take) && Number(take) > 0))
  )
}
