import { Hono } from 'hono'
import { bodyLimit } from 'hono/body-limit'
import type { DeskProduction } from './desk-production.js'
import { refuse } from './guards.js'

const limit = bodyLimit({ maxSize: 64 * 1024 })

/** Editions, channels and the history of a prompt. */
export function productionRoutes(production: DeskProduction): Hono {
  const app = new Hono()
  app.get('/production', async (c) => c.json(await production.of(c.req.query('prompt') ?? '', c.req.query('history') === 'yes')))
  app.get('/difference', async (c) => {
    const { from, to } = c.req.query()
    return from === undefined || to === undefined
      ? refuse(c, 'a difference needs two wordings', 400)
      : c.json(await production.difference(from, to))
  })
  app.post('/publish', limit, async (c) => {
    const { prompt, note, uncommitted } = await c.req.json<Record<string, unknown>>()
    if (typeof prompt !== 'string' || typeof note !== 'string') return refuse(c, 'publishing needs a prompt and a note', 400)
    return c.json({ words: await production.publish(prompt, note, uncommitted === true) })
  })
  app.post('/channel', limit, async (c) => {
    const { prompt, channel, edition } = await c.req.json<Record<string, unknown>>()
    if (typeof prompt !== 'string' || typeof channel !== 'string' || !Number.isSafeInteger(edition))
      return refuse(c, 'a channel needs a prompt, a name and an edition', 400)
    return c.json({ words: await production.channel(prompt, channel, edition as number) })
  })
  return app
}
