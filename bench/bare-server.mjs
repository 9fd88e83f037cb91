// The same server as the service's, which reads the body and answers the same bytes from memory.
import { serve } from '@hono/node-server'
import { Hono } from 'hono'

const body = process.argv[2]
const app = new Hono()
app.post('*', async (c) => {
  await c.req.text()
  return new Response(body, { headers: { 'content-type': 'application/json' } })
})
const server = serve({ fetch: app.fetch, port: 0, hostname: '127.0.0.1' }, () => process.stdout.write(`${server.address().port}\n`))
